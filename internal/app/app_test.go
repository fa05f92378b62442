package app_test

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// quietRig notes what is wanted and drives nothing.
type quietRig struct {
	mu     sync.Mutex
	wanted map[string][]rig.Load

	told      map[string][][]string
	hosts     []rig.Host
	holding   []int // how many loads each host was to hold when it became known
	forgotten []string
}

func (q *quietRig) Know(h rig.Host) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.hosts = append(q.hosts, h)
	q.holding = append(q.holding, len(q.wanted[h.Machine]))
}

func (q *quietRig) known() []rig.Host {
	q.mu.Lock()
	defer q.mu.Unlock()
	return slices.Clone(q.hosts)
}

func (q *quietRig) Forget(credential string)                                      { q.forgotten = append(q.forgotten, credential) }
func (q *quietRig) Scan(_, _ string, _ rig.ScanOrder, _ func(rig.ScanNews)) error { return nil }
func (q *quietRig) Play(string, string, rig.PlayOrder) error                      { return nil }
func (q *quietRig) Perform(context.Context, string, string, rig.PerformAsk) (rig.Performed, error) {
	return rig.Performed{}, errors.New("nobody is here")
}

func (q *quietRig) Measure(context.Context, string, string, rig.MeasureAsk) (*template.Heard, error) {
	return nil, nil
}
func (q *quietRig) HearSound(string, string, func(string, rig.SoundBlock)) (func(), error) {
	return func() {}, nil
}
func (q *quietRig) Zones(context.Context, string, string, string, *template.Patch) ([]patch.Zone, error) {
	return nil, errors.New("the host is away")
}
func (q *quietRig) StopScan(string)            {}
func (q *quietRig) Address() string            { return "nats://example.invalid" }
func (q *quietRig) Drive(string, string, bool) {}
func (q *quietRig) Want(_, _, machine string, loads []rig.Load) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.wanted[machine] = loads
	if q.told == nil {
		q.told = map[string][][]string{}
	}
	names := []string{}
	for _, l := range loads {
		names = append(names, l.Name)
	}
	q.told[machine] = append(q.told[machine], names)
}

// orders returns what a machine was told since they were last asked for, by name.
func (q *quietRig) orders(machine string) [][]string {
	q.mu.Lock()
	defer q.mu.Unlock()
	out := q.told[machine]
	delete(q.told, machine)
	return out
}

func (q *quietRig) names(machine string) []string {
	q.mu.Lock()
	defer q.mu.Unlock()
	out := []string{}
	for _, l := range q.wanted[machine] {
		out = append(out, l.Name)
	}
	return out
}

type fixture struct {
	store    *store.Store
	app      *app.App
	rig      *quietRig
	ada, ben app.Person
	id       uuid.UUID
	hot      *app.Hot
}

var ctx = context.Background()

// setUp gives a studio of two people with a seated template of 40 rows.
func setUp(t *testing.T) *fixture {
	f := &fixture{store: storetest.Open(t), rig: &quietRig{wanted: map[string][]rig.Load{}}}
	f.app = app.New(app.Config{Store: f.store, Rig: f.rig})
	ada := storetest.Account(t, f.store, "Studio", "ada@studio.example", "Ada")
	ben := storetest.Account(t, f.store, "Other", "ben@studio.example", "Ben")
	f.ada = app.Person{ID: ada.ID, Studio: ada.StudioID, Name: "Ada"}
	f.ben = app.Person{ID: ben.ID, Studio: ada.StudioID, Name: "Ben"} // works in Ada's studio
	base := coretest.Orchestra(40, 2)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	row, err := f.app.Create(ctx, f.ada, base)
	require.NoError(t, err)
	f.id = row.ID
	f.hot, err = f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)
	return f
}

func rename(id template.ID, name string) change.Change {
	return change.Edit{Edits: []change.Fields{{ID: id, Name: &name}}}
}

func annotate(id template.ID, notes string) change.Change {
	return change.Edit{Edits: []change.Fields{{ID: id, Notes: &notes}}}
}

