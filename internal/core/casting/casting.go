// Package casting chooses which instrument plays each part of a score: parts
// with the techniques they ask for, a template, the catalogue and an ordered
// list of preferences go in; for each part who plays it, why, and what is
// lacking, come out, and the change that makes it so.
package casting

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Part is one part of a score.
type Part struct {
	ID      string
	Name    string
	Sound   string // standard sound ID; empty when not known
	Players int    // 0 when not said
	Beside  string // the part whose player takes this one, too; empty for a player of its own
	Ways    []Way  // techniques asked for; none when not known
	Notes   int
	Low     int // of its notes; looked at only when there are some
	High    int
}

// Way is a technique a part asks for.
type Way struct {
	Name  string
	Notes int
	First int // the measure where it is first asked for; 0 when not known
}

// SoundOf finds the sound of a part: the first stated one that is known, else
// what its name speaks of.
func SoundOf(stated []string, name string) string {
	for _, s := range stated {
		if sound.ByID(s) != nil {
			return s
		}
	}
	if s := sound.ByName(name); s != nil {
		return s.ID
	}
	return ""
}

// Beside settles parts whose name speaks of two instruments by those beside them: basses
// among voices sing, among strings they bow.
func Beside(parts []Part) []Part {
	out := slices.Clone(parts)
	for n, p := range parts {
		count, most := map[string]int{}, ""
		for k, weight := range map[int]int{n - 2: 1, n - 1: 4, n + 1: 2, n + 2: 1} { // mostly by the one above
			if k < 0 || k >= len(parts) || sound.Among(parts[k].Name, "", "") != "" {
				continue
			}
			count[sound.Family(parts[k].Sound)] += weight
		}
		for _, f := range []string{"Voices", "Strings"} {
			if count[f] > count[most] {
				most = f
			}
		}
		if p.Sound == SoundOf(nil, p.Name) { // a sound that was stated stands
			out[n].Sound = sound.Among(p.Name, p.Sound, most)
		}
	}
	return out
}

// Choice is who plays a part.
type Choice struct {
	Part        Part
	Instruments []template.ID // of the template
	Patches     []template.ID // of the catalogue, to be added
	Entry       int           // of the list; ByHand or Nobody otherwise
	Why         string
	Lacks       []string // techniques nobody chosen plays
	Outside     bool     // the part goes beyond the keys of those chosen
}

// Entries that are none of the list.
const (
	Nobody = -1
	ByHand = -2
)

// candidate is somebody who could play.
type candidate struct {
	instrument *template.Instrument // nil for a patch of the catalogue
	patch      *template.Patch
	name       string
	plays      map[string]bool // techniques, by the vocabulary's names
	unknown    bool            // nothing is known of its techniques
	library    template.ID
	sound      string // as stated, else as the name says
	base       string // the name without ways of playing: "flute 1" of "Flute 1 short"
	solo       bool
	several    bool // who play as one
	players    int  // as its name says; 0 when it does not
}

// usualChoir is how many play as one where nobody has said so: four horns. Common
// practice, no source.
const usualChoir = 4

// Caster casts parts.
type Caster struct {
	t, cat *template.Template
	words  *articulation.Vocabulary
	inside []candidate // the template's instruments
	all    []candidate // the catalogue's patches
	place  map[template.ID]int
	wanted []string                   // the sounds of all parts that are cast
	taken  map[string]map[string]bool // who have a desk of a library, or an instrument of a general part, already, when desks are kept apart
}

// Apart lets desks keep apart: where another patch would do as well, a patch that one desk
// plays is not given to a second. It returns the caster.
func (c *Caster) Apart() *Caster {
	c.taken = map[string]map[string]bool{}
	return c
}

// New prepares to cast with a template and a catalogue.
func New(t, cat *template.Template) *Caster {
	c := &Caster{t: t, cat: cat, words: articulation.NewVocabulary(cat.Vocabulary), place: make(map[template.ID]int, len(cat.Patches))}
	for _, i := range t.ScoreOrder() {
		if patches := t.PatchesOf(i); len(patches) > 0 {
			c.inside = append(c.inside, c.candidate(i, patches[0], i.Name, i.Articulations))
		}
	}
	for n, p := range cat.Patches {
		c.all = append(c.all, c.candidate(nil, p, p.Name, articulation.Names(p.Map)))
		c.place[p.ID] = n
	}
	return c
}

func (c *Caster) candidate(i *template.Instrument, p *template.Patch, name string, list []string) candidate {
	x := candidate{instrument: i, patch: p, name: name, library: p.Library, plays: make(map[string]bool, len(list)), unknown: len(list) == 0, sound: SoundOf([]string{p.Sound}, name), base: c.words.WithoutWays(name), solo: sound.Soloist(name) || slices.Contains(p.Roles, "solo"), several: sound.Several(name), players: sound.Players(name)}
	if i != nil && sound.ByID(p.Sound) == nil {
		x.sound = sound.Among(name, x.sound, sound.Family(SoundOf(nil, c.t.SectionPath(i.Section))))
	}
	for _, a := range list {
		x.plays[c.plain(a)] = true
	}
	return x
}

