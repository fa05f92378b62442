package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

// Hot is a template kept in memory while the server runs. Its changes go
// through here, one after another.
type Hot struct {
	app       *App
	id        uuid.UUID
	studio    uuid.UUID
	catalogue bool        // it is the studio's catalogue
	agrees    atomic.Bool // with the catalogue, as far as one knows
	of        uuid.UUID   // the template it holds as it was; nil when it is no version
	at        int64       // the revision it holds that at

	mu       sync.Mutex
	stale    bool // the database may know more: load again before use
	locked   bool // against change
	t        *template.Template
	revision int64
	proof    proof.Proof
	facts    []Fact
	log      []store.Entry
	deltas   []Event
	watchers map[*Watcher]bool

	finding sync.Mutex
	found   found // of a catalogue

	plans plannings

	wanted       map[template.ID]bool  // shall be ready
	asked        bool                  // somebody has called or rested since the server started
	states       map[template.ID]State // as hosts report
	machines     map[template.ID]MachineState
	awaited      map[template.ID]bool      // of the last call: these load first
	usedAt       map[template.ID]time.Time // when somebody last called or sounded them
	measuring    map[template.ID]*measuring
	lastLoad     map[template.ID]Measured
	told         map[template.ID]State // what browsers know
	toldMachines map[template.ID]MachineState
}

// keptLog is how many changes are kept in memory, to be undone and to compare
// with.
const keptLog = 1000

// View is a template at one revision, with what is computed from it.
type View struct {
	Revision int64
	Template *template.Template
	Proof    proof.Proof
	Facts    []Fact
}

// View returns the present.
func (h *Hot) View() View {
	h.mu.Lock()
	defer h.mu.Unlock()
	return View{h.revision, h.t, h.proof, h.facts}
}

// refresh loads the template from the store if it is stale.
func (h *Hot) refresh(ctx context.Context) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.refreshLocked(ctx)
}

func (h *Hot) refreshLocked(ctx context.Context) error {
	if !h.stale {
		return nil
	}
	loaded, err := h.app.store.TemplateLoad(ctx, h.studio, h.id)
	if err != nil {
		return err
	}
	wanted, err := h.app.store.Queries().WantedList(ctx, h.id)
	if err != nil {
		return fmt.Errorf("load wanted: %w", err)
	}
	h.catalogue, h.locked, h.of, h.at = loaded.Catalogue, loaded.Locked, loaded.Of, loaded.At
	h.t, h.revision, h.log = loaded.Template, loaded.Revision, loaded.Log
	clear(h.wanted) // what failed to be written may differ from what was kept
	for _, id := range wanted {
		h.wanted[template.ID(id)] = true
	}
	h.proof = proof.Check(h.t, "")
	h.facts = facts(h.t, h.proof, nil, nil)
	h.deltas, h.stale = nil, false
	h.order()
	h.tell(Event{Name: "reset"})
	return nil
}

// ClashError is a change refused because somebody else set the same thing
// since the revision it is based on.
type ClashError struct {
	Name   string // of the thing
	Field  string // in words
	Theirs string // the value now, in words
	Yours  string // the value asked for; empty when it can no longer be set
}

func (e *ClashError) Error() string {
	return fmt.Sprintf("%s of %s was changed by somebody else meanwhile", e.Field, e.Name)
}

// TooOldError is a change based on a revision the server no longer compares
// with.
type TooOldError struct{ Base, Now int64 }

func (e *TooOldError) Error() string {
	return fmt.Sprintf("the change is based on revision %d, the template is at %d; load it again", e.Base, e.Now)
}

// Maker makes a change for the template as it is.
type Maker func(t *template.Template) (change.Change, error)

// Apply makes a change on the present template and applies it.
func (h *Hot) Apply(ctx context.Context, p Person, make Maker) (int64, error) {
	return h.ApplySeen(ctx, p, -1, make)
}

// ApplySeen is Apply for a person who saw the revision base: what somebody
// else set since is not overwritten, but answered with a *ClashError.
func (h *Hot) ApplySeen(ctx context.Context, p Person, base int64, make Maker) (int64, error) {
	cat, err := h.known(ctx, p)
	if err != nil {
		return 0, err
	}
	revision, before, err := h.applySeen(ctx, p, base, make, cat)
	if err != nil {
		return 0, err
	}
	h.spread(ctx, p, before)
	return revision, nil
}

// applySeen returns the template as it was, too.
func (h *Hot) applySeen(ctx context.Context, p Person, base int64, make Maker, cat *template.Template) (int64, *template.Template, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := h.refreshLocked(ctx); err != nil {
		return 0, nil, err
	}
	before := h.t
	c, err := make(before)
	if err != nil {
		return 0, nil, err
	}
	if cat != nil {
		c = catalogue.Known(c, before, cat)
	}
	if base >= 0 {
		if err := h.clash(base, c); err != nil {
			return 0, nil, err
		}
	}
	revision, err := h.apply(ctx, p, c, store.Do, 0)
	return revision, before, err
}

// ApplyFrom applies a change that was made on the revision base. It merges
// with what happened since, or fails with a *ClashError.
func (h *Hot) ApplyFrom(ctx context.Context, p Person, base int64, c change.Change) (int64, error) {
	return h.ApplySeen(ctx, p, max(0, base), func(*template.Template) (change.Change, error) { return c, nil })
}

