package change

import (
	"encoding/json"
	"fmt"
	"slices"

	"fanfold/internal/core/template"
)

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
		for end < len(edits) && edits[end].Alike(&edits[n]) {
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
	if was.ID != now.ID {
		return f, false
	}
	for n := range template.RowFields {
		switch x := &template.RowFields[n]; {
		case x.Same(was, now):
		case x.Told == template.WithRow:
			return f, false
		default:
			x.Tell(&f, now)
		}
	}
	return f, true
}
