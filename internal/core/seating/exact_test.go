package seating_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// programme is an integer programme in the making, in the LP format that
// solvers read.
type programme struct{ rows, ints, bins []string }

func (p *programme) add(terms []string, rest string) {
	if len(terms) > 0 {
		p.rows = append(p.rows, strings.Join(terms, " + ")+" "+rest)
	}
}

// least has an independent solver find the smallest sum.
func (p *programme) least(t testing.TB, sum []string) int {
	n, _, proved := coretest.Programme{Goal: "Minimize", Sum: sum, Rows: p.rows, Whole: p.ints, Binary: p.bins, Seconds: 120}.Exact(t)
	require.True(t, proved)
	return int(n + 0.5)
}

// exact is the fewest risers by an exact solver: instruments of one stem and
// memory are one kind, of which any number may sit on a riser. It asks for
// seats, output pairs, heavy ones and memory, and leaves ports and players
// aside, so that its answer is the optimum or below it.
func exact(t testing.TB, tm *template.Template) int {
	type kind struct {
		stem  template.ID
		mib   float64
		heavy bool
	}
	var p programme
	var goal []string
	stems, most := tm.StemsOf(tm.Folds[0].ID), tm.Settings.Seating.HeavyPerRiser
	counts := map[kind]int{}
	for _, i := range tm.Instruments {
		patch := tm.PatchesOf(i)[0]
		counts[kind{i.Routes[0].To, patch.PreloadMiB, patch.Heavy && most > 0}]++
	}
	all := map[kind][]string{}
	seats, pairs := tm.Settings.RiserPorts*template.PortChannels, tm.Settings.RiserPairs-tm.Settings.FirstPair+1
	for m, machine := range tm.Machines {
		var memory []string
		for r := range tm.Risers(machine) {
			at := fmt.Sprintf("%d_%d", m, r)
			var taken, heavy, led []string
			for n, stem := range stems {
				var ofStem []string
				for k := range counts {
					if k.stem != stem.ID {
						continue
					}
					x := fmt.Sprintf("x_%d_%g_%t_%s", n, k.mib, k.heavy, at)
					ofStem, all[k] = append(ofStem, x), append(all[k], x)
					memory = append(memory, fmt.Sprintf("%g %s", k.mib, x))
					if k.heavy {
						heavy = append(heavy, x)
					}
				}
				y := fmt.Sprintf("y_%d_%s", n, at)
				led, p.bins = append(led, y), append(p.bins, y)
				p.add(ofStem, fmt.Sprintf("- %d %s <= 0", seats, y))
				p.ints, taken = append(p.ints, ofStem...), append(taken, ofStem...)
			}
			u := "u_" + at
			goal, p.bins = append(goal, u), append(p.bins, u)
			p.add(taken, fmt.Sprintf("- %d %s <= 0", seats, u))
			p.add(led, fmt.Sprintf("- %d %s <= 0", pairs, u))
			if most > 0 {
				p.add(heavy, fmt.Sprintf("- %d %s <= 0", most, u))
			}
			if r > 0 { // risers of a machine are alike: the first come first
				p.add([]string{u}, fmt.Sprintf("- u_%d_%d <= 0", m, r-1))
			}
		}
		p.add(memory, fmt.Sprintf("<= %g", machine.LimitMiB()))
	}
	for k, n := range counts {
		p.add(all[k], fmt.Sprintf("= %d", n))
	}
	return p.least(t, goal)
}

