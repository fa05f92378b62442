package document_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/document"
)

func TestChangesMakeRevisions(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	require.EqualValues(t, 1, set(t, d, ada, "a", "one"))
	require.EqualValues(t, 2, set(t, d, ben, "b", "two"))
	v := d.View()
	require.Equal(t, shelf{"a": "one", "b": "two"}, v.State)
	require.Equal(t, 2, v.Facts)
	_, err := setting(d, ada, "a", "a word that is much too long")
	require.ErrorIs(t, err, errTooLong)
	require.Same(t, v, d.View(), "nothing of it is there")
	require.Equal(t, v.State, m.open(t).View().State)
	_, err = document.Open(ctx, toys{}, m, uuid.New(), m.head.ID)
	require.ErrorIs(t, err, document.ErrNotFound)
}

// What somebody else set since is not overwritten; other things merge.
func TestClashes(t *testing.T) {
	d := newMemory().open(t)
	base := set(t, d, ada, "a", "one")
	set(t, d, ada, "a", "two")
	_, err := setting(d, seen(ben, base), "a", "three")
	var clash *clashError
	require.ErrorAs(t, err, &clash)
	require.Equal(t, &clashError{"a", "two", "three"}, clash)
	set(t, d, seen(ben, base), "b", "three")
	_, err = setting(d, seen(ben, 99), "b", "four")
	var old *document.TooOldError
	require.ErrorAs(t, err, &old)
	for n := range 2100 {
		set(t, d, ada, "n", numbered(n))
	}
	_, err = setting(d, seen(ben, base), "b", "four")
	require.ErrorAs(t, err, &old, "so far back nothing is compared")
}

func TestUndoIsOnesOwn(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	set(t, d, ada, "a", "one")
	set(t, d, ben, "b", "two")
	set(t, d, ada, "c", "three")
	for _, name := range []string{"c", "a"} {
		undo, _, err := d.View().Undoable(ctx, ada.Author)
		require.NoError(t, err)
		require.Equal(t, "Set "+name, undo)
		_, err = d.Undo(ctx, ada)
		require.NoError(t, err)
	}
	require.Equal(t, shelf{"b": "two"}, d.View().State)
	_, err := d.Undo(ctx, ada)
	require.ErrorIs(t, err, document.ErrNothing)
	_, err = m.open(t).Redo(ctx, ada)
	require.NoError(t, err, "on another server, too")
	require.NoError(t, d.CatchUp(ctx))
	require.Equal(t, shelf{"a": "one", "b": "two"}, d.View().State)
	set(t, d, ben, "a", "mine")
	_, err = d.Undo(ctx, ada)
	var clash *clashError
	require.ErrorAs(t, err, &clash, "what Ben set since stays")
}

// One earlier change is taken back alone, unless later ones that stand set the
// same.
func TestTakingBackOne(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	first := set(t, d, ada, "a", "one")
	set(t, d, ben, "b", "two")
	later := set(t, d, ben, "a", "three")
	_, err := d.TakeBackOne(ctx, ada, first)
	var depends *document.DependsError
	require.ErrorAs(t, err, &depends)
	require.Equal(t, []document.Later{{Revision: later, Label: "Set a"}}, depends.Later)
	_, err = d.Undo(ctx, ben)
	require.NoError(t, err)
	back, err := d.TakeBackOne(ctx, ben, first)
	require.NoError(t, err, "what was undone does not stand in the way")
	require.Equal(t, shelf{"b": "two"}, d.View().State)
	_, err = d.TakeBackOne(ctx, ada, first)
	var taken *document.TakenError
	require.ErrorAs(t, err, &taken)
	require.Equal(t, back, taken.With)
	for _, none := range []int64{0, 99} {
		_, err = d.TakeBackOne(ctx, ada, none)
		require.Error(t, err)
	}
}

