package naming

import (
	"slices"
	"strconv"
	"strings"
	"unicode"

	"fanfold/internal/core/template"
)

// standard are abbreviations as orchestral scores and parts have them, and a few
// for what rows of a template speak of. From memory: the list of abbreviations
// in handbooks of orchestration.
var standard = map[string]string{
	"piccolo": "Picc", "flute": "Fl", "flutes": "Fls", "alto flute": "AFl", "bass flute": "BFl", "oboe": "Ob", "oboes": "Obs", "english horn": "EH",
	"clarinet": "Cl", "clarinets": "Cls", "bass clarinet": "BCl", "contrabass clarinet": "CbCl", "bassoon": "Bn", "bassoons": "Bns", "contrabassoon": "Cbn",
	"saxophone": "Sax", "horn": "Hn", "horns": "Hns", "trumpet": "Tpt", "trumpets": "Tpts", "piccolo trumpet": "PicTpt", "trombone": "Tbn", "trombones": "Tbns",
	"bass trombone": "BTbn", "tuba": "Tb", "tubas": "Tbs", "euphonium": "Euph", "cimbasso": "Cimb", "timpani": "Timp", "percussion": "Perc",
	"bass drum": "BD", "snare drum": "SD", "snare": "Sn", "cymbal": "Cym", "cymbals": "Cyms", "suspended cymbal": "SusCym", "tambourine": "Tamb", "triangle": "Tri",
	"tam-tam": "TT", "glockenspiel": "Glk", "xylophone": "Xyl", "vibraphone": "Vib", "marimba": "Mar", "tubular bells": "TubBls", "crotales": "Crot",
	"harp": "Hp", "harps": "Hps", "piano": "Pf", "celesta": "Cel", "harpsichord": "Hpd", "organ": "Org", "keyboards": "Kbd",
	"soprano": "S", "sopranos": "S", "alto": "A", "altos": "A", "tenor": "T", "tenors": "T", "choir": "Ch", "voices": "Vces", "women": "Wom",
	"violin": "Vn", "violins": "Vns", "viola": "Va", "violas": "Vas", "cello": "Vc", "cellos": "Vcs", "bass": "Db", "basses": "Dbs", "double bass": "Db", "strings": "Str",
	"winds": "Wnd", "woodwinds": "Ww", "brass": "Br", "ensemble": "Ens", "soloists": "Soli", "section": "Sec", "orchestra": "Orch", "texture": "Tex", "textures": "Tex",
	"long": "lg", "short": "sh", "legato": "leg", "effects": "fx", "effect": "fx", "high": "Hi", "low": "Lo",
	"staccato": "stac", "staccatissimo": "stacs", "spiccato": "spic", "pizzicato": "piz", "tremolo": "trem", "tenuto": "ten", "marcato": "marc", "sustain": "sus",
	"harmonics": "harm", "sul tasto": "tast", "sul ponticello": "pont", "col legno": "cleg", "con sordino": "sord", "flutter": "flut", "swells": "swl", "swell": "swl",
}

// longestPhrase is how many words an abbreviation stands for at most.
const longestPhrase = 3

// Table abbreviates words.
type Table struct{ short map[string]string }

// NewTable joins the standard abbreviations with others, which go before them.
func NewTable(own []template.Abbreviation) *Table {
	t := &Table{short: make(map[string]string, len(standard)+len(own))}
	for long, short := range standard {
		t.short[long] = short
	}
	for _, a := range own {
		t.short[template.FoldName(a.Long)] = a.Short
	}
	return t
}

// Standard lists the standard abbreviations by what they stand for.
func Standard() []template.Abbreviation {
	var out []template.Abbreviation
	for long, short := range standard {
		out = append(out, template.Abbreviation{Long: long, Short: short})
	}
	slices.SortFunc(out, func(a, b template.Abbreviation) int { return strings.Compare(a.Long, b.Long) })
	return out
}

// Short abbreviates what it knows of a text, the longest phrases first.
func (t *Table) Short(text string) string {
	words := strings.Fields(text)
	var out []string
	for at := 0; at < len(words); {
		n := min(longestPhrase, len(words)-at)
		for ; n > 0; n-- {
			if short, ok := t.short[template.FoldName(strings.Join(words[at:at+n], " "))]; ok {
				out = append(out, short)
				break
			}
		}
		if n == 0 {
			out = append(out, words[at])
			n = 1
		}
		at += n
	}
	return strings.Join(out, " ")
}

// Shorten makes names fit a display of so many letters, 0 for any: as they are
// where they fit, else abbreviated, then squeezed, then cut. All that come out
// differ without regard to case, from each other and from those taken.
func (t *Table) Shorten(names []string, limit int, taken map[string]bool) []string {
	used := make(map[string]bool, len(names)+len(taken))
	for name := range taken {
		used[template.FoldName(name)] = true
	}
	out := make([]string, len(names))
	for n, name := range names {
		out[n] = t.fit(name, limit, used)
		used[template.FoldName(out[n])] = true
	}
	return out
}

func (t *Table) fit(name string, limit int, used map[string]bool) string {
	if limit <= 0 {
		limit = max(len([]rune(name))+8, 200)
	}
	short := t.Short(name)
	tight := strings.Join(titled(strings.Fields(short)), "")
	bare := withoutVowels(tight)
	for _, x := range []string{name, short, tight, bare, cut(tight, limit), cut(bare, limit)} {
		if size := len([]rune(x)); size > 0 && size <= limit && !used[template.FoldName(x)] {
			return x
		}
	}
	numbered := bare != strings.TrimRightFunc(bare, unicode.IsDigit)
	for n := 2; ; n++ {
		mark := strconv.Itoa(n)
		if numbered { // 12 stays 12: "VnsL12b"
			mark = letters(n)
		}
		x := mark
		if room := limit - len(mark); room > 0 {
			x = strings.TrimSpace(cut(bare, room)) + mark
		}
		if !used[template.FoldName(x)] {
			return x
		}
	}
}

// letters counts 1, 2 ... as a, b ... z, aa, ab ...
func letters(n int) string {
	s := ""
	for ; n > 0; n = (n - 1) / 26 {
		s = string(rune('a'+(n-1)%26)) + s
	}
	return s
}

// titled begins every word but the first with a capital, so that they are told
// apart without spaces.
func titled(words []string) []string {
	for n := range words {
		if r := []rune(words[n]); n > 0 {
			r[0] = unicode.ToUpper(r[0])
			words[n] = string(r)
		}
	}
	return words
}

// withoutVowels drops the vowels inside words.
func withoutVowels(s string) string {
	var out []rune
	for n, r := range []rune(s) {
		if n > 0 && strings.ContainsRune("aeiou", r) {
			continue
		}
		out = append(out, r)
	}
	return string(out)
}

// cut shortens a text but keeps the number it ends in.
func cut(s string, limit int) string {
	r := []rune(s)
	if len(r) <= limit {
		return s
	}
	head := strings.TrimRightFunc(s, unicode.IsDigit)
	tail := []rune(s)[len([]rune(head)):]
	keep := limit - len(tail)
	if keep < 1 {
		return string(r[:limit])
	}
	return string(r[:keep]) + string(tail)
}
