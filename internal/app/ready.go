package app

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

// Rig is what the app needs of the machines.
type Rig interface {
	// Know makes a host's credential known.
	Know(rig.Host)
	// Forget takes a host's credential back and cuts it off.
	Forget(credential string)
	// Want sets what a machine of a studio shall hold ready for a template.
	Want(studio, owner, machine string, loads []rig.Load)
	// Scan asks a machine of a studio for a scan; hear is told how it goes.
	Scan(studio, machine string, o rig.ScanOrder, hear func(rig.ScanNews)) error
	// Zones asks a machine of a studio for the zones of a patch in a folder it
	// has scanned.
	Zones(ctx context.Context, studio, machine, folder, name string) ([]patch.Zone, error)
	// StopScan stops a scan on a machine.
	StopScan(id string)
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
func (h *Hot) after(ids []template.ID, how How, sure bool) map[template.ID]bool {
	next := maps.Clone(h.wanted)
	sounds := h.t.Sounds(ids)
	switch how {
	case RestThem:
		for _, id := range sounds {
			if i := h.t.Instrument(id); i == nil || !i.Keep || sure {
				delete(next, id)
			}
		}
		return next
	case OnlyThem:
		clear(next)
		for _, id := range calls.Beside(h.t, h.scoreOrder(h.wanted)) {
			next[id] = true
		}
	case SoloThem:
		sections := map[template.ID]bool{}
		for _, id := range ids {
			if i := h.t.Instrument(id); i != nil {
				sections[i.Section] = true
			}
		}
		for id := range next {
			if i := h.t.Instrument(id); i != nil && sections[i.Section] {
				delete(next, id)
			}
		}
	}
	for _, id := range sounds {
		if i := h.t.Instrument(id); i != nil && i.NeedsSeat() {
			next[id] = true
		}
	}
	for _, i := range h.t.Instruments {
		if i.Keep && i.Loads() {
			next[i.ID] = true
		}
	}
	return next
}

// disturbed lists what going to the next set would rest though it sounds, is
// armed or, of those asked for, is kept.
func (h *Hot) disturbed(ids []template.ID, how How, next map[template.ID]bool) *BusyError {
	var e BusyError
	rested := false
	for _, i := range h.t.Instruments {
		if h.wanted[i.ID] && !next[i.ID] {
			rested = true
			if s := h.states[i.ID]; s.Voices > 0 || s.Armed {
				e.Busy = append(e.Busy, i)
			}
		}
	}
	if how == RestThem && !rested {
		for _, id := range h.t.Sounds(ids) {
			if i := h.t.Instrument(id); i != nil && i.Keep && h.wanted[id] {
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
func (h *Hot) reckon(next, awaited map[template.ID]bool) []calls.Estimate {
	now := time.Now()
	busy := map[template.ID]bool{}
	for id, s := range h.states {
		if s.Voices > 0 || s.Armed {
			busy[id] = true
		}
	}
	return calls.Reckon(h.t, calls.Going{
		Before: h.scoreOrder(h.wanted), After: h.scoreOrder(next), Awaited: awaited, Busy: busy, Paces: h.paceOfAll(),
		Idle: func(id template.ID) time.Duration {
			if at, used := h.usedAt[id]; used {
				return now.Sub(at)
			}
			return neverUsed
		},
	})
}

// Estimate tells what a call would cost, machine by machine, and who of it
// has no seat.
func (h *Hot) Estimate(ids []template.ID, how How) ([]calls.Estimate, []*template.Instrument) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.reckon(h.after(ids, how, false), nil), calls.Unseated(h.t, ids)
}

// Small chooses the instruments that play the most roles within a budget, MiB.
func (h *Hot) Small(budgetMiB float64, roles []calls.Role) calls.Small {
	return calls.Sketch(h.View().Template, budgetMiB, roles, h.Ready())
}

// Ready lists who is ready, as the hosts report it.
func (h *Hot) Ready() map[template.ID]bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	ready := map[template.ID]bool{}
	for id, s := range h.states {
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
func (h *Hot) Begin(ctx context.Context) (int, error) {
	h.mu.Lock()
	if err := h.refreshLocked(ctx); err != nil {
		h.mu.Unlock()
		return 0, err
	}
	asked := h.asked || len(h.wanted) > 0 || h.of != uuid.Nil
	ids := slices.DeleteFunc(calls.Standing(h.t), func(id template.ID) bool { return !h.t.Instrument(id).Loads() })
	h.asked = h.asked || len(ids) > 0
	h.mu.Unlock()
	if asked || len(ids) == 0 {
		return 0, nil
	}
	if err := h.Call(ctx, ids, CallThem, false); err != nil {
		return 0, fmt.Errorf("the opening call does not come: %w", err)
	}
	return len(ids), nil
}

func (h *Hot) scoreOrder(set map[template.ID]bool) []template.ID {
	out := make([]template.ID, 0, len(set))
	for _, i := range h.t.Instruments {
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
func (h *Hot) Call(ctx context.Context, ids []template.ID, how How, sure bool) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := h.refreshLocked(ctx); err != nil {
		return err
	}
	if h.of != uuid.Nil {
		return &LockedError{h.t.Name, true} // it would take memory from the present
	}
	h.asked = true
	next := h.after(ids, how, sure)
	ids = h.t.Sounds(ids)
	if !sure {
		if busy := h.disturbed(ids, how, next); busy != nil {
			return busy
		}
	}
	awaited := map[template.ID]bool{}
	if how != RestThem {
		if out := calls.Unseated(h.t, ids); len(out) > 0 {
			return &NoSeatError{out}
		}
		for _, id := range ids {
			awaited[id] = true
		}
	}
	estimates := h.reckon(next, awaited)
	if how != RestThem {
		if short := tooMuch(estimates); len(short) > 0 {
			return &NoRoomError{short}
		}
		h.awaited = awaited
	}
	now := time.Now()
	h.use(ids, now)
	h.beginMeasuring(estimates, next, now)
	return h.setWanted(ctx, next, how != RestThem, ids)
}

func tooMuch(estimates []calls.Estimate) []calls.Estimate {
	return slices.DeleteFunc(slices.Clone(estimates), func(e calls.Estimate) bool { return e.Fits() || e.AfterMiB <= e.BeforeMiB })
}

// setWanted writes the wanted set and orders the machines. A failed or stalled
// instrument that is called again is rested first, so that it is tried anew.
func (h *Hot) setWanted(ctx context.Context, next map[template.ID]bool, again bool, ids []template.ID) error {
	var add, remove []string
	for id := range next {
		if !h.wanted[id] {
			add = append(add, string(id))
		}
	}
	for id := range h.wanted {
		if !next[id] {
			remove = append(remove, string(id))
		}
	}
	if err := h.app.store.WantedChange(ctx, h.id, add, remove); err != nil {
		h.stale = true
		return err
	}
	if again {
		retry := maps.Clone(next)
		for _, id := range ids {
			if x := h.states[id]; x.State == string(rig.Failed) || x.Stalled {
				delete(retry, id)
			}
		}
		if len(retry) < len(next) {
			h.wanted = retry
			h.order()
		}
	}
	h.wanted = next
	h.order()
	h.tellRig()
	return nil
}

// Wanted returns the instruments that shall be ready, in list order.
func (h *Hot) Wanted() []template.ID {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.scoreOrder(h.wanted)
}

// RigAddress is where hosts dial in.
func (a *App) RigAddress() string { return a.rig.Address() }
