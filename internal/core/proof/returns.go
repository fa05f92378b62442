package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// sharedReturns finds returns that bear the sound of several stems: those
// stems can not be delivered apart.
func sharedReturns(s *subject) []Mark {
	fed := map[*template.Bus][]*template.Bus{} // return → dry stems of what feeds it
	for n := range s.t.Instruments {
		for _, r := range s.fan.FromRow(n) {
			b := s.fan.Bus(r)
			if b.Kind != template.Return {
				continue
			}
			for _, stem := range s.stems[n] {
				if !slices.Contains(fed[b], stem) {
					fed[b] = append(fed[b], stem)
				}
			}
		}
	}
	var out []Mark
	for _, b := range s.t.Buses {
		stems := fed[b]
		if len(stems) < 2 {
			continue
		}
		var names []string
		for _, stem := range s.t.StemsOf(s.fold.ID) {
			if slices.Contains(stems, stem) {
				names = append(names, stem.Name)
			}
		}
		out = append(out, Mark{
			Subject: b.ID, Name: b.Name,
			Message:  fmt.Sprintf("%s is shared by %s", b.Name, list(names)),
			Remedies: []Remedy{{Label: "Split it, one return for each stem", Build: func() (change.Change, error) { return s.split(b, stems), nil }}},
		})
	}
	return out
}

// split makes one return with the same settings for each stem: the first
// stem keeps the return, and every other gets its own, named after it. Sends
// of buses that feed only one stem move along with it.
func (s *subject) split(b *template.Bus, stems []*template.Bus) change.Change {
	var puts change.Put
	var wires change.Connect
	own := map[template.ID]template.ID{} // stem → its return
	for n, stem := range stems {
		c := b.Clone()
		if n > 0 {
			c.ID = template.ID(fmt.Sprintf("%s-%s", b.ID, stem.ID))
			if len(c.ID) > 64 {
				c.ID = c.ID[len(c.ID)-64:]
			}
		}
		c.Name = b.Name + ", " + stem.Name
		c.Routes = []template.Route{{To: stem.ID, Tap: template.Post}}
		own[stem.ID] = c.ID
		puts.Buses = append(puts.Buses, change.Append(c))
	}
	rewire := func(from template.ID, routes []template.Route, stem *template.Bus) {
		for _, r := range routes {
			if r.To == b.ID && own[stem.ID] != b.ID {
				wires.Wires = append(wires.Wires,
					change.Wire{From: from, To: b.ID},
					change.Wire{From: from, To: own[stem.ID], Level: &change.WireSetting{GainDB: r.GainDB, Tap: r.Tap}})
			}
		}
	}
	for n, i := range s.t.Instruments {
		if len(s.stems[n]) > 0 {
			rewire(i.ID, i.Routes, s.stems[n][0])
		}
	}
	for _, bus := range s.t.Buses {
		for _, r := range s.fan.FromBus(bus.ID) {
			if to := s.fan.Bus(r); to.Kind == template.Stem && to.Fold == s.fold.ID && r.Chain == 0 {
				rewire(bus.ID, bus.Routes, to)
				break
			}
		}
	}
	return change.Batch{Label: "Split " + b.Name, Changes: []change.Change{puts, wires}}
}
