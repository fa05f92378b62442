package template

import "slices"

// A row may sit with another on its seat, and play the same sound: another part
// of the score for one loaded instrument. What belongs to the sound is the other
// row's then; its name, section, articulations, colour and notes are its own.

// PlayAs gives the instrument all that belongs to the sound of the row it sits
// with: patches, switches, level, routes and seat.
func (i *Instrument) PlayAs(home *Instrument) {
	for n := range RowFields {
		if x := &RowFields[n]; x.Own == OfSound {
			x.Copy(i, home)
		}
	}
}

// PlaysAs tells whether all that belongs to the sound is that of the other row.
func (i *Instrument) PlaysAs(home *Instrument) bool {
	for n := range RowFields {
		if x := &RowFields[n]; x.Own == OfSound && !x.Same(i, home) {
			return false
		}
	}
	return true
}

// Home is the row whose sound an instrument plays: itself, or the row it sits
// with.
func (t *Template) Home(i *Instrument) *Instrument {
	if i == nil || i.With == "" {
		return i
	}
	return t.Instrument(i.With)
}

// Sounds lists the rows whose sounds a set of rows plays, each once. What is no
// longer in the template stays in the list.
func (t *Template) Sounds(ids []ID) []ID {
	sits := func(id ID) bool { i := t.Instrument(id); return i != nil && i.With != "" }
	if !slices.ContainsFunc(ids, sits) {
		return ids
	}
	seen := make(map[ID]bool, len(ids))
	out := make([]ID, 0, len(ids))
	for _, id := range ids {
		if i := t.Home(t.Instrument(id)); i != nil {
			id = i.ID
		}
		if !seen[id] {
			seen[id] = true
			out = append(out, id)
		}
	}
	return out
}

func (v *validator) with(n int, i *Instrument) {
	place, ok := v.x.Place[i.With]
	if !ok {
		v.fail(at("instruments", n, "with"), "no instrument has the id %q", i.With)
		return
	}
	switch home := v.t.Instruments[place]; {
	case home.With != "" || home.ID == i.ID:
		v.fail(at("instruments", n, "with"), "%q sits with %q, which has no seat of its own", i.Name, home.Name)
	case home.Kind != Sampled || i.Kind != Sampled:
		v.fail(at("instruments", n, "with"), "%q sits with %q; only sampled instruments can share a seat", i.Name, home.Name)
	case !i.PlaysAs(home):
		v.fail(at("instruments", n, "with"), "%q sits with %q, but does not play the same sound", i.Name, home.Name)
	}
}
