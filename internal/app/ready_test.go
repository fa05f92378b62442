package app_test

import (
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format/smf"
	"fanfold/internal/rig"
	"fanfold/internal/store"
)

func (f *fixture) rows(n int) []template.ID {
	var ids []template.ID
	for _, i := range f.hot.View().Template.Instruments {
		if i.Seat != nil && len(ids) < n {
			ids = append(ids, i.ID)
		}
	}
	return ids
}

func (f *fixture) edit(t *testing.T, e change.Fields) {
	_, err := f.hot.Apply(ctx, f.ada, func(*template.Template) (change.Change, error) {
		return change.Edit{Edits: []change.Fields{e}}, nil
	})
	require.NoError(t, err)
}

// do carries out what a maker makes, as ada.
func (f *fixture) do(m app.Maker) error {
	_, err := f.hot.Apply(ctx, f.ada, m)
	return err
}

func (f *fixture) machineOf(id template.ID) *template.Machine {
	v := f.hot.View().Template
	return v.Index().Machines[v.Instrument(id).Seat.Machine]
}

// report tells what the machine of an instrument holds.
func (f *fixture) report(m *template.Machine, items ...rig.Item) {
	for n := range items {
		items[n].ID = f.id.String() + "/" + items[n].ID
	}
	f.app.Reported(rig.Host{Studio: f.ada.Studio.String(), Machine: string(m.ID)}, rig.Report{Generation: 1, Items: items}, false)
}

// What is kept comes with every call, stays when everything rests, and rests
// only when it is asked for by itself and somebody is sure.
func TestKeptOnesStay(t *testing.T) {
	f := setUp(t)
	ids := f.rows(3)
	yes := true
	f.edit(t, change.Fields{ID: ids[0], Keep: &yes})
	require.Empty(t, f.hot.Wanted(), "a mark loads nothing by itself")
	require.NoError(t, f.hot.Call(ctx, ids[1:2], app.OnlyThem, false))
	require.ElementsMatch(t, ids[:2], f.hot.Wanted())
	require.NoError(t, f.hot.Call(ctx, ids[:2], app.RestThem, false))
	require.Equal(t, ids[:1], f.hot.Wanted())
	var busy *app.BusyError
	require.ErrorAs(t, f.hot.Call(ctx, ids[:1], app.RestThem, false), &busy)
	require.Len(t, busy.Kept, 1)
	require.ErrorContains(t, busy, "is kept. Rest all the same?")
	require.Equal(t, ids[:1], f.hot.Wanted())
	require.NoError(t, f.hot.Call(ctx, ids[:1], app.RestThem, true))
	require.Empty(t, f.hot.Wanted())
}

// A template opens with its opening call, once; it stays beside whatever else
// is called, and who is rested by hand stays at rest.
func TestTheOpeningCall(t *testing.T) {
	f := setUp(t)
	rows := f.rows(5)
	begun := func(h *app.Hot) int {
		n, err := h.Begin(ctx)
		require.NoError(t, err)
		return n
	}
	require.Zero(t, begun(f.hot), "there is none yet")
	opens := &template.Call{ID: "opens", Name: "Opening", Opening: true, Instruments: rows[:2]}
	yes := true
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Batch{Changes: []change.Change{
		change.Put{Calls: []change.Entry[template.Call]{change.Append(opens)}},
		change.Edit{Edits: []change.Fields{{ID: rows[2], Keep: &yes}}},
	}})
	require.NoError(t, err)
	require.Empty(t, f.hot.Wanted(), "nothing comes before somebody opens it")
	require.Equal(t, 3, begun(f.hot))
	require.Equal(t, rows[:3], f.hot.Wanted())
	require.Zero(t, begun(f.hot), "somebody else opens it, too")

	require.NoError(t, f.hot.Call(ctx, rows[3:4], app.OnlyThem, false))
	require.Equal(t, rows[:4], f.hot.Wanted(), "there is always something to play")
	require.NoError(t, f.hot.Call(ctx, rows[:1], app.RestThem, false))
	require.NoError(t, f.hot.Call(ctx, rows[4:], app.OnlyThem, false))
	require.Equal(t, []template.ID{rows[1], rows[2], rows[4]}, f.hot.Wanted())
	require.NoError(t, f.hot.Call(ctx, rows, app.RestThem, true))
	require.Zero(t, begun(f.hot), "everything was rested on purpose")

	again := app.New(app.Config{Store: f.store, Rig: f.rig})
	stop, err := again.Start(ctx)
	require.NoError(t, err)
	defer stop()
	h, err := again.Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	require.Empty(t, h.Wanted(), "nobody has opened it yet")
	require.Equal(t, 3, begun(h), "another day")
}

