package seating_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

var seatCodes = []string{"seat-clash", "riser-overload", "machine-overload", "outputs-overflow", "split-output", "over-memory"}

// No plan ever breaks a limit, whatever the machines and players are like;
// the proof, which knows nothing of the planner, finds no mark.
func TestPlanNeverBreaksALimit(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		base := coretest.Orchestra(rapid.IntRange(1, 300).Draw(r, "instruments"), rapid.IntRange(1, 4).Draw(r, "machines"))
		var put change.Put
		for _, m := range base.Machines {
			c := *m
			c.MemoryMiB = rapid.Float64Range(1024, 64*1024).Draw(r, "memory")
			c.ReserveMiB, c.Cores = 0, rapid.IntRange(1, 32).Draw(r, "cores")
			put.Machines = append(put.Machines, change.Append(&c))
		}
		p := *base.Players[0]
		p.Sounds, p.Outputs = rapid.IntRange(1, 16).Draw(r, "sounds"), rapid.IntRange(1, 4).Draw(r, "outputs")
		p.Banks = rapid.IntRange(0, 9).Draw(r, "banks")
		put.Players = append(put.Players, change.Append(&p))
		base = coretest.Must(base, put)
		plan := seating.Everyone(base, seating.Options{})
		after := coretest.Must(base, plan.Change())
		counts := proof.Check(after, "").Counts()
		for _, code := range seatCodes {
			require.Zero(r, counts[code], code)
		}
		checkBanks(r, after, &p)
		require.Equal(r, len(base.Instruments), len(plan.Seats)+len(plan.Unseated))
		require.Equal(r, len(plan.Unseated), counts["unseated"])
		if len(plan.Unseated) == 0 {
			require.GreaterOrEqual(r, plan.RisersUsed, plan.LowerBound)
		}
		for _, u := range plan.Unseated {
			require.NotEmpty(r, u.Reason)
		}
		again := seating.Everyone(after, seating.Options{})
		if len(plan.Unseated) == 0 {
			require.Empty(r, again.Seats, "sound seats are kept")
		}
		require.LessOrEqual(r, len(again.Unseated), len(plan.Unseated), "seats change only to seat more")
	})
}

func TestUnseatedReasons(t *testing.T) {
	one := coretest.Orchestra(1, 1)
	none := coretest.Must(one, change.Drop{Machines: []template.ID{"machine-1"}})
	require.Equal(t, "there is no machine; add one", seating.Everyone(none, seating.Options{}).Unseated[0].Reason)

	small := *one.Machines[0]
	small.MemoryMiB, small.ReserveMiB = 100, 0
	tight := coretest.Must(one, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&small)}})
	require.Equal(t, "needs 114 MiB, more than the 100 MiB of Machine 1", seating.Everyone(tight, seating.Options{}).Unseated[0].Reason)

	small.MemoryMiB, small.Cores = 1024, 1
	weak := coretest.Must(one, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&small)}})
	require.Equal(t, "Machine 1 has 1 cores, too few for a riser of 2", seating.Everyone(weak, seating.Options{}).Unseated[0].Reason)
}

// Cores for one riser: a quarter of the machine's, at least two. Common
// practice, no source.
func TestRiserCores(t *testing.T) {
	base := coretest.Orchestra(1, 1)
	for cores, risers := range map[int]int{24: 4, 16: 4, 12: 4, 6: 3, 4: 2, 2: 1, 1: 0} {
		require.Equal(t, risers, base.Risers(&template.Machine{Cores: cores}), "%d cores", cores)
	}
}

func TestMoveByHand(t *testing.T) {
	base := coretest.Orchestra(40, 2)
	seated := coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	ids := []template.ID{seated.Instruments[0].ID, seated.Instruments[4].ID}
	to := template.Seat{Machine: "machine-2", Riser: 3, Port: 2, Channel: 16}
	c, err := seating.Move(seated, ids, to)
	require.NoError(t, err)
	moved := coretest.Must(seated, c)
	require.Equal(t, 16, moved.Instrument(ids[0]).Seat.Channel)
	second := moved.Instrument(ids[1]).Seat
	require.Equal(t, []int{3, 3, 1}, []int{second.Riser, second.Port, second.Channel}, "a run flows over to the next port")
	_, err = seating.Move(moved, ids[:1], *moved.Instrument(ids[1]).Seat)
	require.ErrorContains(t, err, "is taken by")
}