func asJSON(t *testing.T, x any) string {
	data, err := json.Marshal(x)
	require.NoError(t, err)
	return string(data)
}

func TestAnotherStudioFindsNothing(t *testing.T) {
	f := setUp(t)
	stranger := app.Person{ID: uuid.New(), Studio: uuid.New()}
	_, err := f.app.Open(ctx, stranger, f.id)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = app.New(app.Config{Store: f.store, Rig: f.rig}).Open(ctx, stranger, f.id)
	require.ErrorIs(t, err, store.ErrNotFound, "nor when it is not in memory yet")
}

// A server that starts again has every acknowledged change, and nothing else.
func TestARestartLosesNothing(t *testing.T) {
	f := setUp(t)
	for n := range store.SnapshotEvery + 7 {
		id := f.hot.View().Template.Instruments[n%40].ID
		_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, annotate(id, uuid.NewString()))
		require.NoError(t, err)
	}
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Delete{IDs: []template.ID{"nobody"}})
	require.Error(t, err)
	again, err := app.New(app.Config{Store: f.store, Rig: f.rig}).Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	require.Equal(t, f.hot.View().Revision, again.View().Revision)
	require.Equal(t, asJSON(t, f.hot.View().Template), asJSON(t, again.View().Template))
	_, err = again.Undo(ctx, f.ada)
	require.NoError(t, err, "undo reaches back over the restart")
}

func TestChangesMergeOrClash(t *testing.T) {
	f := setUp(t)
	first, second := f.hot.View().Template.Instruments[0].ID, f.hot.View().Template.Instruments[1].ID
	base := f.hot.View().Revision
	_, err := f.hot.ApplyFrom(ctx, f.ada, base, rename(first, "Ada's name"))
	require.NoError(t, err)
	_, err = f.hot.ApplyFrom(ctx, f.ben, base, annotate(first, "another field"))
	require.NoError(t, err)
	_, err = f.hot.ApplyFrom(ctx, f.ben, base, rename(second, "another row"))
	require.NoError(t, err)
	_, err = f.hot.ApplyFrom(ctx, f.ben, base, rename(first, "Ben's name"))
	var clash *app.ClashError
	require.ErrorAs(t, err, &clash)
	require.Equal(t, "Ada's name", clash.Theirs)
	require.Equal(t, "Ben's name", clash.Yours)
	require.Equal(t, "Ada's name", f.hot.View().Template.Instrument(first).Name)
	_, err = f.hot.ApplyFrom(ctx, f.ben, 99, rename(first, "from the future"))
	var old *app.TooOldError
	require.ErrorAs(t, err, &old)
}

// Undo takes back one's own changes only, and redo brings them back.
func TestUndoIsOnesOwn(t *testing.T) {
	f := setUp(t)
	first := f.hot.View().Template.Instruments[0]
	second := f.hot.View().Template.Instruments[1]
	apply := func(p app.Person, c change.Change) {
		_, err := f.hot.ApplyFrom(ctx, p, f.hot.View().Revision, c)
		require.NoError(t, err)
	}
	apply(f.ada, rename(first.ID, "A"))
	apply(f.ben, rename(second.ID, "B"))
	_, err := f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, first.Name, f.hot.View().Template.Instrument(first.ID).Name)
	require.Equal(t, "B", f.hot.View().Template.Instrument(second.ID).Name)
	_, err = f.hot.Undo(ctx, f.ada)
	require.ErrorIs(t, err, app.ErrNothing)
	undo, redo, err := f.hot.Undoable(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, []string{"", "Set name of A"}, []string{undo, redo})
	_, err = f.hot.Redo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, "A", f.hot.View().Template.Instrument(first.ID).Name)
	apply(f.ben, rename(first.ID, "C"))
	_, err = f.hot.Undo(ctx, f.ada)
	var clash *app.ClashError
	require.ErrorAs(t, err, &clash, "what Ben set since is not undone by Ada")
}

