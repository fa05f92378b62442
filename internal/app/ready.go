package app

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/sketch"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/rig"
)

// Rig is what the app needs of the machines.
type Rig interface {
	// Know makes a host's credential known.
	Know(rig.Host)
	// Forget takes a host's credential back and cuts it off.
	Forget(credential string)
	// Want sets what a machine of a studio should hold ready for a template.
	Want(studio, owner, machine string, loads []rig.Load)
	// Scan asks a machine of a studio for a scan; hear is told how it goes.
	Scan(studio, machine string, o rig.ScanOrder, hear func(rig.ScanNews)) error
	// Zones asks a machine of a studio for the zones of a patch in a folder it
	// has scanned.
	Zones(ctx context.Context, studio, machine, folder string, of *template.Patch) ([]patch.Zone, error)
	// StopScan stops a scan on a machine.
	StopScan(id string)
	// Drive says whether a machine of a studio is this server's to order, where
	// there are several.
	Drive(studio, machine string, on bool)
	// Play sends what is played to a machine of a studio.
	Play(studio, machine string, o rig.PlayOrder) error
	// Measure has a machine of a studio measure a row.
	Measure(ctx context.Context, studio, machine string, ask rig.MeasureAsk) (*template.Heard, error)
	// Perform has a machine of a studio play the next piece of music ahead.
	Perform(ctx context.Context, studio, machine string, ask rig.PerformAsk) (rig.Performed, error)
	// HearSound is told what a listener hears, until stop is called.
	HearSound(studio, listener string, heard func(machine string, b rig.SoundBlock)) (stop func(), err error)
	// Address is where hosts dial in.
	Address() string
}

// How says what to do with a selection.
type How string

// The ways to call.
const (
	CallThem How = "call" // bring them to ready, beside what is
	RestThem How = "rest" // send them back to tacet
	OnlyThem How = "only" // bring them to ready, rest everything else
	SoloThem How = "solo" // bring them to ready, rest the others of their sections
)

// NoRoomError is a call refused because it does not fit.
type NoRoomError struct{ Estimates []calls.Estimate }

func (e *NoRoomError) Error() string {
	var parts []string
	for _, x := range e.Estimates {
		if !x.Fits() {
			parts = append(parts, x.Refusal())
		}
	}
	return strings.Join(parts, ". ")
}

// NoSeatError is a call of instruments that have no seat.
type NoSeatError struct{ Instruments []*template.Instrument }

func (e *NoSeatError) Error() string {
	if len(e.Instruments) == 1 {
		return e.Instruments[0].Name + " has no seat, so no machine can load it; seat it first"
	}
	return fmt.Sprintf("%s and %d more have no seat, so no machine can load them; seat them first", e.Instruments[0].Name, len(e.Instruments)-1)
}

// BusyError is a rest refused until a person is sure: it would take away what
// sounds, is armed, or is kept.
type BusyError struct{ Busy, Kept []*template.Instrument }

func (e *BusyError) Error() string {
	var parts []string
	for _, x := range []struct {
		list      []*template.Instrument
		one, many string
	}{{e.Busy, "sounds or is armed", "sound or are armed"}, {e.Kept, "is kept", "are kept"}} {
		switch len(x.list) {
		case 0:
		case 1:
			parts = append(parts, fmt.Sprintf("%s %s", x.list[0].Name, x.one))
		default:
			parts = append(parts, fmt.Sprintf("%s and %d more %s", x.list[0].Name, len(x.list)-1, x.many))
		}
	}
	return strings.Join(parts, "; ") + ". Rest all the same?"
}

// after computes the wanted set that a call leads to. What is kept comes with
// every call, and is rested only when nothing else is, or sure says so; what is
// wanted of the opening call stays when another is brought in alone.
func (r *Running) after(ids []template.ID, how How, sure bool) map[template.ID]bool {
	next := maps.Clone(r.wanted)
	sounds := r.t.Sounds(ids)
	switch how {
	case RestThem:
		for _, id := range sounds {
			if i := r.t.Instrument(id); i == nil || !i.Keep || sure {
				delete(next, id)
			}
		}
		return next
	case OnlyThem:
		clear(next)
		for _, id := range calls.Beside(r.t, r.scoreOrder(r.wanted)) {
			next[id] = true
		}
	case SoloThem:
		sections := map[template.ID]bool{}
		for _, id := range ids {
			if i := r.t.Instrument(id); i != nil {
				sections[i.Section] = true
			}
		}
		for id := range next {
			if i := r.t.Instrument(id); i != nil && sections[i.Section] {
				delete(next, id)
			}
		}
	}
	for _, id := range sounds {
		if i := r.t.Instrument(id); i != nil && i.NeedsSeat() && !i.Aside {
			next[id] = true
		}
	}
	for _, i := range r.t.Instruments {
		if i.Keep && i.Loads() {
			next[i.ID] = true
		}
	}
	return next
}

