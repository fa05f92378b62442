package seating

import (
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Move seats a run of instruments by hand on consecutive seats from a first
// one on, flowing over to the next port. Every limit holds; the error says
// which instrument cannot sit where, and why. Plans leave the seats alone.
func Move(t *template.Template, ids []template.ID, to template.Seat) (change.Change, error) {
	h, rows, err := hallWithout(t, ids)
	if err != nil {
		return nil, err
	}
	var c change.Seat
	if err := h.moveTo(rows, to, &c); err != nil {
		return nil, err
	}
	return byHand(c), nil
}

// moveTo seats rows on consecutive seats. On the riser where one sits already it keeps
// its output pair.
func (h *hall) moveTo(rows []*template.Instrument, to template.Seat, c *change.Seat) error {
	for _, i := range rows {
		if to.Channel > template.PortChannels {
			to.Channel, to.Port = 1, to.Port+1
		}
		seat := to
		if i.Seat != nil && i.Seat.Machine == to.Machine && i.Seat.Riser == to.Riser {
			seat.Pair = i.Seat.Pair
		} else if pair, ok := h.pairFor(i, to); ok {
			seat.Pair = pair
		}
		if err := h.sitByHand(i, seat, c); err != nil {
			return err
		}
		to.Channel++
	}
	return nil
}

// Shift is a row that makes way for others.
type Shift struct {
	Instrument *template.Instrument
	To         template.Seat
}

// MoveShifting is Move that shifts who sits there to the next seats of the riser, each no
// further than it must and in the order they sit in; it tells who makes way.
func MoveShifting(t *template.Template, ids []template.ID, to template.Seat) (change.Change, []Shift, error) {
	place := func(s template.Seat) int { return (s.Port-1)*template.PortChannels + s.Channel - 1 }
	moving := map[template.ID]bool{}
	for _, id := range t.Sounds(ids) {
		moving[id] = true
	}
	var there []*template.Instrument
	for _, i := range t.Instruments {
		if i.Seat != nil && i.With == "" && !moving[i.ID] && i.Seat.Machine == to.Machine && i.Seat.Riser == to.Riser && place(*i.Seat) >= place(to) {
			there = append(there, i)
		}
	}
	slices.SortStableFunc(there, func(a, b *template.Instrument) int { return place(*a.Seat) - place(*b.Seat) })
	var shifts []Shift
	free := place(to) + len(moving) // the first seat after those who come
	gone := slices.Clone(ids)
	for _, i := range there {
		at := place(*i.Seat)
		if at >= free {
			break // the others sit well
		}
		seat := *i.Seat
		seat.Port, seat.Channel = free/template.PortChannels+1, free%template.PortChannels+1
		shifts = append(shifts, Shift{i, seat})
		gone = append(gone, i.ID)
		free++
	}
	h, rows, err := hallWithout(t, gone)
	if err != nil {
		return nil, nil, err
	}
	var hand, way change.Seat
	if err := h.moveTo(rows[:len(moving)], to, &hand); err != nil {
		return nil, nil, err
	}
	for _, s := range shifts {
		if err := h.sitByHand(s.Instrument, s.To, &way); err != nil {
			return nil, nil, err
		}
	}
	return change.Batch{Label: "Seat by hand", Changes: []change.Change{way, byHand(hand)}}, shifts, nil
}

// OnMachine makes instruments stay on a machine (or, with an empty ID, go
// anywhere) and seats them there.
func OnMachine(t *template.Template, ids []template.ID, machine template.ID) (change.Change, error) {
	style := change.Edit{}
	ids = t.Sounds(ids)
	for _, id := range ids {
		i := t.Instrument(id)
		if i == nil {
			return nil, &change.Refused{Subject: id, Reason: "the instrument is no longer in the template"}
		}
		s := i.Style
		s.Machine = machine
		style.Edits = append(style.Edits, change.Fields{ID: id, Style: &s})
	}
	styled, _, err := change.Apply(t, style)
	if err != nil {
		return nil, err
	}
	var stray []template.ID
	for _, id := range ids {
		i := styled.Instrument(id)
		if i.NeedsSeat() && (i.Seat == nil || (machine != "" && i.Seat.Machine != machine)) {
			stray = append(stray, id)
		}
	}
	if len(stray) == 0 {
		return style, nil
	}
	plan := Everyone(styled, Options{Only: stray})
	return change.Batch{Label: "Set machine", Changes: []change.Change{style, plan.Change()}}, nil
}