// Every delta takes a browser's copy from one revision to the next.
func TestDeltasRebuildTheTemplate(t *testing.T) {
	f := setUp(t)
	w := f.hot.Watch(f.hot.View().Revision)
	require.Equal(t, "rig", (<-w.Events).Name)
	order := ids(f.hot.View().Template)
	t0 := f.hot.View().Template
	for _, c := range []change.Change{
		rename(order[0], "First"),
		change.Move{IDs: []template.ID{order[30], order[2]}, Section: t0.Instruments[5].Section, Before: order[5]},
		change.Delete{IDs: []template.ID{order[7], order[20]}},
		change.RemoveBus{ID: t0.StemsOf("fold-fine")[0].ID},
	} {
		_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, c)
		require.NoError(t, err)
		var d struct {
			Revision int64
			Lists    map[string]struct{ Splice *app.Splice }
		}
		require.NoError(t, json.Unmarshal(told(w).Data, &d))
		require.Equal(t, f.hot.View().Revision, d.Revision)
		if s := d.Lists["instruments"].Splice; s != nil {
			order = append(append(append([]template.ID{}, order[:s.At]...), s.IDs...), order[s.At+s.Remove:]...)
		}
		require.Equal(t, ids(f.hot.View().Template), order)
	}
	resumed := f.hot.Watch(f.hot.View().Revision - 2)
	require.Equal(t, f.hot.View().Revision-1, (<-resumed.Events).Revision)
	require.Equal(t, f.hot.View().Revision, (<-resumed.Events).Revision)
	lost := f.hot.Watch(-1)
	require.Equal(t, "reset", (<-lost.Events).Name)
}

// told is the next event that does not only say who is here.
func told(w *app.Watcher) app.Event {
	for {
		if e := <-w.Events; e.Name != "here" {
			return e
		}
	}
}

func ids(t *template.Template) []template.ID {
	var out []template.ID
	for _, i := range t.Instruments {
		out = append(out, i.ID)
	}
	return out
}

func TestCallsAreWantedRefusedAndKept(t *testing.T) {
	f := setUp(t)
	all := ids(f.hot.View().Template)
	require.NoError(t, f.hot.Call(ctx, all[:4], app.CallThem, false))
	require.Equal(t, 4, len(f.rig.names("machine-1"))+len(f.rig.names("machine-2")))

	small := *f.hot.View().Template.Machines[0]
	small.MemoryMiB, small.ReserveMiB = 700, 0
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&small)}})
	require.NoError(t, err)
	var room *app.NoRoomError
	require.ErrorAs(t, f.hot.Call(ctx, all, app.CallThem, false), &room)
	require.Contains(t, room.Error(), "Machine 1 is")
	require.Contains(t, room.Error(), "Rest ")
	require.Len(t, f.hot.Wanted(), 4, "nothing is called when it does not fit")

	before := asJSON(t, f.hot.View().Template)
	require.NoError(t, f.hot.Call(ctx, all[:1], app.RestThem, false))
	require.NoError(t, f.hot.Call(ctx, all[:1], app.CallThem, false))
	require.Equal(t, before, asJSON(t, f.hot.View().Template), "resting and calling again keeps every setting")

	again := app.New(app.Config{Store: f.store, Rig: f.rig})
	stop, err := again.Start(ctx)
	require.NoError(t, err)
	defer stop()
	h, err := again.Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	require.Equal(t, f.hot.Wanted(), h.Wanted(), "what was called is called again after a restart")

	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Seat{Seats: []change.Seating{{ID: all[9]}}})
	require.NoError(t, err)
	var seat *app.NoSeatError
	require.ErrorAs(t, f.hot.Call(ctx, all[9:10], app.CallThem, false), &seat)
}

