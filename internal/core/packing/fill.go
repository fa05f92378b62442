package packing

import "slices"

// The steps of one search for what fills a bin, each a look at whether an item fits: in a
// pass, and for all bins of one, and in a round.
const (
	passSteps  = 60_000
	allSteps   = 12_000_000
	roundSteps = 5_000
)

// enough is the room, as a share of the bin's, that need not be searched to fill.
const enough = 1e-5

// filling is a search for the items that fill a bin best.
type filling struct {
	s      *Solver
	bin    int
	worth  []float64 // of each item
	sum    bool      // worth is what it needs: then the fullest is best
	pool   [][]int   // of each depth: what still fits, what is worth most for its size first
	steps  int       // that are left
	chosen []int
	best   []int
	most   float64
	least  float64 // room by value that need not be filled
	done   bool
}

// fill puts into a bin those of a pool that leave least room in it, as far as so many
// steps find out, and returns the rest. With lead the first that fits is among them.
func (s *Solver) fill(bin int, pool []int, steps int, lead bool) []int {
	return s.fillBy(s.value, bin, pool, steps, lead)
}

// fillBy puts into a bin those of a pool that are worth most together, likewise. The
// pool goes by worth for size, the most first; the lead is the one that is worth most.
func (s *Solver) fillBy(worth []float64, bin int, pool []int, steps int, lead bool) []int {
	room := s.roomLeft(bin)
	f := &filling{s: s, bin: bin, worth: worth, sum: &worth[0] == &s.value[0], steps: steps, most: -1, least: enough * room}
	first := -1
	fit := make([]int, 0, len(pool))
	for _, n := range pool { // what does not fit by itself fits beside nothing
		if s.fits(n, bin) {
			fit = append(fit, n)
			if lead && (first < 0 || !f.sum && worth[n] > worth[first]) {
				first = n
			}
		}
	}
	if len(fit) == 0 {
		return pool
	}
	if first >= 0 {
		fit = slices.DeleteFunc(fit, func(n int) bool { return n == first })
		f.with(first, func() { f.search(fit, worth[first], room-s.value[first]) })
	} else {
		f.search(fit, 0, room)
	}
	for _, n := range f.best {
		s.put(n, bin)
	}
	out := make([]int, 0, len(pool)-len(f.best))
	for _, n := range pool {
		if s.in[n] < 0 {
			out = append(out, n)
		}
	}
	return out
}

// ratio is what an item is worth for its size.
func (f *filling) ratio(n int) float64 { return f.worth[n] / (f.s.value[n] + 1e-12) }

// with does something while an item is in the bin.
func (f *filling) with(n int, do func()) {
	f.s.add(n, f.bin)
	f.chosen = append(f.chosen, n)
	do()
	f.chosen = f.chosen[:len(f.chosen)-1]
	f.s.sub(n, f.bin)
}

// search goes on from what is chosen so far: with a pool of what may be chosen yet, of
// which some may not fit now.
func (f *filling) search(pool []int, worth, room float64) {
	if worth > f.most+1e-12 {
		f.most, f.best = worth, append(f.best[:0], f.chosen...)
		f.done = room <= f.least && f.sum
	}
	depth := len(f.chosen)
	for len(f.pool) <= depth {
		f.pool = append(f.pool, nil)
	}
	fit := f.pool[depth][:0]
	f.steps -= len(pool)
	for _, n := range pool {
		if f.s.fits(n, f.bin) {
			fit = append(fit, n)
		}
	}
	f.pool[depth] = fit
	for k, n := range fit {
		if f.done || f.bound(fit[k:], worth, room) <= f.most+1e-12 {
			return
		}
		if k > 0 && f.worth[n] == f.worth[fit[k-1]] && f.s.same(n, fit[k-1]) { // tried already, and left out
			continue
		}
		if f.steps < 0 {
			return
		}
		f.with(n, func() { f.search(fit[k+1:], worth+f.worth[n], room-f.s.value[n]) })
	}
}

// bound is what a bin is worth at most when it takes more of a pool: what is worth most
// for its size first, and of the last one a part.
func (f *filling) bound(pool []int, worth, room float64) float64 {
	for _, n := range pool {
		if f.s.value[n] > room {
			return worth + room*f.ratio(n)
		}
		worth, room = worth+f.worth[n], room-f.s.value[n]
		if worth > f.most+1e-12 {
			break
		}
	}
	return worth
}

// same tells whether two items need the same.
func (s *Solver) same(a, b int) bool {
	x, y := s.p.Items[a].Needs, s.p.Items[b].Needs
	if s.value[a] != s.value[b] || len(x) != len(y) {
		return false
	}
	for n := range x {
		if x[n] != y[n] {
			return false
		}
	}
	return true
}
