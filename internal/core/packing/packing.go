// Package packing puts items into bins: each item needs amounts of several
// things at once, such as memory in one call and in another, and each bin has
// so much of each (vector bin packing). Items and bins go in; which bin each
// item goes to, and a bound on how few bins can do, come out. It knows nothing of
// seats or machines.
//
// First and best fit decreasing begin. Then bins are filled one by one with what is worth
// most: at first with what leaves least room (minimum bin slack: Gupta and Ho, "A new
// heuristic algorithm for the one-dimensional bin-packing problem", 1999; with one item
// fixed as in Fleszar and Hindi, "New heuristics for one-dimensional bin-packing", 2002),
// in later passes by what items learned they are worth. At last a few bins at a time are
// emptied and filled again, for as long as it is worth it.
package packing

import (
	"cmp"
	"math"
	"slices"
)

// Need is how much an item needs of a thing.
type Need struct {
	Of     int // 0..Problem.Things-1
	Amount float64
}

// Item is what is packed.
type Item struct {
	Needs []Need
	Rows  int    // what it counts for when it is left over, and of a bin's units; 1 or more
	Bins  []bool // where it may go; nil for everywhere
	Home  int    // the bin it is in and had better stay in; -1 for none
}

// Bin is what items go into.
type Bin struct {
	Room []float64 // of each thing
	Unit int       // rows of one unit: a bin of n rows uses n/Unit units, rounded up
	Rows int       // that are in it whatever
}

// Problem is items and bins.
type Problem struct {
	Things int
	Items  []Item
	Bins   []Bin
}

// Packing is the bin of each item, -1 for those left over.
type Packing []int

// Score says how good a packing is: less is better, the first figure first.
type Score struct {
	Left  int     // rows left over
	Moved int     // items that are elsewhere than at home
	Units int     // in use
	Loose float64 // how little full bins are full, so that one can be emptied
}

// Less tells whether a score is better than another.
func (s Score) Less(other Score) bool {
	return cmp.Or(cmp.Compare(s.Left, other.Left), cmp.Compare(s.Moved, other.Moved), cmp.Compare(s.Units, other.Units), tolerant(s.Loose, other.Loose)) < 0
}

func tolerant(a, b float64) int {
	if math.Abs(a-b) < 1e-7 {
		return 0
	}
	return cmp.Compare(a, b)
}

// exact is how much more than a bin's room may be taken: less than any size says.
const exact = 1e-6

// Solver packs.
type Solver struct {
	p      Problem
	value  []float64 // of each item: its needs, by how scarce they are
	worth  []float64 // of each item: its share of a bin, as passes learned it; nil before
	weight []float64 // of each thing
	order  []int     // items, the largest first
	in     Packing
	used   [][]float64 // of each bin
	full   []float64   // of each bin, by value
	room   []float64   // likewise, when it is empty
	rows   []int
	items  [][]int
	score  Score
	dice   uint64
	left   []int
	must   int // rows that are left over whatever
	rounds int
}

// New returns a solver with all items at home, where they fit, and the others left over.
func New(p Problem) *Solver {
	s := &Solver{p: p, dice: 88172645463325252}
	s.weigh()
	s.clear()
	s.must = p.MustLeave()
	for n, item := range p.Items {
		if item.Home >= 0 && s.fits(n, item.Home) {
			s.put(n, item.Home)
		}
	}
	s.left = s.over()
	return s
}

func (s *Solver) clear() {
	s.in, s.score = make(Packing, len(s.p.Items)), Score{}
	s.full = make([]float64, len(s.p.Bins))
	s.used, s.rows, s.items = make([][]float64, len(s.p.Bins)), make([]int, len(s.p.Bins)), make([][]int, len(s.p.Bins))
	for n := range s.in {
		s.in[n] = -1
		s.score.Left += s.p.Items[n].Rows
	}
	for b := range s.used {
		s.used[b] = make([]float64, s.p.Things)
		s.rows[b] = s.p.Bins[b].Rows
		s.score.Units += s.units(b)
		s.score.Loose += s.loose(b)
	}
}

