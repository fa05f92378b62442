// Package coretest makes templates for tests: small ones by hand, large ones
// by figures, and random ones for properties.
package coretest

import (
	"fmt"
	"sync/atomic"

	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
)

// Orchestra returns a wired, unseated template with n sampled instruments in
// sixteen sections, stems and groups, and machines of 128 GiB and 24 cores.
func Orchestra(n, machines int) *template.Template {
	tops := []string{"Winds", "Brass", "Percussion", "Strings"}
	var rows []intake.Row
	for i := range n {
		top, sub := tops[i%4], i/4%4
		size := float64(50 + i*37%400)
		rows = append(rows, intake.Row{
			Line: i + 2, Section: fmt.Sprintf("%s / %s %d", top, top, sub+1), Instrument: fmt.Sprintf("%s %d", top, i),
			Articulations: []string{"long", "short"}, Library: top + " library", Stem: fmt.Sprintf("%s stem %d", top, sub+1),
			Group: fmt.Sprintf("%s group %d", top, sub+1), PreloadMiB: &size,
		})
	}
	t := template.New("template-1", "Test")
	batch, _, problems := intake.Plan(t, rows, intake.Sequence(), intake.StandardDefaults())
	if len(problems) > 0 {
		panic(problems[0].Reason)
	}
	var put change.Put
	for m := range machines {
		put.Machines = append(put.Machines, change.Append(&template.Machine{
			ID: template.ID(fmt.Sprintf("machine-%d", m+1)), Name: fmt.Sprintf("Machine %d", m+1),
			MemoryMiB: 128 * 1024, ReserveMiB: 8 * 1024, Cores: 24, DiskMiBs: 1000,
		}))
	}
	return Must(t, batch, put)
}

var minted atomic.Int64

// Mint makes IDs that meet none made here before.
func Mint() template.Mint {
	return func(kind string) template.ID { return template.ID(fmt.Sprintf("made-%s-%d", kind, minted.Add(1))) }
}

// Must applies changes that cannot fail.
func Must(t *template.Template, changes ...change.Change) *template.Template {
	for _, c := range changes {
		after, _, err := change.Apply(t, c)
		if err != nil {
			panic(err)
		}
		t = after
	}
	return t
}

// Large returns a template of n instruments and about as many buses as given,
// with a send from every instrument to one of the returns.
func Large(n, buses int) *template.Template {
	t := Orchestra(n, max(1, n/400))
	var put change.Put
	stems := t.StemsOf(t.Folds[0].ID)
	for b := len(t.Buses); b < buses; b++ {
		put.Buses = append(put.Buses, change.Append(&template.Bus{
			ID: template.ID(fmt.Sprintf("return-%d", b)), Kind: template.Return, Name: fmt.Sprintf("Hall %d", b), Process: "hall",
			Routes: []template.Route{{To: stems[b%len(stems)].ID, Tap: template.Post}},
		}))
	}
	t = Must(t, put)
	stemOf := map[template.ID][]template.ID{}
	for _, b := range t.Buses {
		if b.Kind == template.Return {
			stemOf[b.Routes[0].To] = append(stemOf[b.Routes[0].To], b.ID)
		}
	}
	var sends change.Connect
	for n, i := range t.Instruments {
		group := t.Index().Buses[i.Routes[0].To]
		if returns := stemOf[group.Routes[0].To]; len(returns) > 0 {
			sends.Wires = append(sends.Wires, change.Wire{From: i.ID, To: returns[n/16%len(returns)], Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}})
		}
	}
	return Must(t, sends)
}

