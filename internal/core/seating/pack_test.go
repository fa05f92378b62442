package seating_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// Rows that fit in one way only are all seated, in whatever order they stand, afresh and
// when some sit already.
func TestNobodyIsLeftOverWhoFits(t *testing.T) {
	for n, order := range coretest.Orders([]float64{5041, 6179, 6992, 8618}) {
		after, plan := seated(coretest.Rig(order, []float64{16384, 16384}), seating.Options{Fresh: n%2 == 0})
		require.Empty(t, plan.Unseated, "%v", order)
		require.Zero(t, proof.Check(after, "").Counts()["over-memory"])
	}
	rig := coretest.Rig([]float64{6000, 6000, 9000, 9000}, []float64{16384, 16384})
	rig = coretest.Must(rig, change.Seat{Seats: []change.Seating{
		{ID: "i-0", Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: 1, Pair: 2}},
		{ID: "i-1", Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: 2, Pair: 2}},
	}})
	_, plan := seated(rig, seating.Options{})
	require.Empty(t, plan.Unseated)
	require.Equal(t, 1, plan.Cost.Moved, "one makes room, no more")
}

// When nothing more is possible, the reason says what is lacking, and where.
func TestWhatIsLackingIsProved(t *testing.T) {
	_, plan := seated(coretest.Rig([]float64{9000, 9000, 9000, 9000}, []float64{16384, 16384}), seating.Options{})
	require.Len(t, plan.Unseated, 2)
	require.Contains(t, plan.Unseated[0].Reason, "all machines together lack 3.2 GiB, whatever is moved")
	rig := coretest.Rig([]float64{9000, 9000, 2000}, []float64{16384, 16384})
	birch := *rig.Machines[1]
	birch.Name = "Birch"
	pin := template.SeatStyle{Machine: birch.ID}
	rig = coretest.Must(rig, change.RenameMachine{ID: birch.ID, Name: "Birch"}, change.Edit{Edits: []change.Fields{{ID: "i-0", Style: &pin}, {ID: "i-1", Style: &pin}}})
	_, plan = seated(rig, seating.Options{})
	require.Len(t, plan.Unseated, 1)
	require.Contains(t, plan.Unseated[0].Reason, "Birch lacks 1.6 GiB, whatever is moved")
}

// greedy is first fit decreasing as anybody would do it: how many rows it seats, on how
// many machines.
func greedy(t *template.Template) (rows, machines int) {
	list := slices.Clone(t.Instruments)
	slices.SortStableFunc(list, func(a, b *template.Instrument) int { return int(calls.PreloadMiB(t, b) - calls.PreloadMiB(t, a)) })
	sets := calls.AlwaysReady(t)
	used := make([][]float64, len(t.Machines))
	open := map[int]bool{}
	for _, i := range list {
		for m, machine := range t.Machines {
			if used[m] == nil {
				used[m] = make([]float64, len(sets))
			}
			mib, fits := calls.PreloadMiB(t, i), true
			for n, set := range sets {
				fits = fits && (!slices.Contains(set, i.ID) || used[m][n]+mib <= machine.LimitMiB())
			}
			if !fits {
				continue
			}
			for n, set := range sets {
				if slices.Contains(set, i.ID) {
					used[m][n] += mib
				}
			}
			open[m], rows = true, rows+1
			break
		}
	}
	return rows, len(open)
}

// Plans of rigs that are nearly full, with and without calls, seat no row fewer and open
// no riser more than first fit decreasing does; rows of 15 to 45 % of a machine take no
// more than 1 % above the bound.
func TestPlansBeatFirstFit(t *testing.T) {
	for _, c := range []struct {
		rows, machines, calls int
		low, high             float64 // of a machine
		bound                 float64 // how far above the bound it may be; 0 for not asked
	}{
		{450, 200, 0, 0.15, 0.45, 1.01},
		{450, 200, 2, 0.15, 0.45, 1.02},
		{450, 200, 40, 0.15, 0.45, 0},
		{60, 14, 0, 0.1, 0.35, 0},
		{60, 8, 3, 0.1, 0.35, 0},
		{450, 20, 40, 0.02, 0.1, 0},
	} {
		t.Run(fmt.Sprintf("%d rows, %d machines, %d calls", c.rows, c.machines, c.calls), func(t *testing.T) {
			r := rand.New(rand.NewPCG(uint64(c.rows), uint64(c.calls)))
			sizes, sets := coretest.Sizes(r, c.rows, 32768, c.low, c.high), coretest.Sets(r, c.calls, c.rows, 0.5)
			rig := coretest.Rig(sizes, slices.Repeat([]float64{32768}, c.machines), sets...)
			plan := seating.Everyone(rig, seating.Options{Fresh: true})
			rows, machines := greedy(rig)
			t.Logf("left over %d (first fit %d), risers %d (first fit %d), bound %d", len(plan.Unseated), c.rows-rows, plan.RisersUsed, machines, plan.LowerBound)
			require.LessOrEqual(t, len(plan.Unseated), c.rows-rows)
			if len(plan.Unseated) == 0 {
				require.LessOrEqual(t, plan.RisersUsed, max(machines, plan.LowerBound))
			}
			if c.bound > 0 {
				require.LessOrEqual(t, float64(plan.RisersUsed), c.bound*float64(plan.LowerBound))
			}
		})
	}
}

// Players that take memory of their own are computed with: nobody is left over where rows
// and players fit together, and no machine is filled beyond its memory.
func TestPlayersOwnMemoryIsReckonedWith(t *testing.T) {
	sizes := make([]float64, 120)
	r := rand.New(rand.NewPCG(4, 4))
	sum := 0.0
	for n := range sizes {
		sizes[n] = float64(100 + r.IntN(900))
		sum += sizes[n]
	}
	own := 64.0 * 3 * 4 // three machines, and a player for each sixteen rows at least
	each := (sum/0.97 + own) / 3
	rig := coretest.Rig(sizes, []float64{each, each, each})
	player := *rig.Players[0]
	player.Sounds, player.Outputs, player.OwnMiB = 16, 16, 64
	rig = coretest.Must(rig, change.Put{Players: []change.Entry[template.Player]{change.Append(&player)}})
	after, plan := seated(rig, seating.Options{Fresh: true})
	require.Empty(t, plan.Unseated)
	require.Zero(t, proof.Check(after, "").Counts()["over-memory"])
}

// A draft gets better step by step, and is a sound plan at every one.
func TestADraftGoesOn(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	sizes := coretest.Sizes(r, 150, 32768, 0.15, 0.45)
	rig := coretest.Rig(sizes, slices.Repeat([]float64{32768}, 70))
	d := seating.Begin(rig, seating.Options{Fresh: true})
	first := d.Cost()
	last := first
	for range 20 {
		d.Improve()
		require.LessOrEqual(t, d.Cost().Total, last.Total+1e-9)
		last = d.Cost()
	}
	require.Less(t, last.Risers, first.Risers)
	plan := d.Plan()
	require.LessOrEqual(t, float64(plan.RisersUsed), 1.03*float64(plan.LowerBound))
}