func TestMakersKeepEverything(t *testing.T) {
	f := setUp(t)
	row := f.hot.View().Template.Instruments[3].ID
	colour, level, style := "rose", -8.0, template.SeatStyle{OwnPair: true}
	_, err := f.hot.ApplyFrom(ctx, f.ada, 0, change.Edit{Edits: []change.Fields{{ID: row, Colour: &colour, GainDB: &level, Style: &style}}})
	require.NoError(t, err)
	source := f.hot.View().Template.Instruments[3]
	_, err = f.hot.Apply(ctx, f.ada, app.Duplicate([]template.ID{source.ID}))
	require.NoError(t, err)
	copied := f.hot.View().Template.Instruments[4]
	require.Equal(t, source.Routes, copied.Routes)
	require.Equal(t, source.Patches, copied.Patches)
	require.Equal(t, source.Section, copied.Section)
	require.Equal(t, source.Articulations, copied.Articulations)
	require.Equal(t, []any{colour, level, style}, []any{copied.Colour, copied.GainDB, copied.Style})
	require.Nil(t, copied.Seat)
	require.NotEqual(t, source.Name, copied.Name)
	_, err = f.hot.Apply(ctx, f.ada, app.Seated(app.Duplicate([]template.ID{source.ID})))
	require.NoError(t, err)
	seated := f.hot.View().Template.Instruments[4]
	require.NotNil(t, seated.Seat, "so that it can be called at once")
	require.Zero(t, f.hot.View().Proof.Counts()["seat-clash"])
	_, err = f.hot.Apply(ctx, f.ada, app.Seated(app.DuplicateSection(source.Section)))
	require.NoError(t, err)
	for _, i := range f.hot.View().Template.Instruments {
		require.True(t, i.ID == copied.ID || i.Seat != nil || !i.NeedsSeat(), i.Name)
	}
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)

	for field, value := range map[string]string{"stem": "A new stem", "library": "A new library", "section": "New / Deep", "machine": "machine 2"} {
		_, err := f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{source.ID, copied.ID}, field, value))
		require.NoError(t, err, field)
	}
	now := f.hot.View()
	i := now.Template.Instrument(copied.ID)
	require.Equal(t, "A new library", now.Template.LibraryOf(i).Name)
	require.Equal(t, "New / Deep", now.Template.SectionPath(i.Section))
	require.Equal(t, "Machine 2", now.Template.Index().Machines[i.Seat.Machine].Name)
	require.Equal(t, "A new stem", now.Proof.Fan.Stems(i, "fold-fine")[0].Name)
	require.Empty(t, now.Proof.Counts()["fold-mismatch"])
	require.Equal(t, i.Patches, now.Template.Instrument(source.ID).Patches, "the copy plays the same patch")
	require.Equal(t, 1, countPatches(now.Template, "A new library"), "which is made once")
	_, err = f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{copied.ID}, "machine", "Nowhere"))
	require.ErrorContains(t, err, `no machine "Nowhere"`)
}

func countPatches(t *template.Template, library string) int {
	n := 0
	for _, p := range t.Patches {
		if t.Index().Libraries[p.Library].Name == library {
			n++
		}
	}
	return n
}

// A row of another kind gives up what the kind has no use for, and one undo
// brings it back.
func TestKindsAreAssigned(t *testing.T) {
	f := setUp(t)
	row := f.hot.View().Template.Instruments[3]
	before := asJSON(t, f.hot.View().Template)
	_, err := f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{row.ID}, "kind", "guide"))
	require.NoError(t, err)
	now := f.hot.View()
	guide := now.Template.Instrument(row.ID)
	require.Nil(t, guide.Seat)
	require.Empty(t, guide.Patches)
	require.Equal(t, []template.Route{{To: "bus-speakers", Tap: template.Post}}, guide.Routes)
	require.Zero(t, now.Proof.Counts()["leak"])
	_, err = f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{row.ID}, "kind", "midi"))
	require.ErrorContains(t, err, "kinds are sampled, input, guide, spare and divider")
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, before, asJSON(t, f.hot.View().Template))
}

