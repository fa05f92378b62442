// Package articulation knows the ways of playing: a vocabulary with synonyms,
// the maps that tell how a patch is made to play each of them, and what is
// wrong with a map. It compiles notes with articulations into the exact MIDI
// messages that a patch needs.
package articulation

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"fanfold/internal/core/template"
)

// The either/or groups of the standard vocabulary: what excludes one another.
const (
	Bowing = "bowed or plucked"
	Mute   = "mute"
	Bow    = "bow position"
)

// term writes one line of the standard vocabulary.
func term(name, short string, family template.Family, group string, synonyms ...string) template.Term {
	natural := strings.HasPrefix(group, "*")
	return template.Term{
		ID: template.ID("term-" + strings.ReplaceAll(name, " ", "-")), Name: name, Short: short,
		Family: family, Group: strings.TrimPrefix(group, "*"), Natural: natural, Synonyms: append([]string{}, synonyms...),
	}
}

// standard is the vocabulary every studio starts with. Names and
// abbreviations are the usual Italian, French and German ones of scores;
// common practice, no source.
var standard = []template.Term{
	term("long", "sus.", template.Long, "", "sustain", "sustained", "sus", "longs", "ord", "ordinario", "nat", "naturale", "normal"),
	term("legato", "leg.", template.Legato, "", "slurred", "slur"),
	term("portamento", "port.", template.Legato, "", "glide"),
	term("tenuto", "ten.", template.Long, ""),
	term("detache", "det.", template.Short, "", "détaché", "détache", "separate"),
	term("staccato", "stacc.", template.Short, "", "stac", "short", "shorts"),
	term("staccatissimo", "staccatiss.", template.Short, "", "stacc issimo", "wedge"),
	term("marcato", "marc.", template.Short, "", "strong accent", "martellato", "martelé", "martele"),
	term("accent", "acc.", template.Short, "", "accented"),
	term("spiccato", "spicc.", template.Short, "", "spic", "sautillé", "bounced"),
	term("ricochet", "ricoch.", template.Short, "", "jeté", "jete"),
	term("sforzando", "sfz", template.Short, "", "sf", "sforzato", "fz"),
	term("fortepiano", "fp", template.Long, "", "fp swell", "sfp"),
	term("tremolo", "trem.", template.Long, "", "trem", "bowed tremolo"),
	term("measured tremolo", "meas. trem.", template.Long, "", "rhythmic tremolo"),
	term("trill minor second", "tr min2", template.Long, "", "trill half", "trill semitone", "half tone trill", "trill ht"),
	term("trill major second", "tr maj2", template.Long, "", "trill", "tr", "trill whole", "trill tone", "whole tone trill", "trill wt"),
	term("trill minor third", "tr min3", template.Long, "", "trill 3 semitones"),
	term("trill major third", "tr maj3", template.Long, "", "trill 4 semitones"),
	term("flutter", "flz.", template.Long, "", "flutter tongue", "flutter-tongue", "flutter-tonguing", "flatterzunge", "frullato"),
	term("double tongue", "d.t.", template.Short, "", "double tonguing", "double-tongue"),
	term("triple tongue", "t.t.", template.Short, "", "triple tonguing", "triple-tongue"),
	term("swell", "swell", template.Effect, "", "swells", "messa di voce", "cresc dim"),
	term("crescendo", "cresc.", template.Effect, "", "crescendi"),
	term("diminuendo", "dim.", template.Effect, "", "decrescendo", "decresc"),
	term("runs", "runs", template.Effect, "", "run", "fast runs"),
	term("glissando", "gliss.", template.Effect, "", "gliss", "slide", "slides"),
	term("fall", "fall", template.Effect, "", "falloff", "fall off", "falls"),
	term("doit", "doit", template.Effect, ""),
	term("rip", "rip", template.Effect, "", "rips"),
	term("bend", "bend", template.Effect, "", "bends", "scoop"),
	term("bells up", "bells up", template.Effect, "", "schalltrichter auf", "pavillons en l'air"),
	term("key clicks", "key clicks", template.Effect, "", "key click", "slap keys"),
	term("air", "air", template.Effect, "", "air noise", "breath"),
	term("cluster", "clust.", template.Effect, "", "clusters"),
	term("whisper", "whisp.", template.Effect, "", "whispers"),
	term("effect", "fx", template.Effect, "", "effects", "sfx"),
	term("harmonics", "harm.", template.Long, "", "harmonic", "flageolet", "flag"),
	term("multiphonics", "multiph.", template.Effect, "", "multiphonic"),
	term("hit", "hit", template.Short, "", "hits", "single hit", "stroke"),
	term("roll", "roll", template.Long, "", "rolls", "trill roll"),
	term("bowed", "bowed", template.Long, "", "with bow"),

	term("arco", "arco", template.Long, "*"+Bowing, "bow", "coll'arco"),
	term("pizzicato", "pizz.", template.Short, Bowing, "pizz", "pizzicati", "pluck", "plucked"),
	term("snap pizzicato", "snap pizz.", template.Short, Bowing, "snap pizz", "snap-pizzicato", "snap"),
	term("col legno", "c.l.", template.Short, Bowing, "col legno battuto", "clb", "legno"),
	term("col legno tratto", "c.l. tratto", template.Long, Bowing, "clt"),

	term("senza sordino", "senza sord.", template.Long, "*"+Mute, "senza sord", "open", "via sordino", "via sord", "mute off", "without mute"),
	term("con sordino", "con sord.", template.Long, Mute, "con sord", "sord", "muted", "mute", "mute on", "with mute", "mit dämpfer", "avec sourdine"),
	term("straight mute", "str. mute", template.Long, Mute, "straight"),
	term("cup mute", "cup", template.Long, Mute),
	term("harmon mute", "harm. mute", template.Long, Mute, "wa-wa mute", "harmon"),
	term("bucket mute", "bucket", template.Long, Mute),
	term("stopped", "+", template.Long, Mute, "gestopft", "bouché", "chiuso", "hand stopped"),

	term("position ordinario", "pos. ord.", template.Long, "*"+Bow, "ordinary bow position", "pos ord"),
	term("sul ponticello", "sul pont.", template.Long, Bow, "sul pont", "pont", "ponticello", "am steg"),
	term("sul tasto", "s.t.", template.Long, Bow, "tasto", "am griffbrett"),
	term("flautando", "flaut.", template.Long, Bow, "flaut", "flautato"),
}