// weigh values items by their needs, each by the share of the room there is that all
// items need on average (the average sum of Panigrahy, Talwar, Uyeda and Wieder,
// "Heuristics for vector bin packing", 2011).
func (s *Solver) weigh() {
	need, room := make([]float64, s.p.Things), make([]float64, s.p.Things)
	for _, item := range s.p.Items {
		for _, n := range item.Needs {
			need[n.Of] += n.Amount
		}
	}
	for _, b := range s.p.Bins {
		for n, r := range b.Room {
			room[n] += max(0, r)
		}
	}
	s.weight = make([]float64, s.p.Things)
	for n := range s.weight {
		if room[n] > exact { // else nothing that needs it fits anywhere
			scarce := min(10, need[n]/room[n])
			s.weight[n] = scarce * scarce * scarce * float64(len(s.p.Bins)) / room[n]
		}
	}
	s.room = make([]float64, len(s.p.Bins))
	for b := range s.p.Bins {
		for n, r := range s.p.Bins[b].Room {
			s.room[b] += s.weight[n] * max(0, r)
		}
	}
	s.value, s.order = make([]float64, len(s.p.Items)), make([]int, len(s.p.Items))
	for n, item := range s.p.Items {
		s.order[n] = n
		for _, x := range item.Needs {
			s.value[n] += x.Amount * s.weight[x.Of]
		}
	}
	slices.SortStableFunc(s.order, func(a, b int) int { return cmp.Compare(s.value[b], s.value[a]) })
}

func (s *Solver) fits(item, bin int) bool {
	x := &s.p.Items[item]
	if x.Bins != nil && !x.Bins[bin] {
		return false
	}
	room, used := s.p.Bins[bin].Room, s.used[bin]
	for _, n := range x.Needs {
		if used[n.Of]+n.Amount > room[n.Of]+exact {
			return false
		}
	}
	return true
}

// add and sub change a bin's sums alone.
func (s *Solver) add(item, bin int) {
	for _, n := range s.p.Items[item].Needs {
		s.used[bin][n.Of] += n.Amount
	}
}

func (s *Solver) sub(item, bin int) {
	for _, n := range s.p.Items[item].Needs {
		s.used[bin][n.Of] -= n.Amount
	}
}

func (s *Solver) put(item, bin int) {
	s.add(item, bin)
	s.in[item] = bin
	s.items[bin] = append(s.items[bin], item)
	s.count(item, bin, 1)
}

func (s *Solver) take(item int) {
	bin := s.in[item]
	s.sub(item, bin)
	s.in[item] = -1
	at := slices.Index(s.items[bin], item)
	s.items[bin][at] = s.items[bin][len(s.items[bin])-1]
	s.items[bin] = s.items[bin][:len(s.items[bin])-1]
	s.count(item, bin, -1)
}

// count keeps the score when an item comes into a bin, or (by -1) leaves it.
func (s *Solver) count(item, bin, by int) {
	x := &s.p.Items[item]
	s.score.Units -= s.units(bin)
	s.score.Loose -= s.loose(bin)
	s.rows[bin] += by * x.Rows
	s.full[bin] += float64(by) * s.value[item]
	s.score.Units += s.units(bin)
	s.score.Loose += s.loose(bin)
	s.score.Left -= by * x.Rows
	if x.Home >= 0 && bin != x.Home {
		s.score.Moved += by
	}
}

// over lists the items left over, the largest first.
func (s *Solver) over() []int {
	out := []int{}
	for _, n := range s.order {
		if s.in[n] < 0 {
			out = append(out, n)
		}
	}
	return out
}

// loose is how far from full a bin in use is: the square of its fullness, from one.
func (s *Solver) loose(bin int) float64 {
	if s.rows[bin] == 0 {
		return 0
	}
	if s.room[bin] == 0 {
		return 1
	}
	share := s.full[bin] / s.room[bin]
	return 1 - share*share
}

// roomLeft is what a bin has left, by value.
func (s *Solver) roomLeft(bin int) float64 { return max(0, s.room[bin]-s.full[bin]) }

func (s *Solver) units(bin int) int {
	return (s.rows[bin] + s.p.Bins[bin].Unit - 1) / s.p.Bins[bin].Unit
}

// Score is that of the packing so far.
func (s *Solver) Score() Score { return s.score }

// Packing is the best packing so far.
func (s *Solver) Packing() Packing { return slices.Clone(s.in) }

// load takes a packing on.
func (s *Solver) load(p Packing) {
	s.clear()
	for n, b := range p {
		if b >= 0 {
			s.put(n, b)
		}
	}
	s.left = s.over()
}