// A divider comes without a word; what is set for a selection passes it by; and a row that becomes
// one gives up all that it has, until it is undone.
func TestDividersAmongRows(t *testing.T) {
	f := setUp(t)
	first := f.hot.View().Template.Instruments[0]
	_, err := f.hot.Apply(ctx, f.ada, app.NewRows("", first.ID, template.Divider, 1))
	require.NoError(t, err)
	line := f.hot.View().Template.Instruments[1]
	require.Equal(t, template.Divider, line.Kind)
	require.Empty(t, line.Name)
	require.Empty(t, line.Routes, "no stem rule takes it")
	stems := len(f.hot.View().Template.Buses)
	_, err = f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{first.ID, line.ID}, "stem", "A stem of its own"))
	require.NoError(t, err)
	require.Greater(t, len(f.hot.View().Template.Buses), stems)
	require.Empty(t, f.hot.View().Template.Instrument(line.ID).Routes)
	_, err = f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{line.ID}, "stem", "A stem of its own"))
	require.ErrorContains(t, err, "a divider plays nothing")

	_, err = f.hot.Apply(ctx, f.ada, app.Duplicate([]template.ID{line.ID}))
	require.NoError(t, err)
	copied := f.hot.View().Template.Instruments[2]
	require.Equal(t, []any{template.Divider, ""}, []any{copied.Kind, copied.Name})

	before := asJSON(t, f.hot.View().Template)
	_, err = f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{first.ID}, "kind", "divider"))
	require.NoError(t, err)
	now := f.hot.View().Template.Instrument(first.ID)
	require.Equal(t, first.Name, now.Name, "its name is its word")
	require.Nil(t, now.Seat)
	require.Empty(t, now.Patches)
	require.Empty(t, now.Routes)
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, before, asJSON(t, f.hot.View().Template))

	_, err = f.hot.Apply(ctx, f.ada, app.Assign([]template.ID{line.ID}, "kind", "sampled"))
	require.NoError(t, err)
	require.NotEmpty(t, f.hot.View().Template.Instrument(line.ID).Name, "an instrument has a name")
}

// Browsers are told of the running state by what changed in it.
func TestTheRunningStateIsToldByDifference(t *testing.T) {
	f := setUp(t)
	all := ids(f.hot.View().Template)
	w := f.hot.Watch(f.hot.View().Revision)
	next := func() (d app.RigDelta) {
		e := told(w)
		require.Equal(t, "rig", e.Name)
		require.NoError(t, json.Unmarshal(e.Data, &d))
		return d
	}
	require.True(t, next().Whole)
	require.NoError(t, f.hot.Call(ctx, all[:2], app.CallThem, false))
	d := next()
	require.False(t, d.Whole)
	require.Len(t, d.Instruments, 2)
	require.Contains(t, d.Instruments[0].Reason, "is away")

	host := rig.Host{Studio: f.ada.Studio.String(), Machine: string(f.hot.View().Template.Index().Machines[f.hot.View().Template.Instruments[0].Seat.Machine].ID)}
	report := rig.Report{Generation: 1, UsedMiB: 400, LeftMs: 3000, Items: []rig.Item{{ID: f.id.String() + "/" + string(all[0]), State: rig.Tuning, Progress: 0.5}}}
	f.app.Reported(host, report, false)
	d = next()
	require.Equal(t, 0.5, d.Instruments[0].Progress)
	require.EqualValues(t, 3000, d.Machines[0].LeftMs)
	f.app.Reported(host, report, false)
	f.app.Reported(rig.Host{Studio: uuid.NewString(), Machine: host.Machine}, report, false)
	f.app.Reported(rig.Host{Studio: host.Studio, Machine: "unknown"}, report, false)
	require.NoError(t, f.hot.Call(ctx, all[:1], app.RestThem, false))
	require.Equal(t, []template.ID{all[0]}, next().Tacet)

	fresh := f.hot.Watch(f.hot.View().Revision)
	var whole app.RigDelta
	require.NoError(t, json.Unmarshal((<-fresh.Events).Data, &whole))
	require.True(t, whole.Whole)
	require.Len(t, whole.Instruments, 1)
}