// disturbed lists what going to the next set would rest though it sounds, is
// armed or, of those asked for, is kept.
func (r *Running) disturbed(ids []template.ID, how How, next map[template.ID]bool) *BusyError {
	var e BusyError
	rested := false
	for _, i := range r.t.Instruments {
		if r.wanted[i.ID] && !next[i.ID] {
			rested = true
			if s := r.states[i.ID]; s.Voices > 0 || s.Armed {
				e.Busy = append(e.Busy, i)
			}
		}
	}
	if how == RestThem && !rested {
		for _, id := range r.t.Sounds(ids) {
			if i := r.t.Instrument(id); i != nil && i.Keep && r.wanted[id] {
				e.Kept = append(e.Kept, i)
			}
		}
	}
	if len(e.Busy)+len(e.Kept) == 0 {
		return nil
	}
	return &e
}

// neverUsed is longer than anything was unused.
const neverUsed = 1000 * time.Hour

// reckon estimates going from what is wanted to the next set, with all that is
// known of the machines.
func (r *Running) reckon(next, awaited map[template.ID]bool) []calls.Estimate {
	now := time.Now()
	busy := map[template.ID]bool{}
	for id, s := range r.states {
		if s.Voices > 0 || s.Armed {
			busy[id] = true
		}
	}
	return calls.Reckon(r.t, calls.Going{
		Before: r.scoreOrder(r.wanted), After: r.scoreOrder(next), Awaited: awaited, Busy: busy, Paces: r.paceOfAll(), Others: r.others(),
		Idle: func(id template.ID) time.Duration {
			if at, used := r.usedAt[id]; used {
				return now.Sub(at)
			}
			return neverUsed
		},
	})
}

// Estimate tells what a call would cost, machine by machine, and who of it
// has no seat.
func (r *Running) Estimate(ids []template.ID, how How) ([]calls.Estimate, []*template.Instrument) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.reckon(r.after(ids, how, false), nil), calls.Unseated(r.t, ids)
}

// Small chooses the rows that are most useful to write with, within a budget.
func (r *Running) Small(w sketch.Wish) sketch.Sketch {
	w.Ready = r.Ready()
	return sketch.Make(r.doc.View().State, w)
}

// Ready lists who is ready, as the hosts report it.
func (r *Running) Ready() map[template.ID]bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	ready := map[template.ID]bool{}
	for id, s := range r.states {
		if s.State == string(rig.Ready) {
			ready[id] = true
		}
	}
	return ready
}

// Begin brings in the opening call and what is kept, when a person opens a
// template of which nothing is wanted and nobody has called or rested anything
// since the server started. It returns how many come. One that does not fit is
// refused with a *NoRoomError, once; those without a seat are left out.
func (r *Running) Begin(ctx context.Context) (int, error) {
	r.mu.Lock()
	asked := r.asked || len(r.wanted) > 0 || r.doc.View().Of != uuid.Nil
	ids := slices.DeleteFunc(calls.Standing(r.t), func(id template.ID) bool { return !r.t.Instrument(id).Loads() })
	r.asked = r.asked || len(ids) > 0
	r.mu.Unlock()
	if asked || len(ids) == 0 {
		return 0, nil
	}
	if err := r.Call(ctx, ids, CallThem, false); err != nil {
		return 0, fmt.Errorf("the opening call does not come: %w", err)
	}
	return len(ids), nil
}

func (r *Running) scoreOrder(set map[template.ID]bool) []template.ID {
	out := make([]template.ID, 0, len(set))
	for _, i := range r.t.Instruments {
		if set[i.ID] {
			out = append(out, i.ID)
		}
	}
	return out
}

