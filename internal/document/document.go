// Package document is the engine of everything that several people edit at
// once: templates, the catalogue, and what comes after them. Changes go in;
// revisions, undo, clashes, deltas for browsers and views to read come out. It
// knows nothing of what a document holds: a Kind tells how its changes apply,
// and a Log keeps them, and decides which revision comes next.
//
// The present is an immutable View behind an atomic pointer: reading it waits
// for nothing. Writing is one at a time for each document; who writes holds the
// document's turn, which no reader needs, while the log does its work.
package document

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// The errors that callers branch on.
var (
	// ErrNotFound is returned when there is no such thing in the studio asked.
	ErrNotFound = errors.New("not found")
	// ErrStale is returned by a Log when the revision is not the next, or the
	// document is locked.
	ErrStale = errors.New("the document has been changed elsewhere")
	// ErrTwice is returned by a Log when the key of a change is in use.
	ErrTwice = errors.New("a change with this key was made before")
	// ErrUnfit is returned for a change that the log cannot hold, now or ever.
	ErrUnfit = errors.New("the change holds what cannot be kept, such as a character no database keeps; leave it out")
	// ErrNothing is returned when there is nothing to undo or redo.
	ErrNothing = errors.New("there is nothing to take back")
)

// LockedError is a change refused because the document is locked, or is only an
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

// TooOldError is a change based on a revision the server no longer compares
// with.
type TooOldError struct{ Base, Now int64 }

func (e *TooOldError) Error() string {
	return fmt.Sprintf("the change is based on revision %d, the document is at %d; load it again", e.Base, e.Now)
}

// AgainError says that a change with this key was made before: nothing was
// changed now.
type AgainError struct{ Revision int64 } // which it made

func (e *AgainError) Error() string {
	return fmt.Sprintf("this was done before, with revision %d", e.Revision)
}

// Role says how a change came about.
type Role string

// The roles of a change.
const (
	Do   Role = "do"
	Undo Role = "undo"
	Redo Role = "redo"
	// Follow is a change that only follows one made elsewhere; it is nobody's
	// to undo.
	Follow Role = "follow"
)

// Entry is one change in a document's log.
type Entry[C any] struct {
	Revision int64
	Author   uuid.UUID
	By       string // the author's name
	Role     Role
	Target   int64 // the revision that an undo or redo takes back
	Label    string
	Key      uuid.UUID // no two entries have the same
	Change   C
	Inverse  C
}

// Head is what is known of a document without its content.
type Head struct {
	ID       uuid.UUID
	Studio   uuid.UUID
	Kind     string
	Name     string
	Revision int64
	Locked   bool      // against change
	Of       uuid.UUID // the document it holds as it was; nil when it is not a version
	At       int64     // the revision it holds that at
}

// View is a document at one revision, with what is computed from it. It never
// changes.
type View[S, C, V any] struct {
	Head
	State S
	Facts V

	log     []Entry[C]  // since it was opened, oldest first
	earlier *earlier[C] // those before, as far as they are kept
}

// Loaded is a document as a Log knows it.
type Loaded[S, C any] struct {
	Head
	State S
	Log   []Entry[C] // the last ones, oldest first
	// Earlier reads the ones shortly before, for undo; nil when there are none.
	Earlier func(context.Context) ([]Entry[C], error)
}

// Beside writes something in the transaction of a change: both are kept, or
// neither.
type Beside func(context.Context, Tx) error

// Tx is a transaction of the log.
type Tx = pgx.Tx

