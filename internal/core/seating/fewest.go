package seating

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Moves is a list of moves that brings an improvement.
type Moves struct {
	Seats []change.Seating
	Text  string // what they bring
}

// Change is the moves as an edit of the template.
func (m Moves) Change() change.Change { return change.Seat{Seats: m.Seats} }

// EmptyRiser finds the moves that leave a riser empty without opening another:
// all who sit there, to wherever they fit.
func EmptyRiser(t *template.Template, machine template.ID, riser int) (Moves, error) {
	m := t.Index().Machines[machine]
	if m == nil {
		return Moves{}, &change.Refused{Subject: machine, Reason: "there is no such machine"}
	}
	p := newPlanner(t, Options{})
	at := riserKey{machine, riser}
	rows := p.on(at)
	switch use := p.h.risers[at]; {
	case use == nil || use.seats == 0:
		return Moves{}, &change.Refused{Subject: machine, Reason: fmt.Sprintf("nobody sits on riser %d of %s", riser, m.Name)}
	case use.seats > len(rows):
		return Moves{}, &change.Refused{Subject: machine, Reason: fmt.Sprintf("%d on riser %d of %s were seated by hand", use.seats-len(rows), riser, m.Name)}
	}
	moves, left := p.clear(at, rows)
	if len(left) > 0 {
		return Moves{}, &change.Refused{Subject: machine, Reason: fmt.Sprintf("%d of the %d on riser %d of %s fit nowhere else: first %s: %s",
			len(left), len(rows), riser, m.Name, left[0].Name, p.h.why(left[0]))}
	}
	moves.Text = fmt.Sprintf("%d moves leave riser %d of %s empty", len(moves.Seats), riser, m.Name)
	return moves, nil
}

// clear moves rows off a riser onto others in use.
func (p *planner) clear(at riserKey, rows []*template.Instrument) (Moves, []*template.Instrument) {
	barred := map[riserKey]bool{at: true}
	used := map[riserKey]bool{}
	for _, r := range p.used() {
		used[r] = true
	}
	for _, m := range p.h.t.Machines {
		for r := 1; r <= p.h.t.Risers(m); r++ {
			if key := (riserKey{m.ID, r}); !used[key] {
				barred[key] = true
			}
		}
	}
	for _, i := range rows {
		p.rise(i)
	}
	p.seatAll(rows, bySize, barred)
	var moves Moves
	var left []*template.Instrument
	for _, i := range rows {
		if s, ok := p.seats[i.ID]; ok {
			moves.Seats = append(moves.Seats, change.Seating{ID: i.ID, Seat: &s})
		} else {
			left = append(left, i)
		}
	}
	return moves, left
}

// OneRiserFewer finds the fewest moves that leave some riser empty.
func OneRiserFewer(t *template.Template) (Moves, error) {
	p := newPlanner(t, Options{})
	for _, at := range p.used() { // the emptiest first
		if moves, err := EmptyRiser(t, at.machine, at.riser); err == nil {
			return moves, nil
		}
	}
	return Moves{}, &change.Refused{Reason: "no riser can be emptied onto the others in use"}
}

// FreeMemory finds the fewest moves that free so much memory on a machine, MiB:
// the largest that fit elsewhere.
func FreeMemory(t *template.Template, machine template.ID, mib float64) (Moves, error) {
	m := t.Index().Machines[machine]
	if m == nil {
		return Moves{}, &change.Refused{Subject: machine, Reason: "there is no such machine"}
	}
	p := newPlanner(t, Options{})
	memory := func(i *template.Instrument) float64 { return calls.PreloadMiB(t, i) }
	var rows []*template.Instrument
	barred := map[riserKey]bool{}
	for r := 1; r <= t.Risers(m); r++ {
		barred[riserKey{machine, r}] = true
		rows = append(rows, p.on(riserKey{machine, r})...)
	}
	rows = slices.DeleteFunc(rows, func(i *template.Instrument) bool { return i.Spread != "" })
	slices.SortStableFunc(rows, func(a, b *template.Instrument) int { return cmp.Compare(memory(b), memory(a)) })
	before := p.h.preload[machine]
	var moves Moves
	for n, i := range rows {
		freed := before - p.h.preload[machine]
		if freed >= mib {
			break
		}
		// a smaller one that is enough will do as well, and leaves room elsewhere
		if short := mib - freed; memory(i) > short && n+1 < len(rows) && memory(rows[n+1]) >= short {
			continue
		}
		was := p.seats[i.ID]
		p.rise(i)
		s, ok := p.seatOn(i, p.risersFor([]*template.Instrument{i}, barred))
		if !ok {
			p.sit(i, was)
			continue
		}
		p.sit(i, s)
		moves.Seats = append(moves.Seats, change.Seating{ID: i.ID, Seat: &s})
	}
	freed := before - p.h.preload[machine]
	if freed < mib {
		return Moves{}, &change.Refused{Subject: machine, Reason: fmt.Sprintf("all that can move off %s frees %s, not %s",
			m.Name, calls.FormatMiB(freed), calls.FormatMiB(mib))}
	}
	moves.Text = fmt.Sprintf("%d moves free %s on %s", len(moves.Seats), calls.FormatMiB(freed), m.Name)
	return moves, nil
}
