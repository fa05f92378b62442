package change

import (
	"fmt"

	"fanfold/internal/core/template"
)

// Seating is where one instrument should sit.
type Seating struct {
	ID   template.ID    `json:"id"`
	Seat *template.Seat `json:"seat,omitempty"` // nil takes the seat away
}

// Seat gives instruments their seats.
type Seat struct {
	Seats []Seating `json:"seats"`
}

// Kind implements Change.
func (Seat) Kind() string { return "seat" }

// Keys implements Change: the instruments' seats, and the places taken, so
// that two people cannot put two instruments on one seat.
func (c Seat) Keys() []Key {
	keys := make([]Key, 0, 2*len(c.Seats))
	for _, s := range c.Seats {
		keys = append(keys, Key{Object: s.ID, Field: "seat"})
		if s.Seat != nil {
			keys = append(keys, Key{Object: s.Seat.Machine, Field: placeName(*s.Seat)})
		}
	}
	return keys
}

func placeName(s template.Seat) string {
	return fmt.Sprintf("seat/%d/%d/%d", s.Riser, s.Port, s.Channel)
}

func (c Seat) apply(d *draft) (Change, error) {
	undo := Seat{Seats: make([]Seating, 0, len(c.Seats))}
	for _, s := range c.Seats {
		i, err := d.instrument(s.ID)
		if err != nil {
			return nil, err
		}
		if i.With != "" {
			return nil, refuse(s.ID, "%q sits with another row; seat that one, or give it a seat of its own first", i.Name)
		}
		if s.Seat != nil && !i.TakesSeat() {
			return nil, refuse(s.ID, "%q is %s and takes no seat", i.Name, i.Kind)
		}
		undo.Seats = append(undo.Seats, Seating{ID: s.ID, Seat: i.Seat})
		i.Seat = nil
		if s.Seat != nil {
			seat := *s.Seat
			i.Seat = &seat
		}
	}
	return undo, nil
}