// An opening call that does not fit is refused with what is short.
func TestAnOpeningCallThatDoesNotFit(t *testing.T) {
	f := setUp(t)
	small := *f.hot.View().Template.Machines[0]
	small.MemoryMiB, small.ReserveMiB = 300, 0
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{
		Machines: []change.Entry[template.Machine]{change.Append(&small)},
		Calls:    []change.Entry[template.Call]{change.Append(&template.Call{ID: "opens", Name: "Opening", Opening: true, Instruments: ids(f.hot.View().Template)})},
	})
	require.NoError(t, err)
	var room *app.NoRoomError
	_, err = f.hot.Begin(ctx)
	require.ErrorAs(t, err, &room)
	require.ErrorContains(t, err, "the opening call does not come: Machine 1 is")
	require.Empty(t, f.hot.Wanted())
}

// Nothing that sounds or is armed is rested without asking, whichever way it
// would be.
func TestWhatSoundsIsNotRestedUnasked(t *testing.T) {
	f := setUp(t)
	ids := f.rows(3)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	m := f.machineOf(ids[0])
	f.report(m, rig.Item{ID: string(ids[0]), State: rig.Ready, Voices: 12}, rig.Item{ID: string(ids[1]), State: rig.Ready, Armed: true}, rig.Item{ID: string(ids[2]), State: rig.Ready})
	var busy *app.BusyError
	require.ErrorAs(t, f.hot.Call(ctx, ids[:1], app.RestThem, false), &busy)
	require.Len(t, busy.Busy, 1)
	require.ErrorAs(t, f.hot.Call(ctx, ids[2:], app.OnlyThem, false), &busy)
	require.Len(t, busy.Busy, 2)
	require.Len(t, f.hot.Wanted(), 3, "nothing was rested")
	require.NoError(t, f.hot.Call(ctx, ids[2:], app.RestThem, false), "what does not sound rests")
	require.NoError(t, f.hot.Call(ctx, ids[:2], app.RestThem, true))
	require.Empty(t, f.hot.Wanted())
}

// Recorded audio in its place frees an instrument's memory and keeps its
// settings; one action lets it play again.
func TestPrintedAndBack(t *testing.T) {
	f := setUp(t)
	ids := f.rows(2)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	m := f.machineOf(ids[0])
	held := func() bool {
		return slices.Contains(f.rig.names(string(m.ID)), f.hot.View().Template.Instrument(ids[0]).Name)
	}
	require.True(t, held())
	before := f.hot.View().Template.Instrument(ids[0])
	f.edit(t, change.Fields{ID: ids[0], Printed: &template.Printed{File: "Salt.wav", Seconds: 12}})
	require.False(t, held())
	state := f.hot.Rig().Instruments[0]
	require.Equal(t, "printed", state.State)
	f.edit(t, change.Fields{ID: ids[0], Printed: &template.Printed{}})
	require.True(t, held())
	require.Equal(t, before, f.hot.View().Template.Instrument(ids[0]))
}

// The last call loads first on its machine.
func TestTheLastCallLoadsFirst(t *testing.T) {
	f := setUp(t)
	ids := f.rows(12)
	m := f.machineOf(ids[0])
	require.NoError(t, f.hot.Call(ctx, ids[:11], app.CallThem, false))
	require.NoError(t, f.hot.Call(ctx, ids[11:], app.CallThem, false))
	if f.machineOf(ids[11]) == m {
		require.Equal(t, f.hot.View().Template.Instrument(ids[11]).Name, f.rig.names(string(m.ID))[0])
	}
	last := f.rows(1)
	require.NoError(t, f.hot.Call(ctx, last, app.CallThem, false))
	require.Equal(t, f.hot.View().Template.Instrument(last[0]).Name, f.rig.names(string(m.ID))[0], "called again, it goes first")
}

