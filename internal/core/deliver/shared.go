package deliver

import (
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Shared is a return that carries the sound of several stems which carry their
// own wet sound, so that they cannot be delivered apart.
type Shared struct {
	Return *template.Bus
	Stems  []*template.Bus // in bus order
}

// SharedReturns finds the returns fed by several stems of a fold. Stems
// delivered dry count as the stem that carries their returns, so that those
// with one home share.
func SharedReturns(t *template.Template, f *fan.Fan, fold template.ID) []Shared {
	fed := map[*template.Bus]map[*template.Bus]bool{}
	homes := homesOf(t)
	var stems []*template.Bus
	for n, i := range t.Instruments {
		if !i.Played() {
			continue
		}
		reach := f.FromRow(n)
		stems = nil
		for _, r := range reach {
			b := f.Bus(r)
			if !b.Kind.Is().Wet() {
				continue
			}
			if stems == nil {
				stems = f.StemsIn(reach, fold)
			}
			if fed[b] == nil {
				fed[b] = map[*template.Bus]bool{}
			}
			for _, s := range stems {
				fed[b][homes(s)] = true
			}
		}
	}
	var out []Shared
	for _, b := range t.Buses {
		if len(fed[b]) < 2 {
			continue
		}
		x := Shared{Return: b}
		for _, s := range t.Buses {
			if fed[b][s] {
				x.Stems = append(x.Stems, s)
			}
		}
		out = append(out, x)
	}
	return out
}

// homesOf looks up the stem that carries a stem's returns; one without such a
// home is its own.
func homesOf(t *template.Template) func(*template.Bus) *template.Bus {
	known := map[*template.Bus]*template.Bus{}
	return func(s *template.Bus) *template.Bus {
		home, ok := known[s]
		if !ok {
			if home = t.WetHome(s); home == nil {
				home = s
			}
			known[s] = home
		}
		return home
	}
}

// splitShared splits every return that is shared.
func splitShared(t *template.Template) (change.Change, error) {
	if len(t.Folds) == 0 {
		return nil, nil
	}
	f := fan.New(t)
	s := &steps{t: t}
	for _, x := range SharedReturns(t, f, t.Folds[0].ID) {
		s.then(func(t *template.Template) (change.Change, error) { return Split(t, fan.New(t), t.Folds[0].ID, x), nil })
	}
	if len(s.done) == 0 {
		return nil, s.err
	}
	return s.batch("Split returns")
}

// Split makes one return with the same settings for each stem: the first stem
// keeps the return, and every other gets its own, named after it. Sends of
// buses that feed only one stem move along with it.
func Split(t *template.Template, f *fan.Fan, fold template.ID, x Shared) change.Change {
	b := x.Return
	var puts change.Put
	var wires change.Connect
	own := map[*template.Bus]template.ID{} // stem → its return
	number := numberer(t)
	for n, stem := range x.Stems {
		c := b.Clone()
		if n > 0 {
			c.ID = template.ID(fmt.Sprintf("%s-%s", b.ID, stem.ID))
			if len(c.ID) > 64 {
				c.ID = c.ID[len(c.ID)-64:]
			}
			c.Number = number(c)
		}
		c.Name = shorten(b.Name + ", " + stem.Name)
		c.Routes = []template.Route{{To: stem.ID, Tap: template.Post}}
		own[stem] = c.ID
		puts.Buses = append(puts.Buses, change.Append(c))
	}
	homes := homesOf(t)
	rewire := func(from template.ID, routes []template.Route, stem *template.Bus) {
		for _, r := range routes {
			if to := own[homes(stem)]; r.To == b.ID && to != "" && to != b.ID {
				wires.Wires = append(wires.Wires,
					change.Wire{From: from, To: b.ID},
					change.Wire{From: from, To: to, Level: &change.WireSetting{GainDB: r.GainDB, Tap: r.Tap, Hand: r.Hand}})
			}
		}
	}
	for n, i := range t.Instruments {
		if stems := f.StemsIn(f.FromRow(n), fold); len(stems) > 0 {
			rewire(i.ID, i.Routes, stems[0])
		}
	}
	for _, bus := range t.Buses {
		reach := f.FromBus(bus.ID)
		at := slices.IndexFunc(reach, func(r fan.Reach) bool {
			to := f.Bus(r)
			return to.Kind.Is().Stem && to.Fold == fold && r.Chain == fan.Dry
		})
		if at >= 0 {
			rewire(bus.ID, bus.Routes, f.Bus(reach[at]))
		}
	}
	return change.Batch{Label: "Split " + b.Name, Changes: []change.Change{puts, wires}}
}