// exactByMachine leaves stems aside too: how many instruments of each size, and
// how many risers, on each machine.
func exactByMachine(t testing.TB, tm *template.Template) int {
	var p programme
	var goal []string
	counts, all := map[float64]int{}, map[float64][]string{}
	for _, i := range tm.Instruments {
		counts[calls.PreloadMiB(tm, i)]++
	}
	for m, machine := range tm.Machines {
		var memory, taken []string
		for mib := range counts {
			x := fmt.Sprintf("x_%g_%d", mib, m)
			p.ints, taken, all[mib] = append(p.ints, x), append(taken, x), append(all[mib], x)
			memory = append(memory, fmt.Sprintf("%g %s", mib, x))
		}
		u := fmt.Sprintf("u_%d", m)
		goal, p.ints = append(goal, u), append(p.ints, u)
		p.add(taken, fmt.Sprintf("- %d %s <= 0", tm.Settings.RiserPorts*template.PortChannels, u))
		p.add(memory, fmt.Sprintf("<= %g", machine.LimitMiB()))
		p.add([]string{u}, fmt.Sprintf("<= %d", tm.Risers(machine)))
	}
	for mib, n := range counts {
		p.add(all[mib], fmt.Sprintf("= %d", n))
	}
	return p.least(t, goal)
}

// Small seatings use no riser more than an exact solver finds, and the bound
// that is shown lies at or below it.
func TestPlansUseTheFewestRisers(t *testing.T) {
	for _, c := range []struct {
		rows, machines, groups, heavy int
		full                          float64
	}{
		{60, 1, 6, 0, 0.5},
		{150, 2, 8, 0, 0.9},
		{150, 3, 5, 3, 0.6},
		{300, 2, 90, 0, 0.5},
		{450, 4, 6, 0, 0.95},
		{450, 3, 12, 0, 0.7},
	} {
		t.Run(fmt.Sprintf("%d on %d", c.rows, c.machines), func(t *testing.T) {
			tm := coretest.ToSeat(c.rows, c.machines, c.groups, c.full, 7)
			set := tm.Settings
			set.Seating.HeavyPerRiser = c.heavy
			tm = coretest.Must(tm, change.Configure{Name: tm.Name, Settings: set})
			plan := seating.Everyone(tm, seating.Options{Fresh: true})
			best := exact(t, tm)
			t.Logf("risers %d, exact %d, bound %d, pairs %d, uneven %.3f", plan.RisersUsed, best, plan.LowerBound, plan.Cost.Pairs, plan.Cost.Uneven)
			require.Empty(t, plan.Unseated)
			require.LessOrEqual(t, plan.LowerBound, plan.RisersUsed)
			require.LessOrEqual(t, float64(plan.RisersUsed), 1.03*float64(max(best, plan.LowerBound)))
		})
	}
}

// The benchmark set: 60 to 3,000 instruments on 1 to 16 machines.
var benchmarkSet = []struct {
	rows, machines, groups int
	full                   float64
}{
	{60, 1, 6, 0.6}, {60, 2, 12, 0.9}, {150, 1, 10, 0.8}, {150, 4, 10, 0.75}, {450, 2, 24, 0.7}, {450, 4, 24, 0.9}, {450, 8, 12, 0.7},
	{1000, 4, 32, 0.6}, {1000, 8, 32, 0.9}, {1000, 16, 60, 0.7}, {3000, 12, 60, 0.6}, {3000, 16, 60, 0.85}, {3000, 16, 300, 0.7},
}

// Over the whole set, the risers used stay within three in a hundred of the
// bound or, where that is too low, of what the exact solver finds; and nobody is
// left over.
func TestPlansStayNearTheBound(t *testing.T) {
	for _, c := range benchmarkSet {
		tm := coretest.ToSeat(c.rows, c.machines, c.groups, c.full, 3)
		plan := seating.Everyone(tm, seating.Options{Fresh: true})
		t.Logf("%d rows, %d machines: %d risers, bound %d, %d pairs for %d groups, uneven %.3f", c.rows, c.machines, plan.RisersUsed, plan.LowerBound, plan.Cost.Pairs, c.groups, plan.Cost.Uneven)
		require.Empty(t, plan.Unseated, "%d on %d", c.rows, c.machines)
		least := plan.LowerBound
		if float64(plan.RisersUsed) > 1.03*float64(least) {
			least = exactByMachine(t, tm)
			t.Logf("exact %d", least)
		}
		require.LessOrEqual(t, float64(plan.RisersUsed), 1.03*float64(least), "%d on %d", c.rows, c.machines)
	}
}