// Log keeps documents. Several servers may use one.
type Log[S, C any] interface {
	// Load returns a document as it stands; ErrNotFound when the studio has none.
	Load(ctx context.Context, studio, id uuid.UUID) (Loaded[S, C], error)
	// Since returns the head of a document, and the changes after a revision.
	Since(ctx context.Context, studio, id uuid.UUID, revision int64) (Head, []Entry[C], error)
	// Append writes the next change. after is the document with it. ErrStale and
	// ErrTwice mean that nothing was written; any other error, that it is not
	// known.
	Append(ctx context.Context, h Head, e Entry[C], after S, beside Beside) error
	// ByKey returns the revision that a change of that key made; ErrNotFound when
	// there is none in the document.
	ByKey(ctx context.Context, id, key uuid.UUID) (int64, error)
	// Entries returns the changes after a revision up to another, oldest first.
	Entries(ctx context.Context, id uuid.UUID, after, upto int64) ([]Entry[C], error)
	// SetLocked locks a document or unlocks it; ErrNotFound for a version.
	SetLocked(ctx context.Context, studio, id uuid.UUID, on bool) error
}

// Kind tells what documents of one kind do. Its functions only compute: they
// are called on several goroutines, and again when another server was quicker.
type Kind[S, C, V any] interface {
	// Apply returns the state after a change, and the change that takes it back.
	Apply(S, C) (after S, inverse C, err error)
	// Name is what the state is called.
	Name(S) string
	// Label says in a few words what a change does.
	Label(before, after S, c C) string
	// Clashes returns what tells whether another change sets the same as c: an
	// error that says what both set, in words, or nil.
	Clashes(now S, c C) func(other C) error
	// TakenBack is a change that takes an earlier one back by its inverse.
	TakenBack(label string, inverse C) C
	// Facts computes what is shown of a state. earlier is the view before it, from
	// which it may take over; nil when there is none.
	Facts(after S, earlier *View[S, C, V]) V
	// Delta tells browsers what a revision changed.
	Delta(e Entry[C], before, after *View[S, C, V]) ([]byte, error)
}

// Hooks join a document with what lives beside it. All may be nil.
type Hooks[S, C, V any] struct {
	// Refuse may refuse a change before it is written.
	Refuse func(ctx context.Context, before, after S) error
	// Beside returns what is written together with a change; nil for nothing.
	Beside func(before, after S) Beside
	// Changed is told of every new revision, whoever made it, in order. It must
	// not wait.
	Changed func(before, after *View[S, C, V])
}

// Document is one document that this server has open.
type Document[S, C, V any] struct {
	kind  Kind[S, C, V]
	log   Log[S, C]
	hooks Hooks[S, C, V]

	Watchers *Watchers

	now   atomic.Pointer[View[S, C, V]]
	turn  chan struct{} // held by who writes
	heard atomic.Int64  // the latest revision that others are known to have written
}

// Open loads a document.
func Open[S, C, V any](ctx context.Context, kind Kind[S, C, V], log Log[S, C], studio, id uuid.UUID) (*Document[S, C, V], error) {
	loaded, err := log.Load(ctx, studio, id)
	if err != nil {
		return nil, err
	}
	d := &Document[S, C, V]{kind: kind, log: log, Watchers: NewWatchers(loaded.Revision), turn: make(chan struct{}, 1)}
	v := &View[S, C, V]{Head: loaded.Head, State: loaded.State, log: loaded.Log, earlier: newEarlier(loaded.Earlier)}
	v.Facts = kind.Facts(v.State, nil)
	d.now.Store(v)
	return d, nil
}

// Join sets what lives beside the document. It must be called before the
// document is shared.
func (d *Document[S, C, V]) Join(hooks Hooks[S, C, V]) { d.hooks = hooks }

// View returns the present. It waits for nothing.
func (d *Document[S, C, V]) View() *View[S, C, V] { return d.now.Load() }

// take waits for the turn to write; the function returned gives it back.
func (d *Document[S, C, V]) take(ctx context.Context) (release func(), err error) {
	select {
	case d.turn <- struct{}{}:
		return func() { <-d.turn }, nil
	case <-ctx.Done():
		return nil, fmt.Errorf("wait for others who change %s: %w", d.View().Name, ctx.Err())
	}
}