func TestOnMachinePinsAndSeats(t *testing.T) {
	base := coretest.Orchestra(12, 2)
	seated := coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	var ids []template.ID
	for _, i := range seated.Instruments {
		ids = append(ids, i.ID)
	}
	c, err := seating.OnMachine(seated, ids, "machine-2")
	require.NoError(t, err)
	for _, i := range coretest.Must(seated, c).Instruments {
		require.Equal(t, template.ID("machine-2"), i.Seat.Machine)
		require.Equal(t, template.ID("machine-2"), i.Style.Machine)
	}
}

// Memory of an instrument: ready = the player's own memory, once per player,
// plus the preload of its patches (4-reference, Machines).
func TestMemoryCountsAPlayerOnce(t *testing.T) {
	base := coretest.Orchestra(2, 1)
	seat := func(n int) *template.Seat {
		return &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: n, Pair: 2}
	}
	a, b := base.Instruments[0].ID, base.Instruments[1].ID
	seated := coretest.Must(base, change.Seat{Seats: []change.Seating{{ID: a, Seat: seat(1)}, {ID: b, Seat: seat(2)}}})
	require.InDelta(t, 64+50, calls.ReadyMiB(seated, []template.ID{a})["machine-1"], 1e-9)
	require.InDelta(t, 64+50+87, calls.ReadyMiB(seated, []template.ID{a, b})["machine-1"], 1e-9)
	costs := calls.Costs(seated, []template.ID{a}, []template.ID{a, b})
	require.InDelta(t, 0.087, costs[0].Wait.Seconds(), 1e-6, "87 MiB at 1000 MiB/s, the player awake")
	costs = calls.Costs(seated, nil, []template.ID{a})
	require.InDelta(t, 2.05, costs[0].Wait.Seconds(), 1e-6, "and 2 s to wake the first")
}

func TestCallThatDoesNotFitSaysWhatWould(t *testing.T) {
	base := coretest.Orchestra(20, 1)
	seated := coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	m := *base.Machines[0]
	m.MemoryMiB, m.ReserveMiB = 2048, 0
	tight := coretest.Must(seated, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&m)}})
	var all []template.ID
	for _, i := range tight.Instruments {
		all = append(all, i.ID)
	}
	e := calls.Costs(tight, all[:8], all)[0]
	require.False(t, e.Fits())
	require.Contains(t, e.Refusal(), "Machine 1 is ")
	freed := 0.0
	for _, r := range e.Rest {
		freed += r.FreesMiB
	}
	require.GreaterOrEqual(t, freed, e.ShortMiB(), "resting what is named makes it fit")
}

func BenchmarkSeatEveryone(b *testing.B) {
	t := coretest.Large(10_000, 200)
	for b.Loop() {
		seating.Everyone(t, seating.Options{Fresh: true})
	}
}

// Rows that feed one player sit on one port, whole sets of them, whatever else
// is seated in between; the proof of it is the plan itself.
func TestSpreadRowsSitTogether(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		base := coretest.Orchestra(rapid.IntRange(20, 120).Draw(r, "rows"), 2)
		var edit change.Edit
		spread := template.SpreadOut
		at := 0
		for set := 0; at < len(base.Instruments)-16 && set < 6; set++ {
			id := template.ID(fmt.Sprint("set-", set))
			for range rapid.IntRange(2, 16).Draw(r, "size") {
				edit.Edits = append(edit.Edits, change.Fields{ID: base.Instruments[at].ID, Layout: &spread, Spread: &id})
				at++
			}
			at += rapid.IntRange(0, 5).Draw(r, "gap")
		}
		base = coretest.Must(base, edit)
		plan := seating.Everyone(base, seating.Options{})
		after := coretest.Must(base, plan.Change())
		ports, taken := map[template.ID]template.Seat{}, map[template.Seat]bool{}
		for _, i := range after.Instruments {
			if i.Seat == nil {
				continue
			}
			place := *i.Seat
			place.Pair = 0
			require.False(r, taken[place], "one seat, one row")
			taken[place] = true
			place.Channel = 0
			if home, ok := ports[i.Spread]; ok && i.Spread != "" {
				require.Equal(r, home, place, i.Name)
			}
			ports[i.Spread] = place
		}
		require.Empty(r, seating.Everyone(after, seating.Options{}).Seats, "a sound plan is kept")
	})
}