// While the log stalls, reading, watching and locks of others wait for nothing;
// who writes waits, and gives up when told to.
func TestReadingNeverWaits(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	set(t, d, ada, "a", "one")
	stall := make(chan struct{})
	m.mu.Lock()
	m.stall = stall
	m.mu.Unlock()
	written := make(chan error, 1)
	go func() {
		_, err := setting(d, ada, "a", "two")
		written <- err
	}()
	hurried, stop := context.WithTimeout(ctx, 50*time.Millisecond)
	defer stop()
	_, err := d.Apply(hurried, ben, func(*toyView) (put, error) { return put{"b", "x"}, nil })
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.Equal(t, shelf{"a": "one"}, d.View().State)
	w := d.Watchers.Add(1, document.Event{Name: "you"})
	require.Equal(t, "you", (<-w.Events).Name)
	d.Watchers.Tell(document.Event{Name: "rig"})
	require.Equal(t, "rig", (<-w.Events).Name)
	close(stall)
	require.NoError(t, <-written)
	require.Equal(t, "change", (<-w.Events).Name)
	require.Equal(t, shelf{"a": "two"}, d.View().State)
}

// A change whose writing failed is looked for: one that was kept all the same
// counts, one that was not is refused, and work goes on from what is there.
func TestAChangeOfUnknownFateIsLookedFor(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	broken := errors.New("the connection broke")
	m.fail, m.keeps = broken, true
	require.EqualValues(t, 1, set(t, d, ada, "a", "kept"))
	m.fail, m.keeps = fmt.Errorf("never: %w", document.ErrUnfit), false
	before := d.View()
	w := d.Watchers.Add(before.Revision)
	_, err := setting(d, ada, "a", "unfit")
	require.ErrorIs(t, err, document.ErrUnfit)
	require.Same(t, before, d.View(), "nobody else is told of what can never be kept")
	require.Empty(t, w.Events)
	m.fail, m.keeps = broken, false
	_, err = setting(d, ada, "a", "lost")
	require.ErrorIs(t, err, broken)
	require.Equal(t, shelf{"a": "kept"}, d.View().State)
	require.EqualValues(t, 2, set(t, d, ada, "a", "on"))
}

// A change with the key of one that was made is not made again, here or on
// another server.
func TestAKeyIsUsedOnce(t *testing.T) {
	m := newMemory()
	d, other := m.open(t), m.open(t)
	key := uuid.New()
	first := set(t, d, keyed(ada, key), "a", "one")
	set(t, d, ada, "a", "two")
	for _, x := range []*toyDoc{d, other, m.open(t)} {
		n, err := setting(x, keyed(ada, key), "a", "one")
		var again *document.AgainError
		require.ErrorAs(t, err, &again)
		require.Equal(t, first, again.Revision)
		require.Equal(t, first, n)
	}
	require.Equal(t, "two", d.View().State["a"])
	require.Len(t, m.entries, 2)
}

// What is written beside a change is kept with it or not at all.
func TestWhatIsWrittenBeside(t *testing.T) {
	d := newMemory().open(t)
	var order []string
	beside := func(name string, err error) document.Beside {
		return func(context.Context, document.Tx) error { order = append(order, name); return err }
	}
	refusal := errors.New("refused")
	d.Join(document.Hooks[shelf, put, int]{
		Beside: func(_, _ shelf) document.Beside { return beside("own", nil) },
		Refuse: func(_ context.Context, _, after shelf) error {
			return map[bool]error{true: refusal}[after["a"] == "no"]
		},
		Changed: func(_, after *toyView) { order = append(order, fmt.Sprint("changed ", after.Revision)) },
	})
	a := ada
	a.Beside = beside("asked", nil)
	set(t, d, a, "a", "one")
	require.Equal(t, []string{"asked", "own", "changed 1"}, order)
	a.Beside = beside("fails", refusal)
	_, err := setting(d, a, "a", "two")
	require.ErrorIs(t, err, refusal)
	_, err = setting(d, ada, "a", "no")
	require.ErrorIs(t, err, refusal)
	require.Equal(t, shelf{"a": "one"}, d.View().State)
}

