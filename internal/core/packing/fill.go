package packing

// The steps of one search for what fills a bin: at the beginning, for all bins then, and
// in a round.
const (
	beginNodes = 20_000
	allNodes   = 2_000_000
	roundNodes = 2_000
)

// enough is the room, as a share of the bin's, that need not be searched to fill.
const enough = 1e-5

// filling is a search for the items that fill a bin best.
type filling struct {
	s      *Solver
	bin    int
	pool   []int
	rest   []float64 // the value of the pool from a position on
	nodes  int
	room   float64 // by value, with nothing chosen
	chosen []int   // positions in the pool
	best   []int
	most   float64
	done   bool
}

// fill puts into a bin those of a pool, the largest first, that leave least room in it,
// as far as so many steps find out, and returns the rest. With lead the first that fits
// is among them.
func (s *Solver) fill(bin int, pool []int, nodes int, lead bool) []int {
	f := &filling{s: s, bin: bin, nodes: nodes, room: s.roomLeft(bin), most: -1}
	first := -1
	for _, n := range pool { // what does not fit by itself fits beside nothing
		if s.fits(n, bin) {
			f.pool = append(f.pool, n)
		}
	}
	if len(f.pool) == 0 {
		return pool
	}
	f.rest = make([]float64, len(f.pool)+1)
	for k := len(f.pool) - 1; k >= 0; k-- {
		f.rest[k] = f.rest[k+1] + s.value[f.pool[k]]
	}
	if lead {
		first = 0
		s.add(f.pool[0], bin)
		f.chosen = append(f.chosen, 0)
		f.search(1, s.value[f.pool[0]])
		s.sub(f.pool[0], bin)
	} else {
		f.search(0, 0)
	}
	if f.best == nil && first >= 0 {
		f.best = []int{0}
	}
	goes := make(map[int]bool, len(f.best))
	for _, k := range f.best {
		goes[f.pool[k]] = true
		s.put(f.pool[k], bin)
	}
	out := make([]int, 0, len(pool)-len(goes))
	for _, n := range pool {
		if !goes[n] {
			out = append(out, n)
		}
	}
	return out
}

// search goes on from a position with what is chosen so far.
func (f *filling) search(from int, value float64) {
	if value > f.most+1e-12 {
		f.most, f.best = value, append(f.best[:0], f.chosen...)
		f.done = f.room-value <= enough*f.room
	}
	for k := from; k < len(f.pool) && !f.done; k++ {
		if value+min(f.rest[k], f.room-value) <= f.most+1e-12 {
			return
		}
		n := f.pool[k]
		if k > from && f.s.same(n, f.pool[k-1]) { // tried already, and left out
			continue
		}
		if f.nodes--; f.nodes < 0 {
			return
		}
		if !f.s.fits(n, f.bin) {
			continue
		}
		f.s.add(n, f.bin)
		f.chosen = append(f.chosen, k)
		f.search(k+1, value+f.s.value[n])
		f.chosen = f.chosen[:len(f.chosen)-1]
		f.s.sub(n, f.bin)
	}
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