// Any draws a random change of a template, most of which can be applied.
func Any(t *template.Template) *rapid.Generator[change.Change] {
	instrument := rapid.Custom(func(r *rapid.T) template.ID {
		return rapid.SampledFrom(t.Instruments).Draw(r, "instrument").ID
	})
	some := rapid.SliceOfNDistinct(instrument, 1, min(6, len(t.Instruments)), rapid.ID[template.ID])
	bus := rapid.Custom(func(r *rapid.T) *template.Bus { return rapid.SampledFrom(t.Buses).Draw(r, "bus") })
	return rapid.Custom(func(r *rapid.T) change.Change {
		ids := some.Draw(r, "ids")
		switch rapid.IntRange(0, 10).Draw(r, "kind") {
		case 0:
			return change.Delete{IDs: ids}
		case 1:
			return change.Move{IDs: ids, Section: rapid.SampledFrom(t.Sections).Draw(r, "section").ID}
		case 2:
			return change.Move{IDs: ids, Section: rapid.SampledFrom(t.Sections).Draw(r, "section").ID, Before: instrument.Draw(r, "before")}
		case 3:
			var e change.Edit
			for _, id := range ids {
				name, notes := rapid.StringMatching(`[A-Z][a-z]{1,8}`).Draw(r, "name"), rapid.String().Draw(r, "notes")
				gain := rapid.Float64Range(-20, 6).Draw(r, "gain")
				e.Edits = append(e.Edits, change.Fields{ID: id, Name: &name, Notes: &notes, GainDB: &gain})
			}
			return e
		case 4:
			level := &change.WireSetting{GainDB: rapid.Float64Range(-20, 6).Draw(r, "gain"), Tap: template.Post}
			if rapid.Bool().Draw(r, "cut") {
				level = nil
			}
			return change.Connect{Wires: []change.Wire{{From: ids[0], To: bus.Draw(r, "to").ID, Level: level}, {From: bus.Draw(r, "from").ID, To: bus.Draw(r, "to").ID, Level: level}}}
		case 5:
			return change.AssignStem{IDs: ids, Stem: bus.Draw(r, "stem").ID}
		case 6:
			var s change.Seat
			for n, id := range ids {
				s.Seats = append(s.Seats, change.Seating{ID: id, Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: n + 1, Pair: 2}})
			}
			return s
		case 8:
			return Again(t, ids[0])
		case 9:
			alone := template.ID("")
			e := change.Edit{}
			for _, i := range t.Instruments {
				if i.With != "" {
					e.Edits = append(e.Edits, change.Fields{ID: i.ID, With: &alone})
				}
			}
			return e
		case 7:
			return change.RemoveBus{ID: bus.Draw(r, "bus").ID}
		default:
			b := bus.Draw(r, "bus").Clone()
			b.Name, b.GainDB = "Renamed", rapid.Float64Range(-6, 6).Draw(r, "gain")
			return change.Batch{Label: "two", Changes: []change.Change{
				change.Put{Buses: []change.Entry[template.Bus]{change.Append(b)}, Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "call-x", Name: "X", Instruments: ids})}},
				change.Delete{IDs: ids[:1]},
			}}
		}
	})
}

// Again is another row on the seat of a row.
func Again(t *template.Template, id template.ID) change.Change {
	i := t.Instrument(id)
	c := i.Clone()
	c.ID, c.Name, c.With = Mint()("again"), i.Name+" again", t.Home(i).ID
	return change.Add{Instruments: []change.Placed{{At: t.Index().Place[id] + 1, Instrument: c}}}
}

// Folds gives a template as many folds as asked, by splitting the space between
// the finest and the next: every new fold has a stem for each fine one.
func Folds(t *template.Template, folds int) *template.Template {
	for n := len(t.Folds); n < folds; n++ {
		fold := &template.Fold{ID: template.ID(fmt.Sprintf("fold-split-%d", n)), Name: fmt.Sprintf("split %d", n)}
		put := change.Put{Folds: []change.Entry[template.Fold]{{At: 1, Value: fold}}}
		var wires change.Connect
		for _, b := range t.StemsOf(t.Folds[0].ID) {
			c := &template.Bus{ID: template.ID(fmt.Sprintf("%s-split-%d", b.ID, n)), Kind: template.Stem, Name: b.Name, Fold: fold.ID, Section: b.Section, Routes: append([]template.Route{}, b.Routes...)}
			put.Buses = append(put.Buses, change.Append(c))
			for _, r := range b.Routes {
				wires.Wires = append(wires.Wires, change.Wire{From: b.ID, To: r.To})
			}
			wires.Wires = append(wires.Wires, change.Wire{From: b.ID, To: c.ID, Level: &change.WireSetting{Tap: template.Post}})
		}
		t = Must(t, put, wires)
	}
	return t
}

// Connected returns a template with about as many connections as asked, ten for
// each instrument: a group, and sends to nine returns of its stem.
func Connected(ways int) *template.Template {
	t := Orchestra(ways/10, 1)
	var put change.Put
	returns := map[template.ID][]template.ID{}
	for _, stem := range t.StemsOf(t.Folds[0].ID) {
		for n := range 9 {
			b := &template.Bus{ID: template.ID(fmt.Sprintf("%s-return-%d", stem.ID, n)), Kind: template.Return, Name: fmt.Sprintf("%s return %d", stem.Name, n), Process: "hall", Routes: []template.Route{{To: stem.ID, Tap: template.Post}}}
			put.Buses = append(put.Buses, change.Append(b))
			returns[stem.ID] = append(returns[stem.ID], b.ID)
		}
	}
	var sends change.Connect
	for _, i := range t.Instruments {
		stem := t.Index().Buses[i.Routes[0].To].Routes[0].To
		for _, to := range returns[stem] {
			sends.Wires = append(sends.Wires, change.Wire{From: i.ID, To: to, Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}})
		}
	}
	return Must(t, put, sends)
}
