package fan

import (
	"cmp"
	"slices"

	"fanfold/internal/core/template"
)

// Arrival is one source arriving at a bus over one chain.
type Arrival struct {
	Instrument *template.Instrument
	Chain      ChainID
	Ways       int
	Gain       float64 // linear
}

// Arriving returns everything that reaches a bus, in score order.
func (f *Fan) Arriving(bus template.ID) []Arrival {
	b, ok := f.place[bus]
	if !ok {
		return nil
	}
	var out []Arrival
	for _, i := range f.t.ScoreOrder() {
		for _, r := range f.FromInstrument(i) {
			if r.Bus == b {
				out = append(out, Arrival{Instrument: i, Chain: r.Chain, Ways: int(r.Ways), Gain: r.Gain})
			}
		}
	}
	return out
}

// Ribbon is a flow between two places of the routing picture: from a section
// (all of its own instruments gathered) or a bus, to a bus.
type Ribbon struct {
	From, To   template.ID
	Count      int  // instruments in it
	Send       bool // it leads to a return
	LowDB      float64
	HighDB     float64 // differs from LowDB when instruments differ
	Tap        template.Tap
	Instrument template.ID // set when exactly one instrument flows
}

// Picture is the routing of a template gathered for drawing.
type Picture struct {
	Sections map[template.ID]int // own instruments with routes, by section
	Buses    map[template.ID]int // instruments that reach each bus
	Ribbons  []Ribbon
}

// Picture gathers the graph by section.
func (f *Fan) Picture() Picture {
	p := Picture{Sections: map[template.ID]int{}, Buses: map[template.ID]int{}}
	ribbons := map[[2]template.ID]*Ribbon{}
	for n, i := range f.t.Instruments {
		if len(i.Routes) == 0 {
			continue
		}
		p.Sections[i.Section]++
		for _, r := range i.Routes {
			f.gather(ribbons, i, r)
		}
		last := int32(-1)
		reach := slices.Clone(f.rows[n])
		slices.SortFunc(reach, func(a, b Reach) int { return cmp.Compare(a.Bus, b.Bus) })
		for _, r := range reach {
			if r.Bus != last {
				p.Buses[f.t.Buses[r.Bus].ID]++
				last = r.Bus
			}
		}
	}
	for _, b := range f.t.Buses {
		for _, r := range b.Routes {
			to := f.t.Buses[f.place[r.To]]
			ribbons[[2]template.ID{b.ID, r.To}] = &Ribbon{
				From: b.ID, To: r.To, Count: p.Buses[b.ID], Send: to.Kind == template.Return,
				LowDB: r.GainDB, HighDB: r.GainDB, Tap: r.Tap,
			}
		}
	}
	for _, r := range ribbons {
		p.Ribbons = append(p.Ribbons, *r)
	}
	slices.SortFunc(p.Ribbons, func(a, b Ribbon) int {
		return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To))
	})
	return p
}

func (f *Fan) gather(ribbons map[[2]template.ID]*Ribbon, i *template.Instrument, r template.Route) {
	key := [2]template.ID{i.Section, r.To}
	ribbon := ribbons[key]
	if ribbon == nil {
		ribbon = &Ribbon{
			From: i.Section, To: r.To, Send: f.t.Buses[f.place[r.To]].Kind == template.Return,
			LowDB: r.GainDB, HighDB: r.GainDB, Tap: r.Tap, Instrument: i.ID,
		}
		ribbons[key] = ribbon
	} else {
		ribbon.Instrument = ""
	}
	ribbon.Count++
	ribbon.LowDB = min(ribbon.LowDB, r.GainDB)
	ribbon.HighDB = max(ribbon.HighDB, r.GainDB)
}