// Call brings instruments to ready or rests them. A call that does not fit is
// refused with a *NoRoomError, one without seats with a *NoSeatError, and one
// that would take away what sounds, is armed or is kept with a *BusyError unless
// sure; nothing is changed then.
func (r *Running) Call(ctx context.Context, ids []template.ID, how How, sure bool) error {
	if v := r.doc.View(); v.Of != uuid.Nil {
		return &LockedError{Name: v.Name, Version: true} // it would take memory from the present
	}
	release, err := r.write(ctx)
	if err != nil {
		return err
	}
	defer release()
	for range callTries {
		c, err := r.prepare(ids, how, sure)
		if err != nil {
			return err
		}
		revision, err := r.app.store.WantedChange(ctx, r.id, c.base, c.add, c.remove, texts(c.awaited))
		if errors.Is(err, document.ErrStale) { // somebody called on another server
			if err := r.reload(ctx); err != nil {
				return err
			}
			continue
		}
		if err != nil {
			return err
		}
		r.begin(c, revision)
		r.tellOthers()
		return nil
	}
	return document.ErrStale
}

// callTries bounds how often a call is prepared again because somebody called on
// another server.
const callTries = 10

// prepared is a call that can be made.
type prepared struct {
	base        int64 // the revision of what is wanted that it goes by
	ids         []template.ID
	next        map[template.ID]bool
	add, remove []string
	awaited     map[template.ID]bool // nil for a rest
	estimates   []calls.Estimate
}

// prepare finds out what a call leads to, and whether it can be made.
func (r *Running) prepare(ids []template.ID, how How, sure bool) (*prepared, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.asked = true
	c := &prepared{base: r.revision, ids: r.t.Sounds(ids), next: r.after(ids, how, sure)}
	if !sure {
		if busy := r.disturbed(c.ids, how, c.next); busy != nil {
			return nil, busy
		}
	}
	if how != RestThem {
		if out := calls.Unseated(r.t, c.ids); len(out) > 0 {
			return nil, &NoSeatError{out}
		}
		c.awaited = make(map[template.ID]bool, len(c.ids))
		for _, id := range c.ids {
			c.awaited[id] = true
		}
	}
	c.estimates = r.reckon(c.next, c.awaited)
	if how != RestThem {
		if short := tooMuch(c.estimates); len(short) > 0 {
			return nil, &NoRoomError{short}
		}
	}
	c.add, c.remove = difference(r.wanted, c.next)
	return c, nil
}

// tryAnew rests those of some instruments that failed or stand still, which are to be
// ready again next. The caller holds the lock.
func (r *Running) tryAnew(next map[template.ID]bool, called iter.Seq[template.ID]) {
	rested := maps.Clone(next)
	for id := range called {
		if x := r.states[id]; x.State == string(rig.Failed) || x.Stalled {
			delete(rested, id)
		}
	}
	if len(rested) < len(next) {
		r.wanted = rested
		r.order()
	}
}

// begin makes a call that has been written come about: the machines are ordered.
// A failed or stalled instrument that is called again is tried again.
func (r *Running) begin(c *prepared, revision int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if revision <= r.revision {
		return // what was written since is known already
	}
	r.revision = revision
	now := time.Now()
	r.use(c.ids, now)
	r.beginMeasuring(c.estimates, c.next, now)
	if c.awaited != nil {
		r.awaited = c.awaited
		r.tryAnew(c.next, slices.Values(c.ids))
	}
	r.wanted = c.next
	maps.DeleteFunc(r.wanted, func(id template.ID, _ bool) bool { i := r.t.Instrument(id); return i == nil || !i.NeedsSeat() }) // deleted meanwhile
	r.order()
	r.tellRig()
}

// texts are the IDs of a set; nil for no set.
func texts(set map[template.ID]bool) []string {
	if set == nil {
		return nil
	}
	out := make([]string, 0, len(set))
	for id := range set {
		out = append(out, string(id))
	}
	return out
}

func tooMuch(estimates []calls.Estimate) []calls.Estimate {
	return slices.DeleteFunc(slices.Clone(estimates), func(e calls.Estimate) bool { return e.Fits() || e.AfterMiB <= e.BeforeMiB })
}

// Wanted returns the instruments that should be ready, in list order.
func (r *Running) Wanted() []template.ID {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.scoreOrder(r.wanted)
}

// RigAddress is where hosts dial in.
func (a *App) RigAddress() string { return a.rig.Address() }
