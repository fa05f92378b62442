package demo

import (
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// shelf says what is known of the demo's libraries.
var shelf = map[string]template.Library{
	"Wren & Vale Strings":    {Family: "strings", Emblem: &template.Emblem{Icon: "bird"}, Room: template.Stage},
	"Tallow Brass":           {Family: "brass", Emblem: &template.Emblem{Icon: "flame"}, Room: template.Hall},
	"Millrace Winds":         {Family: "winds", Emblem: &template.Emblem{Icon: "wind"}, Room: template.Stage},
	"Coldharbour Percussion": {Family: "percussion", Emblem: &template.Emblem{Icon: "drum"}, Room: template.Hall},
	"Saint Orrin Voices":     {Family: "voices", Emblem: &template.Emblem{Icon: "church"}, Room: template.Hall},
	"Pinfold Keys":           {Family: "keys", Emblem: &template.Emblem{Icon: "piano"}, Room: template.Dry},
	"Low Meadow Textures":    {Family: "hybrid", Emblem: &template.Emblem{Icon: "wheat"}, Room: template.Dry, Machines: []string{"Alder", "Birch", "Cedar"}},
}

// ownWords are what the demo's libraries call sounds that the trade calls otherwise.
var ownWords = map[string]string{"Dunes ensemble": "drum.taiko"}

// catalogue tells of each patch what a row list does not: what it sounds
// like, how it answers, and how its articulations are reached.
func catalogue(t *template.Template) (change.Change, error) {
	var put change.Put
	for _, l := range t.Libraries {
		known := *l
		said := shelf[l.Name]
		known.Family, known.Room, known.Machines, known.Emblem = said.Family, said.Room, said.Machines, said.Emblem
		put.Libraries = append(put.Libraries, change.Append(&known))
	}
	played := map[template.ID]*template.Instrument{}
	for _, i := range t.Instruments {
		for _, id := range i.Patches {
			played[id] = i
		}
	}
	words := articulation.NewVocabulary(nil)
	programmes := 0
	for _, p := range t.Patches {
		known := *p
		known.Source = source(p, played[p.ID].Articulations, &programmes)
		describe(&known, played[p.ID], t.SectionPath(played[p.ID].Section), words)
		put.Patches = append(put.Patches, change.Append(&known))
	}
	return change.Batch{Label: "Describe the libraries", Changes: []change.Change{put}}, nil
}

func describe(p *template.Patch, i *template.Instrument, section string, words *articulation.Vocabulary) {
	is := sound.ByName(i.Name)
	if id, own := ownWords[i.Name]; own {
		is = sound.ByID(id)
	}
	if _, kind, hybrid := strings.Cut(section, "Hybrid / "); hybrid { // where a fog horn is not a horn
		is = sound.ByID("synth.effects")
		if kind == "Textures" {
			is = sound.ByID("synth.pad")
		}
	}
	if first, _, _ := strings.Cut(i.Name, " "); is != nil && strings.HasPrefix(section, "Voices") { // basses who sing
		is = sound.ByID(sound.Among(first, is.ID, "Voices"))
	}
	if is != nil {
		p.Sound, p.Roles = is.ID, slices.Clone(is.Roles)
		if strings.HasSuffix(section, "Soloists") && !slices.Contains(p.Roles, "solo") {
			p.Roles = append(p.Roles, "solo")
		}
		p.KeyLow, p.KeyHigh = max(p.KeyLow, is.Low), min(p.KeyHigh, is.High)
		if p.KeyLow >= p.KeyHigh {
			p.KeyLow, p.KeyHigh = is.Low, is.High
		}
	}
	long := false
	for _, a := range i.Articulations {
		f := words.FamilyOf(a)
		long = long || f == template.Long || f == template.Legato
	}
	p.Dynamics = template.DynamicsVelocity
	if long {
		p.Dynamics = template.DynamicsControllerVelocity
	}
	p.RoundRobins, p.PerNote = 3, 2
	p.Heavy = p.PreloadMiB > 1500
	if strings.HasPrefix(section, "Strings") && long && !strings.HasSuffix(section, "Soloists") { // the hall's microphones stand by
		p.Mics = []template.Mic{{Name: "Close"}, {Name: "Hall", PreloadMiB: math.Round(p.PreloadMiB * .4), FullMiB: math.Round(p.FullMiB * .4), Off: true}}
	}
	p.Map = switches(p, i.Articulations, words)
}

// switches reaches articulations by key switches below the playable keys or,
// where there is no room, above; a lone one needs none.
func switches(p *template.Patch, names []string, words *articulation.Vocabulary) []template.Mapping {
	var out []template.Mapping
	first := 0
	if p.KeyLow < len(names) {
		first = 128 - len(names)
	} else if p.KeyLow >= 24 {
		first = min(24, p.KeyLow-len(names))
	}
	if len(names) > 1 {
		p.SwitchZone = &template.KeyZone{Low: first, High: first + len(names) - 1}
	}
	for n, a := range names {
		m := template.Mapping{Articulation: a, Switches: []template.Switch{}, LeadMs: 20}
		if len(names) > 1 {
			m.Switches = append(m.Switches, template.Switch{Kind: template.ByKey, Number: first + n})
		}
		if words.FamilyOf(a) == template.Legato {
			m.DelayMs = 90
		}
		out = append(out, m)
	}
	return out
}
