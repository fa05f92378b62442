package seating

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Link is what a machine's network carries: every open output pair.
type Link struct {
	Machine *template.Machine
	Pairs   int // output pairs in use, of all its risers
}

// Mbits is what the pairs take, Mbit/s.
func (l Link) Mbits() float64 { return float64(l.Pairs) * template.PairMbits }

// Over tells whether the pairs take more than the link carries. A link that
// nobody has named is not over.
func (l Link) Over() bool { return l.Machine.NetworkMbits > 0 && l.Mbits() > l.Machine.CarriesMbits() }

// Links lists the links of all machines.
func Links(t *template.Template) []Link {
	type pair struct {
		machine     template.ID
		riser, pair int
	}
	open := map[pair]bool{}
	pairs := map[template.ID]int{}
	for _, i := range t.Instruments {
		if i.Seat == nil {
			continue
		}
		if p := (pair{i.Seat.Machine, i.Seat.Riser, i.Seat.Pair}); !open[p] {
			open[p] = true
			pairs[p.machine]++
		}
	}
	out := make([]Link, 0, len(t.Machines))
	for _, m := range t.Machines {
		out = append(out, Link{m, pairs[m.ID]})
	}
	return out
}

// FreeLink finds moves that bring a machine's link below what it carries: whole
// groups to machines whose links have room, the smallest first.
func FreeLink(t *template.Template, machine template.ID) (Moves, error) {
	m := t.Index().Machines[machine]
	if m == nil {
		return Moves{}, &change.Refused{Subject: machine, Reason: "there is no such machine"}
	}
	p := newPlanner(t, Options{})
	room := map[template.ID]int{}
	over := 0
	for _, l := range Links(t) {
		spare := template.MaxPairs * template.MaxRisers
		if l.Machine.NetworkMbits > 0 {
			spare = int(l.Machine.CarriesMbits()/template.PairMbits) - l.Pairs
		}
		if room[l.Machine.ID] = spare; l.Machine == m {
			over = -spare
		}
	}
	barred := map[riserKey]bool{}
	leaving := map[pairKey][]*template.Instrument{}
	var order []pairKey
	for r := 1; r <= t.Risers(m); r++ {
		barred[riserKey{machine, r}] = true
		for _, i := range p.on(riserKey{machine, r}) {
			key := pairKey{machine, r, p.seats[i.ID].Pair}
			if leaving[key] == nil {
				order = append(order, key)
			}
			leaving[key] = append(leaving[key], i)
		}
	}
	slices.SortStableFunc(order, func(a, b pairKey) int { return cmp.Compare(len(leaving[a]), len(leaving[b])) })
	var moves Moves
	freed := 0
	for _, key := range order {
		if freed >= over {
			break
		}
		if len(leaving[key]) != p.h.pairs[key].rows {
			continue // some of it stays by hand
		}
		moved, ok := p.elsewhere(leaving[key], barred, room)
		if !ok {
			continue
		}
		freed++
		moves.Seats = append(moves.Seats, moved...)
	}
	if freed < over || over <= 0 {
		return Moves{}, &change.Refused{Subject: machine, Reason: fmt.Sprintf("%d of %d output pairs could leave %s", freed, max(0, over), m.Name)}
	}
	moves.Text = fmt.Sprintf("%d moves take %d output pairs off %s", len(moves.Seats), freed, m.Name)
	return moves, nil
}

// elsewhere seats rows on risers that are not barred, of machines whose links
// have room, or leaves them where they were.
func (p *planner) elsewhere(rows []*template.Instrument, barred map[riserKey]bool, room map[template.ID]int) ([]change.Seating, bool) {
	was := map[template.ID]template.Seat{}
	before := map[template.ID]int{}
	for r, use := range p.h.risers {
		before[r.machine] += use.pairs
	}
	for _, i := range rows {
		was[i.ID] = p.seats[i.ID]
		p.rise(i)
	}
	p.seatAll(rows, bySize, barred)
	after := map[template.ID]int{}
	for r, use := range p.h.risers {
		after[r.machine] += use.pairs
	}
	var out []change.Seating
	fits := true
	for m, pairs := range after {
		fits = fits && (pairs <= before[m] || pairs-before[m] <= room[m])
	}
	for _, i := range rows {
		s, sits := p.seats[i.ID]
		fits = fits && sits
		out = append(out, change.Seating{ID: i.ID, Seat: &s})
	}
	if fits {
		for m := range after {
			room[m] -= after[m] - before[m]
		}
		return out, true
	}
	for _, i := range rows {
		if _, sits := p.seats[i.ID]; sits {
			p.rise(i)
		}
	}
	for _, i := range rows {
		p.sit(i, was[i.ID])
	}
	return nil, false
}
