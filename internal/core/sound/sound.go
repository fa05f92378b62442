// Package sound tells instruments apart by the standard sound IDs of MusicXML
// 4.0, so that first violins of any library are comparable. A name or an ID
// goes in; what the instrument is, where it stands in the score, its sounding
// range and its usual roles come out.
package sound

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// Sound is one instrument, as a card for people still learning the orchestra.
type Sound struct {
	ID      string // of MusicXML's standard sounds
	Name    string
	Section string   // where it usually stands, as a path
	Low     int      // lowest sounding key, MIDI note
	High    int      // highest sounding key a good player reaches, MIDI note
	Names   []string // abbreviations and names in other languages
	Roles   []string
	About   string
}

// All lists the instruments in score order.
func All() []Sound { return slices.Clone(table) }

// sustained are the families, and the single instruments, whose notes last as long as they
// are held; all others die away. Common practice, no source.
var sustained = []string{"strings.", "wind.", "brass.", "voice.", "synth.pad", "keyboard.organ", "keyboard.harmonium", "keyboard.accordion", "keyboard.ondes-martenot", "pitched-percussion.glass-harmonica"}

// Sustains tells whether the notes of an instrument last as long as they are held.
func Sustains(id string) bool {
	return slices.ContainsFunc(sustained, func(family string) bool { return strings.HasPrefix(id, family) })
}

func split(list string) []string {
	out := strings.Split(list, ",")
	for n := range out {
		out[n] = strings.TrimSpace(out[n])
	}
	return out
}

var (
	byID   = map[string]*Sound{}
	byName = map[string]*Sound{}
)

func init() {
	for n := range table {
		byID[table[n].ID] = &table[n]
	}
	for _, names := range []func(*Sound) []string{
		func(s *Sound) []string { return []string{s.Name} },
		func(s *Sound) []string { return s.Names },
	} {
		for n := range table {
			for _, name := range names(&table[n]) {
				if key := plain(name); byName[key] == nil {
					byName[key] = &table[n]
				}
			}
		}
	}
}

// ByID finds the card of a sound ID, or of the nearest wider one: that of
// "brass.trumpet.bass" is that of "brass.trumpet". It is nil when there is
// none.
func ByID(id string) *Sound {
	for id != "" {
		if s := byID[id]; s != nil {
			return s
		}
		if s := byName[plain(id)]; s != nil {
			return s
		}
		n := strings.LastIndexByte(id, '.')
		if n < 0 {
			return nil
		}
		id = id[:n]
	}
	return nil
}

// Akin tells whether one sound ID is the other or one of its kind.
func Akin(a, b string) bool {
	return a != "" && (a == b || strings.HasPrefix(a, b+".") && b != "" || strings.HasPrefix(b, a+"."))
}

// Within tells whether a sound ID is another, or one of the kinds it names:
// "strings.violin" is within "strings".
func Within(id, kind string) bool { return id != "" && (id == kind || strings.HasPrefix(id, kind+".")) }

// Named finds the sound whose name, or one of whose other names, is a text and no more
// than that. It is nil when there is none.
func Named(text string) *Sound {
	key := plain(text)
	if s := byName[key]; s != nil {
		return s
	}
	return byName[strings.TrimSuffix(key, "s")]
}

// joined is where one word of a file's name begins after another: "SoloFlute".
var joined = regexp.MustCompile(`(\p{Ll})(\p{Lu})`)

// beside are words that say nothing of the instrument.
var beside = words(map[string]string{"-": "a y e and et und in en solo soli div divisi tutti unis de di des part section"})

// ByName finds the sound that a row's or a part's name speaks of, in five languages:
// "Flute 1", "Cor anglais", "Cl. en La", "Violini II". Numbers and keys are not looked at,
// nor what is played beside; of several instruments named, the longest name counts. It
// is nil when there is none.
func ByName(name string) *Sound {
	if s := byName[plain(name)]; s != nil {
		return s
	}
	if first := aside.Split(name, 2)[0]; first != name && first != "" {
		if s := ByName(first); s != nil {
			return s
		}
	}
	name = joined.ReplaceAllString(name, "$1 $2")
	var words []string
	for _, w := range strings.FieldsFunc(fold(name), func(r rune) bool { return !unicode.IsLetter(r) && r != '-' && r != '\'' }) {
		if ordinals[w] == "" && beside[w] == "" {
			words = append(words, w)
		}
	}
	if s := named(words, len(words)); s != nil {
		return s
	}
	for length := min(len(words), 4); length > 1; length-- { // "wooden flute" of "Wooden flute long"
		if s := named(words, length); s != nil {
			return s
		}
	}
	if s := composed(name); s != nil {
		return s
	}
	if slices.Contains(words, "continuo") { // whoever plays it
		return nil
	}
	for length := min(len(words), 4); length > 0; length-- {
		s := named(words, length)
		if s != nil && s.ID == "voice.vocals" && len(words) > length { // the choir's sopranos
			if one := ByName(strings.Join(slices.DeleteFunc(slices.Clone(words), func(w string) bool { return byName[plain(w)] == s }), " ")); one != nil && Within(one.ID, "voice") {
				return one
			}
		}
		if s != nil {
			return s
		}
	}
	return nil
}

// named finds an instrument whose name is so many words in a row.
func named(words []string, length int) *Sound {
	for from := 0; length > 0 && from+length <= len(words); from++ {
		key := plain(strings.Join(words[from:from+length], ""))
		for _, k := range []string{key, strings.TrimSuffix(key, "s")} {
			if s := byName[k]; s != nil && len(k) > 1 {
				return s
			}
		}
	}
	return nil
}

func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return r
		}
		return -1
	}, fold(s))
}

var ranks = map[*Sound]int{}

func init() {
	for n := range table {
		ranks[&table[n]] = n
	}
}

// Rank is the place of a sound in score order, from 0: woodwinds, brass,
// percussion, keyboards and harp, voices, strings; -1 when it is not known.
func Rank(id string) int {
	if s := ByID(id); s != nil {
		return ranks[s]
	}
	return -1
}
