package cut

import (
	"cmp"
	"math"
	"path"
	"slices"
	"strings"
)

// How says what became of a piece of picture.
type How string

// The ways of a piece.
const (
	Kept     How = "kept"     // in the order of before, wherever it stands now
	Moved    How = "moved"    // out of that order
	Repeated How = "repeated" // shown elsewhere as well
)

// Piece is a stretch of old time whose picture is in the new film.
type Piece struct {
	Old    Span `json:"old"`
	New    Span `json:"new"` // as long, unless it runs at another speed
	From   int  `json:"from"`
	To     int  `json:"to"` // the events, by their place in the old and the new list
	How    How  `json:"how"`
	Unsure bool `json:"unsure,omitempty"` // known by its timecode alone
}

// Shift is by how many frames its beginning moved.
func (p Piece) Shift() int64 { return p.New.Start - p.Old.Start }

// Match is how one list became another.
type Match struct {
	Pieces []Piece // in the order of new time
	Gone   []Span  // of old time
	Fresh  []Span  // of new time: pictures that the old film does not have
}

// mostPairs bounds how many pairs of events are compared: lists of one endless source that runs
// over itself again and again would have them all.
const mostPairs = 2_000_000

// Compare finds how a list of events became another. The same picture is the same source at the
// same timecode, whatever its place; its name is that of the source or of the clip. Events
// without either are known by their timecode alone. Both lists are as Checked leaves them.
func Compare(old, now []Event) Match {
	pairs := candidates(old, now)
	var m Match
	covered, used := []Span{}, []Span{} // of new and of old time
	add := func(p Piece, how How) {
		p.How = how
		m.Pieces = append(m.Pieces, p)
		covered, used = joined(append(covered, p.New)), append(used, p.Old)
	}
	chain, rest := inOrder(pairs)
	end := int64(math.MinInt64)
	for _, p := range chain {
		if p = p.from(end); p.New.Length() > 0 {
			m.Pieces = append(m.Pieces, p)
			m.Pieces[len(m.Pieces)-1].How = Kept
			end = p.New.End
		}
	}
	for _, p := range m.Pieces {
		covered, used = append(covered, p.New), append(used, p.Old)
	}
	covered, used = joined(covered), joined(used)
	slices.SortStableFunc(rest, func(a, b Piece) int {
		return cmp.Or(compareBool(a.Unsure, b.Unsure), -cmp.Compare(a.New.Length(), b.New.Length()), cmp.Compare(a.New.Start, b.New.Start), cmp.Compare(a.Old.Start, b.Old.Start))
	})
	free := without([]Span{SpanOf(now)}, covered)
	for _, how := range []How{Moved, Repeated} {
		for _, p := range rest {
			if !overlaps(free, p.New) {
				continue
			}
			for _, part := range without([]Span{p.New}, covered) {
				x := p.within(part)
				if how == Repeated {
					add(x, Repeated)
					continue
				}
				for _, unseen := range without([]Span{x.Old}, joined(used)) {
					add(x.ofOld(unseen), Moved)
				}
			}
		}
	}
	slices.SortFunc(m.Pieces, func(a, b Piece) int { return cmp.Compare(a.New.Start, b.New.Start) })
	m.Gone = without(shown(old), joined(used))
	m.Fresh = without(shown(now), covered)
	return m
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

func overlaps(list []Span, s Span) bool {
	n, _ := slices.BinarySearchFunc(list, s.Start, func(x Span, at int64) int {
		if x.End <= at {
			return -1
		}
		return 1
	})
	return n < len(list) && list[n].Start < s.End
}

// shown are the times at which there is a picture.
func shown(events []Event) []Span {
	var out []Span
	for _, e := range events {
		if !e.Black() {
			out = append(out, Span{e.Start, e.End})
		}
	}
	return joined(out)
}

// from is the part of a piece from a new time on.
func (p Piece) from(at int64) Piece { return p.within(Span{max(at, p.New.Start), p.New.End}) }

// within is the part of a piece that lies in a stretch of new time.
func (p Piece) within(s Span) Piece {
	s = Span{max(s.Start, p.New.Start), min(s.End, p.New.End)}
	if s.End <= s.Start {
		p.New = Span{}
		return p
	}
	old := Span{p.back(s.Start), p.back(s.End)}
	p.Old, p.New = old, s
	return p
}

// ofOld is the part of a piece whose picture lay in a stretch of old time.
func (p Piece) ofOld(s Span) Piece {
	s = Span{max(s.Start, p.Old.Start), min(s.End, p.Old.End)}
	p.Old, p.New = s, Span{p.forth(s.Start), p.forth(s.End)}
	return p
}

// forth is where a frame of old time within the piece lies in new time, and back the other way.
func (p Piece) forth(old int64) int64 { return scaled(old, p.Old, p.New) }
func (p Piece) back(now int64) int64  { return scaled(now, p.New, p.Old) }

func scaled(at int64, from, to Span) int64 {
	if from.Length() == to.Length() || from.Length() == 0 {
		return to.Start + at - from.Start
	}
	return to.Start + int64(math.Round(float64(at-from.Start)*float64(to.Length())/float64(from.Length())))
}

// names are what a source is known by.
func names(e Event) []string {
	var out []string
	if s := tidy(e.Source); s != "" && s != "ax" {
		out = append(out, "source "+s)
	}
	if c := tidy(e.Clip); c != "" {
		out = append(out, "clip "+c)
	}
	return out
}

// tidy is a name without what differs from list to list: case, a folder, an ending, marks.
func tidy(name string) string {
	name = strings.ToLower(strings.TrimSpace(strings.ReplaceAll(name, `\`, "/")))
	if name == "" {
		return ""
	}
	name = path.Base(name)
	if end := path.Ext(name); len(end) > 1 && len(end) <= 5 && strings.Trim(end[1:], "0123456789") != "" {
		name = strings.TrimSuffix(name, end)
	}
	return strings.Map(func(r rune) rune {
		if r == ' ' || r == '_' || r == '-' || r == '.' {
			return -1
		}
		return r
	}, name)
}

// source is the stretch of its source that an event shows, frames.
func (e Event) source() (from, to float64) {
	a := float64(e.In)
	b := a + float64(e.Length())*e.Rate()
	return min(a, b), max(a, b)
}

// candidates are all pieces of old events that lie in new ones, by name and timecode.
func candidates(old, now []Event) []Piece {
	byName := [2]map[string][]int{{}, {}}
	var nameless [2][]int
	var all [2][]int
	for side, list := range [2][]Event{old, now} {
		for n, e := range list {
			if e.Black() {
				continue
			}
			all[side] = append(all[side], n)
			ids := names(e)
			for _, id := range ids {
				byName[side][id] = append(byName[side][id], n)
			}
			if len(ids) == 0 {
				nameless[side] = append(nameless[side], n)
			}
		}
	}
	seen := map[[2]int]bool{}
	var out []Piece
	take := func(a, b []int, unsure bool) {
		sweep(old, now, a, b, func(i, j int) bool {
			if key := [2]int{i, j}; !seen[key] {
				seen[key] = true
				if p, ok := pieceOf(old[i], now[j]); ok {
					p.From, p.To, p.Unsure = i, j, unsure
					out = append(out, p)
				}
			}
			return len(seen) < mostPairs
		})
	}
	for _, id := range sortedKeys(byName[0]) {
		take(byName[0][id], byName[1][id], false)
	}
	take(nameless[0], all[1], true)
	take(all[0], nameless[1], true)
	return out
}

func sortedKeys(m map[string][]int) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// sweep calls do for every two events whose stretches of source overlap, until it says no.
func sweep(old, now []Event, a, b []int, do func(i, j int) bool) {
	if len(a) == 0 || len(b) == 0 {
		return
	}
	b = slices.Clone(b)
	slices.SortStableFunc(b, func(x, y int) int {
		from, _ := now[x].source()
		other, _ := now[y].source()
		return cmp.Compare(from, other)
	})
	longest := 0.0
	starts := make([]float64, len(b))
	for n, j := range b {
		from, to := now[j].source()
		starts[n], longest = from, max(longest, to-from)
	}
	for _, i := range a {
		from, to := old[i].source()
		n, _ := slices.BinarySearch(starts, from-longest)
		for ; n < len(b) && starts[n] < to; n++ {
			if _, end := now[b[n]].source(); end > from && !do(i, b[n]) {
				return
			}
		}
	}
}

// pieceOf is what of an old event lies in a new one of the same source.
func pieceOf(o, n Event) (Piece, bool) {
	ro, rn := o.Rate(), n.Rate()
	if ro == 0 || rn == 0 || ro*rn < 0 {
		if ro == rn && o.In == n.In { // a still
			length := min(o.Length(), n.Length())
			return Piece{Old: Span{o.Start, o.Start + length}, New: Span{n.Start, n.Start + length}}, true
		}
		return Piece{}, false
	}
	if math.Abs(ro-rn) < 1e-6*math.Abs(ro) {
		shift := n.Start - o.Start + int64(math.Round(float64(o.In-n.In)/ro))
		s := Span{max(o.Start, n.Start-shift), min(o.End, n.End-shift)}
		return Piece{Old: s, New: Span{s.Start + shift, s.End + shift}}, s.Length() > 0
	}
	a, b := o.source()
	c, d := n.source()
	from, to := max(a, c), min(b, d)
	if ro < 0 {
		from, to = to, from
	}
	at := func(e Event, source float64) int64 {
		return min(e.End, max(e.Start, e.Start+int64(math.Round((source-float64(e.In))/e.Rate()))))
	}
	p := Piece{Old: Span{at(o, from), at(o, to)}, New: Span{at(n, from), at(n, to)}}
	return p, p.Old.Length() > 0 && p.New.Length() > 0
}

// inOrder is the heaviest chain of pieces that are in the same order in old and in new time,
// and the others.
func inOrder(pairs []Piece) (chain, rest []Piece) {
	slices.SortStableFunc(pairs, func(a, b Piece) int {
		return cmp.Or(cmp.Compare(a.Old.Start, b.Old.Start), cmp.Compare(a.New.Start, b.New.Start), cmp.Compare(a.To, b.To))
	})
	starts := make([]int64, 0, len(pairs))
	for _, p := range pairs {
		starts = append(starts, p.New.Start)
	}
	slices.Sort(starts)
	starts = slices.Compact(starts)
	best := make([]struct {
		weight float64
		piece  int
	}, len(starts)+1)
	weights, before := make([]float64, len(pairs)), make([]int, len(pairs))
	last, most := -1, 0.0
	for n, p := range pairs {
		rank, _ := slices.BinarySearch(starts, p.New.Start)
		before[n] = -1
		for k := rank + 1; k > 0; k -= k & -k {
			if best[k].weight > weights[n] {
				weights[n], before[n] = best[k].weight, best[k].piece
			}
		}
		own := float64(p.New.Length())
		if before[n] >= 0 { // frames that the one before has already do not count again
			own = max(0, own-float64(max(0, pairs[before[n]].New.End-p.New.Start)))
		}
		if p.Unsure {
			own *= .5
		}
		weights[n] += own
		for k := rank + 1; k < len(best); k += k & -k {
			if weights[n] > best[k].weight {
				best[k].weight, best[k].piece = weights[n], n
			}
		}
		if weights[n] > most {
			last, most = n, weights[n]
		}
	}
	in := make([]bool, len(pairs))
	for n := last; n >= 0; n = before[n] {
		in[n] = true
	}
	for n, p := range pairs {
		if in[n] {
			chain = append(chain, p)
		} else {
			rest = append(rest, p)
		}
	}
	return chain, rest
}
