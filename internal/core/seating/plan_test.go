package seating_test

import (
	"math/rand/v2"
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

func ways(t *template.Template, s template.Seating) *template.Template {
	set := t.Settings
	set.Seating = s
	return coretest.Must(t, change.Configure{Name: t.Name, Settings: set})
}

func seated(t *template.Template, o seating.Options) (*template.Template, seating.Plan) {
	plan := seating.Everyone(t, o)
	return coretest.Must(t, plan.Change()), plan
}

// What a plan says of itself is what can be counted afterwards, whatever the
// limits, wishes and weights; and it breaks none of them.
func TestThePlanCountsRight(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		base := coretest.ToSeat(rapid.IntRange(1, 220).Draw(r, "rows"), rapid.IntRange(1, 4).Draw(r, "machines"),
			rapid.IntRange(1, 70).Draw(r, "groups"), rapid.Float64Range(0.3, 1.4).Draw(r, "full"), rapid.Uint64Range(0, 99).Draw(r, "seed"))
		policy := template.Seating{
			HeavyPerRiser: rapid.IntRange(0, 6).Draw(r, "heavy"), FreeShare: rapid.SampledFrom([]float64{0, 0.1, 0.5}).Draw(r, "free"),
			Wishes: []template.Wish{
				{Kind: template.Together, Place: template.OneRiser, Sections: []template.ID{"section-0"}},
				{Kind: template.Apart, Place: template.OneMachine, Sections: []template.ID{"section-0", "section-1"}},
			},
		}
		if rapid.Bool().Draw(r, "weigh") {
			policy.Weights = &template.Weights{Unseated: 1e6, Risers: 1, Pairs: 5, Uneven: 100}
		}
		base = ways(base, policy)
		after, plan := seated(base, seating.Options{Fresh: true})
		require.Zero(r, proof.Check(after, "").Counts()["split-output"]+proof.Check(after, "").Counts()["riser-overload"]+
			proof.Check(after, "").Counts()["over-memory"]+proof.Check(after, "").Counts()["seat-clash"])
		type riser struct {
			machine template.ID
			number  int
		}
		seats, heavy, pairs := map[riser]int{}, map[riser]int{}, map[template.Seat]bool{}
		left := 0
		places := map[riser]bool{}
		shared := map[template.ID]map[template.ID]bool{}
		for _, i := range after.Instruments {
			if i.Seat == nil {
				left++
				continue
			}
			at := riser{i.Seat.Machine, i.Seat.Riser}
			seats[at]++
			if after.Heavy(i) {
				heavy[at]++
			}
			pairs[template.Seat{Machine: at.machine, Riser: at.number, Pair: i.Seat.Pair}] = true
			if i.Section == "section-0" {
				places[at] = true
			}
			if i.Section == "section-0" || i.Section == "section-1" {
				if shared[at.machine] == nil {
					shared[at.machine] = map[template.ID]bool{}
				}
				shared[at.machine][i.Section] = true
			}
		}
		broken := max(0, len(places)-1)
		for _, s := range shared {
			broken += len(s) - 1
		}
		require.Equal(r, left, plan.Cost.Unseated)
		require.Len(r, plan.Unseated, left)
		require.Equal(r, len(seats), plan.Cost.Risers)
		require.Equal(r, len(pairs), plan.Cost.Pairs)
		require.Equal(r, broken, plan.Cost.Wishes)
		for at, n := range seats {
			require.LessOrEqual(r, float64(n), 128*(1-policy.FreeShare)+1e-9)
			require.True(r, policy.HeavyPerRiser == 0 || heavy[at] <= policy.HeavyPerRiser)
		}
		if left == 0 {
			require.GreaterOrEqual(r, plan.RisersUsed, plan.LowerBound)
		}
		require.Equal(r, plan, seating.Everyone(base, seating.Options{Fresh: true}), "the same again")
	})
}

// Longer runs are never worse, and one that is stopped keeps the best so far.
func TestLongerRunsImprove(t *testing.T) {
	base := coretest.ToSeat(300, 4, 24, 0.85, 5)
	first := seating.Everyone(base, seating.Options{Fresh: true, Rounds: -1})
	last := first.Cost.Total
	for _, rounds := range []int{5, 40, 160} {
		plan := seating.Everyone(base, seating.Options{Fresh: true, Rounds: rounds})
		require.LessOrEqual(t, plan.Cost.Total, last+1e-9)
		last = plan.Cost.Total
	}
	require.Less(t, last, first.Cost.Total)
	asked := 0
	stopped := seating.Everyone(base, seating.Options{Fresh: true, Rounds: 160, Stop: func() bool { asked++; return asked > 40 }})
	require.Equal(t, seating.Everyone(base, seating.Options{Fresh: true, Rounds: 40}), stopped)
}

// Seats set by hand stay, even when all are planned afresh; one that breaks a
// limit does not, and is no longer by hand.
func TestSeatsByHandStay(t *testing.T) {
	base := coretest.ToSeat(40, 2, 4, 0.4, 1)
	hand := true
	far := template.Seat{Machine: "machine-2", Riser: 2, Port: 5, Channel: 9, Pair: 33}
	base = coretest.Must(base,
		change.Seat{Seats: []change.Seating{{ID: "i-3", Seat: &far}}},
		change.Edit{Edits: []change.Fields{{ID: "i-3", SeatByHand: &hand}}})
	after, _ := seated(base, seating.Options{Fresh: true})
	require.Equal(t, far, *after.Instrument("i-3").Seat)
	require.True(t, after.Instrument("i-3").SeatByHand)

	small := *base.Machines[1]
	small.Cores = 2 // one riser
	after, _ = seated(coretest.Must(after, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&small)}}), seating.Options{})
	require.NotEqual(t, far, *after.Instrument("i-3").Seat)
	require.False(t, after.Instrument("i-3").SeatByHand)
}