// A watcher that takes nothing is let go, so that it resumes; others go on.
func TestASlowWatcherIsLetGo(t *testing.T) {
	f := setUp(t)
	slow := f.hot.Watch(0)
	id := f.hot.View().Template.Instruments[0].ID
	for n := range 600 {
		_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, annotate(id, uuid.NewString()))
		require.NoError(t, err, n)
	}
	count := 0
	for range slow.Events {
		count++
	}
	require.Less(t, count, 600, "its events end before the last change")
	require.Equal(t, "reset", (<-f.hot.Watch(3).Events).Name, "too long ago to resume from")
}

// Two servers on one database: what one writes, the other takes in before it
// writes; nothing is lost, and what both set clashes.
func TestTwoServersWriteOneTemplate(t *testing.T) {
	f := setUp(t)
	other, err := app.New(app.Config{Store: f.store, Rig: f.rig}).Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	rows := ids(f.hot.View().Template)
	_, err = other.ApplyFrom(ctx, f.ben, 0, rename(rows[0], "Theirs"))
	require.NoError(t, err)
	revision, err := f.hot.ApplyFrom(ctx, f.ada, 0, rename(rows[1], "Mine"))
	require.NoError(t, err, "another row: both stand")
	require.EqualValues(t, 2, revision)
	require.Equal(t, "Theirs", f.hot.View().Template.Instrument(rows[0]).Name)
	_, err = other.ApplyFrom(ctx, f.ben, 1, rename(rows[1], "No, mine"))
	var clash *app.ClashError
	require.ErrorAs(t, err, &clash)
	require.Equal(t, "Mine", clash.Theirs)
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	_, redo, _ := f.hot.Undoable(ctx, f.ada)
	require.Equal(t, "Set name of Mine", redo)
	require.NoError(t, other.CatchUp(ctx))
	_, redo, _ = other.Undoable(ctx, f.ada)
	require.Equal(t, "Set name of Mine", redo, "undo is the same on both")
	_, err = other.Redo(ctx, f.ada)
	require.NoError(t, err)

	require.NoError(t, f.hot.Call(ctx, rows[:2], app.CallThem, false))
	require.NoError(t, other.Call(ctx, rows[2:3], app.CallThem, false))
	require.Equal(t, rows[:3], other.Wanted(), "a call adds to what was called elsewhere")
	require.NoError(t, other.Lock(ctx, true))
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, rename(rows[0], "Too late"))
	var locked *app.LockedError
	require.ErrorAs(t, err, &locked, "locked elsewhere is locked here")
}

// What was asked before, by its key, is not done again.
func TestARequestIsObeyedOnce(t *testing.T) {
	f := setUp(t)
	row := ids(f.hot.View().Template)[0]
	key := uuid.New()
	first, err := f.hot.Apply(app.WithKey(ctx, key), f.ada, app.Duplicate([]template.ID{row}))
	require.NoError(t, err)
	for _, h := range []*app.Hot{f.hot, must(app.New(app.Config{Store: f.store, Rig: f.rig}).Open(ctx, f.ada, f.id))} {
		_, err = h.Apply(app.WithKey(ctx, key), f.ada, app.Duplicate([]template.ID{row}))
		revision, again := app.AgainOf(err)
		require.True(t, again, err)
		require.Equal(t, first, revision)
	}
	require.Len(t, f.hot.View().Template.Instruments, 41)
}

func must[T any](x T, err error) T {
	if err != nil {
		panic(err)
	}
	return x
}

// The first row of an empty template brings its section along.
func TestTheFirstRowOfAnEmptyTemplate(t *testing.T) {
	f := setUp(t)
	row, err := f.app.Create(ctx, f.ada, template.New("t", "Empty"))
	require.NoError(t, err)
	h, err := f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)
	_, err = h.Apply(ctx, f.ada, app.NewRows("", "", template.Sampled, 1))
	require.NoError(t, err)
	require.Len(t, h.View().Template.Sections, 1)
	_, err = h.Apply(ctx, f.ada, app.NewRows("", "", template.Spare, 8))
	require.NoError(t, err)
	require.Len(t, h.View().Template.Instruments, 9)
	require.Len(t, h.View().Template.Sections, 1)
	_, err = h.Apply(ctx, f.ada, app.NewRows("", "", template.Spare, 1001))
	require.ErrorContains(t, err, "add 1 to 1000 at a time")
}

