package packing

import (
	"cmp"
	"slices"
)

// luck is xorshift64 (Marsaglia 2003: shifts 13, 7, 17): the same numbers every time.
func (s *Solver) luck(n int) int {
	s.dice ^= s.dice << 13
	s.dice ^= s.dice >> 7
	s.dice ^= s.dice << 17
	return int(s.dice % uint64(n))
}

// Perfect tells whether nothing better can be hoped for: all that can be packed are, at
// home, into so many units.
func (s *Solver) Perfect(least int) bool {
	score := s.Score()
	return score.Left <= s.must && score.Moved == 0 && score.Units <= least
}

// Improve empties a few bins and fills them again, with those left over, and keeps what
// is better. It tells whether it was.
func (s *Solver) Improve() bool {
	if len(s.p.Bins) == 0 || len(s.p.Items) == 0 {
		return false
	}
	s.rounds++
	switch {
	case s.worth != nil && s.rounds%(later*s.long()) == 0: // all started again
		return s.pass(s.largest(1))
	case len(s.left) > 0 && s.rounds%4 == 1:
		if s.makeRoom() {
			return true
		}
	case len(s.left) == 0 && s.rounds%16 == 1:
		if s.dissolve() {
			return true
		}
	}
	return s.anew(s.pick())
}

// few is how many bins are emptied at once.
const few = 4

// pick chooses bins to be emptied: mostly one that has much room, and some others.
func (s *Solver) pick() []int {
	var bins []int
	for b := range s.p.Bins {
		if len(s.items[b]) > 0 || len(s.left) > 0 {
			bins = append(bins, b)
		}
	}
	if len(bins) <= 2 {
		return bins
	}
	n := min(len(bins), 2+s.luck(few-1))
	out := []int{}
	if s.rounds%3 != 0 {
		best := bins[s.luck(len(bins))]
		for range len(bins) / 4 {
			if b := bins[s.luck(len(bins))]; s.roomLeft(b) > s.roomLeft(best) {
				best = b
			}
		}
		out = append(out, best)
	}
	for len(out) < n {
		if b := bins[s.luck(len(bins))]; !slices.Contains(out, b) {
			out = append(out, b)
		}
	}
	return out
}

// anew fills bins from scratch, and takes that back when it is no better.
func (s *Solver) anew(bins []int) bool {
	if len(bins) == 0 {
		return false
	}
	before := s.Score()
	pool := slices.Clone(s.left)
	if len(pool) > few*few {
		from := s.luck(len(pool) - few*few)
		pool = pool[from : from+few*few]
	}
	was := map[int]int{}
	for _, b := range bins {
		for _, n := range slices.Clone(s.items[b]) {
			was[n] = b
			s.take(n)
			pool = append(pool, n)
		}
	}
	rank := func(n int) float64 { return s.value[n] }
	if s.rounds%2 == 0 { // shaken a little
		shaken := map[int]float64{}
		for _, n := range pool {
			shaken[n] = s.value[n] * (1 + float64(s.luck(1000))/4000)
		}
		rank = func(n int) float64 { return shaken[n] }
	}
	slices.SortStableFunc(pool, func(a, b int) int { return cmp.Compare(rank(b), rank(a)) })
	left := pool
	for n := range bins { // in an order of chance
		k := n + s.luck(len(bins)-n)
		bins[n], bins[k] = bins[k], bins[n]
	}
	for n, b := range bins {
		left = s.fill(b, left, roundSteps, n%2 == 0)
	}
	s.scatter(left, s.given())
	after := s.Score()
	s.left = s.over()
	if after.Less(before) || !before.Less(after) && s.luck(2) == 0 {
		return after.Less(before)
	}
	for _, n := range pool {
		if s.in[n] >= 0 {
			s.take(n)
		}
	}
	for n, b := range was {
		s.put(n, b)
	}
	for b := range s.items { // the order of a bin's items is that of their numbers, whatever came before
		slices.Sort(s.items[b])
	}
	s.left = s.over()
	return false
}

// mostChecks bounds the search for room in one round.
const mostChecks = 20_000

