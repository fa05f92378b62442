package app

import (
	"context"
	"errors"
	"runtime/debug"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/people"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
)

// Hot is a template that this server has open: the document, and beside it what
// runs of it, who looks at it, and plans in the making.
type Hot struct {
	*Running
	app *App
	doc *sheetDoc

	agrees  atomic.Bool // with the catalogue, as far as one knows
	here    presence
	plans   plannings
	hearing hearing
	finding sync.Mutex
	found   found // of a catalogue
}

// openHot loads a template.
func (a *App) openHot(ctx context.Context, studio, id uuid.UUID) (*Hot, error) {
	doc, err := document.Open(ctx, sheetKind{}, a.sheets, studio, id)
	if err != nil {
		return nil, err
	}
	h := &Hot{app: a, doc: doc}
	if a.peers != nil {
		h.here.say = func(pages []Here) { a.sayHere(id, pages) }
	}
	if h.Running, err = openRunning(ctx, a, doc); err != nil {
		return nil, err
	}
	doc.Join(document.Hooks[*template.Template, change.Change, Computed]{
		Refuse:  h.refuse,
		Beside:  h.beside,
		Changed: h.changed,
	})
	return h, nil
}

// View is a template at one revision, with what is computed from it.
type View struct {
	Revision int64
	Template *template.Template
	Proof    proof.Proof
	Facts    []Fact
}

// View returns the present. It waits for nothing.
func (h *Hot) View() View {
	v := h.doc.View()
	return View{v.Revision, v.State, v.Facts.Proof, v.Facts.Facts}
}

// ID is the document's id.
func (h *Hot) ID() uuid.UUID { return h.doc.View().ID }

func (h *Hot) studio() uuid.UUID { return h.doc.View().Studio }

func (h *Hot) isCatalogue() bool { return h.doc.View().Kind == catalogueKind }

// Maker makes a change for the template as it is. It may be called again, when
// somebody else was quicker.
type Maker func(t *template.Template) (change.Change, error)

// Apply makes a change on the present template and applies it.
func (h *Hot) Apply(ctx context.Context, p Person, make Maker) (int64, error) {
	return h.ApplySeen(ctx, p, document.Any, make)
}

// ApplySeen is Apply for a person who saw the revision base: what somebody
// else set since is not overwritten, but answered with a *ClashError.
func (h *Hot) ApplySeen(ctx context.Context, p Person, base int64, make Maker) (int64, error) {
	return h.apply(ctx, p.ask(ctx, base), p, func(v *sheetView) (change.Change, error) { return make(v.State) })
}

// ApplyFrom applies a change that was made on the revision base. It merges
// with what happened since, or fails with a *ClashError.
func (h *Hot) ApplyFrom(ctx context.Context, p Person, base int64, c change.Change) (int64, error) {
	return h.ApplySeen(ctx, p, max(0, base), func(*template.Template) (change.Change, error) { return c, nil })
}

// apply applies a change and carries on what it means for others.
func (h *Hot) apply(ctx context.Context, ask document.Ask, p Person, make func(*sheetView) (change.Change, error)) (int64, error) {
	if err := p.may(people.Change); err != nil {
		return 0, err
	}
	cat, err := h.known(ctx, p)
	if err != nil {
		return 0, err
	}
	var before *template.Template
	revision, err := h.doc.Apply(ctx, ask, func(v *sheetView) (change.Change, error) {
		before = v.State
		c, err := make(v)
		if err != nil {
			return nil, err
		}
		c = change.Renaming(before, c)
		if cat == nil {
			return c, nil
		}
		return catalogue.Known(c, before, cat), catalogue.NameTaken(c, cat)
	})
	if err == nil {
		h.spread(ctx, p, before)
	}
	return revision, err
}

// CatchUp takes in what other servers have written.
func (h *Hot) CatchUp(ctx context.Context) error { return h.doc.CatchUp(ctx) }

