package packing

import (
	"cmp"
	"slices"
)

// Begin packs all items again in several ways, and keeps the best of them and of what
// there was. Least is how few units there can be.
func (s *Solver) Begin(least int) {
	if len(s.p.Bins) == 0 {
		return
	}
	best, score := s.Packing(), s.Score()
	var orders [][]int
	for _, bins := range [][]int{s.largest(1), s.given(), s.largest(-1)} {
		if !slices.ContainsFunc(orders, func(o []int) bool { return slices.Equal(o, bins) }) && (len(orders) == 0 || !s.alike()) {
			orders = append(orders, bins)
		}
	}
	for _, bins := range orders {
		for _, way := range []func(bins []int){s.firstFit, s.bestFit, s.smallestFirst} {
			s.clear()
			way(bins)
			if now := s.Score(); now.Less(score) {
				best, score = s.Packing(), now
			}
		}
	}
	s.load(best)
	for n := 0; n < passes && !s.Perfect(least); n += s.long() {
		s.pass(orders[n%len(orders)])
	}
}

// alike tells whether all bins are.
func (s *Solver) alike() bool {
	for n := range s.p.Bins {
		if a, b := &s.p.Bins[0], &s.p.Bins[n]; a.Rows != b.Rows || a.Unit != b.Unit || !slices.Equal(a.Room, b.Room) {
			return false
		}
	}
	for _, x := range s.p.Items {
		if x.Bins != nil {
			return false
		}
	}
	return true
}

func (s *Solver) given() []int {
	out := make([]int, len(s.p.Bins))
	for b := range out {
		out[b] = b
	}
	return out
}

// largest are the bins by their room, the largest (1) or smallest (-1) first; those in
// use whatever go before all others.
func (s *Solver) largest(sign int) []int {
	out := s.given()
	slices.SortStableFunc(out, func(a, b int) int {
		x, y := &s.p.Bins[a], &s.p.Bins[b]
		return cmp.Or(cmp.Compare(min(y.Rows, 1), min(x.Rows, 1)), sign*cmp.Compare(s.room[b], s.room[a]))
	})
	return out
}

// firstFit is first fit decreasing.
func (s *Solver) firstFit(bins []int) { s.scatter(s.order, bins) }

// smallestFirst is first fit increasing: it leaves the fewest over when not all fit.
func (s *Solver) smallestFirst(bins []int) {
	order := slices.Clone(s.order)
	slices.Reverse(order)
	s.scatter(order, bins)
}

// bestFit is best fit decreasing: of the bins in use, the one that is fullest then.
func (s *Solver) bestFit(bins []int) {
	for _, n := range s.order {
		best, least := -1, 0.0
		for _, b := range bins {
			if !s.fits(n, b) {
				continue
			}
			left := s.roomLeft(b)
			if s.rows[b] == 0 {
				left += 1e12 // one more in use
			}
			if best < 0 || left < least {
				best, least = b, left
			}
		}
		if best >= 0 {
			s.put(n, best)
		}
	}
}

// scatter puts each item of a pool into the first bin that it fits into.
func (s *Solver) scatter(pool, bins []int) {
	for _, n := range pool {
		for _, b := range bins {
			if s.fits(n, b) {
				s.put(n, b)
				break
			}
		}
	}
}