// An instrument is seated only where its libraries are installed.
func TestLibrariesBindToMachines(t *testing.T) {
	base := coretest.Orchestra(16, 2)
	l := *base.Libraries[0]
	l.Machines = []string{"machine 2"} // names without regard to case
	base = coretest.Must(base, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&l)}})
	after := coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	for _, i := range after.Instruments {
		if after.LibraryOf(i).ID == l.ID {
			require.EqualValues(t, "machine-2", i.Seat.Machine, i.Name)
		}
	}
	l.Machines = []string{"Elsewhere"}
	nowhere := coretest.Must(base, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&l)}})
	plan := seating.Everyone(nowhere, seating.Options{})
	require.NotEmpty(t, plan.Unseated)
	require.Contains(t, plan.Unseated[0].Reason, l.Name+" is not installed on Machine")
}

// Rows that are moved onto taken seats shift who sits there: everybody has a seat
// afterwards, nobody two, those that need not move do not, and the order stays.
func TestMovingShiftsWhoSitsThere(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		rig := coretest.Rig(slices.Repeat([]float64{10}, 24), []float64{16384})
		taken := rapid.SliceOfNDistinct(rapid.IntRange(0, 60), 20, 20, rapid.ID[int]).Draw(r, "taken")
		var seats change.Seat
		for n, at := range taken {
			seats.Seats = append(seats.Seats, change.Seating{ID: rig.Instruments[n].ID, Seat: &template.Seat{Machine: rig.Machines[0].ID, Riser: 1, Port: at/16 + 1, Channel: at%16 + 1, Pair: 2 + n}})
		}
		now := coretest.Must(rig, seats)
		var ids []template.ID
		for n := range rapid.IntRange(1, 4).Draw(r, "moving") {
			ids = append(ids, now.Instruments[20+n].ID)
		}
		from := rapid.IntRange(0, 60).Draw(r, "from")
		to := template.Seat{Machine: now.Machines[0].ID, Riser: 1, Port: from/16 + 1, Channel: from%16 + 1}
		c, shifts, err := seating.MoveShifting(now, ids, to)
		require.NoError(r, err)
		after := coretest.Must(now, c)
		moved := map[template.ID]bool{}
		for _, s := range shifts {
			moved[s.Instrument.ID] = true
			require.Equal(r, s.To, *after.Instrument(s.Instrument.ID).Seat)
			require.False(r, after.Instrument(s.Instrument.ID).SeatByHand, "who makes way is not seated by hand")
		}
		at := map[[2]int]template.ID{}
		place := func(s *template.Seat) int { return s.Port*16 + s.Channel }
		var order, then []*template.Instrument
		for _, i := range after.Instruments {
			if i.Seat == nil {
				continue
			}
			key := [2]int{i.Seat.Port, i.Seat.Channel}
			require.Empty(r, at[key], "two on one seat")
			at[key] = i.ID
			if was := now.Instrument(i.ID); was.Seat != nil {
				require.Equal(r, moved[i.ID], *was.Seat != *i.Seat)
				order, then = append(order, was), append(then, i)
			}
		}
		slices.SortFunc(order, func(a, b *template.Instrument) int { return place(a.Seat) - place(b.Seat) })
		slices.SortFunc(then, func(a, b *template.Instrument) int { return place(a.Seat) - place(b.Seat) })
		for n := range order {
			require.Equal(r, order[n].ID, then[n].ID, "in the order they sat in")
		}
		for n, id := range ids {
			require.Equal(r, from+n, place(after.Instrument(id).Seat)-17)
		}
	})
	full := coretest.Rig(slices.Repeat([]float64{1}, 129), []float64{16384})
	full = coretest.Must(full, seating.Everyone(full, seating.Options{}).Change())
	var standing []template.ID
	for _, i := range full.Instruments {
		if i.Seat == nil || i.Seat.Riser != full.Instruments[0].Seat.Riser {
			standing = append(standing, i.ID)
		}
	}
	if len(standing) > 0 {
		to := *full.Instruments[0].Seat
		to.Port, to.Channel = 1, 1
		_, _, err := seating.MoveShifting(full, standing[:1], to)
		require.Error(t, err, "there is no seat for the last one")
	}
}
