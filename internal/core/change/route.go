package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// Wire is one connection as it should be: from an instrument or a bus to a
// bus, with a level, or not at all.
type Wire struct {
	From  template.ID  `json:"from"`
	To    template.ID  `json:"to"`
	Level *WireSetting `json:"level,omitempty"` // nil disconnects
}

// WireSetting is the gain and tap of a connection.
type WireSetting struct {
	GainDB float64      `json:"gainDb"` // dB
	Tap    template.Tap `json:"tap"`
	Hand   bool         `json:"hand,omitempty"` // a send level set by hand
	At     template.At  `json:"at,omitempty"`
}

// Connect makes, changes and removes connections.
type Connect struct {
	Wires []Wire `json:"wires"`
}

// Kind implements Change.
func (Connect) Kind() string { return "connect" }

// Keys implements Change.
func (c Connect) Keys() []Key {
	keys := make([]Key, len(c.Wires))
	for i, w := range c.Wires {
		keys[i] = Key{Object: w.From, Field: "route/" + string(w.To)}
	}
	return keys
}

func (c Connect) apply(d *draft) (Change, error) {
	undo := Connect{Wires: make([]Wire, 0, len(c.Wires))}
	for _, w := range c.Wires {
		routes, err := d.routes(w.From)
		if err != nil {
			return nil, err
		}
		undo.Wires = append(undo.Wires, Wire{From: w.From, To: w.To, Level: levelOf(*routes, w.To)})
		*routes = slices.DeleteFunc(*routes, func(r template.Route) bool { return r.To == w.To })
		if w.Level != nil {
			*routes = template.SortRoutes(append(*routes, template.Route{To: w.To, GainDB: w.Level.GainDB, Tap: w.Level.Tap, Hand: w.Level.Hand, At: w.Level.At}))
		}
	}
	slices.Reverse(undo.Wires)
	return undo, nil
}

// ToSpeakers takes an instrument out of everything it feeds and sends it
// straight to the speakers, as guides are.
func ToSpeakers(t *template.Template, i *template.Instrument) Connect {
	var c Connect
	for _, r := range i.Routes {
		c.Wires = append(c.Wires, Wire{From: i.ID, To: r.To})
	}
	if b := t.TheSpeakers(); b != nil {
		c.Wires = append(c.Wires, Wire{From: i.ID, To: b.ID, Level: &WireSetting{Tap: template.Post}})
	}
	return c
}

func levelOf(routes []template.Route, to template.ID) *WireSetting {
	for _, r := range routes {
		if r.To == to {
			return &WireSetting{GainDB: r.GainDB, Tap: r.Tap, Hand: r.Hand, At: r.At}
		}
	}
	return nil
}

// AssignStem sends instruments to a stem: each goes, at 0 dB after its fader,
// to the group that feeds the stem and already serves its section, else to
// the stem's first group, else to the stem itself. Its former ways to other
// groups and stems are taken away; sends to returns stay.
type AssignStem struct {
	IDs  []template.ID `json:"ids"`
	Stem template.ID   `json:"stem"`
}

// Kind implements Change.
func (AssignStem) Kind() string { return "assign-stem" }

// Keys implements Change: all routes of the instruments.
func (c AssignStem) Keys() []Key { return fieldKeys(c.IDs, "route") }

func (c AssignStem) apply(d *draft) (Change, error) {
	stem, err := d.look(c.Stem)
	if err != nil {
		return nil, err
	}
	if !stem.Kind.Is().Stem {
		return nil, refuse(c.Stem, "%q is a %s, not a stem", stem.Name, stem.Kind)
	}
	kinds := make(map[template.ID]template.BusKind, len(d.t.Buses))
	for _, b := range d.t.Buses {
		kinds[b.ID] = b.Kind
	}
	groups := GroupsInto(d.t, c.Stem)
	var wires Connect
	for _, id := range c.IDs {
		i, err := d.instrument(id)
		if err != nil {
			return nil, err
		}
		if i.Kind == template.Guide {
			return nil, refuse(id, "%q is a guide; guides go straight to the speakers and are in no stem", i.Name)
		}
		to := groups.Serving(i.Section, c.Stem)
		for _, r := range i.Routes {
			if r.To != to && !kinds[r.To].Is().Sends {
				wires.Wires = append(wires.Wires, Wire{From: id, To: r.To})
			}
		}
		wires.Wires = append(wires.Wires, Wire{From: id, To: to, Level: &WireSetting{Tap: template.Post}})
	}
	return wires.apply(d)
}

// Groups knows the groups that feed one stem and whom they serve.
type Groups struct {
	first     template.ID
	bySection map[template.ID]template.ID
}

// GroupsInto finds the groups that feed a stem.
func GroupsInto(t *template.Template, stem template.ID) Groups {
	g := Groups{bySection: map[template.ID]template.ID{}}
	feeds := map[template.ID]bool{}
	for _, b := range t.Buses {
		if b.Kind.Is().Sums && levelOf(b.Routes, stem) != nil {
			feeds[b.ID] = true
			if g.first == "" {
				g.first = b.ID
			}
		}
	}
	for _, i := range t.Instruments {
		for _, r := range i.Routes {
			if _, taken := g.bySection[i.Section]; feeds[r.To] && !taken {
				g.bySection[i.Section] = r.To
			}
		}
	}
	return g
}

// Serving is the group that serves a section already, else the first, else the
// stem itself.
func (g Groups) Serving(section, stem template.ID) template.ID {
	if group, ok := g.bySection[section]; ok {
		return group
	}
	if g.first != "" {
		return g.first
	}
	return stem
}
