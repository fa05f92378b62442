package demo

import (
	"fmt"

	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
)

// hallSet is what the larger stems are sent to.
const hallSet = template.ID("returns-hall")

// inHall are the stems with a hall of their own.
var inHall = []string{"High winds", "Low winds", "Horns", "High strings long", "Low strings long", "Choir high", "Choir low"}

// stoneHall is what runs on the returns of the hall.
var stoneHall = []template.BusEffect{{Kind: template.EffectHall, Set: map[string]float64{template.SetDecay: 2.8, template.SetPreDelay: 32, template.SetHigh: .45}}}

// onMix leaves room for everybody at once, and catches what still goes over.
var onMix = []template.BusEffect{{Kind: template.EffectLimiter, Set: map[string]float64{template.SetLevel: -8}}}

// depths are how far back the sections sit.
var depths = map[string]template.Depth{
	"Winds": template.Middle, "Brass": template.Far, "Percussion": template.Far, "Voices": template.Far, "Strings": template.Near,
}

// delivery says how the stems are delivered: a hall for the larger ones, 46
// minutes of music, groups by section, and a print bus beside the mix.
func delivery(t *template.Template) (change.Change, error) {
	level := func(db float64) *float64 { return &db }
	sets := change.SetReturns{Sets: []*template.ReturnSet{{ID: hallSet, Name: "Stone hall", Effects: []template.ReturnEffect{
		{ID: "effect-hall", Name: "Hall", Process: "Stone hall 2.8 s", Runs: stoneHall, NearDB: level(-16), MidDB: level(-14), FarDB: level(-12)},
	}}}}
	var put change.Put
	for _, name := range inHall {
		b := t.FindBus(template.Stem, name).Clone()
		b.Returns = hallSet
		put.Buses = append(put.Buses, change.Append(b))
	}
	mix := t.TheMix().Clone()
	mix.Runs = onMix
	put.Buses = append(put.Buses, change.Append(mix))
	for _, s := range t.Sections {
		if d, ok := depths[s.Name]; ok && s.Parent == "" {
			c := *s
			c.Depth = d
			put.Sections = append(put.Sections, change.Append(&c))
		}
	}
	set := t.Settings
	set.Deliver = template.Deliver{Groups: template.GroupsSections, Minutes: 46}
	return change.Batch{Label: "Say how the stems are delivered", Changes: []change.Change{
		sets, put, change.Configure{Name: t.Name, Settings: set},
		change.SetPosition{Position: template.AtPrint}, change.SetPosition{Position: template.AtListen},
	}}, nil
}

// rule is a stem rule by names.
type rule struct {
	section  string
	register template.Register
	family   template.Family
	name     string
	stem     string
}

var stemRules = []rule{
	{section: "Winds", register: template.Low, stem: "Low winds"},
	{section: "Winds", stem: "High winds"},
	{section: "Brass / Horns", stem: "Horns"},
	{section: "Brass / Trumpets", stem: "Trumpets"},
	{section: "Brass", stem: "Low brass"},
	{section: "Percussion / Timpani", stem: "Timpani"},
	{section: "Percussion / Drums", stem: "Low percussion"},
	{section: "Percussion / High", stem: "High percussion"},
	{section: "Percussion / Metals", stem: "Metals"},
	{section: "Percussion / Tuned", stem: "Tuned percussion"},
	{section: "Keys and harp / Harps", stem: "Harp"},
	{section: "Keys and harp", stem: "Keys"},
	{section: "Voices / Soloists", stem: "Solo voices"},
	{section: "Voices / Women", stem: "Choir high"},
	{section: "Voices", stem: "Choir low"},
	{section: "Strings / Soloists", stem: "Solo strings"},
	{section: "Strings", register: template.High, family: template.Short, stem: "High strings short"},
	{section: "Strings", register: template.High, stem: "High strings long"},
	{section: "Strings", family: template.Short, stem: "Low strings short"},
	{section: "Strings", stem: "Low strings long"},
	{section: "Hybrid / Pulses", stem: "Pulses"},
	{section: "Hybrid / Impacts", stem: "Impacts"},
	{section: "Hybrid", stem: "Textures"},
	{section: "Live", stem: "Live"},
}

func rules(t *template.Template) (change.Change, error) {
	sections := map[string]template.ID{}
	for _, s := range t.Sections {
		sections[t.SectionPath(s.ID)] = s.ID
	}
	var set change.SetRules
	for n, r := range stemRules {
		var stem *template.Bus
		for _, b := range t.StemsOf(t.Folds[0].ID) {
			if b.Name == r.stem {
				stem = b
			}
		}
		if stem == nil || sections[r.section] == "" {
			return nil, fmt.Errorf("rule %d: no stem %q or no section %q", n+1, r.stem, r.section)
		}
		set.Rules = append(set.Rules, &template.StemRule{
			ID: template.ID(fmt.Sprintf("rule-%d", n+1)), Stem: stem.ID, Section: sections[r.section], Register: r.register, Family: r.family, Name: r.name,
		})
	}
	return set, nil
}

// wiring makes the returns, under IDs that are the same every time.
func wiring(t *template.Template) (change.Change, error) {
	next := intake.Sequence()
	return deliver.Wire(t, func(kind string) template.ID { return "wired-" + next(kind) })
}

// plate leaves one plate shared by two stems, so that the proof has something
// to show.
func plate(t *template.Template) (change.Change, error) {
	trumpets := t.FindBus(template.Stem, "Trumpets")
	put := change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{
		ID: "return-plate", Kind: template.Return, Name: "Plate", Process: "Plate 1.6 s", Runs: []template.BusEffect{{Kind: template.EffectPlate}}, Section: trumpets.Section,
		Routes: []template.Route{{To: trumpets.ID, Tap: template.Post}},
	})}}
	f := fan.New(t)
	var c change.Connect
	for n, i := range t.Instruments {
		for _, stem := range f.StemsIn(f.FromRow(n), t.Folds[0].ID) {
			if stem == trumpets || i.Name == "Trombone 1 long" {
				c.Wires = append(c.Wires, change.Wire{From: i.ID, To: "return-plate", Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}})
			}
		}
	}
	return change.Batch{Label: "Add a plate", Changes: []change.Change{put, c}}, nil
}

func numbers(t *template.Template) (change.Change, error) { return deliver.Renumber(t, 1, 2) }
