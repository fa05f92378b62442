package cut

import (
	"cmp"
	"slices"
	"sort"
)

// Map is where the frames of an old film are in a new one.
type Map struct {
	pieces []Piece // in the order of old time; where several show a frame, the one that was kept first
}

// NewMap returns the map of a match.
func NewMap(m Match) Map {
	pieces := slices.Clone(m.Pieces)
	rank := func(p Piece) int { return slices.Index([]How{Kept, Moved, Repeated}, p.How) }
	slices.SortStableFunc(pieces, func(a, b Piece) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(a.New.Start, b.New.Start))
	})
	var out []Piece
	var taken []Span
	for _, p := range pieces {
		for _, s := range without([]Span{p.Old}, taken) {
			out = append(out, p.ofOld(s))
		}
		taken = joined(append(taken, p.Old))
	}
	slices.SortFunc(out, func(a, b Piece) int { return cmp.Compare(a.Old.Start, b.Old.Start) })
	return Map{out}
}

// At is where a frame of the old film is in the new one; false when it is gone.
func (m Map) At(old int64) (int64, bool) {
	n := sort.Search(len(m.pieces), func(i int) bool { return m.pieces[i].Old.End > old })
	if n == len(m.pieces) || m.pieces[n].Old.Start > old {
		return 0, false
	}
	return m.pieces[n].forth(old), true
}

// Within are the pieces of a stretch of old time, in its order.
func (m Map) Within(s Span) []Piece {
	var out []Piece
	n := sort.Search(len(m.pieces), func(i int) bool { return m.pieces[i].Old.End > s.Start })
	for ; n < len(m.pieces) && m.pieces[n].Old.Start < s.End; n++ {
		if p := m.pieces[n].ofOld(s); p.Old.Length() > 0 {
			out = append(out, p)
		}
	}
	return out
}

// Near is where a frame of the old film is in the new one, or else the nearest frame to it
// within a stretch of old time that is still there; how far that lies from it, frames. ok is
// false when none is.
func (m Map) Near(old int64, within Span) (now, away int64, ok bool) {
	if now, ok = m.At(old); ok {
		return now, 0, true
	}
	for _, p := range m.Within(within) {
		at := min(max(old, p.Old.Start), p.Old.End-1)
		if d := max(at-old, old-at); !ok || d < away {
			now, away, ok = p.forth(at), d, true
		}
	}
	return now, away, ok
}

// Then is the map from the first film to the third, of this one to the second and another from
// there.
func (m Map) Then(next Map) Map {
	var out []Piece
	for _, p := range m.pieces {
		for _, q := range next.Within(p.New) {
			x := p.within(q.Old)
			x.New = q.New
			if q.How != Kept {
				x.How = q.How
			}
			x.Unsure = x.Unsure || q.Unsure
			out = append(out, x)
		}
	}
	slices.SortFunc(out, func(a, b Piece) int { return cmp.Compare(a.Old.Start, b.Old.Start) })
	return Map{out}
}