// catchUpWithin bounds how long a document waits for what others have written.
const catchUpWithin = 30 * time.Second

// Heard says that a revision may have been written, here or elsewhere. The
// document catches up by itself.
func (d *Document[S, C, V]) Heard(revision int64) {
	if revision <= d.View().Revision {
		return
	}
	for was := d.heard.Load(); was < revision; was = d.heard.Load() {
		if d.heard.CompareAndSwap(was, revision) {
			go d.follow()
			return
		}
	}
}

func (d *Document[S, C, V]) follow() {
	ctx, stop := context.WithTimeout(context.Background(), catchUpWithin)
	defer stop()
	release, err := d.take(ctx)
	if err != nil {
		return
	}
	defer release()
	if d.heard.Load() > d.View().Revision {
		err = d.catchUp(ctx)
	}
	if err != nil {
		d.heard.Store(d.View().Revision) // looked at again when heard of next
	}
}

// CatchUp takes in what others have written, and whether they have locked the
// document.
func (d *Document[S, C, V]) CatchUp(ctx context.Context) error {
	release, err := d.take(ctx)
	if err != nil {
		return err
	}
	defer release()
	return d.catchUp(ctx)
}

// catchUp is CatchUp, for who holds the turn.
func (d *Document[S, C, V]) catchUp(ctx context.Context) error {
	v := d.View()
	head, entries, err := d.log.Since(ctx, v.Studio, v.ID, v.Revision)
	if err != nil {
		return err
	}
	for _, e := range entries {
		after, _, err := d.kind.Apply(v.State, e.Change)
		if err != nil {
			return fmt.Errorf("replay change %d of %s: %w", e.Revision, v.Name, err)
		}
		next := d.next(v, e, after)
		next.Facts = d.kind.Facts(after, v)
		d.publish(v, next, e)
		v = next
	}
	d.setLocked(v, head.Locked)
	return nil
}

// keptLog is how many changes are kept in memory, to be undone and to compare
// with.
const keptLog = 1000

// next is the view after an entry, but for its facts.
func (d *Document[S, C, V]) next(v *View[S, C, V], e Entry[C], after S) *View[S, C, V] {
	n := &View[S, C, V]{Head: v.Head, State: after, earlier: v.earlier}
	n.Revision, n.Name = e.Revision, d.kind.Name(after)
	n.log = append(v.log, e) // earlier views see only as far as they go
	if len(n.log) > 2*keptLog {
		n.log, n.earlier = append([]Entry[C]{}, n.log[len(n.log)-keptLog:]...), nil
	}
	return n
}

// publish shows a new revision to everybody.
func (d *Document[S, C, V]) publish(before, after *View[S, C, V], e Entry[C]) {
	event := Event{Revision: e.Revision, Name: "change"}
	var err error
	if event.Data, err = d.kind.Delta(e, before, after); err != nil {
		event = Event{Revision: e.Revision, Name: Reset} // browsers load it again
	}
	d.Watchers.told(event, func() { d.now.Store(after) })
	if d.hooks.Changed != nil {
		d.hooks.Changed(before, after)
	}
}

// SetLocked locks the document against change, or unlocks it.
func (d *Document[S, C, V]) SetLocked(ctx context.Context, on bool) error {
	release, err := d.take(ctx)
	if err != nil {
		return err
	}
	defer release()
	v := d.View()
	if err := d.log.SetLocked(ctx, v.Studio, v.ID, on); err != nil {
		if errors.Is(err, ErrNotFound) {
			return &LockedError{v.Name, true}
		}
		return err
	}
	d.setLocked(v, on)
	return nil
}

func (d *Document[S, C, V]) setLocked(v *View[S, C, V], on bool) {
	if v.Locked == on {
		return
	}
	n := *v
	n.Locked = on
	d.now.Store(&n)
	d.Watchers.Tell(Event{Name: Reset})
}
