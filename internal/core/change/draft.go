package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// draft is a template being edited. It copies each list, and each thing in
// it, once, when it is first touched.
type draft struct {
	t     *template.Template
	base  *template.Template
	place map[template.ID]int // nil when the order of instruments changed
	owned map[template.ID]bool
	lists map[string]bool // lists already copied
	moved bool            // rows were added, deleted or put in another order
}

func newDraft(t *template.Template) *draft {
	return &draft{t: t.Clone(), base: t, place: t.Index().Place, owned: map[template.ID]bool{}, lists: map[string]bool{}}
}

// done returns the edited template if it is valid. An edit within rows only
// is checked row by row.
func (d *draft) done() (*template.Template, error) {
	if d.moved || !d.lists["instruments"] || len(d.lists) > 1 {
		return d.t, d.t.Validate()
	}
	d.t.ShareIndex(d.base)
	places := make([]int, 0, len(d.owned))
	for id := range d.owned {
		places = append(places, d.place[id])
	}
	return d.t, d.t.ValidateInstruments(places)
}

// own copies a list before its first edit.
func own[T any](d *draft, name string, list *[]T) {
	if !d.lists[name] {
		*list = slices.Clone(*list)
		d.lists[name] = true
	}
}

func (d *draft) find(id template.ID) (int, bool) {
	if d.place == nil {
		d.place = make(map[template.ID]int, len(d.t.Instruments))
		for i, instrument := range d.t.Instruments {
			d.place[instrument.ID] = i
		}
	}
	i, ok := d.place[id]
	return i, ok
}

// instrument returns the instrument, ready to be edited.
func (d *draft) instrument(id template.ID) (*template.Instrument, error) {
	i, ok := d.find(id)
	if !ok {
		return nil, refuse(id, "the instrument is no longer in the template")
	}
	own(d, "instruments", &d.t.Instruments)
	if !d.owned[id] {
		d.t.Instruments[i] = d.t.Instruments[i].Clone()
		d.owned[id] = true
	}
	return d.t.Instruments[i], nil
}

// bus returns the bus, ready to be edited.
func (d *draft) bus(id template.ID) (*template.Bus, error) {
	i := slices.IndexFunc(d.t.Buses, func(b *template.Bus) bool { return b.ID == id })
	if i < 0 {
		return nil, refuse(id, "the bus is no longer in the template")
	}
	own(d, "buses", &d.t.Buses)
	if !d.owned[id] {
		d.t.Buses[i] = d.t.Buses[i].Clone()
		d.owned[id] = true
	}
	return d.t.Buses[i], nil
}

// routes returns the outgoing routes of an instrument or a bus, ready to be
// edited.
func (d *draft) routes(from template.ID) (*[]template.Route, error) {
	if _, ok := d.find(from); ok {
		i, err := d.instrument(from)
		if err != nil {
			return nil, err
		}
		return &i.Routes, nil
	}
	b, err := d.bus(from)
	if err != nil {
		return nil, refuse(from, "no instrument or bus has the id %q", from)
	}
	return &b.Routes, nil
}

// setOrder replaces the list of instruments.
func (d *draft) setOrder(list []*template.Instrument) {
	d.t.Instruments = list
	d.lists["instruments"] = true
	d.place, d.moved = nil, true
}
