package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// Entry is one thing to put, and its position in its list. A thing already
// there is replaced where it stands and At is not looked at.
type Entry[T any] struct {
	At    int `json:"at"` // position of a new thing; -1 appends
	Value *T  `json:"value"`
}

// Put adds or replaces whole things other than instruments.
type Put struct {
	Folds     []Entry[template.Fold]        `json:"folds,omitempty"`
	Sections  []Entry[template.Section]     `json:"sections,omitempty"`
	Buses     []Entry[template.Bus]         `json:"buses,omitempty"`
	Libraries []Entry[template.Library]     `json:"libraries,omitempty"`
	Players   []Entry[template.Player]      `json:"players,omitempty"`
	Patches   []Entry[template.Patch]       `json:"patches,omitempty"`
	Machines  []Entry[template.Machine]     `json:"machines,omitempty"`
	Calls     []Entry[template.Call]        `json:"calls,omitempty"`
	Terms     []Entry[template.Term]        `json:"vocabulary,omitempty"`
	Castings  []Entry[template.CastingList] `json:"castings,omitempty"`
}

// Append returns an Entry that goes to the end of its list.
func Append[T any](value *T) Entry[T] { return Entry[T]{At: -1, Value: value} }

// Kind implements Change.
func (Put) Kind() string { return "put" }

// Keys implements Change.
func (c Put) Keys() []Key {
	var keys []Key
	keys = append(keys, entryKeys(c.Folds, foldID)...)
	keys = append(keys, entryKeys(c.Sections, sectionID)...)
	keys = append(keys, entryKeys(c.Buses, busID)...)
	keys = append(keys, entryKeys(c.Libraries, libraryID)...)
	keys = append(keys, entryKeys(c.Players, playerID)...)
	keys = append(keys, entryKeys(c.Patches, patchID)...)
	keys = append(keys, entryKeys(c.Machines, machineID)...)
	keys = append(keys, entryKeys(c.Calls, callID)...)
	keys = append(keys, entryKeys(c.Terms, termID)...)
	return append(keys, entryKeys(c.Castings, castingID)...)
}

func foldID(x *template.Fold) template.ID           { return x.ID }
func sectionID(x *template.Section) template.ID     { return x.ID }
func busID(x *template.Bus) template.ID             { return x.ID }
func libraryID(x *template.Library) template.ID     { return x.ID }
func playerID(x *template.Player) template.ID       { return x.ID }
func patchID(x *template.Patch) template.ID         { return x.ID }
func machineID(x *template.Machine) template.ID     { return x.ID }
func callID(x *template.Call) template.ID           { return x.ID }
func termID(x *template.Term) template.ID           { return x.ID }
func castingID(x *template.CastingList) template.ID { return x.ID }

func entryKeys[T any](entries []Entry[T], id func(*T) template.ID) []Key {
	keys := make([]Key, 0, len(entries))
	for _, e := range entries {
		if e.Value != nil {
			keys = append(keys, Key{Object: id(e.Value)})
		}
	}
	return keys
}

func (c Put) apply(d *draft) (Change, error) {
	for _, e := range c.Buses {
		if e.Value != nil {
			e.Value.Routes = template.SortRoutes(e.Value.Routes)
		}
	}
	for _, e := range c.Calls {
		if e.Value != nil && e.Value.Instruments == nil {
			e.Value.Instruments = []template.ID{}
		}
	}
	for _, e := range c.Terms {
		if e.Value != nil && e.Value.Synonyms == nil {
			e.Value.Synonyms = []string{}
		}
	}
	for _, e := range c.Patches {
		if e.Value != nil {
			template.NormaliseMap(e.Value.Map)
		}
	}
	var back Put
	var gone Drop
	for _, err := range []error{
		put(d, template.Folds, &d.t.Folds, c.Folds, foldID, &back.Folds, &gone.Folds),
		put(d, template.Sections, &d.t.Sections, c.Sections, sectionID, &back.Sections, &gone.Sections),
		put(d, template.Buses, &d.t.Buses, c.Buses, busID, &back.Buses, &gone.Buses),
		put(d, template.Libraries, &d.t.Libraries, c.Libraries, libraryID, &back.Libraries, &gone.Libraries),
		put(d, template.Players, &d.t.Players, c.Players, playerID, &back.Players, &gone.Players),
		put(d, template.Patches, &d.t.Patches, c.Patches, patchID, &back.Patches, &gone.Patches),
		put(d, template.Machines, &d.t.Machines, c.Machines, machineID, &back.Machines, &gone.Machines),
		put(d, template.Calls, &d.t.Calls, c.Calls, callID, &back.Calls, &gone.Calls),
		put(d, template.Vocabulary, &d.t.Vocabulary, c.Terms, termID, &back.Terms, &gone.Terms),
		put(d, template.Castings, &d.t.Castings, c.Castings, castingID, &back.Castings, &gone.Castings),
	} {
		if err != nil {
			return nil, err
		}
	}
	switch {
	case gone.empty():
		return back, nil
	case back.empty():
		return gone, nil
	}
	return Batch{Changes: []Change{gone, back}}, nil
}

func (c Put) empty() bool {
	return len(c.Folds)+len(c.Sections)+len(c.Buses)+len(c.Libraries)+len(c.Players)+len(c.Patches)+len(c.Machines)+len(c.Calls)+len(c.Terms)+len(c.Castings) == 0
}

