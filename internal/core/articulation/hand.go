package articulation

import (
	"slices"

	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// A hand is one way to reach articulations for all libraries: a key or a controller value
// for each, the same whatever the patch. What is played with it is translated into each
// row's own switches.

// standins are what serves in the place of an articulation that a patch lacks, the nearest
// first. Common practice, no source.
var standins = map[string][]string{
	"long":               {"arco", "tenuto", "legato", "senza sordino", "position ordinario"},
	"legato":             {"portamento", "long", "tenuto"},
	"portamento":         {"legato", "glissando", "long"},
	"tenuto":             {"detache", "long", "marcato"},
	"detache":            {"tenuto", "marcato", "staccato", "long"},
	"staccato":           {"spiccato", "staccatissimo", "detache", "marcato", "accent"},
	"staccatissimo":      {"staccato", "spiccato", "detache"},
	"spiccato":           {"staccato", "staccatissimo", "ricochet", "detache"},
	"ricochet":           {"spiccato", "staccato"},
	"marcato":            {"accent", "sforzando", "detache", "staccato", "tenuto"},
	"accent":             {"marcato", "sforzando", "detache", "staccato"},
	"sforzando":          {"fortepiano", "marcato", "accent"},
	"fortepiano":         {"sforzando", "swell", "marcato", "long"},
	"tremolo":            {"measured tremolo", "roll", "flutter", "trill major second", "long"},
	"measured tremolo":   {"tremolo", "long"},
	"trill minor second": {"trill major second", "tremolo"},
	"trill major second": {"trill minor second", "tremolo"},
	"trill minor third":  {"trill major third", "trill major second", "tremolo"},
	"trill major third":  {"trill minor third", "trill major second", "tremolo"},
	"flutter":            {"tremolo", "long"},
	"double tongue":      {"triple tongue", "staccato"},
	"triple tongue":      {"double tongue", "staccato"},
	"swell":              {"crescendo", "fortepiano", "long"},
	"crescendo":          {"swell", "long"},
	"diminuendo":         {"swell", "long"},
	"pizzicato":          {"snap pizzicato", "col legno", "spiccato", "staccato"},
	"snap pizzicato":     {"pizzicato", "col legno"},
	"col legno":          {"pizzicato", "spiccato", "staccato"},
	"col legno tratto":   {"sul ponticello", "flautando", "long"},
	"con sordino":        {"straight mute", "cup mute", "stopped", "long"},
	"straight mute":      {"con sordino", "cup mute", "harmon mute"},
	"cup mute":           {"con sordino", "straight mute", "bucket mute"},
	"harmon mute":        {"straight mute", "con sordino"},
	"bucket mute":        {"cup mute", "con sordino"},
	"stopped":            {"con sordino", "straight mute"},
	"sul ponticello":     {"tremolo", "long"},
	"sul tasto":          {"flautando", "con sordino", "long"},
	"flautando":          {"sul tasto", "con sordino", "long"},
	"harmonics":          {"flautando", "sul tasto", "long"},
	"hit":                {"staccato", "accent", "roll"},
	"roll":               {"tremolo", "swell", "hit", "long"},
	"bowed":              {"long", "roll"},
	"bells up":           {"marcato", "long"},
	"fall":               {"glissando", "bend"},
	"doit":               {"fall", "bend", "glissando"},
	"rip":                {"glissando", "runs"},
	"glissando":          {"portamento", "runs", "bend"},
	"runs":               {"legato", "staccato"},
	"bend":               {"glissando", "fall"},
	"whisper":            {"air", "long"},
	"air":                {"whisper", "long"},
	"cluster":            {"effect", "long"},
	"arco":               {"long", "legato"},
	"senza sordino":      {"long", "legato"},
	"position ordinario": {"long", "legato"},
}

// Instead finds what a set of articulations offers for one that is wanted: itself, or the
// nearest that can stand in for it, or the first of its family. found is false when there
// is nothing of the kind: effects are never stood in for by what is none.
func (v *Vocabulary) Instead(wanted string, has []string) (plays string, exact, found bool) {
	by := make(map[string]string, len(has))
	for _, h := range has {
		if _, known := by[v.key(h)]; !known {
			by[v.key(h)] = h
		}
	}
	if h, ok := by[v.key(wanted)]; ok {
		return h, true, true
	}
	if t := v.Find(wanted); t != nil {
		for _, s := range standins[t.Name] {
			if h, ok := by[v.key(s)]; ok {
				return h, false, true
			}
		}
	}
	family := v.FamilyOf(wanted)
	if family == template.Effect || family == "" {
		return "", false, false
	}
	for _, h := range has {
		if f := v.FamilyOf(h); f == family || family == template.Legato && f == template.Long {
			return h, false, true
		}
	}
	return "", false, false
}

// Reach is how one articulation of a hand comes out on a row.
type Reach struct {
	Wanted   string
	Plays    string            // of the row's map; empty when it has nothing of the kind
	Exact    bool              // it is the one that is wanted
	Switches []template.Switch // what the row needs for it
}

// Reaches tells how every articulation of a hand comes out on a map.
func (v *Vocabulary) Reaches(hand, of []template.Mapping) []Reach {
	out := make([]Reach, len(hand))
	names := Names(of)
	for n, m := range hand {
		r := Reach{Wanted: m.Articulation, Switches: []template.Switch{}}
		if plays, exact, found := v.Instead(m.Articulation, names); found {
			r.Plays, r.Exact = plays, exact
			r.Switches = append(r.Switches, of[slices.Index(names, plays)].Switches...)
		}
		out[n] = r
	}
	return out
}

// Translated is what a part comes to that was played with a hand.
type Translated struct {
	Compiled
	Instead []Reach // articulations that were asked for and that something else plays, or nothing
}

// Played reads what a part plays that was played with a hand: notes with the articulations
// that its switches ask for, and its controllers without those of the hand.
func Played(hand []template.Mapping, p Part) Part {
	controls := slices.DeleteFunc(slices.Clone(p.Controls), func(c Control) bool {
		return slices.ContainsFunc(hand, func(m template.Mapping) bool {
			return slices.ContainsFunc(m.Switches, func(s template.Switch) bool { return s.Kind == template.ByController && s.Number == c.Number })
		})
	})
	return Part{Notes: Decode(hand, p), Controls: controls}
}

// Translate compiles a part that names articulations for a target, as Compile does; what
// the target lacks is played by what stands in for it.
func Translate(v *Vocabulary, p Part, t Target, clock *tempo.Map, o Options) (Translated, error) {
	names := Names(t.Map)
	known := map[string]Reach{}
	notes := slices.Clone(p.Notes)
	var out Translated
	for n := range notes {
		list := make([]string, 0, len(notes[n].Articulations))
		for _, a := range notes[n].Articulations {
			r, met := known[a]
			if !met {
				r = Reach{Wanted: a}
				r.Plays, r.Exact, _ = v.Instead(a, names)
				known[a] = r
				if !r.Exact && len(names) > 0 {
					out.Instead = append(out.Instead, r)
				}
			}
			if r.Plays != "" {
				a = r.Plays
			}
			list = append(list, a)
		}
		notes[n].Articulations = list
	}
	var err error
	out.Compiled, err = Compile(v, Part{Notes: notes, Controls: p.Controls}, t, clock, o)
	return out, err
}

// Share gives each note of a part that several targets play between them to the one that
// plays what is asked for: exactly, else by what stands in for it, else the first.
func Share(v *Vocabulary, notes []Note, maps [][]template.Mapping) [][]Note {
	out := make([][]Note, len(maps))
	names := make([][]string, len(maps))
	for n, m := range maps {
		names[n] = Names(m)
	}
	met := map[string]int{}
	for _, note := range notes {
		at := 0
		if len(note.Articulations) > 0 {
			wanted := note.Articulations[0]
			known, ok := met[wanted]
			if !ok {
				known = v.best(wanted, names)
				met[wanted] = known
			}
			at = known
		}
		out[at] = append(out[at], note)
	}
	return out
}

// best is the first of several sets that has an articulation, or what stands in for it.
func (v *Vocabulary) best(wanted string, names [][]string) int {
	second := -1
	for n, has := range names {
		switch _, exact, found := v.Instead(wanted, has); {
		case exact:
			return n
		case found && second < 0:
			second = n
		}
	}
	return max(0, second)
}

// handKeys are the keys of a new hand, in order: below the lowest that a piano has, then
// above the highest.
var handKeys = [][2]int{{0, 20}, {109, lastKey}}

// ProposeHand gives each of a number of articulations a key that no instrument sounds, in
// the vocabulary's order; what is left over when these keys are used up gets none.
func ProposeHand(v *Vocabulary, used []string) []template.Mapping {
	want := map[string]bool{}
	for _, u := range used {
		want[v.key(u)] = true
	}
	var out []template.Mapping
	band, key := 0, handKeys[0][0]
	add := func(name string) {
		if !want[v.key(name)] || band == len(handKeys) {
			return
		}
		delete(want, v.key(name))
		out = append(out, template.Mapping{Articulation: name, Switches: []template.Switch{{Kind: template.ByKey, Number: key}}})
		if key++; key > handKeys[band][1] {
			if band++; band < len(handKeys) {
				key = handKeys[band][0]
			}
		}
	}
	for _, t := range v.terms {
		add(t.Name)
	}
	for _, u := range used {
		add(u)
	}
	return out
}