// plain is one name for all names of a technique.
func (c *Caster) plain(name string) string {
	if t := c.words.Find(name); t != nil {
		return t.Name
	}
	return strings.ToLower(name)
}

// Cast casts every part by a list. hand says whom people chose themselves:
// instruments or patches, by the part's ID.
func (c *Caster) Cast(parts []Part, list []template.Preference, hand map[string][]template.ID) []Choice {
	out := make([]Choice, len(parts))
	parts = Beside(parts)
	c.wanted = nil
	for _, p := range parts {
		c.wanted = append(c.wanted, p.Sound)
	}
	for n, p := range parts {
		if ids, ok := hand[p.ID]; ok {
			out[n] = c.byHand(p, ids)
			continue
		}
		out[n] = c.cast(p, list)
		for _, id := range out[n].Patches {
			if x := c.all[c.place[id]]; c.taken != nil {
				for _, key := range []string{x.desk(), x.sound} {
					if c.taken[key] == nil {
						c.taken[key] = map[string]bool{}
					}
					c.taken[key][p.Name] = true
				}
			}
		}
	}
	return out
}

// desk tells those apart who are not the same desk of the same library.
func (x candidate) desk() string { return string(x.library) + "|" + x.sound + "|" + x.base }

// shared is how many other desks play a desk of a library already, or what a general part would take.
func (c *Caster) shared(p Part, x candidate) int {
	others := func(key string) int {
		n := len(c.taken[key])
		if c.taken[key][p.Name] {
			n--
		}
		return n
	}
	n := others(x.desk())
	if sound.Covers(p.Sound, x.sound) {
		n = max(n, others(x.sound))
	}
	return n
}

func (c *Caster) byHand(p Part, ids []template.ID) Choice {
	var chosen []candidate
	for _, id := range ids {
		if i := c.t.Instrument(id); i != nil && len(c.t.PatchesOf(i)) > 0 {
			chosen = append(chosen, c.candidate(i, c.t.PatchesOf(i)[0], i.Name, i.Articulations))
		} else if at, ok := c.place[id]; ok {
			chosen = append(chosen, c.all[at])
		}
	}
	out := c.choice(p, chosen, ByHand)
	out.Why = "chosen by hand"
	return out
}

func (c *Caster) cast(p Part, list []template.Preference) Choice {
	for n, e := range list {
		if len(e.Sounds) > 0 && !slices.ContainsFunc(e.Sounds, func(s string) bool { return sound.Within(p.Sound, s) }) {
			continue
		}
		chosen := c.cover(p, c.from(e, p))
		if len(chosen) == 0 {
			continue
		}
		out := c.choice(p, chosen, n)
		out.Why = fmt.Sprintf("%d. %s", n+1, c.Say(e))
		return out
	}
	out := c.choice(p, nil, Nobody)
	out.Why = "nobody on the list plays it"
	if p.Sound == "" {
		out.Why = "its name does not say what it is; choose by hand"
	}
	return out
}

// Say names a preference in words.
func (c *Caster) Say(e template.Preference) string {
	what := ""
	switch e.Kind {
	case template.FromTemplate:
		what = "what the template has"
	case template.FromSet:
		what = "the set " + e.Name
	case template.FromLibrary:
		if l := c.cat.Index().Libraries[e.Library]; l != nil {
			what = l.Name
		}
	case template.FromAnywhere:
		what = "any library"
	case template.LastResort:
		what = "the last resort"
	}
	if len(e.Sounds) > 0 {
		what += " for " + strings.Join(e.Sounds, ", ")
	}
	return what
}

// from lists who could play a part by one preference.
func (c *Caster) from(e template.Preference, p Part) []candidate {
	var out []candidate
	take := func(list []candidate, fits func(candidate) bool) {
		for _, x := range list {
			if fits(x) {
				out = append(out, x)
			}
		}
	}
	akin := func(x candidate) bool { return sound.Akin(x.sound, p.Sound) || sound.Covers(p.Sound, x.sound) }
	of := func(x candidate) bool { return slices.Contains(e.Patches, x.patch.ID) }
	switch e.Kind {
	case template.FromTemplate:
		take(c.inside, akin)
	case template.FromSet:
		take(c.all, func(x candidate) bool { return of(x) && akin(x) })
	case template.FromLibrary:
		take(c.all, func(x candidate) bool { return x.library == e.Library && akin(x) })
	case template.FromAnywhere:
		take(c.all, akin)
	case template.LastResort:
		if len(e.Patches) > 0 {
			take(c.all, of)
			break
		}
		take(c.all, func(x candidate) bool {
			return sound.Family(x.sound) == sound.Family(p.Sound) && p.Sound != "" && !c.needed(x, p)
		})
		if len(out) == 0 {
			take(c.all, func(x candidate) bool { return x.patch.KeyHigh-x.patch.KeyLow >= 60 && !c.needed(x, p) })
		}
	}
	return out
}

