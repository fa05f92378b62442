package change

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"

	"fanfold/internal/core/template"
)

// alike tells whether two rows are set to the same.
func (f Fields) alike(o Fields) bool {
	return same1(f.Name, o.Name) && same1(f.NameByHand, o.NameByHand) && same1(f.Short, o.Short) && same1(f.ShortByHand, o.ShortByHand) &&
		same1(f.Kind, o.Kind) && same1(f.Colour, o.Colour) && same1(f.Notes, o.Notes) && same1(f.GainDB, o.GainDB) &&
		same1(f.Style, o.Style) && same1(f.Layout, o.Layout) && same1(f.Spread, o.Spread) && same1(f.StemByHand, o.StemByHand) &&
		same1(f.SeatByHand, o.SeatByHand) && same1(f.Pinned, o.Pinned) && same1(f.Keep, o.Keep) && same1(f.With, o.With) &&
		sameAny(f.Articulations, o.Articulations) && sameAny(f.Patches, o.Patches) && sameAny(f.Mics, o.Mics) &&
		sameAny(f.Map, o.Map) && sameAny(f.Printed, o.Printed) && sameAny(f.Trim, o.Trim)
}

func same1[T comparable](a, b *T) bool { return a == b || a != nil && b != nil && *a == *b }

func sameAny[T any](a, b *T) bool { return a == b || a != nil && b != nil && reflect.DeepEqual(a, b) }

// Rows are rows that are set to the same. One row says it in ID.
type Rows struct {
	IDs []template.ID `json:"ids,omitempty"`
	Fields
}

// Gather puts rows one after another that are set to the same into one.
func Gather(edits []Fields) []Rows {
	var out []Rows
	for n := 0; n < len(edits); {
		end := n + 1
		for end < len(edits) && edits[end].alike(edits[n]) {
			end++
		}
		r := Rows{Fields: edits[n]}
		if end > n+1 {
			r.ID = ""
			for _, f := range edits[n:end] {
				r.IDs = append(r.IDs, f.ID)
			}
		}
		out = append(out, r)
		n = end
	}
	return out
}

// MarshalJSON writes rows that are set to the same as one.
func (c Edit) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		Edits []Rows `json:"edits"`
	}{Gather(c.Edits)})
}

// UnmarshalJSON reads edits of one row, {"id": ...}, and of several that are set to
// the same, {"ids": [...]}.
func (c *Edit) UnmarshalJSON(data []byte) error {
	var body struct {
		Edits []Rows `json:"edits"`
	}
	if err := strictly(data, &body); err != nil {
		return err
	}
	for n, r := range body.Edits {
		if (r.ID == "") == (len(r.IDs) == 0) {
			return fmt.Errorf("edit %d names its row by id, or its rows by ids", n+1)
		}
		if r.ID != "" {
			c.Edits = append(c.Edits, r.Fields)
			continue
		}
		c.Edits = slices.Grow(c.Edits, len(r.IDs))
		for _, id := range r.IDs {
			f := r.Fields
			f.ID = id
			c.Edits = append(c.Edits, f)
		}
	}
	return nil
}

// Simply is what sets one row to what another version of it is, where they differ
// in nothing but values that stand by themselves; false where they differ in more.
func Simply(was, now *template.Instrument) (Fields, bool) {
	f := Fields{ID: now.ID}
	if was.ID != now.ID || was.Section != now.Section || was.Style != now.Style || was.Layout != now.Layout || was.Spread != now.Spread || was.With != now.With ||
		(was.Seat == nil) != (now.Seat == nil) || was.Seat != nil && *was.Seat != *now.Seat ||
		!slices.Equal(was.Articulations, now.Articulations) || !slices.Equal(was.Patches, now.Patches) || !slices.Equal(was.Mics, now.Mics) ||
		!slices.Equal(was.Routes, now.Routes) || len(was.Map)+len(now.Map) > 0 && !reflect.DeepEqual(was.Map, now.Map) ||
		!sameAny(was.Printed, now.Printed) || !sameAny(was.Trim, now.Trim) {
		return f, false
	}
	differs(&f.Name, &was.Name, &now.Name)
	differs(&f.NameByHand, &was.NameByHand, &now.NameByHand)
	differs(&f.Short, &was.Short, &now.Short)
	differs(&f.ShortByHand, &was.ShortByHand, &now.ShortByHand)
	differs(&f.Kind, &was.Kind, &now.Kind)
	differs(&f.Colour, &was.Colour, &now.Colour)
	differs(&f.Notes, &was.Notes, &now.Notes)
	differs(&f.GainDB, &was.GainDB, &now.GainDB)
	differs(&f.StemByHand, &was.StemByHand, &now.StemByHand)
	differs(&f.SeatByHand, &was.SeatByHand, &now.SeatByHand)
	differs(&f.Pinned, &was.Pinned, &now.Pinned)
	differs(&f.Keep, &was.Keep, &now.Keep)
	return f, true
}

func differs[T comparable](field **T, was, now *T) {
	if *was != *now {
		*field = now
	}
}
