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
var sustained = []string{"strings.", "wind.", "brass.", "voice.", "synth.pad", "keyboard.organ", "keyboard.harmonium", "keyboard.accordion"}

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

var numbers = regexp.MustCompile(`(?i)\b(\d+(st|nd|rd|th)?|i{1,3}|iv|v|a ?\d|in [a-h](b|#| flat| sharp)?)\b`)

// ByName finds the sound that a row's or a part's name speaks of: "Flute 1",
// "Corno inglese", "Violins II". Numbers are not looked at; of several
// instruments named, the longest name counts. It is nil when there is none.
func ByName(name string) *Sound {
	if s := byName[plain(name)]; s != nil {
		return s
	}
	name = joined.ReplaceAllString(name, "$1 $2")
	words := strings.FieldsFunc(numbers.ReplaceAllString(strings.ToLower(name), " "), func(r rune) bool {
		return !unicode.IsLetter(r) && r != '-' && r != '\''
	})
	for length := min(len(words), 4); length > 0; length-- {
		for from := 0; from+length <= len(words); from++ {
			key := plain(strings.Join(words[from:from+length], ""))
			for _, k := range []string{key, strings.TrimSuffix(key, "s")} {
				if s := byName[k]; s != nil && (len(k) > 1) {
					return s
				}
			}
		}
	}
	return nil
}

func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
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
