package change

import (
	"reflect"
	"slices"

	"fanfold/internal/core/template"
)

// Become makes a template like another: each list that differs is replaced, and
// of the rows those that differ. What is nil stays. It is how an earlier version
// comes back; Between makes it.
type Become struct {
	Name       *string                 `json:"name,omitempty"`
	Settings   *template.Settings      `json:"settings,omitempty"`
	Folds      []*template.Fold        `json:"folds,omitempty"`
	Sections   []*template.Section     `json:"sections,omitempty"`
	Buses      []*template.Bus         `json:"buses,omitempty"`
	Libraries  []*template.Library     `json:"libraries,omitempty"`
	Players    []*template.Player      `json:"players,omitempty"`
	Patches    []*template.Patch       `json:"patches,omitempty"`
	Machines   []*template.Machine     `json:"machines,omitempty"`
	Calls      []*template.Call        `json:"calls,omitempty"`
	Castings   []*template.CastingList `json:"castings,omitempty"`
	Vocabulary []*template.Term        `json:"vocabulary,omitempty"`
	Rules      []*template.StemRule    `json:"rules,omitempty"`
	Returns    []*template.ReturnSet   `json:"returnSets,omitempty"`
	Sightlines []*template.Sightline   `json:"sightlines,omitempty"`
	Rows       []*template.Instrument  `json:"rows,omitempty"`    // new or other than they were
	Order      []template.ID           `json:"order,omitempty"`   // of all rows, when it differs
	Emptied    map[string]bool         `json:"emptied,omitempty"` // lists that end up with nothing, by their JSON name
}

// Kind implements Change.
func (Become) Kind() string { return "become" }

// Keys implements Change: everything that differs, as a whole.
func (c Become) Keys() []Key {
	keys := []Key{{Object: "template", Field: "become"}}
	if c.Settings != nil || c.Name != nil {
		keys = append(keys, Key{Object: "template", Field: "settings"})
	}
	add := func(id template.ID) { keys = append(keys, Key{Object: id}) }
	for _, x := range c.Rows {
		add(x.ID)
	}
	for _, x := range c.Sections {
		add(x.ID)
	}
	for _, x := range c.Buses {
		add(x.ID)
	}
	for _, x := range c.Machines {
		add(x.ID)
	}
	for _, x := range c.Calls {
		add(x.ID)
	}
	for _, x := range c.Patches {
		add(x.ID)
	}
	return keys
}

// Between is the change that makes one template like another, but for its ID;
// nil when they are alike.
func Between(a, b *template.Template) Change {
	var c Become
	differs := false
	if a.Name != b.Name {
		c.Name, differs = &b.Name, true
	}
	if !a.Settings.Equal(b.Settings) {
		c.Settings, differs = &b.Settings, true
	}
	for _, d := range []bool{
		other(&c, "folds", a.Folds, b.Folds, &c.Folds), other(&c, "sections", a.Sections, b.Sections, &c.Sections),
		other(&c, "buses", a.Buses, b.Buses, &c.Buses), other(&c, "libraries", a.Libraries, b.Libraries, &c.Libraries),
		other(&c, "players", a.Players, b.Players, &c.Players), other(&c, "patches", a.Patches, b.Patches, &c.Patches),
		other(&c, "machines", a.Machines, b.Machines, &c.Machines), other(&c, "calls", a.Calls, b.Calls, &c.Calls),
		other(&c, "castings", a.Castings, b.Castings, &c.Castings), other(&c, "vocabulary", a.Vocabulary, b.Vocabulary, &c.Vocabulary),
		other(&c, "rules", a.Rules, b.Rules, &c.Rules), other(&c, "returnSets", a.ReturnSets, b.ReturnSets, &c.Returns),
		other(&c, "sightlines", a.Sightlines, b.Sightlines, &c.Sightlines),
		c.rows(a.Instruments, b.Instruments),
	} {
		differs = differs || d
	}
	if !differs {
		return nil
	}
	return c
}

func same[T any](x, y *T) bool { return x == y || reflect.DeepEqual(x, y) }

// other keeps a list that differs.
func other[T any](c *Become, name string, a, b []*T, to *[]*T) bool {
	if slices.EqualFunc(a, b, same[T]) {
		return false
	}
	if *to = b; len(b) == 0 {
		c.empty(name)
	}
	return true
}

func (c *Become) empty(name string) {
	if c.Emptied == nil {
		c.Emptied = map[string]bool{}
	}
	c.Emptied[name] = true
}

