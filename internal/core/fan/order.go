package fan

import (
	"maps"
	"slices"

	"fanfold/internal/core/template"
)

// order returns the buses with every destination before what feeds it, and
// finds the loops on the way: Tarjan's strongly connected components (R.
// Tarjan, Depth-first search and linear graph algorithms, 1972), which come
// out in just that order.
func (f *Fan) order() []int32 {
	n := len(f.t.Buses)
	f.inLoop = make([]int, n)
	s := &tarjan{f: f, index: make([]int, n), low: make([]int, n), on: make([]bool, n)}
	for b := range f.t.Buses {
		f.inLoop[b] = -1
	}
	for b := range f.t.Buses {
		if s.index[b] == 0 {
			s.visit(int32(b))
		}
	}
	return s.order
}

type tarjan struct {
	f          *Fan
	next       int
	index, low []int
	on         []bool
	stack      []int32
	order      []int32
}

func (s *tarjan) visit(b int32) {
	s.next++
	s.index[b], s.low[b] = s.next, s.next
	s.stack, s.on[b] = append(s.stack, b), true
	for _, r := range s.f.t.Buses[b].Routes {
		to := s.f.place[r.To]
		if s.index[to] == 0 {
			s.visit(to)
			s.low[b] = min(s.low[b], s.low[to])
		} else if s.on[to] {
			s.low[b] = min(s.low[b], s.index[to])
		}
	}
	if s.low[b] == s.index[b] {
		s.close(b)
	}
}

// close takes one finished component, whose root is b, off the stack.
func (s *tarjan) close(b int32) {
	from := slices.Index(s.stack, b)
	component := s.stack[from:]
	s.stack = s.stack[:from]
	for _, member := range component {
		s.on[member] = false
		if len(component) > 1 {
			s.f.inLoop[member] = len(s.f.cyclic)
		}
	}
	s.order = append(s.order, component...)
	if len(component) > 1 {
		loop := make([]template.ID, len(component))
		for i, member := range component {
			loop[i] = s.f.t.Buses[member].ID
		}
		s.f.cyclic = append(s.f.cyclic, loop)
	}
}

// chains gives each distinct chain a number.
type chains struct {
	heads  []int32 // first bus of each chain
	tails  []ChainID
	number map[chainKey]ChainID
}

type chainKey struct {
	head int32
	tail ChainID
}

func newChains() chains {
	return chains{heads: []int32{-1}, tails: []ChainID{Dry}, number: map[chainKey]ChainID{}}
}

func (c *chains) clone() chains {
	return chains{heads: slices.Clone(c.heads), tails: slices.Clone(c.tails), number: maps.Clone(c.number)}
}

func (c *chains) prepend(head int32, tail ChainID) ChainID {
	key := chainKey{head, tail}
	if id, ok := c.number[key]; ok {
		return id
	}
	id := ChainID(len(c.heads))
	c.heads, c.tails = append(c.heads, head), append(c.tails, tail)
	c.number[key] = id
	return id
}

func (c *chains) list(id ChainID) []int32 {
	var out []int32
	for ; id != Dry; id = c.tails[id] {
		out = append(out, c.heads[id])
	}
	return out
}