// Vocabulary finds articulations by what people write.
type Vocabulary struct {
	terms  []*template.Term
	byName map[string]*template.Term // by plain name, abbreviation and synonym
}

// NewVocabulary joins the standard terms with a studio's own. One of its own
// that has the name of a standard one stands in its place.
func NewVocabulary(own []*template.Term) *Vocabulary {
	v := &Vocabulary{byName: make(map[string]*template.Term, 4*len(standard))}
	replaced := map[string]bool{}
	for _, t := range own {
		replaced[plain(t.Name)] = true
		v.terms = append(v.terms, t)
	}
	for n := range standard {
		if !replaced[plain(standard[n].Name)] {
			v.terms = append(v.terms, &standard[n])
		}
	}
	for _, names := range []func(*template.Term) []string{ // a name goes before an abbreviation, that before a synonym
		func(t *template.Term) []string { return []string{t.Name} },
		func(t *template.Term) []string { return []string{t.Short} },
		func(t *template.Term) []string { return t.Synonyms },
	} {
		for _, t := range v.terms {
			for _, name := range names(t) {
				if key := plain(name); key != "" && v.byName[key] == nil {
					v.byName[key] = t
				}
			}
		}
	}
	return v
}

// Terms lists every term, by family and then by name.
func (v *Vocabulary) Terms() []*template.Term {
	out := slices.Clone(v.terms)
	slices.SortStableFunc(out, func(a, b *template.Term) int {
		return cmp.Or(
			cmp.Compare(slices.Index(template.Families, a.Family), slices.Index(template.Families, b.Family)),
			cmp.Compare(a.Name, b.Name),
		)
	})
	return out
}

// Find returns the term that a text names: by its name, abbreviation or a
// synonym, without regard to case, points, hyphens and spaces; nil if none.
func (v *Vocabulary) Find(text string) *template.Term { return v.byName[plain(text)] }

// Same tells whether two texts name the same articulation.
func (v *Vocabulary) Same(a, b string) bool { return v.key(a) == v.key(b) }

// key is one text for all names of an articulation.
func (v *Vocabulary) key(text string) string {
	if t := v.Find(text); t != nil {
		return plain(t.Name)
	}
	return plain(text)
}

// FamilyOf tells the family of an articulation; an unknown one is an effect.
func (v *Vocabulary) FamilyOf(text string) template.Family {
	if t := v.Find(text); t != nil {
		return t.Family
	}
	return template.Effect
}

// plain keeps what matters of a name: letters and digits in lower case, and +.
func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '+' {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// WithoutWays is a row's name in lower case without the ways of playing at its end: "flute 1"
// of "Flute 1 short", "violas" of "Violas con sord.".
func (v *Vocabulary) WithoutWays(name string) string {
	words := strings.Fields(strings.ToLower(name))
	for len(words) > 1 {
		last := len(words) - 1
		switch {
		case last > 1 && v.Find(words[last-1]+" "+words[last]) != nil:
			words = words[:last-1]
		case v.Find(words[last]) != nil:
			words = words[:last]
		default:
			return strings.Join(words, " ")
		}
	}
	return strings.Join(words, " ")
}

// Phrases finds the terms a text speaks of, such as "pizz., con sord." or
// "sul pont. trem.": at each place the longest phrase that is a term.
func Phrases(v *Vocabulary, text string) []*template.Term {
	words := strings.FieldsFunc(text, func(r rune) bool {
		return unicode.IsSpace(r) || r == ',' || r == ';' || r == '/' || r == '(' || r == ')'
	})
	if len(words) > 64 {
		words = words[:64]
	}
	var out []*template.Term
	for at := 0; at < len(words); at++ {
		for long := min(4, len(words)-at); long > 0; long-- {
			if t := v.Find(strings.Join(words[at:at+long], " ")); t != nil {
				out = append(out, t)
				at += long - 1
				break
			}
		}
	}
	return out
}
