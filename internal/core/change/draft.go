package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// draft is a template being edited. It copies each list, and each thing in
// it, once, when it is first touched.
type draft struct {
	t       *template.Template
	base    *template.Template
	place   map[template.ID]int // nil when the order of instruments changed
	owned   map[template.ID]bool
	added   map[template.ID]bool   // instruments
	lists   map[template.List]bool // lists already copied
	moved   bool                   // rows were added, deleted or put in another order
	dropped bool                   // something other than an instrument was taken away
}

func newDraft(t *template.Template) *draft {
	return &draft{
		t: t.Clone(), base: t, place: t.Index().Place,
		owned: map[template.ID]bool{}, added: map[template.ID]bool{}, lists: map[template.List]bool{},
	}
}

// done returns the edited template if it is valid. Only what was touched is
// checked, unless something was taken away that others may refer to.
func (d *draft) done() (*template.Template, error) {
	if err := d.share(); err != nil {
		return nil, err
	}
	d.t.IndexBeside(d.base, func(l template.List) bool {
		return !d.lists[l] || l == template.Instruments && !d.moved
	})
	if d.dropped {
		return d.t, d.t.Validate()
	}
	parts := template.Parts{Lists: d.lists}
	place := d.t.Index().Place
	for id := range d.owned {
		if n, ok := place[id]; ok && !d.added[id] {
			parts.Rows = append(parts.Rows, n)
		}
	}
	for id := range d.added {
		if n, ok := place[id]; ok {
			parts.New = append(parts.New, n)
		}
	}
	slices.Sort(parts.Rows)
	slices.Sort(parts.New)
	return d.t, d.t.ValidateParts(parts)
}

// own copies a list before its first edit.
func own[T any](d *draft, name template.List, list *[]T) {
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

// instrument returns the instrument, ready to be edited: its values can be set, its
// lists be replaced, but not what is in them.
func (d *draft) instrument(id template.ID) (*template.Instrument, error) {
	i, ok := d.find(id)
	if !ok {
		return nil, refuse(id, "the instrument is no longer in the template")
	}
	own(d, template.Instruments, &d.t.Instruments)
	if !d.owned[id] {
		c := *d.t.Instruments[i] // its lists are shared until they are replaced as a whole
		d.t.Instruments[i] = &c
		d.owned[id] = true
	}
	return d.t.Instruments[i], nil
}

// look returns the bus, only to be looked at.
func (d *draft) look(id template.ID) (*template.Bus, error) {
	i, err := d.placeOfBus(id)
	if err != nil {
		return nil, err
	}
	return d.t.Buses[i], nil
}

func (d *draft) placeOfBus(id template.ID) (int, error) {
	i := slices.IndexFunc(d.t.Buses, func(b *template.Bus) bool { return b.ID == id })
	if i < 0 {
		return 0, refuse(id, "the bus is no longer in the template")
	}
	return i, nil
}

// bus returns the bus, ready to be edited.
func (d *draft) bus(id template.ID) (*template.Bus, error) {
	i, err := d.placeOfBus(id)
	if err != nil {
		return nil, err
	}
	own(d, template.Buses, &d.t.Buses)
	if !d.owned[id] {
		d.t.Buses[i] = d.t.Buses[i].Clone()
		d.owned[id] = true
	}
	return d.t.Buses[i], nil
}

// sound returns the instrument whose sound a row plays, ready to be edited:
// itself, or the one it sits with.
func (d *draft) sound(id template.ID) (*template.Instrument, error) {
	if n, ok := d.find(id); ok && d.t.Instruments[n].With != "" {
		id = d.t.Instruments[n].With
	}
	return d.instrument(id)
}

// share gives rows that sit with another what belongs to its sound.
func (d *draft) share() error {
	if !d.lists[template.Instruments] {
		return nil
	}
	touched := func(id template.ID) bool { return d.owned[id] || d.added[id] }
	for n := range d.t.Instruments {
		i := d.t.Instruments[n]
		if i.With == "" || !touched(i.ID) && !touched(i.With) {
			continue
		}
		at, ok := d.find(i.With)
		if !ok {
			return refuse(i.ID, "the row that %q sits with is no longer in the template", i.Name)
		}
		home := d.t.Instruments[at]
		if home.Kind != template.Sampled || home.With != "" {
			return refuse(i.ID, "%q sits with %q; give it a seat of its own first", i.Name, home.Name)
		}
		if i.PlaysAs(home) {
			continue
		}
		own, err := d.instrument(i.ID)
		if err != nil {
			return err
		}
		own.PlayAs(home)
	}
	return nil
}

// routes returns the outgoing routes of an instrument or a bus, ready to be
// edited.
func (d *draft) routes(from template.ID) (*[]template.Route, error) {
	if _, ok := d.find(from); ok {
		i, err := d.sound(from)
		if err != nil {
			return nil, err
		}
		i.Routes = slices.Clone(i.Routes)
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
	d.lists[template.Instruments] = true
	d.place, d.moved = nil, true
}