// needed tells whether another part asks for what somebody plays.
func (c *Caster) needed(x candidate, p Part) bool {
	return x.sound != "" && slices.ContainsFunc(c.wanted, func(s string) bool { return s != p.Sound && s != "" && sound.Akin(x.sound, s) })
}

// cover chooses the one who plays most of what is asked, and then others of
// the same kind and desk for what is lacking.
func (c *Caster) cover(p Part, list []candidate) []candidate {
	if len(list) == 0 {
		return nil
	}
	lacking := map[string]bool{}
	for _, w := range p.Ways {
		lacking[c.plain(w.Name)] = true
	}
	var chosen []candidate
	for len(chosen) == 0 || len(lacking) > 0 {
		best, most := -1, 0
		for n, x := range list {
			if len(chosen) > 0 && (!alike(x, chosen[0])) {
				continue
			}
			plays := 0
			for _, w := range p.Ways {
				if lacking[c.plain(w.Name)] && (x.plays[c.plain(w.Name)] || x.unknown) {
					plays += 1 + w.Notes
				}
			}
			if len(chosen) > 0 && plays == 0 {
				continue
			}
			s := 1 + score(p, x, plays)
			s -= min(c.shared(p, x), 7) << 17
			if best < 0 || s > most {
				best, most = n, s
			}
		}
		if best < 0 {
			break
		}
		chosen = append(chosen, list[best])
		for name := range lacking {
			if list[best].plays[name] || list[best].unknown {
				delete(lacking, name)
			}
		}
		if len(p.Ways) == 0 { // what is asked for is not known: everything the desk has
			return everything(list, chosen[0])
		}
	}
	return chosen
}

// alike tells whether two are the same desk of the same library.
func alike(a, b candidate) bool {
	return a.library == b.library && a.sound == b.sound && a.base == b.base
}

// everything lists all that are the same desk as somebody, in their order.
func everything(list []candidate, of candidate) []candidate {
	var out []candidate
	for _, x := range list {
		if alike(x, of) {
			out = append(out, x)
		}
	}
	return out
}

// score says how well somebody suits a part: a soloist or none, the very instrument, the
// desk, the keys, then what is played.
func score(p Part, x candidate, plays int) int {
	s := min(plays, 1<<12)
	want, has := desk(p.Name), desk(x.name)
	switch {
	case want != 0 && want == has:
		s += 1 << 24
	case want == 0 && sound.Several(p.Name) == x.several && has <= 1: // "Horns" are several, "Horn" is the first of them
		s += 1 << 24
		if said := sound.Players(p.Name); said > 0 && said == x.players {
			s += 1 << 17
		}
		if x.players == 0 { // the whole section
			s += (usualChoir + 1) << 14
		}
		s += min(x.players, usualChoir) << 14
	case !x.several:
		s += 1 << 23
	default:
		s += 1 << 22
	}
	if x.solo != sound.Soloist(p.Name) {
		s -= 1 << 27
	}
	if p.Notes == 0 || x.patch.KeyLow <= p.Low && x.patch.KeyHigh >= p.High {
		s += 1 << 21
	}
	if p.Sound != "" && sound.ByID(x.sound) == sound.ByID(p.Sound) {
		s += 1 << 26
	} else if sound.Covers(p.Sound, x.sound) {
		s += sound.Usual(p.Sound, x.sound) << 13
	}
	if sound.Special(x.base) {
		s -= 1 << 18
	}
	return s
}

// desk is the number in a name, the first of several: 2 of "Flute 2" and of "Violins II";
// 0 without. That of "a 8" is how many play.
func desk(name string) int {
	if desks := sound.Desks(name); len(desks) > 0 {
		return desks[0]
	}
	return 0
}

// choice sums up who was chosen.
func (c *Caster) choice(p Part, chosen []candidate, entry int) Choice {
	out := Choice{Part: p, Instruments: []template.ID{}, Patches: []template.ID{}, Entry: entry, Lacks: []string{}}
	low, high := 127, 0
	for _, x := range chosen {
		if x.instrument != nil {
			out.Instruments = append(out.Instruments, x.instrument.ID)
		} else {
			out.Patches = append(out.Patches, x.patch.ID)
		}
		low, high = min(low, x.patch.KeyLow), max(high, x.patch.KeyHigh)
	}
	for _, w := range p.Ways {
		if !slices.ContainsFunc(chosen, func(x candidate) bool { return x.unknown || x.plays[c.plain(w.Name)] }) {
			out.Lacks = append(out.Lacks, w.Name)
		}
	}
	out.Outside = len(chosen) > 0 && p.Notes > 0 && (p.Low < low || p.High > high)
	return out
}
