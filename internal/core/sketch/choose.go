package sketch

import (
	"math"
	"math/rand/v2"
	"slices"
)

// problem is what to choose from: items that serve wants, each so well, and take memory.
// What a choice is worth is, want by want, what the best chosen item gives to it.
type problem struct {
	items  []item
	wants  int
	shares []float64 // memory that is taken once for all items that need it, MiB
	rooms  []float64 // of machines, MiB
	budget float64   // of all together, MiB
}

type item struct {
	gives   []gain
	mib     float64 // for itself
	shares  []int   // and these, with others
	machine int     // -1 for none
}

type gain struct {
	want  int
	worth float64
}

// state is a choice, with what follows from it.
type state struct {
	p      *problem
	in     []bool
	best   []float64 // by want
	opened []int     // by share, how many need it
	used   []float64 // by machine
	mib    float64
	worth  float64
}

func (p *problem) empty() *state {
	return &state{p: p, in: make([]bool, len(p.items)), best: make([]float64, p.wants), opened: make([]int, len(p.shares)), used: make([]float64, len(p.rooms))}
}

func (s *state) clone() *state {
	c := *s
	c.in, c.best, c.opened, c.used = slices.Clone(s.in), slices.Clone(s.best), slices.Clone(s.opened), slices.Clone(s.used)
	return &c
}

// adding is the memory an item takes more, MiB.
func (s *state) adding(n int) float64 {
	it := &s.p.items[n]
	mib := it.mib
	for _, k := range it.shares {
		if s.opened[k] == 0 {
			mib += s.p.shares[k]
		}
	}
	return mib
}

// gaining is what an item is worth more.
func (s *state) gaining(n int) float64 {
	worth := 0.0
	for _, g := range s.p.items[n].gives {
		worth += max(0, g.worth-s.best[g.want])
	}
	return worth
}

// rounding is what sums of memory may be off by, MiB.
const rounding = 1e-6

func (s *state) fits(n int, mib float64) bool {
	it := &s.p.items[n]
	return s.mib+mib <= s.p.budget+rounding && (it.machine < 0 || s.used[it.machine]+mib <= s.p.rooms[it.machine]+rounding)
}

func (s *state) add(n int) {
	it := &s.p.items[n]
	mib := s.adding(n)
	s.worth += s.gaining(n)
	s.in[n], s.mib = true, s.mib+mib
	if it.machine >= 0 {
		s.used[it.machine] += mib
	}
	for _, k := range it.shares {
		s.opened[k]++
	}
	for _, g := range it.gives {
		s.best[g.want] = max(s.best[g.want], g.worth)
	}
}

// without is the choice without some of its items.
func (s *state) without(gone func(n int) bool) *state {
	c := s.p.empty()
	for n, in := range s.in {
		if in && !gone(n) {
			c.add(n)
		}
	}
	return c
}

// fill adds what is worth most for its memory, again and again, as long as something fits.
// weigh, when there is one, makes an item look better or worse; barred items are passed by.
func (s *state) fill(weigh []float64, barred int) {
	open := make([]int, 0, len(s.in))
	for n, in := range s.in {
		if !in && n != barred {
			open = append(open, n)
		}
	}
	for {
		best, most := -1, 0.0
		kept := open[:0]
		for _, n := range open {
			worth := s.gaining(n)
			if worth <= 0 {
				continue // and it never will be
			}
			mib := s.adding(n)
			kept = append(kept, n)
			if !s.fits(n, mib) {
				continue
			}
			density := worth / max(mib, 1e-3)
			if weigh != nil {
				density *= weigh[n]
			}
			if density > most {
				best, most = n, density
			}
		}
		open = kept
		if best < 0 {
			return
		}
		s.add(best)
		open = slices.DeleteFunc(open, func(n int) bool { return n == best })
	}
}

// effort bounds how much choose looks at, in gains compared.
const effort = 60_000_000

// choose finds a good choice: what is worth most for its memory first; then, as long as
// that makes it better, an item is forced in and others make room, or a few are taken out
// at random, and what is left is filled again. The same problem has the same answer.
func (p *problem) choose() *state {
	best := p.empty()
	best.fill(nil, -1)
	gains := 1
	for _, it := range p.items {
		gains += len(it.gives) + 1
	}
	work := effort
	try := func(s *state) bool {
		work -= gains * (2 + len(p.items)/64)
		if s.worth > best.worth+1e-9 || s.worth > best.worth-1e-9 && s.mib < best.mib-rounding {
			best = s
			return true
		}
		return false
	}
	dice := rand.New(rand.NewPCG(uint64(len(p.items)), uint64(p.wants)))
	for better := true; better && work > effort/2; {
		better = false
		for n := range p.items {
			if !best.in[n] && best.gaining(n) > 0 && work > effort/2 {
				if s := p.forced(best, n); s != nil && try(s) {
					better = true
				}
			}
		}
	}
	weigh := make([]float64, len(p.items))
	for idle := 0; work > 0 && idle < 1500; idle++ {
		var chosen []int
		for n, in := range best.in {
			if in {
				chosen = append(chosen, n)
			}
		}
		if len(chosen) == 0 {
			break
		}
		out := map[int]bool{}
		for range 1 + dice.IntN(min(5, len(chosen))) {
			out[chosen[dice.IntN(len(chosen))]] = true
		}
		for n := range weigh {
			weigh[n] = math.Exp(dice.Float64() - .5)
		}
		s := best.without(func(n int) bool { return out[n] })
		s.fill(weigh, -1)
		if try(s) {
			idle = 0
		}
	}
	return best.without(func(n int) bool { return best.idle(n) })
}

// idle tells whether a chosen item gives nothing that another does not.
func (s *state) idle(n int) bool {
	return !slices.ContainsFunc(s.p.items[n].gives, func(g gain) bool { return g.worth >= s.best[g.want] })
}

// forced is the choice with one item more: those that give least for their memory make
// room. It is nil where the item cannot fit at all.
func (p *problem) forced(from *state, n int) *state {
	if !p.empty().fits(n, p.empty().adding(n)) {
		return nil
	}
	type out struct {
		n     int
		worth float64
	}
	second := make([]float64, p.wants) // what the next best gives
	for k, in := range from.in {
		if in {
			for _, g := range p.items[k].gives {
				if g.worth < from.best[g.want] {
					second[g.want] = max(second[g.want], g.worth)
				}
			}
		}
	}
	var list []out
	for k, in := range from.in {
		if in {
			lost := 0.0
			for _, g := range p.items[k].gives {
				if g.worth >= from.best[g.want] {
					lost += g.worth - second[g.want]
				}
			}
			list = append(list, out{k, lost / max(p.items[k].mib, 1e-3)})
		}
	}
	slices.SortFunc(list, func(a, b out) int {
		if a.worth != b.worth {
			if a.worth < b.worth {
				return -1
			}
			return 1
		}
		return a.n - b.n
	})
	gone := map[int]bool{}
	s := from
	for k := 0; !s.fits(n, s.adding(n)); k++ {
		if k == len(list) {
			return nil
		}
		gone[list[k].n] = true
		s = from.without(func(n int) bool { return gone[n] })
	}
	s = s.clone()
	s.add(n)
	s.fill(nil, -1)
	return s
}