// Losing a machine moves who sat there, and nobody else.
func TestLosingAMachineMovesOnlyWhoSatThere(t *testing.T) {
	base, _ := seated(coretest.ToSeat(200, 3, 8, 0.5, 2), seating.Options{})
	var gone []template.ID
	for _, i := range base.Instruments {
		if i.Seat.Machine == base.Machines[0].ID {
			gone = append(gone, i.ID)
		}
	}
	require.NotEmpty(t, gone)
	lost := coretest.Must(base, seating.WithoutMachine(base.Machines[0].ID))
	plan := seating.Everyone(lost, seating.Options{})
	require.Empty(t, plan.Unseated)
	var moved []template.ID
	for _, s := range plan.Seats {
		moved = append(moved, s.ID)
	}
	require.ElementsMatch(t, gone, moved)
}

// Somebody is moved when that is what it takes to leave nobody over.
func TestOthersMakeRoomWhenTheyMust(t *testing.T) {
	base := coretest.ToSeat(2, 2, 1, 0.5, 1)
	small, large := *base.Machines[0], *base.Machines[1]
	small.MemoryMiB, large.MemoryMiB = 300, 500
	mib := func(n float64) *template.Patch {
		p := *base.Patches[0]
		p.ID, p.PreloadMiB, p.Heavy = template.ID(calls.FormatMiB(n)), n, false
		return &p
	}
	put := change.Put{Machines: []change.Entry[template.Machine]{change.Append(&small), change.Append(&large)}}
	put.Patches = append(put.Patches, change.Append(mib(200)), change.Append(mib(400)))
	base = coretest.Must(base, put, change.Edit{Edits: []change.Fields{
		{ID: "i-0", Patches: &[]template.ID{"200 MiB"}}, {ID: "i-1", Patches: &[]template.ID{"400 MiB"}},
	}})
	base = coretest.Must(base, change.Seat{Seats: []change.Seating{{ID: "i-0", Seat: &template.Seat{Machine: "machine-2", Riser: 1, Port: 1, Channel: 1, Pair: 2}}}})
	after, plan := seated(base, seating.Options{})
	require.Empty(t, plan.Unseated)
	require.Equal(t, 1, plan.Cost.Moved)
	require.Equal(t, template.ID("machine-1"), after.Instrument("i-0").Seat.Machine)
	require.Equal(t, template.ID("machine-2"), after.Instrument("i-1").Seat.Machine)
}

// Wishes are kept where that costs nothing that counts more.
func TestWishesAreKept(t *testing.T) {
	base := coretest.ToSeat(120, 2, 2, 0.4, 4)
	apart := ways(base, template.Seating{Wishes: []template.Wish{{Kind: template.Apart, Place: template.OneRiser, Sections: []template.ID{"section-0", "section-1"}}}})
	_, plan := seated(apart, seating.Options{Fresh: true})
	require.Equal(t, []int{1, 1}, []int{plan.Cost.Risers, plan.Cost.Wishes}, "a riser counts more than a wish")
	w := template.StandardWeights()
	w.Wishes = 10 * w.Risers
	apart = ways(apart, template.Seating{Weights: &w, Wishes: apart.Settings.Seating.Wishes})
	_, plan = seated(apart, seating.Options{Fresh: true})
	require.Equal(t, []int{2, 0}, []int{plan.Cost.Risers, plan.Cost.Wishes}, "unless it is told otherwise")
}

func tell(b *testing.B, plan seating.Plan) {
	b.ReportMetric(float64(plan.RisersUsed), "risers")
	b.ReportMetric(float64(plan.LowerBound), "bound")
	b.ReportMetric(float64(len(plan.Unseated)), "left-over")
}

func BenchmarkSeating(b *testing.B) {
	for _, c := range []struct {
		name                   string
		rows, machines, groups int
	}{{"450", 450, 4, 24}, {"3000", 3000, 12, 60}, {"10000", 10_000, 24, 120}} {
		b.Run(c.name, func(b *testing.B) {
			t := coretest.ToSeat(c.rows, c.machines, c.groups, 0.7, 3)
			var plan seating.Plan
			for b.Loop() {
				plan = seating.Everyone(t, seating.Options{Fresh: true})
			}
			tell(b, plan)
		})
	}
}

// 450 and 3,000 rows that fill machines in hard ways: of 15 to 45 % of one, and in 40 calls.
func BenchmarkSeatingHard(b *testing.B) {
	for _, c := range []struct {
		name                  string
		rows, machines, calls int
	}{{"450", 450, 200, 0}, {"450 in 40 calls", 450, 200, 40}, {"3000", 3000, 1000, 0}} {
		b.Run(c.name, func(b *testing.B) {
			r := rand.New(rand.NewPCG(7, 9))
			sizes, sets := coretest.Sizes(r, c.rows, 32768, 0.15, 0.45), coretest.Sets(r, c.calls, c.rows, 0.5)
			t := coretest.Rig(sizes, slices.Repeat([]float64{32768}, c.machines), sets...)
			var plan seating.Plan
			for b.Loop() {
				plan = seating.Everyone(t, seating.Options{Fresh: true})
			}
			tell(b, plan)
		})
	}
}
