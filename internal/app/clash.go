package app

import (
	"encoding/json"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// clashError tells both values of the thing two people set.
func (h *Hot) clashError(key change.Key, c change.Change) error {
	e := &ClashError{Name: nameOf(h.t, key.Object), Field: fieldText(key.Field), Theirs: valueOf(h.t, key)}
	if after, _, err := change.Apply(h.t, c); err == nil {
		e.Yours = valueOf(after, key)
	}
	return e
}

func fieldText(field string) string {
	switch {
	case field == "":
		return "the row"
	case strings.HasPrefix(field, "route/"):
		return "the route"
	case strings.HasPrefix(field, "seat"):
		return "the seat"
	}
	return "the " + field
}

func nameOf(t *template.Template, id template.ID) string {
	x := t.Index()
	if i := t.Instrument(id); i != nil {
		return i.Name
	}
	if b := x.Buses[id]; b != nil {
		return b.Name
	}
	if s := x.Sections[id]; s != nil {
		return s.Name
	}
	if m := x.Machines[id]; m != nil {
		return m.Name
	}
	if c := x.Calls[id]; c != nil {
		return c.Name
	}
	return "a deleted row"
}

// valueOf reads one field of an instrument as JSON would show it; nil when
// there is none such.
func valueOf(t *template.Template, key change.Key) any {
	i := t.Instrument(key.Object)
	if i == nil {
		return nil
	}
	if key.Field == "" {
		return i.Name
	}
	data, err := json.Marshal(i)
	if err != nil {
		return nil
	}
	var fields map[string]any
	if err := json.Unmarshal(data, &fields); err != nil {
		return nil
	}
	return fields[key.Field]
}
