package seating

import (
	"fmt"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Part is a part of a seat that is numbered by hand.
type Part string

// The parts.
const (
	Port    Part = "port"
	Channel Part = "channel"
	Pair    Part = "pair"
)

// Consecutive gives seated instruments, in the order named, consecutive ports,
// channels or output pairs from a first one on. Channels flow over to the next
// port. Every limit holds, and the seats are set by hand from now on.
func Consecutive(t *template.Template, ids []template.ID, part Part, from int) (change.Change, error) {
	h, rows, err := hallWithout(t, ids)
	if err != nil {
		return nil, err
	}
	var c change.Seat
	at := from
	for n, i := range rows {
		if i.Seat == nil {
			return nil, &change.Refused{Subject: i.ID, Reason: i.Name + " has no seat yet"}
		}
		s := *i.Seat
		switch part {
		case Port:
			s.Port = from + n
		case Channel:
			if n == 0 {
				at = s.Port
			}
			s.Port, s.Channel = at+(from-1+n)/template.PortChannels, (from-1+n)%template.PortChannels+1
		case Pair:
			s.Pair = from + n
		default:
			return nil, &change.Refused{Reason: fmt.Sprintf("%q is neither port, channel nor pair", part)}
		}
		if err := h.sitByHand(i, s, &c); err != nil {
			return nil, err
		}
	}
	return byHand(c), nil
}

// hallWithout is the hall with all seated but those named, and their rows.
func hallWithout(t *template.Template, ids []template.ID) (*hall, []*template.Instrument, error) {
	h := newHall(t)
	var rows []*template.Instrument
	named := make(map[template.ID]bool, len(ids))
	for _, id := range t.Sounds(ids) {
		named[id] = true
		i := t.Instrument(id)
		if i == nil {
			return nil, nil, &change.Refused{Subject: id, Reason: "the instrument is no longer in the template"}
		}
		rows = append(rows, i)
	}
	for _, i := range t.Instruments {
		if i.Seat != nil && i.With == "" && !named[i.ID] {
			h.take(i, *i.Seat)
		}
	}
	return h, rows, nil
}

func (h *hall) sitByHand(i *template.Instrument, s template.Seat, c *change.Seat) error {
	if r := h.refuses(i, s); r != nil {
		return &change.Refused{Subject: i.ID, Reason: fmt.Sprintf("%s cannot sit there: %s", i.Name, r.text())}
	}
	h.take(i, s)
	c.Seats = append(c.Seats, change.Seating{ID: i.ID, Seat: &s})
	return nil
}

// byHand makes seats ones that plans leave alone.
func byHand(c change.Seat) change.Change {
	yes := true
	var edit change.Edit
	for _, s := range c.Seats {
		edit.Edits = append(edit.Edits, change.Fields{ID: s.ID, SeatByHand: &yes})
	}
	return change.Batch{Label: "Seat by hand", Changes: []change.Change{c, edit}}
}

// Release lets plans move instruments that were seated by hand.
func Release(ids []template.ID) change.Change {
	no := false
	var edit change.Edit
	for _, id := range ids {
		edit.Edits = append(edit.Edits, change.Fields{ID: id, SeatByHand: &no})
	}
	return change.Batch{Label: "Let plans seat", Changes: []change.Change{edit}}
}

// riserRows are the instruments on a riser, in score order.
func riserRows(t *template.Template, at riserKey) ([]template.ID, error) {
	var ids []template.ID
	for _, i := range t.ScoreOrder() {
		if i.Seat != nil && i.With == "" && riserOf(*i.Seat) == at {
			ids = append(ids, i.ID)
		}
	}
	if len(ids) == 0 {
		return nil, &change.Refused{Subject: at.machine, Reason: fmt.Sprintf("nobody sits on riser %d", at.riser)}
	}
	return ids, nil
}

// Renumber gives all on a riser seats in score order from its first port on,
// without gaps where their players allow it, and numbers its output pairs in
// the same order.
func Renumber(t *template.Template, machine template.ID, riser int) (change.Change, error) {
	ids, err := riserRows(t, riserKey{machine, riser})
	if err != nil {
		return nil, err
	}
	h, rows, err := hallWithout(t, ids)
	if err != nil {
		return nil, err
	}
	h.packed = true
	var c change.Seat
	for _, i := range rows {
		s, refusal := h.next(i, riserKey{machine, riser})
		if refusal != nil {
			return nil, &change.Refused{Subject: i.ID, Reason: fmt.Sprintf("in score order, %s finds no seat on riser %d: %s", i.Name, riser, refusal.text())}
		}
		h.take(i, s)
		c.Seats = append(c.Seats, change.Seating{ID: i.ID, Seat: &s})
	}
	return c, nil
}

// MoveRiser brings all on a riser, with their ports, channels and output pairs,
// to a riser of another machine, or of the same one.
func MoveRiser(t *template.Template, machine template.ID, riser int, to template.ID, toRiser int) (change.Change, error) {
	ids, err := riserRows(t, riserKey{machine, riser})
	if err != nil {
		return nil, err
	}
	h, rows, err := hallWithout(t, ids)
	if err != nil {
		return nil, err
	}
	var c change.Seat
	for _, i := range rows {
		s := *i.Seat
		s.Machine, s.Riser = to, toRiser
		if err := h.sitByHand(i, s, &c); err != nil {
			return nil, err
		}
	}
	return byHand(c), nil
}

// RowsOn lists the instruments on a riser, in score order; nobody there is a
// *change.Refused.
func RowsOn(t *template.Template, machine template.ID, riser int) ([]template.ID, error) {
	return riserRows(t, riserKey{machine, riser})
}

// SeatAs seats instruments on a riser as others sit on theirs: with the same
// port, channel and output pair.
func SeatAs(t *template.Template, ids, like []template.ID, machine template.ID, riser int) (change.Change, error) {
	h, rows, err := hallWithout(t, ids)
	if err != nil {
		return nil, err
	}
	as := make(map[template.ID]template.Seat, len(ids))
	for n, id := range ids {
		as[id] = *t.Instrument(like[n]).Seat
	}
	var c change.Seat
	for _, i := range rows {
		s := as[i.ID]
		s.Machine, s.Riser = machine, riser
		if err := h.sitByHand(i, s, &c); err != nil {
			return nil, err
		}
	}
	return byHand(c), nil
}
