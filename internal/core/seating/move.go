package seating

import (
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Move seats a run of instruments by hand on consecutive seats from a first
// one on, flowing over to the next port. Every limit holds; the error says
// which instrument can not sit where, and why. Plans leave the seats alone.
func Move(t *template.Template, ids []template.ID, to template.Seat) (change.Change, error) {
	h, rows, err := hallWithout(t, ids)
	if err != nil {
		return nil, err
	}
	var c change.Seat
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
		if err := h.sitByHand(i, seat, &c); err != nil {
			return nil, err
		}
		to.Channel++
	}
	return byHand(c), nil
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