// A machine that takes longer than computed is learned of, shown, and known
// after the server starts again; a load that failed teaches nothing.
func TestLoadingTimesAreLearned(t *testing.T) {
	f := setUp(t)
	ids := f.rows(1)
	m := f.machineOf(ids[0])
	f.report(m)
	estimates, _ := f.hot.Estimate(ids, app.CallThem)
	computed := estimates[slices.IndexFunc(f.hot.View().Template.Machines, func(x *template.Machine) bool { return x == m })].Wait
	require.Greater(t, computed, 500*time.Millisecond)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	f.report(m, rig.Item{ID: string(ids[0]), State: rig.Failed, Reason: "unreadable"})
	require.NoError(t, f.hot.Call(ctx, ids, app.RestThem, false))
	v, err := f.app.Host(ctx, f.ada, m.ID)
	require.NoError(t, err)
	require.Zero(t, v.Pace.Loads)
	f.report(m)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	f.report(m, rig.Item{ID: string(ids[0]), State: rig.Ready})
	v, err = f.app.Host(ctx, f.ada, m.ID)
	require.NoError(t, err)
	require.Equal(t, 1, v.Pace.Loads)
	require.InDelta(t, computed.Seconds(), v.Pace.Computed, 1e-9)
	require.Less(t, v.Pace.Factor(), 1.0, "it was ready at once")

	f.app.Wait()
	again := app.New(app.Config{Store: f.store, Rig: &quietRig{wanted: map[string][]rig.Load{}}})
	stop, err := again.Start(ctx)
	require.NoError(t, err)
	defer stop()
	w, err := again.Host(ctx, f.ada, m.ID)
	require.NoError(t, err)
	require.Equal(t, v.Pace, w.Pace)
}

// A credential is made for one machine, listed without its secret, and taken
// back; nobody of another studio can.
func TestCredentialsAreRevoked(t *testing.T) {
	f := setUp(t)
	token, err := f.app.MakeCredential(ctx, f.ada, "Birch", 0)
	require.NoError(t, err)
	id, secret, err := rig.SplitToken(token)
	require.NoError(t, err)
	_, known := f.store.HostLookup(ctx, id, secret)
	require.True(t, known)
	v, err := f.app.Host(ctx, f.ada, "Birch")
	require.NoError(t, err)
	require.Len(t, v.Credentials, 1)
	require.False(t, v.Online)
	require.True(t, v.Seen.IsZero())

	stranger := app.Person{ID: f.ben.ID, Studio: uuid.New()}
	require.ErrorIs(t, f.app.RevokeCredential(ctx, stranger, v.Credentials[0].ID), store.ErrNotFound)
	host := rig.Host{Credential: id, Studio: f.ada.Studio.String(), Machine: "Birch"}
	f.app.Reported(host, rig.Report{UsedMiB: 100, Voices: 3, Version: rig.Version}, false)
	f.app.Wait()
	v, err = f.app.Host(ctx, f.ada, "Birch")
	require.NoError(t, err)
	require.True(t, v.Online)
	require.True(t, v.Credentials[0].SeenAt.Valid)
	require.Len(t, v.History, 1)
	require.Equal(t, 3, v.History[0].Voices)

	require.NoError(t, f.app.RevokeCredential(ctx, f.ada, v.Credentials[0].ID))
	require.Equal(t, []string{id}, f.rig.forgotten)
	_, known = f.store.HostLookup(ctx, id, secret)
	require.False(t, known)
	require.ErrorIs(t, f.app.RevokeCredential(ctx, f.ada, v.Credentials[0].ID), store.ErrNotFound)
}

