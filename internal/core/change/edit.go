package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// Fields are the new values of one instrument; nil leaves a field as it is.
type Fields = template.Fields

// Edit sets fields of instruments.
type Edit struct {
	Edits []Fields `json:"edits"`
}

// Kind implements Change.
func (Edit) Kind() string { return "edit" }

// Keys implements Change.
func (c Edit) Keys() []Key {
	var keys []Key
	for _, f := range c.Edits {
		for _, x := range f.Says() {
			keys = append(keys, Key{Object: f.ID, Field: x.Key})
		}
	}
	return keys
}

func (c Edit) apply(d *draft) (Change, error) {
	undo := Edit{Edits: make([]Fields, 0, len(c.Edits))}
	for _, f := range c.Edits {
		i, err := d.instrument(f.ID)
		if err != nil {
			return nil, err
		}
		old := Fields{ID: f.ID}
		if err := d.sitWith(i, f.With, &old.With); err != nil {
			return nil, err
		}
		sound, err := d.sound(f.ID) // what belongs to the sound is set for all that play it
		if err != nil {
			return nil, err
		}
		for n := range template.RowFields {
			x := &template.RowFields[n]
			switch {
			case x.Set == nil || x.Key == "with": // set above
			case x.Own == template.OfSound:
				x.Set(sound, &f, &old)
			default:
				x.Set(i, &f, &old)
			}
		}
		undo.Edits = append(undo.Edits, old)
	}
	slices.Reverse(undo.Edits) // the same row may have been edited twice
	return undo, nil
}

// sitWith lets a row sit with another, or have its own sound again.
func (d *draft) sitWith(i *template.Instrument, with *template.ID, old **template.ID) error {
	if with == nil {
		return nil
	}
	if *with != "" {
		at, ok := d.find(*with)
		if !ok {
			return refuse(*with, "the row to sit with is no longer in the template")
		}
		if home := d.t.Instruments[at]; !i.PlaysAs(home) {
			return refuse(i.ID, "%q does not play the same sound as %q, so they cannot share a seat", i.Name, home.Name)
		}
	}
	was := i.With
	*old, i.With = &was, *with
	return nil
}

// Configure replaces the template's name and settings.
type Configure struct {
	Name     string            `json:"name"`
	Settings template.Settings `json:"settings"`
}

// Kind implements Change.
func (Configure) Kind() string { return "configure" }

// Keys implements Change.
func (Configure) Keys() []Key { return []Key{ofList(template.TheSettings)} }

func (c Configure) apply(d *draft) (Change, error) {
	undo := Configure{Name: d.t.Name, Settings: d.t.Settings}
	d.t.Name, d.t.Settings = c.Name, c.Settings
	if d.t.Settings.Upbeat == nil {
		d.t.Settings.Upbeat = []template.Controller{}
	}
	d.lists[template.TheSettings] = true
	return undo, nil
}
