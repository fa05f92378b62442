package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// SetSections replaces the whole tree of sections: which there are, in which
// order, and what stands in what.
type SetSections struct {
	Sections []*template.Section `json:"sections"`
}

// Kind implements Change.
func (SetSections) Kind() string { return "set-sections" }

// Keys implements Change.
func (c SetSections) Keys() []Key {
	keys := []Key{ofList(template.Sections)}
	for _, s := range c.Sections {
		if s != nil {
			keys = append(keys, Key{Object: s.ID})
		}
	}
	return keys
}

func (c SetSections) apply(d *draft) (Change, error) {
	if slices.Contains(c.Sections, nil) {
		return nil, refuse("", "a section is missing")
	}
	left := make(map[template.ID]bool, len(c.Sections))
	for _, s := range c.Sections {
		left[s.ID] = true
	}
	for _, s := range d.t.Sections {
		d.dropped = d.dropped || !left[s.ID] // somebody may speak of it
	}
	undo := SetSections{Sections: d.t.Sections}
	d.t.Sections, d.lists[template.Sections] = slices.Clone(c.Sections), true
	return undo, nil
}
