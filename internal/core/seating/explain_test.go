package seating_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

func TestWhyAnInstrumentSitsThere(t *testing.T) {
	base := coretest.ToSeat(30, 3, 3, 0.3, 1)
	l := *base.Libraries[0]
	l.Machines = []string{"Machine 1", "Machine 2"}
	tiny := *base.Machines[1]
	tiny.MemoryMiB, tiny.ReserveMiB = 10, 0
	base = coretest.Must(base, change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&l)}, Machines: []change.Entry[template.Machine]{change.Append(&tiny)},
	})
	base, plan := seated(base, seating.Options{})
	require.Empty(t, plan.Unseated)
	why, err := seating.Explain(base, "i-0")
	require.NoError(t, err)
	require.Len(t, why.Reasons, 1)
	require.Regexp(t, `^\d+ more of its group leave over outputs \d+-\d+ there$`, why.Reasons[0])
	require.Len(t, why.Elsewhere, 2)
	require.Regexp(t, `^needs .+, more than the 10 MiB of Machine 2$`, why.Elsewhere[0].Text)
	require.Equal(t, "Library is not installed on Machine 3", why.Elsewhere[1].Text)

	l.Machines = nil
	everywhere := coretest.Must(base, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&l)}})
	pin, err := seating.OnMachine(everywhere, []template.ID{"i-0"}, "machine-1")
	require.NoError(t, err)
	why, err = seating.Explain(coretest.Must(everywhere, pin), "i-0")
	require.NoError(t, err)
	require.Contains(t, why.Reasons, "it stays on Machine 1")
	require.False(t, why.Elsewhere[1].Can)
	why, err = seating.Explain(everywhere, "i-0")
	require.NoError(t, err)
	require.True(t, why.Elsewhere[1].Can)
	require.Equal(t, "riser 1 is free, and would be one riser more in use", why.Elsewhere[1].Text)

	_, err = seating.Explain(base, "bus-mix")
	require.ErrorContains(t, err, "has a seat")
}

func TestNearlyFull(t *testing.T) {
	base, _ := seated(coretest.ToSeat(125, 1, 3, 0.95, 1), seating.Options{})
	full := seating.NearlyFull(base, 0.9, nil)
	require.Len(t, full, 2)
	require.Equal(t, []string{"seats", "memory"}, []string{full[0].What, full[1].What})
	require.Equal(t, "125 of 128", full[0].Text())
	require.InDelta(t, 0.95, full[1].Share(), 1e-6)
	require.Empty(t, seating.NearlyFull(base, 0.99, nil))
}

// What would be is what is, once it is done.
func TestWhatIfHolds(t *testing.T) {
	base, _ := seated(coretest.ToSeat(200, 3, 8, 0.8, 2), seating.Options{})
	for name, c := range map[string]change.Change{
		"a machine gone": seating.WithoutMachine("machine-2"),
		"more memory":    first(seating.WithMemory(base, "machine-1", 20_000)),
		"another":        first(seating.WithAnother(base, "machine-1", coretest.Mint())),
	} {
		t.Run(name, func(t *testing.T) {
			o, err := seating.WhatIf(base, c)
			require.NoError(t, err)
			after := coretest.Must(base, c, o.Plan.Change())
			then := seating.Judge(after)
			require.Equal(t, []int{then.Unseated, then.Risers, then.Pairs}, []int{o.Then.Unseated, o.Then.Risers, o.Then.Pairs})
			require.Equal(t, seating.Judge(base), o.Now)
			if name == "a machine gone" {
				require.Positive(t, o.Then.Moved+o.Then.Unseated)
			} else {
				require.Zero(t, o.Then.Moved)
			}
		})
	}
	_, err := seating.WithLibrary(base, "library", "machine-1")
	require.ErrorContains(t, err, "installed on every machine")
}

func first(c change.Change, err error) change.Change {
	if err != nil {
		panic(err)
	}
	return c
}

// The moves bring what they promise, and each of them counts.
func TestFewestMoves(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		base, _ := seated(coretest.ToSeat(rapid.IntRange(20, 200).Draw(r, "rows"), 3, 6, 0.5, rapid.Uint64Range(0, 50).Draw(r, "seed")), seating.Options{})
		m := base.Machines[rapid.IntRange(0, 2).Draw(r, "machine")]
		now := calls.EverythingMiB(base)[m.ID]
		want := rapid.Float64Range(1, 4000).Draw(r, "mib")
		if moves, err := seating.FreeMemory(base, m.ID, want); err == nil {
			after := coretest.Must(base, moves.Change())
			require.GreaterOrEqual(r, now-calls.EverythingMiB(after)[m.ID], want-1e-6)
			fewer := coretest.Must(base, change.Seat{Seats: moves.Seats[:len(moves.Seats)-1]})
			require.Less(r, now-calls.EverythingMiB(fewer)[m.ID], want, "the last move is needed")
			require.Empty(r, seating.Everyone(after, seating.Options{}).Seats, "no limit is broken")
		}
		before := seating.Judge(base)
		if moves, err := seating.OneRiserFewer(base); err == nil {
			require.Equal(r, before.Risers-1, seating.Judge(coretest.Must(base, moves.Change())).Risers)
		}
	})
}

func TestSeatsByHandInOneAction(t *testing.T) {
	base, _ := seated(coretest.ToSeat(40, 2, 4, 0.2, 1), seating.Options{})
	ids := []template.ID{"i-2", "i-0", "i-1"}
	here := base.Instrument("i-2").Seat
	if here.Machine != base.Instrument("i-0").Seat.Machine || here.Machine != base.Instrument("i-1").Seat.Machine {
		t.Skip("the plan put them apart")
	}
	c, err := seating.Consecutive(base, ids, seating.Pair, 40)
	require.NoError(t, err)
	after := coretest.Must(base, c)
	for n, id := range ids {
		require.Equal(t, 40+n, after.Instrument(id).Seat.Pair)
		require.True(t, after.Instrument(id).SeatByHand)
		require.Equal(t, base.Instrument(id).Seat.Channel, after.Instrument(id).Seat.Channel)
	}
	_, err = seating.Consecutive(base, ids, seating.Pair, 64)
	require.ErrorContains(t, err, "output pairs run from 2 to 64")

	c, err = seating.MoveRiser(base, here.Machine, here.Riser, "machine-2", 2)
	require.NoError(t, err)
	moved := coretest.Must(base, c)
	for _, i := range base.Instruments {
		if i.Seat.Machine == here.Machine && i.Seat.Riser == here.Riser {
			want := *i.Seat
			want.Machine, want.Riser = "machine-2", 2
			require.Equal(t, want, *moved.Instrument(i.ID).Seat)
		}
	}
	c, err = seating.Consecutive(moved, ids, seating.Channel, 15)
	require.ErrorContains(t, err, "taken", "port 1 is full there")
	require.Nil(t, c)
	c, err = seating.Renumber(moved, "machine-2", 2)
	require.NoError(t, err)
	tidy := coretest.Must(moved, c)
	last := 0
	for _, i := range tidy.ScoreOrder() {
		if s := i.Seat; s != nil && s.Machine == "machine-2" && s.Riser == 2 && tidy.PlayerOf(i).Sounds > 1 {
			require.Greater(t, 16*s.Port+s.Channel, last, "in score order")
			last = 16*s.Port + s.Channel
		}
	}
	_, err = seating.MoveRiser(base, here.Machine, 9, "machine-2", 2)
	require.ErrorContains(t, err, "nobody sits on riser 9")
	require.False(t, coretest.Must(after, seating.Release(ids)).Instrument("i-0").SeatByHand)
}