func (h *Hot) clash(base int64, c change.Change) error {
	if base >= h.revision {
		if base > h.revision {
			return &TooOldError{base, h.revision}
		}
		return nil
	}
	if len(h.log) == 0 || h.log[0].Revision > base+1 {
		return &TooOldError{base, h.revision}
	}
	for _, e := range h.log {
		if e.Revision <= base {
			continue
		}
		if key, meets := change.Clash(c.Keys(), e.Change.Keys()); meets {
			return h.clashError(key, c)
		}
	}
	return nil
}

// apply writes the change, then shows it to everybody.
func (h *Hot) apply(ctx context.Context, p Person, c change.Change, role store.Role, target int64) (int64, error) {
	if h.locked {
		return 0, &LockedError{h.t.Name, h.of != uuid.Nil}
	}
	after, inverse, err := change.Apply(h.t, c)
	if err != nil {
		return 0, err
	}
	if h.catalogue && !slices.Equal(after.Patches, h.t.Patches) {
		if err := h.app.keptByTemplates(h.studio, h.t, after); err != nil {
			return 0, err
		}
	}
	e := store.Entry{
		Revision: h.revision + 1, Author: p.ID, Role: role, Target: target,
		Label: change.DescribeIn(h.t, after, c), Change: c, Inverse: inverse,
	}
	if err := h.app.store.ChangeAppend(ctx, h.id, e, after); err != nil {
		return h.lookAgain(ctx, e, err)
	}
	before, factsBefore := h.t, h.facts
	h.t, h.revision = after, e.Revision
	h.log = append(h.log, e)
	if len(h.log) > 2*keptLog {
		h.log = slices.Clone(h.log[len(h.log)-keptLog:])
	}
	h.proof = proof.Recheck(h.proof, after, "")
	h.facts = facts(after, h.proof, before, factsBefore)
	h.tellDelta(e, p, before, factsBefore)
	h.afterChange(before)
	if len(c.Keys()) > largeChange {
		time.AfterFunc(restAfter, debug.FreeOSMemory) // what bringing in a list took for a moment, other programs can use
	}
	return h.revision, nil
}

// LockedError is a change refused because the template is locked, or is only an
// earlier version to be looked at.
type LockedError struct {
	Name    string
	Version bool
}

func (e *LockedError) Error() string {
	if e.Version {
		return "this is an earlier version, to be looked at; restore it, or work on a copy"
	}
	return e.Name + " is locked; unlock it, or work on a copy"
}

// largeChange is how many things a change sets that takes much memory for a
// moment.
const largeChange = 2000

// restAfter is how long after a large change its memory is given back: what was
// changed is shown first.
const restAfter = 3 * time.Second

// lookAgain finds out whether a change was kept although writing it failed, as
// when the connection breaks between the commit and its answer.
func (h *Hot) lookAgain(ctx context.Context, e store.Entry, failed error) (int64, error) {
	h.stale = true
	if h.refreshLocked(ctx) != nil {
		return 0, failed // looked at again before the next use
	}
	wrote, err := change.Marshal(e.Change)
	if err != nil {
		return 0, failed
	}
	for _, there := range h.log {
		if there.Revision != e.Revision || there.Author != e.Author || there.Role != e.Role {
			continue
		}
		if kept, err := change.Marshal(there.Change); err == nil && bytes.Equal(kept, wrote) {
			return e.Revision, nil
		}
	}
	return 0, failed
}

// ErrNothing is returned when there is nothing to undo or redo.
var ErrNothing = errors.New("there is nothing to take back")

// Undo takes back the person's last change that still stands.
func (h *Hot) Undo(ctx context.Context, p Person) (int64, error) {
	return h.takeBack(ctx, p, store.Undo)
}

// Redo brings back the person's last undone change.
func (h *Hot) Redo(ctx context.Context, p Person) (int64, error) {
	return h.takeBack(ctx, p, store.Redo)
}

func (h *Hot) takeBack(ctx context.Context, p Person, role store.Role) (int64, error) {
	before := h.View().Template
	revision, err := h.takeBackLocked(ctx, p, role)
	if err != nil {
		return 0, err
	}
	h.spread(ctx, p, before)
	return revision, nil
}

func (h *Hot) takeBackLocked(ctx context.Context, p Person, role store.Role) (int64, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := h.refreshLocked(ctx); err != nil {
		return 0, err
	}
	undo, redo := h.stacks(p.ID)
	stack := undo
	if role == store.Redo {
		stack = redo
	}
	if len(stack) == 0 {
		return 0, ErrNothing
	}
	last := stack[len(stack)-1]
	for _, e := range h.log {
		if e.Revision > last.Revision && e.Author != p.ID {
			if key, meets := change.Clash(last.Inverse.Keys(), e.Change.Keys()); meets {
				return 0, h.clashError(key, last.Inverse)
			}
		}
	}
	return h.apply(ctx, p, last.Inverse, role, last.Revision)
}

// stacks replays the log: what the person can undo, and redo.
func (h *Hot) stacks(author uuid.UUID) (undo, redo []store.Entry) {
	for _, e := range h.log {
		if e.Author != author {
			continue
		}
		switch e.Role {
		case store.Do:
			undo, redo = append(undo, e), nil
		case store.Undo:
			undo, redo = undo[:max(0, len(undo)-1)], append(redo, e)
		case store.Redo:
			redo, undo = redo[:max(0, len(redo)-1)], append(undo, e)
		}
	}
	return undo, redo
}

// Undoable names what Undo and Redo would take back; empty when nothing.
func (h *Hot) Undoable(p Person) (undo, redo string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	u, r := h.stacks(p.ID)
	if len(u) > 0 {
		undo = u[len(u)-1].Label
	}
	if len(r) > 0 {
		redo = r[len(r)-1].Label
	}
	return undo, redo
}