// makeRoom packs one item that is left over after moving one other, or having two
// change places. It looks no more until something has changed.
func (s *Solver) makeRoom() bool {
	checks := mostChecks
	from := s.luck(len(s.left))
	for k := range s.left {
		n := s.left[(from+k)%len(s.left)]
		if k > 0 && s.same(n, s.left[(from+k-1)%len(s.left)]) {
			continue
		}
		for b := range s.p.Bins {
			if x := s.p.Items[n].Bins; x != nil && !x[b] {
				continue
			}
			if s.moveFor(n, b, &checks) {
				s.left = s.over()
				return true
			}
			if checks < 0 {
				return false
			}
		}
	}
	return false
}

func (s *Solver) moveFor(n, bin int, checks *int) bool {
	if s.fits(n, bin) {
		s.put(n, bin)
		return true
	}
	for _, a := range s.items[bin] {
		s.sub(a, bin)
		fits := s.fits(n, bin)
		if fits {
			s.add(n, bin)
		}
		found := func(other, small int) bool {
			s.sub(n, bin)
			s.add(a, bin)
			s.take(a)
			if small >= 0 {
				s.take(small)
				s.put(small, bin)
			}
			s.put(a, other)
			s.put(n, bin)
			return true
		}
		for other := range s.p.Bins {
			if !fits || other == bin {
				continue
			}
			*checks--
			if s.fits(a, other) {
				return found(other, -1)
			}
			if small := s.swaps(a, other, bin, checks); small >= 0 {
				return found(other, small)
			}
		}
		if fits {
			s.sub(n, bin)
		}
		s.add(a, bin)
		if *checks < 0 {
			return false
		}
	}
	return false
}

// swaps finds an item of a bin in whose place another fits, and that fits into the bin
// which that comes from; -1 for none.
func (s *Solver) swaps(a, into, from int, checks *int) int {
	for _, c := range s.items[into] {
		if s.value[c] >= s.value[a] {
			continue
		}
		*checks--
		s.sub(c, into)
		fits := s.fits(a, into)
		s.add(c, into)
		if fits && s.fits(c, from) {
			return c
		}
	}
	return -1
}

// dissolve empties the bin with least in it for good: its items go into the others, each
// in the place of a smaller one if need be, which goes on in the same way.
func (s *Solver) dissolve() bool {
	least := -1
	for b := range s.p.Bins {
		if len(s.items[b]) > 0 && s.p.Bins[b].Rows == 0 && (least < 0 || s.full[b] < s.full[least]) {
			least = b
		}
	}
	if least < 0 {
		return false
	}
	before, was := s.Score(), s.Packing()
	out := slices.Clone(s.items[least])
	for _, n := range out {
		s.take(n)
	}
	for tries := 40 * len(out); len(out) > 0 && tries > 0; tries-- {
		n := out[len(out)-1]
		out = out[:len(out)-1]
		smaller, ok := s.squeeze(n, least)
		if !ok {
			out = append(out, n)
			break
		}
		out = append(out, smaller...)
	}
	if len(out) == 0 && s.Score().Less(before) {
		return true
	}
	s.load(was)
	return false
}

// squeeze puts an item into any bin but one, and returns the smaller ones it takes the
// place of: none where it fits.
func (s *Solver) squeeze(n, but int) ([]int, bool) {
	from := s.luck(len(s.p.Bins))
	for k := range s.p.Bins {
		b := (from + k) % len(s.p.Bins)
		if b != but && s.rows[b] > 0 && s.fits(n, b) {
			s.put(n, b)
			return nil, true
		}
	}
	for k := range s.p.Bins {
		b := (from + k) % len(s.p.Bins)
		if b == but || s.rows[b] == 0 {
			continue
		}
		best := -1
		for _, c := range s.items[b] {
			if s.value[c] >= s.value[n] || best >= 0 && s.value[c] >= s.value[best] {
				continue
			}
			s.sub(c, b)
			if s.fits(n, b) {
				best = c
			}
			s.add(c, b)
		}
		if best >= 0 {
			s.take(best)
			s.put(n, b)
			return []int{best}, true
		}
	}
	return nil, false
}