func TestLocking(t *testing.T) {
	m := newMemory()
	d, other := m.open(t), m.open(t)
	w := other.Watchers.Add(0)
	require.NoError(t, d.SetLocked(ctx, true))
	for _, x := range []*toyDoc{d, other} {
		_, err := setting(x, ada, "a", "one")
		var locked *document.LockedError
		require.ErrorAs(t, err, &locked)
		require.False(t, locked.Version)
	}
	require.Equal(t, document.Reset, (<-w.Events).Name, "who looks at it elsewhere is told")
	require.NoError(t, other.SetLocked(ctx, false))
	require.NoError(t, d.CatchUp(ctx))
	set(t, d, ada, "a", "one")
	m.head.Of = uuid.New()
	var locked *document.LockedError
	require.ErrorAs(t, m.open(t).SetLocked(ctx, false), &locked)
	require.True(t, locked.Version)
}

// Deltas go from any revision that is kept to the present, whoever wrote them.
func TestWatching(t *testing.T) {
	m := newMemory()
	d, other := m.open(t), m.open(t)
	w := d.Watchers.Add(0)
	set(t, other, ben, "a", "one")
	d.Heard(1)
	require.Equal(t, document.Event{Revision: 1, Name: "change", Data: []byte(`{"Name":"a","Word":"one"}`)}, <-w.Events)
	d.Heard(1)
	set(t, d, ada, "a", "two")
	require.EqualValues(t, 2, (<-w.Events).Revision)
	late := d.Watchers.Add(1)
	require.EqualValues(t, 2, (<-late.Events).Revision)
	require.Equal(t, document.Reset, (<-d.Watchers.Add(-1).Events).Name)
	require.Empty(t, d.Watchers.Add(2).Events)
	d.Watchers.Remove(late)
	for n := range 600 {
		set(t, d, ada, "n", numbered(n))
	}
	count := 0
	for range w.Events { // it took nothing and was let go
		count++
	}
	require.Less(t, count, 600)
	require.Equal(t, document.Reset, (<-d.Watchers.Add(3).Events).Name, "too long ago to resume from")
}

// Several servers and people at once: every change that was acknowledged is in
// the log once, in one order, and all servers come to the same.
func TestServersComeToTheSame(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		m := newMemory()
		servers := []*toyDoc{m.open(t), m.open(t), m.open(t)}
		kinds := rapid.SliceOfN(rapid.IntRange(0, 9), 1, 60).Draw(r, "what")
		acknowledged := make(chan uuid.UUID, len(kinds))
		var all sync.WaitGroup
		for n, kind := range kinds {
			d, a := servers[n%3], []document.Ask{ada, ben}[n%2]
			a.Key = uuid.New()
			all.Go(func() {
				var err error
				switch kind {
				case 0:
					_, err = d.Undo(ctx, a)
				case 1:
					_, err = d.Redo(ctx, a)
				case 2:
					d.Heard(int64(n))
					err = d.CatchUp(ctx)
					a.Key = uuid.Nil
				default:
					_, err = setting(d, seen(a, d.View().Revision), string(rune('a'+kind)), numbered(n))
				}
				if err == nil && a.Key != uuid.Nil {
					acknowledged <- a.Key
				}
			})
		}
		all.Wait()
		close(acknowledged)
		known := map[uuid.UUID]int{}
		for _, e := range m.entries {
			known[e.Key]++
		}
		count := 0
		for key := range acknowledged {
			require.Equal(t, 1, known[key])
			count++
		}
		require.Len(t, m.entries, count)
		fresh := m.open(t).View()
		for _, d := range servers {
			require.NoError(t, d.CatchUp(ctx))
			require.Equal(t, fresh.State, d.View().State)
			require.Equal(t, fresh.Revision, d.View().Revision)
			require.Equal(t, len(fresh.State), d.View().Facts)
		}
	})
}