func put[T any](d *draft, name template.List, list *[]*T, entries []Entry[T], id func(*T) template.ID, back *[]Entry[T], gone *[]template.ID) error {
	if len(entries) == 0 {
		return nil
	}
	own(d, name, list)
	place := make(map[template.ID]int, len(*list))
	for i, v := range *list {
		place[id(v)] = i
	}
	for _, e := range entries {
		if e.Value == nil {
			return refuse("", "an entry to put has no value")
		}
		value := e.Value // shared: what is published is never altered
		if at, ok := place[id(value)]; ok {
			*back = append(*back, Entry[T]{At: at, Value: (*list)[at]})
			(*list)[at] = value
		} else if e.At < 0 || e.At >= len(*list) {
			place[id(value)] = len(*list)
			*list = append(*list, value)
			*gone = append(*gone, id(value))
		} else {
			*list = slices.Insert(*list, e.At, value)
			for i := e.At; i < len(*list); i++ {
				place[id((*list)[i])] = i
			}
			*gone = append(*gone, id(value))
		}
		d.owned[id(value)] = false
	}
	return nil
}

// Drop takes things other than instruments out of the template. It is refused
// while something still refers to them.
type Drop struct {
	Folds     []template.ID `json:"folds,omitempty"`
	Sections  []template.ID `json:"sections,omitempty"`
	Buses     []template.ID `json:"buses,omitempty"`
	Libraries []template.ID `json:"libraries,omitempty"`
	Players   []template.ID `json:"players,omitempty"`
	Patches   []template.ID `json:"patches,omitempty"`
	Machines  []template.ID `json:"machines,omitempty"`
	Calls     []template.ID `json:"calls,omitempty"`
	Terms     []template.ID `json:"vocabulary,omitempty"`
	Castings  []template.ID `json:"castings,omitempty"`
}

// Kind implements Change.
func (Drop) Kind() string { return "drop" }

// Keys implements Change.
func (c Drop) Keys() []Key {
	return objects(slices.Concat(c.Folds, c.Sections, c.Buses, c.Libraries, c.Players, c.Patches, c.Machines, c.Calls, c.Terms, c.Castings))
}

func (c Drop) empty() bool { return len(c.Keys()) == 0 }

func (c Drop) apply(d *draft) (Change, error) {
	var undo Put
	for _, err := range []error{
		drop(d, template.Folds, &d.t.Folds, c.Folds, foldID, &undo.Folds),
		drop(d, template.Sections, &d.t.Sections, c.Sections, sectionID, &undo.Sections),
		drop(d, template.Buses, &d.t.Buses, c.Buses, busID, &undo.Buses),
		drop(d, template.Libraries, &d.t.Libraries, c.Libraries, libraryID, &undo.Libraries),
		drop(d, template.Players, &d.t.Players, c.Players, playerID, &undo.Players),
		drop(d, template.Patches, &d.t.Patches, c.Patches, patchID, &undo.Patches),
		drop(d, template.Machines, &d.t.Machines, c.Machines, machineID, &undo.Machines),
		drop(d, template.Calls, &d.t.Calls, c.Calls, callID, &undo.Calls),
		drop(d, template.Vocabulary, &d.t.Vocabulary, c.Terms, termID, &undo.Terms),
		drop(d, template.Castings, &d.t.Castings, c.Castings, castingID, &undo.Castings),
	} {
		if err != nil {
			return nil, err
		}
	}
	return undo, nil
}

func drop[T any](d *draft, name template.List, list *[]*T, ids []template.ID, id func(*T) template.ID, undo *[]Entry[T]) error {
	if len(ids) == 0 {
		return nil
	}
	gone := make(map[template.ID]bool, len(ids))
	for _, x := range ids {
		gone[x] = true
	}
	kept := make([]*T, 0, len(*list))
	for at, v := range *list {
		if gone[id(v)] {
			*undo = append(*undo, Entry[T]{At: at, Value: v})
			delete(gone, id(v))
		} else {
			kept = append(kept, v)
		}
	}
	for x := range gone {
		return refuse(x, "%q is no longer in the template", x)
	}
	*list = kept
	d.lists[name], d.dropped = true, true
	return nil
}

// RemoveMachine takes away every seat on a machine and every wish to stay
// there, and drops it.
type RemoveMachine struct {
	ID template.ID `json:"id"`
}

// Kind implements Change.
func (RemoveMachine) Kind() string { return "remove-machine" }

// Keys implements Change.
func (c RemoveMachine) Keys() []Key { return []Key{{Object: c.ID}} }

func (c RemoveMachine) apply(d *draft) (Change, error) {
	var up Seat
	var style Edit
	for _, i := range d.t.Instruments {
		if i.Seat != nil && i.Seat.Machine == c.ID {
			up.Seats = append(up.Seats, Seating{ID: i.ID})
		}
		if i.Style.Machine == c.ID {
			free := i.Style
			free.Machine = ""
			style.Edits = append(style.Edits, Fields{ID: i.ID, Style: &free})
		}
	}
	return Batch{Changes: []Change{up, style, Drop{Machines: []template.ID{c.ID}}}}.apply(d)
}