// The MIDI file a template is taken out as, with notes on three of its tracks,
// comes back as the call of just these three.
func TestACueBecomesItsCall(t *testing.T) {
	f := setUp(t)
	view := f.hot.View().Template
	song := handover.NewSong(view)
	var midi strings.Builder
	require.NoError(t, smf.Write(&midi, song))
	words, err := f.hot.Vocabulary(ctx, f.ada)
	require.NoError(t, err)
	piece, err := app.ReadPiece(ctx, strings.NewReader(midi.String()), words)
	require.NoError(t, err)
	require.Empty(t, piece.Parts, "a template has no notes yet")

	ids := f.rows(3)
	for n, id := range ids {
		i := view.Instrument(id)
		part := app.PiecePart{ID: string(rune('a' + n)), Name: i.Name, Port: -1}
		if n == 2 {
			part.Name, part.Port, part.Channel = "no such track", view.Ports()[i.Seat.PortOf()], i.Seat.Channel
		}
		part.Part.Notes = []articulation.Note{{Start: 0, End: 480, Key: 60 + n, Velocity: 80}}
		piece.Parts = append(piece.Parts, part)
	}
	ask := app.MusicAsk{Piece: piece, Name: "1M01"}
	told, err := f.hot.CallFromMusic(ctx, f.ada, ask)
	require.NoError(t, err)
	require.Equal(t, ids, told.Used)
	require.Equal(t, []string{"name", "name", "seat"}, []string{string(told.Parts[0].How), string(told.Parts[1].How), string(told.Parts[2].How)})
	require.Empty(t, f.hot.View().Template.Calls, "it was only asked")

	ask.Take, ask.Hand = true, map[string][]template.ID{"b": {}}
	kept, err := f.hot.CallFromMusic(ctx, f.ada, ask)
	require.NoError(t, err)
	c := f.hot.View().Template.Index().Calls[kept.Call]
	require.Equal(t, []template.ID{ids[0], ids[2]}, c.Instruments, "b was left out by hand")
	require.Equal(t, []template.UsedKey{{Key: 60, Low: 80, High: 80}}, c.Uses[0].Keys)
	require.NoError(t, f.hot.Call(ctx, c.Instruments, app.OnlyThem, false))
	require.ElementsMatch(t, c.Instruments, f.hot.Wanted())
}

// A riser is copied with its rows, which sit as the others do, with their
// routes; where somebody sits already it is refused and nothing is half done.
func TestARiserIsCopied(t *testing.T) {
	f := setUp(t)
	before := f.hot.View().Template
	ids := f.rows(1)
	seat := *before.Instrument(ids[0]).Seat
	free := before.Risers(before.Index().Machines[seat.Machine])
	rows := 0
	for _, i := range before.Instruments {
		if i.Seat != nil && i.Seat.Machine == seat.Machine && i.Seat.Riser == seat.Riser {
			rows++
		}
	}
	_, err := f.hot.Apply(ctx, f.ada, app.CopyRiser(seat.Machine, seat.Riser, seat.Machine, seat.Riser))
	require.Error(t, err, "its seats are taken")
	require.Len(t, f.hot.View().Template.Instruments, len(before.Instruments))
	_, err = f.hot.Apply(ctx, f.ada, app.CopyRiser(seat.Machine, seat.Riser, seat.Machine, free))
	require.NoError(t, err)
	now := f.hot.View().Template
	require.Len(t, now.Instruments, len(before.Instruments)+rows)
	places := map[template.Seat]*template.Instrument{}
	for _, i := range now.Instruments {
		if i.Seat != nil {
			require.Nil(t, places[*i.Seat])
			places[*i.Seat] = i
		}
	}
	for _, i := range before.Instruments {
		if i.Seat == nil || i.Seat.Machine != seat.Machine || i.Seat.Riser != seat.Riser {
			continue
		}
		there := *i.Seat
		there.Riser = free
		copied := places[there]
		require.NotNil(t, copied, "a copy of %s", i.Name)
		require.Equal(t, i.Patches, copied.Patches)
		require.Equal(t, i.Routes, copied.Routes)
	}
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, len(before.Instruments), len(f.hot.View().Template.Instruments))
}

// Two people call and rest the same instruments at once: in the end what is
// wanted is what the machines were told, and what is kept.
func TestTwoCallAndRestTheSame(t *testing.T) {
	f := setUp(t)
	ids := f.rows(12)
	var both sync.WaitGroup
	for who := range 2 {
		both.Go(func() {
			for n := range 30 {
				how := []app.How{app.CallThem, app.RestThem}[(n+who)%2]
				_ = f.hot.Call(ctx, ids[n%6:6+n%6], how, true) // either may be refused
			}
		})
	}
	both.Wait()
	wanted := f.hot.Wanted()
	var told []string
	for _, m := range f.hot.View().Template.Machines {
		told = append(told, f.rig.names(string(m.ID))...)
	}
	var names []string
	for _, id := range wanted {
		names = append(names, f.hot.View().Template.Instrument(id).Name)
	}
	require.ElementsMatch(t, names, told)
	kept, err := f.store.Queries().WantedList(ctx, f.id)
	require.NoError(t, err)
	require.Len(t, kept, len(wanted))
}