func (c *Become) rows(a, b []*template.Instrument) bool {
	was := make(map[template.ID]*template.Instrument, len(a))
	for _, i := range a {
		was[i.ID] = i
	}
	for _, i := range b {
		if !same(was[i.ID], i) {
			c.Rows = append(c.Rows, i)
		}
	}
	alike := slices.EqualFunc(a, b, func(x, y *template.Instrument) bool { return x.ID == y.ID })
	if !alike {
		for _, i := range b {
			c.Order = append(c.Order, i.ID)
		}
		if len(b) == 0 {
			c.empty("instruments")
		}
	}
	return len(c.Rows) > 0 || !alike
}

func (c Become) apply(d *draft) (Change, error) {
	undo := Become{}
	if c.Name != nil {
		name := d.t.Name
		undo.Name, d.t.Name = &name, *c.Name
		d.lists[template.TheSettings] = true
	}
	if c.Settings != nil {
		set := d.t.Settings
		undo.Settings, d.t.Settings = &set, *c.Settings
		d.lists[template.TheSettings] = true
	}
	become(d, &c, &undo, "folds", template.Folds, &d.t.Folds, c.Folds, &undo.Folds)
	become(d, &c, &undo, "sections", template.Sections, &d.t.Sections, c.Sections, &undo.Sections)
	become(d, &c, &undo, "buses", template.Buses, &d.t.Buses, c.Buses, &undo.Buses)
	become(d, &c, &undo, "libraries", template.Libraries, &d.t.Libraries, c.Libraries, &undo.Libraries)
	become(d, &c, &undo, "players", template.Players, &d.t.Players, c.Players, &undo.Players)
	become(d, &c, &undo, "patches", template.Patches, &d.t.Patches, c.Patches, &undo.Patches)
	become(d, &c, &undo, "machines", template.Machines, &d.t.Machines, c.Machines, &undo.Machines)
	become(d, &c, &undo, "calls", template.Calls, &d.t.Calls, c.Calls, &undo.Calls)
	become(d, &c, &undo, "castings", template.Castings, &d.t.Castings, c.Castings, &undo.Castings)
	become(d, &c, &undo, "vocabulary", template.Vocabulary, &d.t.Vocabulary, c.Vocabulary, &undo.Vocabulary)
	become(d, &c, &undo, "rules", template.Rules, &d.t.Rules, c.Rules, &undo.Rules)
	become(d, &c, &undo, "returnSets", template.ReturnSets, &d.t.ReturnSets, c.Returns, &undo.Returns)
	become(d, &c, &undo, "sightlines", template.Sightlines, &d.t.Sightlines, c.Sightlines, &undo.Sightlines)
	if err := c.applyRows(d, &undo); err != nil {
		return nil, err
	}
	d.dropped = true // anything may be gone that others speak of
	return undo, nil
}

func become[T any](d *draft, c, undo *Become, name string, which template.List, list *[]*T, to []*T, back *[]*T) {
	if to == nil && !c.Emptied[name] {
		return
	}
	if *back = *list; len(*list) == 0 {
		*back = nil
		undo.empty(name)
	}
	*list = slices.Clone(to)
	if *list == nil {
		*list = []*T{}
	}
	d.lists[which] = true
}

func (c Become) applyRows(d *draft, undo *Become) error {
	if c.Rows == nil && c.Order == nil && !c.Emptied["instruments"] {
		return nil
	}
	old := make(map[template.ID]*template.Instrument, len(d.t.Instruments))
	rows := make(map[template.ID]*template.Instrument, len(d.t.Instruments))
	for _, i := range d.t.Instruments {
		old[i.ID], rows[i.ID] = i, i
	}
	for _, i := range c.Rows {
		if i == nil {
			return refuse("", "a row is missing")
		}
		rows[i.ID] = i.Clone()
	}
	order := c.Order
	if order == nil && !c.Emptied["instruments"] {
		for _, i := range d.t.Instruments {
			order = append(order, i.ID)
		}
	} else {
		for _, i := range d.t.Instruments {
			undo.Order = append(undo.Order, i.ID)
		}
		if len(undo.Order) == 0 {
			undo.empty("instruments")
		}
	}
	now := make([]*template.Instrument, 0, len(order))
	left := make(map[template.ID]bool, len(order))
	for _, id := range order {
		i := rows[id]
		if i == nil {
			return refuse(id, "the row to become is missing")
		}
		if left[id] = true; i != old[id] {
			d.added[id] = true
		}
		now = append(now, i)
	}
	for _, i := range d.t.Instruments {
		if !left[i.ID] || rows[i.ID] != i {
			undo.Rows = append(undo.Rows, i)
		}
	}
	d.setOrder(now)
	return nil
}