// PostgreSQL restarted under the server: the change on its way is refused or
// kept whole, and work goes on.
func TestTheDatabaseComesBack(t *testing.T) {
	f := setUp(t)
	id := f.hot.View().Template.Instruments[0].ID
	_, err := f.hot.ApplyFrom(ctx, f.ada, 0, rename(id, "Before"))
	require.NoError(t, err)
	storetest.Restart(t)
	for range 10 { // connections from before the restart are found dead one by one
		h, openErr := f.app.Open(ctx, f.ada, f.id)
		if openErr != nil {
			continue
		}
		if _, err = h.ApplyFrom(ctx, f.ada, h.View().Revision, rename(id, "After")); err == nil {
			break
		}
	}
	require.NoError(t, err)
	loaded, err := app.New(app.Config{Store: f.store, Rig: f.rig}).Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	require.Equal(t, "After", loaded.View().Template.Instrument(id).Name)
	require.Equal(t, int64(2), loaded.View().Revision)
}

// A clash says what both set in words, whatever it is about.
func TestClashesAreToldInWords(t *testing.T) {
	f := setUp(t)
	now := f.hot.View().Template
	patchOf := func(mib float64) change.Change {
		p := *now.Patches[0]
		p.PreloadMiB = mib
		return change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}}
	}
	playerOf := func(name string, sounds int) change.Change {
		p := *now.Players[0]
		p.Name, p.Sounds = name, sounds
		return change.Put{Players: []change.Entry[template.Player]{change.Append(&p)}}
	}
	row := now.Instruments[0].ID
	short := func(text string) change.Change {
		return change.Edit{Edits: []change.Fields{{ID: row, Short: &text}}}
	}
	tempo := func(bpm float64) change.Change {
		set := now.Settings
		set.TempoBPM = bpm
		return change.Configure{Name: now.Name, Settings: set}
	}
	for name, tc := range map[string]struct {
		theirs, yours change.Change
		want          app.ClashError
	}{
		"a patch":     {patchOf(60), patchOf(70), app.ClashError{Name: "the patch " + now.Patches[0].Name, Field: "the preload, MiB", Theirs: "preload, MiB 60", Yours: "preload, MiB 70"}},
		"a player":    {playerOf("Two", 2), playerOf("Three", 3), app.ClashError{Name: "the player Two", Field: "the name, sounds", Theirs: "name Two; sounds 2", Yours: "name Three; sounds 3"}},
		"short names": {short("Fl"), short("Flt"), app.ClashError{Name: now.Instruments[0].Name, Field: "the short name", Theirs: "Fl", Yours: "Flt"}},
		"no short":    {short("x"), short(""), app.ClashError{Name: now.Instruments[0].Name, Field: "the short name", Theirs: "x", Yours: "nothing"}},
		"settings":    {tempo(90), tempo(80), app.ClashError{Name: now.Name, Field: "the name and settings", Theirs: "set by somebody else", Yours: "set by you"}},
		"deleted":     {change.Delete{IDs: []template.ID{now.Instruments[7].ID}}, annotate(now.Instruments[7].ID, "x"), app.ClashError{Theirs: "taken away"}},
	} {
		t.Run(name, func(t *testing.T) {
			base := f.hot.View().Revision
			_, err := f.hot.ApplyFrom(ctx, f.ben, base, tc.theirs)
			require.NoError(t, err)
			_, err = f.hot.ApplyFrom(ctx, f.ada, base, tc.yours)
			var clash *app.ClashError
			require.ErrorAs(t, err, &clash)
			require.Equal(t, tc.want, *clash)
		})
	}
}
