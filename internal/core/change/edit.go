package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// Fields are the new values of one instrument; nil leaves a field as it is.
type Fields struct {
	ID            template.ID         `json:"id,omitempty"`
	Name          *string             `json:"name,omitempty"`
	NameByHand    *bool               `json:"nameByHand,omitempty"`
	Short         *string             `json:"short,omitempty"`
	ShortByHand   *bool               `json:"shortByHand,omitempty"`
	Kind          *template.Kind      `json:"kind,omitempty"`
	Articulations *[]string           `json:"articulations,omitempty"`
	Patches       *[]template.ID      `json:"patches,omitempty"`
	Colour        *string             `json:"colour,omitempty"`
	Notes         *string             `json:"notes,omitempty"`
	GainDB        *float64            `json:"gainDb,omitempty"`
	Style         *template.SeatStyle `json:"style,omitempty"`
	Mics          *[]string           `json:"mics,omitempty"`
	Map           *[]template.Mapping `json:"map,omitempty"`
	Layout        *template.Layout    `json:"layout,omitempty"`
	Spread        *template.ID        `json:"spread,omitempty"`
	StemByHand    *bool               `json:"stemByHand,omitempty"`
	SeatByHand    *bool               `json:"seatByHand,omitempty"`
	Pinned        *bool               `json:"pinned,omitempty"`
	Keep          *bool               `json:"keep,omitempty"`
	With          *template.ID        `json:"with,omitempty"`    // of a row that plays the same sound already; empty gives it its own
	Printed       *template.Printed   `json:"printed,omitempty"` // one without a file lets the instrument play again
	Trim          *template.Trim      `json:"trim,omitempty"`    // one without a call loads the instrument whole again
}

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
		for _, name := range f.names() {
			keys = append(keys, Key{Object: f.ID, Field: name})
		}
	}
	return keys
}

func (f Fields) names() []string {
	var names []string
	for _, x := range []struct {
		name string
		set  bool
	}{
		{"name", f.Name != nil}, {"short", f.Short != nil}, {"nameByHand", f.NameByHand != nil}, {"shortByHand", f.ShortByHand != nil}, {"kind", f.Kind != nil}, {"articulations", f.Articulations != nil},
		{"patches", f.Patches != nil}, {"colour", f.Colour != nil}, {"notes", f.Notes != nil},
		{"gainDb", f.GainDB != nil}, {"style", f.Style != nil}, {"mics", f.Mics != nil}, {"map", f.Map != nil},
		{"layout", f.Layout != nil}, {"spread", f.Spread != nil}, {"stemByHand", f.StemByHand != nil},
		{"seatByHand", f.SeatByHand != nil}, {"pinned", f.Pinned != nil}, {"keep", f.Keep != nil}, {"printed", f.Printed != nil},
		{"trim", f.Trim != nil}, {"with", f.With != nil},
	} {
		if x.set {
			names = append(names, x.name)
		}
	}
	return names
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
		swap(&i.Name, f.Name, &old.Name)
		swap(&i.NameByHand, f.NameByHand, &old.NameByHand)
		swap(&i.Short, f.Short, &old.Short)
		swap(&i.ShortByHand, f.ShortByHand, &old.ShortByHand)
		swap(&i.Kind, f.Kind, &old.Kind)
		swap(&i.Articulations, f.Articulations, &old.Articulations)
		swap(&sound.Patches, f.Patches, &old.Patches)
		swap(&i.Colour, f.Colour, &old.Colour)
		swap(&i.Notes, f.Notes, &old.Notes)
		swap(&sound.GainDB, f.GainDB, &old.GainDB)
		swap(&sound.Style, f.Style, &old.Style)
		swap(&sound.Mics, f.Mics, &old.Mics)
		swap(&sound.Map, f.Map, &old.Map)
		swap(&sound.Layout, f.Layout, &old.Layout)
		swap(&sound.Spread, f.Spread, &old.Spread)
		swap(&sound.StemByHand, f.StemByHand, &old.StemByHand)
		swap(&sound.SeatByHand, f.SeatByHand, &old.SeatByHand)
		swap(&i.Pinned, f.Pinned, &old.Pinned)
		swap(&sound.Keep, f.Keep, &old.Keep)
		old.Printed = optional(&sound.Printed, f.Printed, func(p template.Printed) bool { return p.File != "" })
		old.Trim = optional(&sound.Trim, f.Trim, func(x template.Trim) bool { return x.Call != "" })
		if f.Map != nil {
			sound.Map = template.CloneMap(sound.Map)
			template.NormaliseMap(sound.Map)
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
			return refuse(i.ID, "%q does not play the same sound as %q, so they can not share a seat", i.Name, home.Name)
		}
	}
	swap(&i.With, with, old)
	return nil
}

// swap sets a field if there is a new value, and keeps the old one.
func swap[T any](field *T, value *T, old **T) {
	if value == nil {
		return
	}
	was := *field
	*old = &was
	*field = *value
}

// optional sets what an instrument may have or not, or takes it away where the
// new value says nothing, and returns what was there; nil leaves everything.
func optional[T any](field **T, value *T, says func(T) bool) *T {
	if value == nil {
		return nil
	}
	was := new(T)
	if *field != nil {
		*was = **field
	}
	*field = nil
	if says(*value) {
		now := *value
		*field = &now
	}
	return was
}

// Configure replaces the template's name and settings.
type Configure struct {
	Name     string            `json:"name"`
	Settings template.Settings `json:"settings"`
}

// Kind implements Change.
func (Configure) Kind() string { return "configure" }

// Keys implements Change.
func (Configure) Keys() []Key { return []Key{{Object: "template", Field: "settings"}} }

func (c Configure) apply(d *draft) (Change, error) {
	undo := Configure{Name: d.t.Name, Settings: d.t.Settings}
	d.t.Name, d.t.Settings = c.Name, c.Settings
	if d.t.Settings.Upbeat == nil {
		d.t.Settings.Upbeat = []template.Controller{}
	}
	d.lists[template.TheSettings] = true
	return undo, nil
}