// Undo takes back the person's last change that still stands.
func (h *Hot) Undo(ctx context.Context, p Person) (int64, error) {
	return h.takeBack(ctx, p, h.doc.Undo)
}

// Redo brings back the person's last undone change.
func (h *Hot) Redo(ctx context.Context, p Person) (int64, error) {
	return h.takeBack(ctx, p, h.doc.Redo)
}

func (h *Hot) takeBack(ctx context.Context, p Person, how func(context.Context, document.Ask) (int64, error)) (int64, error) {
	before := h.doc.View().State
	revision, err := how(ctx, p.ask(ctx, document.Any))
	if err == nil {
		h.spread(ctx, p, before)
	}
	return revision, err
}

// Undoable names what Undo and Redo would take back; empty when nothing.
func (h *Hot) Undoable(ctx context.Context, p Person) (undo, redo string, err error) {
	return h.doc.View().Undoable(ctx, p.ID)
}

// refuse refuses recordings that the studio does not keep, and to take from the catalogue
// what templates play.
func (h *Hot) refuse(ctx context.Context, before, after *template.Template) error {
	if err := h.unheard(ctx, before, after); err != nil {
		return err
	}
	if !h.isCatalogue() || slices.Equal(before.Patches, after.Patches) {
		return nil
	}
	return h.app.keptByTemplates(ctx, h.studio(), before, after)
}

// largeChange is how many rows a change adds that takes much memory for a
// moment.
const largeChange = 2000

// restAfter is how long after a large change its memory is given back: what was
// changed is shown first.
const restAfter = 3 * time.Second

// changed follows every new revision.
func (h *Hot) changed(before, after *sheetView) {
	h.Running.changed(before.State, after.State)
	h.app.revisions.Add(1)
	h.app.abouts.put(after.ID, after.Studio, after.Kind, aboutOf(after.State))
	if d := len(after.State.Instruments) - len(before.State.Instruments); d > largeChange || -d > largeChange {
		time.AfterFunc(restAfter, debug.FreeOSMemory) // what bringing in a list took for a moment, other programs can use
	}
}

// inUse tells whether the template must stay open: somebody looks at it, or
// something of it runs.
func (h *Hot) inUse() bool {
	return h.doc.Watchers.Count() > 0 || h.busy() || h.plans.running() || h.MeasuringState().Running || h.app.abouts.of(h.ID()).RemotePort > 0
}

// ErrNothing is returned when there is nothing to undo or redo.
var ErrNothing = document.ErrNothing

// The errors of documents, under the names they have here.
type (
	// LockedError is a change refused because the template is locked.
	LockedError = document.LockedError
	// TooOldError is a change based on a revision that is no longer compared with.
	TooOldError = document.TooOldError
	// DependsError is a change that cannot be taken back alone.
	DependsError = document.DependsError
)

// AgainOf returns the revision that was made when the same was asked before, by
// its key.
func AgainOf(err error) (revision int64, again bool) {
	var e *document.AgainError
	if errors.As(err, &e) {
		return e.Revision, true
	}
	return 0, false
}

// Event is one message to browsers.
type Event = document.Event

// Watcher receives a template's events.
type Watcher = document.Watcher

// Watch starts watching after a revision. What happened since comes first; a
// "reset" event says that the template must be loaded again. The running state
// follows.
func (h *Hot) Watch(after int64) *Watcher { return h.watch(after, h.here.event()) }

// Unwatch ends watching.
func (h *Hot) Unwatch(w *Watcher) { h.doc.Watchers.Remove(w) }

// Come says that a person has the template open on a page, by an ID of the page's
// own. The function returned says that it no longer is.
func (h *Hot) Come(p Person, page string) (leave func()) { return h.here.come(h.doc.Watchers, p, page) }

// Select tells the others what a person has selected on a page that has come.
// store.ErrNotFound when it is not here.
func (h *Hot) Select(p Person, page string, rows []template.ID) error {
	return h.here.selects(h.doc.Watchers, p, page, rows)
}