// What nobody uses is let go of, least recently used first, as far as more is
// open than may be.
func TestTheShelf(t *testing.T) {
	var clock atomic.Int64 // seconds
	used := map[string]bool{}
	s := &document.Shelf[string]{
		Bound: 250, Grace: 10 * time.Second, Now: func() time.Time { return time.Unix(clock.Load(), 0) },
		Size: func(string) int64 { return 100 }, InUse: func(x string) bool { return used[x] },
	}
	id := map[string]uuid.UUID{}
	loads := 0
	open := func(name string) {
		t.Helper()
		if id[name] == uuid.Nil {
			id[name] = uuid.New()
		}
		got, err := s.Open(ctx, id[name], func(context.Context) (string, error) { loads++; return name, nil })
		require.NoError(t, err)
		require.Equal(t, name, got)
		clock.Add(1)
	}
	for _, name := range []string{"a", "b", "c", "d"} {
		open(name)
	}
	require.EqualValues(t, 400, s.Trim(), "just opened, all stay")
	open("a")
	require.Equal(t, 4, loads)
	clock.Add(60)
	used["b"] = true
	require.EqualValues(t, 200, s.Trim())
	require.ElementsMatch(t, []string{"a", "b"}, s.All(), "b is in use, a was used last")
	_, there := s.Look(id["c"])
	require.False(t, there)
	open("c")
	require.Equal(t, 5, loads, "loaded again")

	failed := errors.New("cannot be read")
	_, err := s.Open(ctx, uuid.New(), func(context.Context) (string, error) { return "", failed })
	require.ErrorIs(t, err, failed)
	var wait sync.WaitGroup
	slow, begun, end := uuid.New(), make(chan struct{}), make(chan struct{})
	load := func(context.Context) (string, error) { loads++; close(begun); <-end; return "slow", nil }
	wait.Go(func() { _, _ = s.Open(ctx, slow, load) })
	<-begun
	for range 8 {
		wait.Go(func() {
			got, err := s.Open(ctx, slow, load)
			require.NoError(t, err)
			require.Equal(t, "slow", got)
		})
	}
	hurried, stop := context.WithTimeout(ctx, 20*time.Millisecond)
	defer stop()
	_, err = s.Open(hurried, slow, load)
	require.ErrorIs(t, err, context.DeadlineExceeded, "who cannot wait goes")
	close(end)
	wait.Wait()
	require.Equal(t, 6, loads, "several wait for one loading")
}

// What was changed before the document was opened is read when undo, or a clash, asks
// for it; where that fails nothing is changed, and it is read the next time.
func TestEarlierChangesAreReadWhenAsked(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	for _, name := range []string{"a", "b", "c", "d"} {
		set(t, d, ada, name, "one")
	}
	again := m.open(t)
	m.unread.Store(3)
	_, _, err := again.View().Undoable(ctx, ada.Author)
	require.ErrorContains(t, err, "the line is down")
	_, err = again.Undo(ctx, ada)
	require.ErrorContains(t, err, "the line is down")
	require.EqualValues(t, 4, again.View().Revision)
	for range 4 {
		_, err = again.Undo(ctx, ada)
		require.NoError(t, err)
	}
	require.Empty(t, again.View().State)
	_, err = again.Undo(ctx, ada)
	require.ErrorIs(t, err, document.ErrNothing)
}

// One page that sets the same twice, before it hears of the first, does not clash with
// itself; another page of the same person does.
func TestAPageDoesNotClashWithItself(t *testing.T) {
	m := newMemory()
	d := m.open(t)
	page, other := uuid.New(), uuid.New()
	asks := func(page uuid.UUID, seen int64) document.Ask {
		a := ada
		a.Key, a.Seen = uuid.New(), seen
		copy(a.Key[:8], page[:8])
		return a
	}
	name := func(a document.Ask, word string) error {
		_, err := d.Apply(ctx, a, func(*toyView) (put, error) { return put{"a", word}, nil })
		return err
	}
	require.NoError(t, name(asks(page, 0), "one"))
	require.NoError(t, name(asks(page, 0), "two"))
	require.Equal(t, shelf{"a": "two"}, d.View().State)
	var clash *clashError
	require.ErrorAs(t, name(asks(other, 0), "three"), &clash)
	require.NoError(t, name(asks(other, 2), "three"))
	require.ErrorAs(t, name(asks(page, 1), "four"), &clash)
}

// What was undone on another server a moment ago is brought back here, though nothing
// was heard of it yet.
func TestWhatIsUndoneElsewhereIsBroughtBackHere(t *testing.T) {
	m := newMemory()
	here, elsewhere := m.open(t), m.open(t)
	set(t, elsewhere, ada, "a", "one")
	_, err := elsewhere.Undo(ctx, ada)
	require.NoError(t, err)
	_, err = here.Redo(ctx, ada)
	require.NoError(t, err)
	require.Equal(t, shelf{"a": "one"}, here.View().State)
}
