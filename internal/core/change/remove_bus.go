package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// RemoveBus disconnects everything from a bus and drops it. What fed it goes
// to another bus instead, if one is named, at the level it had there through
// this bus; a stem's rules then name that stem, or go with it.
type RemoveBus struct {
	ID     template.ID `json:"id"`
	Onward template.ID `json:"onward,omitempty"` // a bus that takes over what fed it
}

// Kind implements Change.
func (RemoveBus) Kind() string { return "remove-bus" }

// Keys implements Change.
func (c RemoveBus) Keys() []Key { return []Key{{Object: c.ID}, inList(template.Buses, c.ID)} }

func (c RemoveBus) apply(d *draft) (Change, error) {
	bus, err := d.look(c.ID)
	if err != nil {
		return nil, err
	}
	if is := bus.Kind.Is(); is.Only {
		return nil, refuse(c.ID, "the %s cannot be removed: every template has one", is.Words)
	}
	var to *template.Bus
	if c.Onward != "" {
		if to, err = d.look(c.Onward); err != nil {
			return nil, err
		}
	}
	var wires Connect
	move := func(from template.ID, routes []template.Route) {
		level := levelOf(routes, c.ID)
		if level == nil {
			return
		}
		wires.Wires = append(wires.Wires, Wire{From: from, To: c.ID})
		if to != nil && from != to.ID && levelOf(routes, to.ID) == nil {
			wires.Wires = append(wires.Wires, Wire{From: from, To: to.ID, Level: through(bus, *level, to)})
		}
	}
	for _, i := range d.t.Instruments {
		move(i.ID, i.Routes)
	}
	for _, b := range d.t.Buses {
		move(b.ID, b.Routes)
	}
	return Batch{Changes: []Change{wires, c.rules(d, to), Drop{Buses: []template.ID{c.ID}}}}.apply(d)
}

// through is the level of a way past a bus that goes: what it was through the
// bus, if the bus fed the other after its fader.
func through(bus *template.Bus, level WireSetting, to *template.Bus) *WireSetting {
	on := levelOf(bus.Routes, to.ID)
	if on == nil || bus.Processed() {
		return &WireSetting{GainDB: level.GainDB, Tap: level.Tap}
	}
	db := level.GainDB + on.GainDB
	if on.Tap == template.Post {
		db += bus.GainDB
	}
	return &WireSetting{GainDB: min(template.MaxGainDB, max(template.MinGainDB, db)), Tap: level.Tap}
}

// rules gives the rules of a stem that goes to the one that takes over.
func (c RemoveBus) rules(d *draft, to *template.Bus) Change {
	var kept []*template.StemRule
	for _, r := range d.t.Rules {
		if r.Stem == c.ID && (to == nil || !to.Kind.Is().Stem) {
			continue
		}
		if r.Stem == c.ID {
			other := *r
			other.Stem = to.ID
			r = &other
		}
		kept = append(kept, r)
	}
	if slices.Equal(kept, d.t.Rules) {
		return Batch{}
	}
	return SetRules{Rules: kept}
}
