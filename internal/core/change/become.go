package change

import (
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
	var keys []Key
	if c.Settings != nil || c.Name != nil {
		keys = append(keys, ofList(template.TheSettings))
	}
	for _, n := range nouns {
		keys = append(keys, n.becomeKeys(&c)...)
	}
	for _, x := range c.Rows {
		if x != nil {
			keys = append(keys, Key{Object: x.ID})
		}
	}
	if c.Order != nil || c.Emptied[template.Instruments.Noun().Key] {
		keys = append(keys, ofList(template.Instruments))
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
	for _, n := range nouns {
		if n.between(&c, a, b) {
			differs = true
		}
	}
	if c.rows(a.Instruments, b.Instruments) {
		differs = true
	}
	if !differs {
		return nil
	}
	return c
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
		if was[i.ID] != i && !i.Like(was[i.ID]) {
			c.Rows = append(c.Rows, i)
		}
	}
	alike := slices.EqualFunc(a, b, func(x, y *template.Instrument) bool { return x.ID == y.ID })
	if !alike {
		for _, i := range b {
			c.Order = append(c.Order, i.ID)
		}
		if len(b) == 0 {
			c.empty(template.Instruments.Noun().Key)
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
	for _, n := range nouns {
		n.become(d, &c, &undo)
	}
	if err := c.applyRows(d, &undo); err != nil {
		return nil, err
	}
	d.dropped = true // anything may be gone that others speak of
	return undo, nil
}

func (c Become) applyRows(d *draft, undo *Become) error {
	if c.Rows == nil && c.Order == nil && !c.Emptied[template.Instruments.Noun().Key] {
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
	if order == nil && !c.Emptied[template.Instruments.Noun().Key] {
		for _, i := range d.t.Instruments {
			order = append(order, i.ID)
		}
	} else {
		for _, i := range d.t.Instruments {
			undo.Order = append(undo.Order, i.ID)
		}
		if len(undo.Order) == 0 {
			undo.empty(template.Instruments.Noun().Key)
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
