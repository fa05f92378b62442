package coretest

import (
	"fmt"

	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Anything draws a random change of any kind, of any field of any noun; many can
// not be applied. kinds lists what it can draw, by the kind of the change.
func Anything(t *template.Template) *rapid.Generator[change.Change] {
	return rapid.Custom(func(r *rapid.T) change.Change {
		d := drawing{r, t}
		kind := rapid.SampledFrom(change.Kinds()).Draw(r, "kind")
		return d.change(kind)
	})
}

// Spare puts things that nothing speaks of, so that they can be dropped.
func Spare() change.Change {
	return change.Put{
		Sections: entry(&template.Section{ID: "section-x", Name: "Empty"}),
		Calls:    entry(&template.Call{ID: "call-x", Name: "1M05", Instruments: []template.ID{}}),
		Terms:    entry(&template.Term{ID: "term-x", Name: "whistled", Short: "wh.", Family: template.Long}),
		Castings: entry(&template.CastingList{ID: "casting-x", Name: "First choice", Version: 1}),
	}
}

// drawing draws parts of changes of one template.
type drawing struct {
	*rapid.T
	t *template.Template
}

func pick[T any](d drawing, list []T, what string) T {
	if len(list) == 0 {
		var none T
		return none
	}
	return rapid.SampledFrom(list).Draw(d.T, what)
}

func (d drawing) bool(what string) bool { return rapid.Bool().Draw(d.T, what) }

func (d drawing) int(low, high int, what string) int {
	return rapid.IntRange(low, high).Draw(d.T, what)
}

func (d drawing) figure(low, high float64, what string) float64 {
	return rapid.Float64Range(low, high).Draw(d.T, what)
}

func (d drawing) row() *template.Instrument { return pick(d, d.t.Instruments, "row") }

func (d drawing) rows() []template.ID {
	ids := rapid.SliceOfNDistinct(rapid.Custom(func(r *rapid.T) template.ID { return rapid.SampledFrom(d.t.Instruments).Draw(r, "row").ID }), 1, 4, rapid.ID[template.ID])
	return ids.Draw(d.T, "rows")
}

func (d drawing) seat() *template.Seat {
	if d.int(0, 5, "unseat") == 0 {
		return nil
	}
	return &template.Seat{Machine: d.machine(), Riser: d.int(1, 7, "riser"), Port: d.int(1, 9, "port"), Channel: d.int(1, 3, "channel"), Pair: d.int(1, 3, "pair")}
}

func (d drawing) level() *change.WireSetting {
	if d.int(0, 3, "cut") == 0 {
		return nil
	}
	return &change.WireSetting{GainDB: d.figure(-20, 6, "gain"), Tap: pick(d, []template.Tap{template.Pre, template.Post}, "tap"), Hand: d.bool("hand")}
}

func (d drawing) map_() []template.Mapping {
	var out []template.Mapping
	for _, a := range []string{"long", "short"}[:d.int(0, 2, "mappings")] {
		out = append(out, template.Mapping{Articulation: a, Switches: []template.Switch{{Kind: template.ByKey, Number: d.int(20, 40, "switch")}}})
	}
	return out
}

// name is often one that is in use.
func (d drawing) name() string {
	return pick(d, append([]string{"Fresh", "Other", "Mix"}, d.row().Name), "name")
}

func at[T any](x T) *T { return &x }

// Fields draws new values of one field of a row.
func (d drawing) fields() change.Fields {
	f := change.Fields{ID: d.row().ID}
	key := pick(d, template.RowFields, "field").Key
	switch key {
	case "name":
		f.Name = at(d.name())
	case "nameByHand":
		f.NameByHand = at(d.bool(key))
	case "short":
		f.Short = at(d.name())
	case "shortByHand":
		f.ShortByHand = at(d.bool(key))
	case "kind":
		f.Kind = at(pick(d, template.Kinds, key))
	case "articulations":
		f.Articulations = at([]string{"long", "pizzicato"}[:d.int(0, 2, key)])
	case "patches":
		row := d.row()
		f.Patches = at(row.Patches[:min(len(row.Patches), d.int(0, 1, key))])
	case "mics":
		f.Mics = at([]string{"Close", "Hall"}[:d.int(0, 2, key)])
	case "map":
		f.Map = at(d.map_())
	case "layout", "spread":
		f.Layout, f.Spread = at(template.SpreadOut), at(template.ID("set"))
		if d.bool("alone") {
			f.Layout, f.Spread = at(pick(d, []template.Layout{template.Switched, template.Performed}, key)), at(template.ID(""))
		}
	case "colour":
		f.Colour = at(pick(d, append([]string{""}, template.Tints...), key))
	case "emblem":
		f.Emblem = &template.Emblem{Icon: pick(d, append([]string{""}, template.Icons...), key)}
	case "notes":
		f.Notes = at(rapid.StringN(0, 9, 20).Draw(d.T, key))
	case "gainDb":
		f.GainDB = at(d.figure(-20, 6, key))
	case "levelTrimDb":
		f.LevelTrimDB = at(d.figure(-20, 6, key))
	case "pan":
		f.Pan = at(d.figure(-1, 1, key))
	case "layerTrims":
		f.LayerTrims = at([]template.LayerTrim{{Patch: pick(d, d.t.Patches, key).ID, DB: d.figure(-9, 3, key)}}[:d.int(0, 1, "layers")])
	case "upbeat":
		f.Upbeat = at([]template.Controller{{Number: 1, Value: d.int(0, 127, key)}, {Number: 91, Value: 3}}[:d.int(0, 2, "controllers")])
	case "heard":
		f.Heard = &template.Heard{By: pick(d, []template.HeardBy{"", template.ByStandIn}, key), On: "2026-01-02T03:04:05Z", Levels: [3]float64{-40, d.figure(-30, -10, "middle"), -8}, Peak: -3, Noise: -90, Of: "1z", Thirds: make([]float64, 30)}
	case "stemByHand":
		f.StemByHand = at(d.bool(key))
	case "style":
		f.Style = &template.SeatStyle{OwnPair: d.bool(key)}
	case "seatByHand":
		f.SeatByHand = at(d.bool(key))
	case "with":
		f.With = at(template.ID(""))
	case "pinned":
		f.Pinned = at(d.bool(key))
	case "keep":
		f.Keep = at(d.bool(key))
	case "aside":
		f.Aside = at(d.bool(key))
	case "printed":
		f.Printed = &template.Printed{File: pick(d, []string{"", "take.wav"}, key), Seconds: 3}
	case "trim":
		f.Trim = &template.Trim{Call: pick(d, []template.ID{"", "call-x"}, key), Patches: []template.TrimmedPatch{{Patch: pick(d, d.t.Patches, "patch").ID, MiB: d.figure(0, 40, "mib")}}}
	default: // section, routes and seat are set by changes of their own
		f.Notes = at("none of its own")
	}
	return f
}

func entry[T any](x *T) []change.Entry[T] { return []change.Entry[T]{change.Append(x)} }

// put draws a thing of one noun, new or other than it was.
func (d drawing) put() change.Put {
	switch d.int(0, 9, "noun") {
	case 0:
		x := *pick(d, d.t.Folds, "fold")
		x.Name = d.name()
		return change.Put{Folds: entry(&x)}
	case 1:
		x := *pick(d, d.t.Sections, "section")
		x.Name, x.Tint = d.name(), pick(d, append([]string{""}, template.Tints...), "tint")
		x.Depth = pick(d, template.Depths, "depth")
		if d.bool("move") {
			x.Parent = pick(d, d.t.Sections, "parent").ID
		}
		if d.bool("new") {
			x.ID = "section-x"
		}
		return change.Put{Sections: entry(&x)}
	case 2:
		return change.Put{Buses: entry(d.bus())}
	case 3:
		x := *pick(d, d.t.Libraries, "library")
		x.Name, x.Machines = d.name(), []string{"Machine 1", "Machine 9"}[:d.int(0, 2, "installed")]
		return change.Put{Libraries: entry(&x)}
	case 4:
		x := *pick(d, d.t.Players, "player")
		x.Sounds, x.Outputs, x.Banks, x.OwnMiB = d.int(1, 20, "sounds"), d.int(1, 20, "outputs"), d.int(0, 3, "banks"), d.figure(0, 900, "own")
		return change.Put{Players: entry(&x)}
	case 5:
		x := *pick(d, d.t.Patches, "patch")
		x.PreloadMiB, x.Voices, x.KeyLow, x.Heavy = d.figure(0, 90_000, "preload"), d.int(0, 300, "voices"), d.int(0, 60, "low"), d.bool("heavy")
		x.Map, x.Dynamics, x.Sound = d.map_(), pick(d, template.AllDynamics, "dynamics"), pick(d, []string{"", "strings.violin", "wind.flutes.flute.piccolo"}, "sound")
		x.Mics = []template.Mic{{Name: "Close", PreloadMiB: 30_000}, {Name: "Hall", PreloadMiB: 50_000, Off: true}}[:d.int(0, 2, "mics")]
		if d.bool("zone") {
			x.SwitchZone = &template.KeyZone{Low: 20, High: 40}
		}
		return change.Put{Patches: entry(&x)}
	case 6:
		if len(d.t.Machines) == 0 {
			return change.Put{}
		}
		x := *pick(d, d.t.Machines, "machine")
		x.Name, x.MemoryMiB, x.ReserveMiB, x.Cores = d.name(), d.figure(1000, 200_000, "memory"), 0, d.int(1, 30, "cores")
		x.NetworkMbits, x.BufferSamples, x.BufferTimes = d.figure(0, 60, "link"), d.int(0, 4096, "buffer"), d.figure(0, 4, "times")
		return change.Put{Machines: entry(&x)}
	case 7:
		return change.Put{Calls: entry(&template.Call{ID: "call-x", Name: d.name(), Instruments: d.rows(), Opening: d.bool("opening")})}
	case 8:
		return change.Put{Terms: entry(&template.Term{ID: "term-x", Name: d.name(), Short: "x.", Family: template.Long})}
	}
	return change.Put{Castings: entry(&template.CastingList{ID: "casting-x", Name: d.name(), Version: 1})}
}

func (d drawing) bus() *template.Bus {
	b := pick(d, d.t.Buses, "bus").Clone()
	b.Name, b.GainDB, b.Process = d.name(), d.figure(-9, 6, "gain"), pick(d, []string{"", "tape"}, "process")
	if is := b.Kind.Is(); !is.Beyond {
		b.Runs = pick(d, [][]template.BusEffect{nil, {{Kind: template.EffectFilter, Set: map[string]float64{template.SetLowDB: d.figure(-9, 6, "shelf")}}}}, "runs")
	}
	if b.Kind == template.Stem {
		b.Fold, b.Carries = pick(d, d.t.Folds, "fold").ID, pick(d, template.AllCarries, "carries")
	}
	return b
}

func (d drawing) drop() change.Drop {
	switch d.int(0, 6, "noun") {
	case 0:
		return change.Drop{Sections: []template.ID{pick(d, append([]template.ID{"section-x"}, d.row().Section), "section")}}
	case 1:
		return change.Drop{Calls: []template.ID{"call-x"}}
	case 2:
		return change.Drop{Terms: []template.ID{"term-x"}}
	case 3:
		return change.Drop{Castings: []template.ID{"casting-x"}}
	case 4:
		return change.Drop{Patches: []template.ID{pick(d, d.t.Patches, "patch").ID}}
	case 5:
		return change.Drop{Folds: []template.ID{pick(d, d.t.Folds, "fold").ID}}
	}
	return change.Drop{Libraries: []template.ID{pick(d, d.t.Libraries, "library").ID}}
}

func (d drawing) configure() change.Configure {
	set := d.t.Settings
	set.RiserPorts, set.RiserPairs, set.FirstPair = d.int(1, 9, "ports"), d.int(2, 9, "pairs"), d.int(1, 2, "first")
	set.MemoryRule = pick(d, []template.MemoryRule{template.FitCalls, template.FitEverything}, "rule")
	set.LatestMs, set.CoreShare = d.figure(0, 90, "latest"), d.figure(0.1, 1, "share")
	set.Seating.HeavyPerRiser = d.int(0, 3, "heavy")
	return change.Configure{Name: d.name(), Settings: set}
}

// machine is one of the template's, or one it has not when it has none.
func (d drawing) machine() template.ID {
	if len(d.t.Machines) == 0 {
		return "no-machine"
	}
	return pick(d, d.t.Machines, "machine").ID
}

func (d drawing) change(kind string) change.Change {
	switch kind {
	case "add":
		c := d.row().Clone()
		c.ID, c.Name = Mint()("added"), d.name()
		if c.Seat != nil && d.bool("unseated") {
			c.Seat = nil
		}
		return change.Add{Instruments: []change.Placed{{At: d.int(-1, len(d.t.Instruments), "at"), Instrument: c}}}
	case "delete":
		return change.Delete{IDs: d.rows()}
	case "move":
		return change.Move{IDs: d.rows(), Section: pick(d, d.t.Sections, "section").ID}
	case "arrange":
		return change.Arrange{Places: []change.Position{{ID: d.row().ID, At: d.int(0, len(d.t.Instruments)-1, "at"), Section: pick(d, d.t.Sections, "section").ID}}}
	case "edit":
		return change.Edit{Edits: []change.Fields{d.fields(), d.fields()}}
	case "configure":
		return d.configure()
	case "connect":
		return change.Connect{Wires: []change.Wire{
			{From: d.row().ID, To: pick(d, d.t.Buses, "to").ID, Level: d.level()},
			{From: pick(d, d.t.Buses, "from").ID, To: pick(d, d.t.Buses, "to").ID, Level: d.level()},
		}}
	case "assign-stem":
		return change.AssignStem{IDs: d.rows(), Stem: pick(d, d.t.StemsOf(d.t.Folds[0].ID), "stem").ID}
	case "seat":
		var c change.Seat
		for _, id := range d.rows() {
			c.Seats = append(c.Seats, change.Seating{ID: id, Seat: d.seat()})
		}
		return c
	case "put":
		return d.put()
	case "drop":
		return d.drop()
	case "remove-bus":
		return change.RemoveBus{ID: pick(d, d.t.Buses, "bus").ID}
	case "remove-machine":
		return change.RemoveMachine{ID: d.machine()}
	case "rename-machine":
		return change.RenameMachine{ID: d.machine(), Name: pick(d, []string{"Rowan", "Machine 1", "Machine 2"}, "name")}
	case "set-rules":
		return change.SetRules{Rules: []*template.StemRule{{ID: "rule-x", Stem: pick(d, d.t.StemsOf(d.t.Folds[0].ID), "stem").ID}}}
	case "set-sightlines":
		return change.SetSightlines{Sightlines: []*template.Sightline{{ID: "sight-x", Name: d.name()}}}
	case "set-sections":
		list := append([]*template.Section{}, d.t.Sections...)
		return change.SetSections{Sections: append(list, &template.Section{ID: Mint()("section"), Name: d.name()})}
	case "set-returns":
		return change.SetReturns{Sets: []*template.ReturnSet{{ID: "set-x", Name: d.name(), Effects: []template.ReturnEffect{{ID: "effect-x", Name: "Hall"}}}}}
	case "set-position":
		return change.SetPosition{Position: pick(d, []template.At{template.AtListen, template.AtPrint}, "position")}
	case "become":
		after, _, err := change.Apply(d.t, d.change(pick(d, []string{"edit", "put", "configure", "delete", "seat", "set-rules", "set-sightlines"}, "then")))
		if err != nil {
			return change.Batch{Label: "nothing"}
		}
		if c := change.Between(d.t, after); c != nil {
			return c
		}
		return change.Batch{Label: "nothing"}
	case "batch":
		return change.Batch{Label: "two", Changes: []change.Change{d.change("edit"), d.change("put")}}
	}
	panic(fmt.Sprintf("no change of the kind %q is drawn", kind))
}
