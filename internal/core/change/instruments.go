package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// Placed is an instrument and its position in the list once it is there.
type Placed struct {
	At         int                  `json:"at"` // -1 appends
	Instrument *template.Instrument `json:"instrument"`
}

// Add puts instruments into the template, in the order given.
type Add struct {
	Instruments []Placed `json:"instruments"`
}

// Kind implements Change.
func (Add) Kind() string { return "add" }

// Keys implements Change.
func (a Add) Keys() []Key {
	keys := make([]Key, 0, 2*len(a.Instruments))
	for _, p := range a.Instruments {
		if p.Instrument != nil {
			keys = append(keys, Key{Object: p.Instrument.ID}, inList(template.Instruments, p.Instrument.ID))
		}
	}
	return keys
}

func (a Add) apply(d *draft) (Change, error) {
	placed := make([]Placed, 0, len(a.Instruments))
	var undo Delete
	twice := make(map[template.ID]bool, len(a.Instruments))
	for _, p := range a.Instruments {
		if p.Instrument == nil {
			return nil, refuse("", "an instrument to add is missing")
		}
		if _, ok := d.find(p.Instrument.ID); ok || twice[p.Instrument.ID] {
			return nil, refuse(p.Instrument.ID, "an instrument with this id is already in the template")
		}
		i := p.Instrument.Clone()
		i.Routes = template.SortRoutes(i.Routes)
		placed = append(placed, Placed{At: p.At, Instrument: i})
		d.added[i.ID], twice[i.ID] = true, true
		undo.IDs = append(undo.IDs, i.ID)
	}
	d.setOrder(weave(d.t.Instruments, placed))
	return undo, nil
}

// weave puts each placed instrument at its position in the resulting list;
// those at -1, or beyond the end, go last.
func weave(rest []*template.Instrument, placed []Placed) []*template.Instrument {
	sorted := slices.Clone(placed)
	slices.SortStableFunc(sorted, func(a, b Placed) int { return last(a.At) - last(b.At) })
	out := make([]*template.Instrument, 0, len(rest)+len(sorted))
	for _, p := range sorted {
		for p.At < 0 && len(rest) > 0 || len(out) < p.At && len(rest) > 0 {
			out, rest = append(out, rest[0]), rest[1:]
		}
		out = append(out, p.Instrument)
	}
	return append(out, rest...)
}

func last(at int) int {
	if at < 0 {
		return 1 << 30
	}
	return at
}

// Delete takes instruments out of the template, and out of its calls.
type Delete struct {
	IDs []template.ID `json:"ids"`
}

// Kind implements Change.
func (Delete) Kind() string { return "delete" }

// Keys implements Change.
func (c Delete) Keys() []Key {
	keys := make([]Key, 0, 2*len(c.IDs))
	for _, id := range c.IDs {
		keys = append(keys, Key{Object: id}, inList(template.Instruments, id))
	}
	return keys
}

func (c Delete) apply(d *draft) (Change, error) {
	gone := make(map[template.ID]bool, len(c.IDs))
	for _, id := range c.IDs {
		if _, ok := d.find(id); !ok {
			return nil, refuse(id, "the instrument is no longer in the template")
		}
		gone[id] = true
	}
	var undo Add
	kept := make([]*template.Instrument, 0, len(d.t.Instruments))
	for at, i := range d.t.Instruments {
		if gone[i.ID] {
			undo.Instruments = append(undo.Instruments, Placed{At: at, Instrument: i})
		} else {
			kept = append(kept, i)
		}
	}
	d.setOrder(kept)
	back := Batch{Changes: []Change{undo}}
	heirs, err := d.bequeath(gone)
	if err != nil {
		return nil, err
	}
	if len(heirs.Edits) > 0 {
		back.Changes = append(back.Changes, heirs)
	}
	if calls := dropFromCalls(d, gone); len(calls.Calls) > 0 {
		back.Changes = append(back.Changes, calls)
	}
	if len(back.Changes) == 1 {
		return undo, nil
	}
	return back, nil
}

// bequeath gives the seat of each row that goes to the first of those that sit
// with it, and lets the others sit with that one. It returns the edit that lets
// them sit as they did.
func (d *draft) bequeath(gone map[template.ID]bool) (Edit, error) {
	var undo Edit
	heirs := map[template.ID]template.ID{}
	for n := range d.t.Instruments {
		home := d.t.Instruments[n].With
		if home == "" || !gone[home] {
			continue
		}
		i, err := d.instrument(d.t.Instruments[n].ID)
		if err != nil {
			return Edit{}, err
		}
		undo.Edits = append(undo.Edits, Fields{ID: i.ID, With: &home})
		if i.With = heirs[home]; i.With == "" {
			heirs[home] = i.ID
		}
	}
	return undo, nil
}

