package packing

import (
	"cmp"
	"slices"
)

// How far what an item is worth follows what it took of a bin in the last pass; how many
// passes there are at the beginning, and after how many rounds another one. Where a pass
// takes long, there are fewer.
const (
	learn  = 0.3
	passes = 5
	later  = 200
)

// long is how many times as long as in a small problem a pass takes.
func (s *Solver) long() int { return 1 + len(s.p.Items)*len(s.p.Bins)/1_000_000 }

// pass packs all items again, bin by bin, each with those that are worth most together;
// then the items learn what they are worth: those that share a bin with much room left
// took more of it, and are thought of earlier in the next pass (sequential value
// correction: Belov and Scheithauer, "Setup and open-stacks minimization in
// one-dimensional stock cutting", 2007). It tells whether that is better than what there
// was, and takes it back if not.
func (s *Solver) pass(bins []int) bool {
	before, was := s.Score(), s.Packing()
	if s.worth == nil {
		s.worth = append(s.worth, s.value...)
	}
	s.clear()
	var pool, none []int
	for _, n := range s.order {
		if s.value[n] > 0 {
			pool = append(pool, n)
		} else {
			none = append(none, n)
		}
	}
	ratio := func(n int) float64 { return s.worth[n] / s.value[n] }
	slices.SortStableFunc(pool, func(a, b int) int { return cmp.Compare(ratio(b), ratio(a)) })
	for _, b := range bins {
		if len(pool) == 0 {
			break
		}
		pool = s.fillBy(s.worth, b, pool, min(passSteps, allSteps/len(bins)), true)
		for _, n := range s.items[b] {
			s.worth[n] += learn * (s.value[n]*s.room[b]/s.full[b] - s.worth[n])
		}
	}
	for _, n := range pool { // left over
		s.worth[n] *= 1 + learn
	}
	s.scatter(none, bins)
	if !s.Score().Less(before) {
		s.load(was)
		return false
	}
	s.left = s.over()
	return true
}