// A row that is ready on a machine that is lost waits for a seat, is never told
// ready meanwhile, and loads where it is seated next; what the old machine says
// late counts no more.
func TestCalledRowsFollowTheirSeats(t *testing.T) {
	f := setUp(t)
	row := f.rows(1)[0]
	require.NoError(t, f.hot.Call(ctx, []template.ID{row}, app.CallThem, false))
	old := f.machineOf(row)
	state := func() app.State {
		for _, s := range f.hot.Rig().Instruments {
			if s.ID == row {
				return s
			}
		}
		return app.State{}
	}
	f.report(old, rig.Item{ID: string(row), State: rig.Ready})
	require.Equal(t, "ready", state().State)
	seat := func(s *template.Seat) {
		t.Helper()
		_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Seat{Seats: []change.Seating{{ID: row, Seat: s}}})
		require.NoError(t, err)
	}
	was := *f.hot.View().Template.Instrument(row).Seat
	seat(nil)
	require.Equal(t, []template.ID{row}, f.hot.Wanted(), "it is wanted still")
	require.Equal(t, app.State{ID: row, State: "tuning", Reason: "it has lost its seat; seat it again"}, state())
	require.Empty(t, f.rig.names(string(old.ID)))

	other := f.hot.View().Template.Machines[0]
	if other.ID == old.ID {
		other = f.hot.View().Template.Machines[1]
	}
	next := template.Seat{Machine: other.ID, Riser: 2, Port: 1, Channel: 1, Pair: 9}
	seat(&next)
	require.Len(t, f.rig.names(string(other.ID)), 1, "it loads there")
	f.report(old, rig.Item{ID: string(row), State: rig.Ready})
	require.NotEqual(t, "ready", state().State, "the old machine is late")
	f.report(other, rig.Item{ID: string(row), State: rig.Ready})
	require.Equal(t, "ready", state().State)
	seat(&was)
	require.NotEqual(t, "ready", state().State, "moved back, it loads anew")
}

// Another row on the same seat is ready with it, loads nothing more, and takes
// over when the first is deleted.
func TestSameAgain(t *testing.T) {
	f := setUp(t)
	row := f.rows(1)[0]
	require.NoError(t, f.do(app.Again([]template.ID{row})))
	view := f.hot.View().Template
	again := view.Instruments[view.Index().Place[row]+1]
	require.Equal(t, row, again.With)
	require.Equal(t, view.Instrument(row).Seat, again.Seat)
	require.NotEqual(t, view.Instrument(row).Name, again.Name)

	require.NoError(t, f.hot.Call(ctx, []template.ID{again.ID}, app.CallThem, false))
	m := f.machineOf(row)
	require.Equal(t, []string{view.Instrument(row).Name}, f.rig.names(string(m.ID)), "its sound is loaded, once")
	f.report(m, rig.Item{ID: string(row), State: rig.Ready})
	states := map[template.ID]string{}
	for _, s := range f.hot.Rig().Instruments {
		states[s.ID] = s.State
	}
	require.Equal(t, map[template.ID]string{row: "ready", again.ID: "ready"}, states)

	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Delete{IDs: []template.ID{row}})
	require.NoError(t, err)
	require.Equal(t, []template.ID{again.ID}, f.hot.Wanted())
	require.Equal(t, []string{again.Name}, f.rig.names(string(m.ID)))

	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, []template.ID{row}, f.hot.Wanted(), "the first has its seat again, and is wanted")
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Delete{IDs: []template.ID{row}})
	require.NoError(t, err)

	require.NoError(t, f.do(app.Again([]template.ID{again.ID})))
	view = f.hot.View().Template
	third := view.Instruments[view.Index().Place[again.ID]+1]
	require.NoError(t, f.do(app.OwnSeats([]template.ID{third.ID})))
	third = f.hot.View().Template.Instrument(third.ID)
	require.Empty(t, third.With)
	require.NotNil(t, third.Seat)
	require.False(t, third.Seat.SamePlace(*f.hot.View().Template.Instrument(again.ID).Seat))
	require.ErrorContains(t, f.do(app.OwnSeats([]template.ID{third.ID})), "none of the rows sits with another")
}