// dropFromCalls takes the instruments out of every call, and returns the
// change that puts the calls back.
func dropFromCalls(d *draft, gone map[template.ID]bool) Put {
	var undo Put
	for n, call := range d.t.Calls {
		if !slices.ContainsFunc(call.Instruments, func(id template.ID) bool { return gone[id] }) {
			continue
		}
		undo.Calls = append(undo.Calls, Entry[template.Call]{At: n, Value: call})
		own(d, template.Calls, &d.t.Calls)
		c := *call
		c.Instruments = slices.DeleteFunc(slices.Clone(call.Instruments), func(id template.ID) bool { return gone[id] })
		c.Uses = slices.DeleteFunc(slices.Clone(call.Uses), func(u template.Use) bool { return gone[u.Instrument] })
		d.t.Calls[n] = &c
	}
	return undo
}

// Move takes instruments, in the order given, to stand before another one, or
// at the end of a section.
type Move struct {
	IDs     []template.ID `json:"ids"`
	Section template.ID   `json:"section"`          // where they stand afterwards
	Before  template.ID   `json:"before,omitempty"` // empty: at the section's end
}

// Kind implements Change.
func (Move) Kind() string { return "move" }

// Keys implements Change.
func (c Move) Keys() []Key { return placeKeys(c.IDs) }

// placeKeys are the keys of rows that are put somewhere else.
func placeKeys(ids []template.ID) []Key {
	keys := make([]Key, 0, 2*len(ids))
	for _, id := range ids {
		keys = append(keys, Key{Object: id, Field: "place"}, inList(template.Instruments, id))
	}
	return keys
}

func fieldKeys(ids []template.ID, field string) []Key {
	keys := make([]Key, len(ids))
	for i, id := range ids {
		keys[i] = Key{Object: id, Field: field}
	}
	return keys
}

func (c Move) apply(d *draft) (Change, error) {
	moving := make(map[template.ID]bool, len(c.IDs))
	for _, id := range c.IDs {
		if moving[id] {
			return nil, refuse(id, "the instrument is named twice")
		}
		moving[id] = true
	}
	if moving[c.Before] {
		return nil, refuse(c.Before, "instruments cannot move before one of themselves")
	}
	undo := arrangement(d, moving)
	moved := make([]*template.Instrument, 0, len(c.IDs))
	for _, id := range c.IDs {
		i, err := d.instrument(id)
		if err != nil {
			return nil, err
		}
		i.Section = c.Section
		moved = append(moved, i)
	}
	rest := slices.DeleteFunc(slices.Clone(d.t.Instruments), func(i *template.Instrument) bool { return moving[i.ID] })
	at := len(rest)
	if c.Before != "" {
		at = slices.IndexFunc(rest, func(i *template.Instrument) bool { return i.ID == c.Before })
		if at < 0 {
			return nil, refuse(c.Before, "the instrument to move before is no longer in the template")
		}
	}
	d.setOrder(slices.Insert(rest, at, moved...))
	return undo, nil
}

// Arrange puts instruments at exact positions and sections. It is the inverse
// of Move.
type Arrange struct {
	Places []Position `json:"places"`
}

// Position is where one instrument stands.
type Position struct {
	ID      template.ID `json:"id"`
	At      int         `json:"at"`
	Section template.ID `json:"section"`
}

// Kind implements Change.
func (Arrange) Kind() string { return "arrange" }

// Keys implements Change.
func (c Arrange) Keys() []Key {
	ids := make([]template.ID, len(c.Places))
	for n, p := range c.Places {
		ids[n] = p.ID
	}
	return placeKeys(ids)
}

func (c Arrange) apply(d *draft) (Change, error) {
	moving := make(map[template.ID]bool, len(c.Places))
	for _, p := range c.Places {
		moving[p.ID] = true
	}
	undo := arrangement(d, moving)
	placed := make([]Placed, 0, len(c.Places))
	for _, p := range c.Places {
		i, err := d.instrument(p.ID)
		if err != nil {
			return nil, err
		}
		i.Section = p.Section
		placed = append(placed, Placed{At: p.At, Instrument: i})
	}
	rest := slices.DeleteFunc(slices.Clone(d.t.Instruments), func(i *template.Instrument) bool { return moving[i.ID] })
	d.setOrder(weave(rest, placed))
	return undo, nil
}

func arrangement(d *draft, moving map[template.ID]bool) Arrange {
	var a Arrange
	for at, i := range d.t.Instruments {
		if moving[i.ID] {
			a.Places = append(a.Places, Position{ID: i.ID, At: at, Section: i.Section})
		}
	}
	return a
}
