package sound

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// What a word says of an instrument beside its name: its size, its voice, what it is
// made of. Common practice, no source.
const (
	small = "small"
	large = "large"
	high  = "soprano"
	alto  = "alto"
	tenor = "tenor"
	bari  = "baritone"
	bass  = "bass"
	contr = "contrabass"
)

// qualifiers are the words for it in five languages, without accents.
var qualifiers = words(map[string]string{
	small:       "piccolo piccola picc pic pikkolo klein kleine kleines kl petite petit pte small little requinto",
	large:       "gross grosse grosses gr grande grandes grosse gran large",
	high:        "soprano sopran sopr s",
	alto:        "alto alt contralto a",
	tenor:       "tenor tenore t",
	bari:        "baritone bariton baritono baryton bari",
	bass:        "bass basso bassa basse bajo baja b",
	contr:       "contrabass contrabasso contrabbasso contrebasse contrabajo kontrabass kontra contra contre double doppio c k kb",
	"english":   "english eng engl anglais angl ang inglese ingl ingles inglesa",
	"basset":    "basset bassetto",
	"wagner":    "wagner",
	"hung":      "suspended susp sus sospeso suspendue suspendu suspendido hangendes hangend",
	"clear":     "snare side claire militare militar field",
	"e-flat":    "",
	"g":         "",
	"tubular":   "tubular tubolari tubulaires tub",
	"electric":  "electric el elektrische electrica",
	"orchestra": "orchestra",
})

// kinds are what qualifiers make of an instrument that is named; those that are not here
// leave it what it is.
var kinds = map[string]map[string]string{
	"wind.flutes.flute": {small: "wind.flutes.flute.piccolo", alto: "wind.flutes.flute.alto", "g": "wind.flutes.flute.alto", bass: "wind.flutes.flute.bass"},
	"wind.reed.clarinet": {
		small: "wind.reed.clarinet.eflat", "e-flat": "wind.reed.clarinet.eflat", bass: "wind.reed.clarinet.bass", contr: "wind.reed.clarinet.contrabass",
	},
	"wind.reed.saxophone.alto": {
		high: "wind.reed.saxophone.soprano", tenor: "wind.reed.saxophone.tenor", bari: "wind.reed.saxophone.baritone", bass: "wind.reed.saxophone.baritone", "b": "wind.reed.saxophone.baritone",
	},
	"wind.reed.bassoon":  {contr: "wind.reed.contrabassoon"},
	"brass.french-horn":  {"english": "wind.reed.english-horn", "basset": "wind.reed.basset-horn"},
	"brass.trumpet":      {small: "brass.trumpet.piccolo"},
	"brass.trombone":     {bass: "brass.trombone.bass", contr: "brass.trombone.contrabass"},
	"brass.tuba":         {tenor: "brass.euphonium", contr: "brass.tuba.subcontrabass", "wagner": "brass.wagner-tuba"},
	"drum":               {large: "drum.bass-drum", bass: "drum.bass-drum", small: "drum.snare-drum", "clear": "drum.snare-drum"},
	"metal.cymbal.crash": {"hung": "metal.cymbal.suspended"},
	"pluck.guitar":       {"electric": "pluck.guitar.electric", bass: "pluck.bass.electric"},
	"keyboard.piano":     {"electric": "keyboard.piano.electric"},
}

// nouns are further words for the instruments that qualifiers speak of, without accents,
// and those that are no instrument without one.
var nouns = words(map[string]string{
	"wind.flutes.flute":          "flute flutes fl flauto flauti flote floten flauta flautas",
	"wind.reed.clarinet":         "clarinet clarinets cl clar clarinetto clarinetti klarinette klarinetten klar clarinette clarinettes clarinete clarinetes",
	"wind.reed.saxophone.alto":   "sax saxes saxophone saxophones saxophon saxofono saxofon sassofono sassofoni",
	"wind.reed.bassoon":          "bassoon bassoons bn bsn fagotto fagotti fagott fagotte fag fg basson bassons bon bons fagot fagotes",
	"brass.french-horn":          "horn horns hn hrn hr corno corni cor cors horner trompa trompas waldhorn",
	"brass.trumpet":              "trumpet trumpets tpt trp tromba trombe trompete trompeten trompette trompettes trompeta trompetas",
	"brass.trombone":             "trombone trombones tbn trb trbn tromb tromboni posaune posaunen pos trombon",
	"brass.tuba":                 "tuba tubas tba",
	"drum":                       "drum trommel cassa caisse tr",
	"metal.cymbal.crash":         "cymbal cymbals cym piatto piatti becken cymbale cymbales plato platillos ptti",
	"wind.flutes.recorder":       "recorder recorders blockflote",
	"wind.reed.oboe":             "oboe oboes ob oboi oboen hoboe hautbois htb",
	"pitched-percussion.marimba": "marimba",
	"pluck.guitar":               "guitar guitars gtr guit gitarre guitare guitarra chitarra",
	"keyboard.piano":             "piano pno",
})

// words turns lists of words about.
func words(lists map[string]string) map[string]string {
	out := map[string]string{}
	for is, list := range lists {
		for _, w := range strings.Fields(list) {
			out[w] = is
		}
	}
	return out
}

// plainLetters are letters with accents, as the languages of scores have them, and what
// they are without; a loose accent is nothing.
var plainLetters = strings.NewReplacer(
	"ß", "ss", "à", "a", "á", "a", "â", "a", "ä", "a", "ã", "a", "å", "a", "ç", "c", "è", "e", "é", "e", "ê", "e", "ë", "e", "ì", "i", "í", "i", "î", "i", "ï", "i",
	"ñ", "n", "ò", "o", "ó", "o", "ô", "o", "ö", "o", "õ", "o", "ø", "o", "ù", "u", "ú", "u", "û", "u", "ü", "u", "ý", "y", "ÿ", "y", "æ", "ae", "œ", "oe",
	"\u0300", "", "\u0301", "", "\u0302", "", "\u0303", "", "\u0308", "", "\u030a", "", "\u0327", "",
)

// fold writes a text in small letters without accents.
func fold(text string) string { return plainLetters.Replace(strings.ToLower(text)) }

var (
	// aside is where a name goes on with what else is played: "Fl. 3 / Picc.".
	aside = regexp.MustCompile(`(?i)\s*(/\s*\p{L}|\(?\b(doubling|doubles|dbl|also|auch|anche|muta in|poi|aussi)\b)`)
	// key is the pitch an instrument stands in, at the end of its name or before it.
	key = regexp.MustCompile(`\b(?:in|en|ut)\s+((?:[a-h]|es|as|do|re|mi|fa|sol|la|si|ut)(?:\s?[-b#♭♯]|\s?-?\s?(?:flat|sharp|bemol|bemolle))?(?:\s?flat|\s?b)?)\s*(?:\d.*)?$|\b((?:e|b|a)\s?-?\s?(?:b|flat|♭)|es|bb|eb)\b`)
	// flatE is E flat in the languages of scores.
	flatE = regexp.MustCompile(`^(e\s?-?\s?(b|flat|♭)|es|mi\s?-?\s?(b|bemol|bemolle|♭))$`)
)

// composed finds an instrument by its name and what is said beside it, in whatever order:
// "Flûte alto", "Bass Cl.", "3rd Trombone (Bass)", "Bassklarinette".
func composed(name string) *Sound {
	text := fold(name)
	said := map[string]bool{}
	if m := key.FindStringSubmatch(text); m != nil {
		pitch := strings.TrimSpace(m[1] + m[2])
		said["e-flat"], said["g"] = flatE.MatchString(pitch), pitch == "g" || pitch == "sol"
		text = strings.Replace(text, m[0], " ", 1)
	}
	noun, word := "", ""
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
		switch {
		case nouns[w] != "" && noun == "":
			noun, word = nouns[w], w
		case qualifiers[w] != "":
			said[qualifiers[w]] = true
		case noun == "":
			if first, rest := compound(w); rest != "" {
				noun, word, said[first] = rest, w, true
			}
		}
	}
	if noun == "" {
		return nil
	}
	for _, q := range []string{"english", "basset", "wagner", "hung", "clear", contr, "e-flat", small, "g", high, alto, tenor, bari, bass, large, "electric"} {
		if id := kinds[noun][q]; said[q] && id != "" {
			return byID[id]
		}
	}
	if noun == "drum" {
		noun = map[string]string{"tr": "brass.trumpet"}[word]
	}
	return byID[noun]
}

// compound takes a German word apart: "bassposaune", "altsaxophon".
func compound(word string) (qualifier, noun string) {
	for n := 1; n < len(word)-1; n++ {
		q, is := qualifiers[word[:n]], nouns[word[n:]]
		if word[n:] == "kl" { // and not klein
			is = "wind.reed.clarinet"
		}
		if q != "" && is != "" && is != "drum" && (len(word)-n > 2 || n > 2) {
			return q, is
		}
	}
	return "", ""
}

// counts are words for first to fourth in the languages of scores.
var ordinals = words(map[string]string{
	"1": "first erste erster erstes prima primo premier premiers premiere premieres primeros primero i",
	"2": "second zweite zweiter zweites seconda secondo seconds deuxieme deuxiemes segundos segundo ii",
	"3": "third dritte dritter terza terzo troisieme tercero iii", "4": "fourth vierte vierter quarta quarto quatrieme cuarto iv",
	"5": "fifth v", "6": "sixth vi", "7": "vii", "8": "viii",
})

var (
	numbered = regexp.MustCompile(`\d+`)
	// ranged is "1-4" and "1 to 4".
	ranged   = regexp.MustCompile(`(\d{1,2})\s*(?:-|–|to|bis|a)\s*(\d{1,2})`)
	brackets = regexp.MustCompile(`[(\[][^)\]]*[)\]]`)
	lone     = regexp.MustCompile(`[(\[]\s*\d+\s*[)\]]`)
	hands    = regexp.MustCompile(`\b\d+ (hands|mains|mani|handig)\b`)
	// many is "a 4", "2 Flutes" and "div. a 3": how many, not which.
	many = regexp.MustCompile(`\ba\s?\d+\b|^\s*\d+\s+\p{L}`)
)

// Desks are the numbers of the players that a part's or a row's name speaks of: 1 and 2
// of "Fl. 1.2", 1 to 4 of "Hn 1-4", 2 of "2nd Oboe" and "Violini II". None of "4 Horns",
// which says how many there are.
func Desks(name string) []int {
	text := fold(aside.Split(name, 2)[0])
	if plain := brackets.ReplaceAllString(text, " "); plain != text {
		if out := Desks(plain); len(out) > 0 {
			return out
		}
		text = lone.ReplaceAllString(text, " ") // how many there are
	}
	text = hands.ReplaceAllString(text, " ")
	text = many.ReplaceAllStringFunc(text, func(m string) string { return strings.Trim(m, "0123456789") })
	var out []int
	add := func(n int) {
		if n > 0 && n < 100 && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	for _, m := range ranged.FindAllStringSubmatch(text, -1) {
		from, _ := strconv.Atoi(m[1])
		to, _ := strconv.Atoi(m[2])
		for n := from; n <= to && n-from < 32; n++ {
			add(n)
		}
	}
	for _, m := range numbered.FindAllString(text, -1) {
		n, _ := strconv.Atoi(m)
		add(n)
	}
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if n, err := strconv.Atoi(ordinals[w]); err == nil {
			add(n)
		}
	}
	slices.Sort(out)
	return out
}

// together are words for many who play as one.
var together = regexp.MustCompile(`\b(ensemble|section|tutti|choir|chor|chorus|coro|women|men|girls|boys)\b`)

// plurals are names of several players that do not end in s, without accents.
var plurals = words(map[string]string{"-": "corni celli violini viole contrabbassi violoncelli flauti oboi clarinetti fagotti trombe tromboni tube soprani alti tenori bassi " +
	"horner floten oboen klarinetten fagotte trompeten posaunen tuben violinen geigen bratschen kontrabasse harfen pauken"})

// Players is how many players a row's name says that it has: 3 of "Flutes a 3", 4 of "4
// Horns"; 0 when it says nothing.
func Players(name string) int {
	n, _ := strconv.Atoi(strings.Trim(many.FindString(fold(name)), "abcdefghijklmnopqrstuvwxyz "))
	return n
}

// Several tells whether a row's name speaks of several players who play as one: "Flutes a
// 3", "4 Horns", "Sopranos", "Low brass ensemble".
func Several(name string) bool {
	text := fold(name)
	if Players(name) > 1 || together.MatchString(text) {
		return true
	}
	is := ByName(name)
	return is != nil && slices.ContainsFunc(strings.Fields(text), func(w string) bool {
		one, plural := strings.CutSuffix(w, "s")
		return plurals[w] != "" || plural && !strings.HasSuffix(one, "s") && (byName[plain(one)] == is || byName[plain(w)] == is)
	})
}

// either are names that mean one instrument among voices and another among strings.
var either = []struct{ names, voice, strings string }{
	{"bass basses basso bassi basse bassen", "voice.bass", "strings.contrabass"},
	{"alto altos alti alt", "voice.alto", "strings.viola"},
}

// Among is the sound of a name that means two instruments, by the family it stands among
// (see Family); any other name keeps the sound it has. Without a family, and of no sound,
// it is that among strings: so it tells whether a name means two.
func Among(name, is, family string) string {
	var one string
	for _, w := range strings.FieldsFunc(fold(name), func(r rune) bool { return !unicode.IsLetter(r) }) {
		if ordinals[w] != "" || beside[w] != "" && w != "a" {
			continue
		}
		if one != "" {
			return is
		}
		one = w
	}
	for _, e := range either {
		if one == "" || !slices.Contains(strings.Fields(e.names), one) {
			continue
		}
		switch {
		case family == "Voices":
			return e.voice
		case family == "Strings" || is == "":
			return e.strings
		}
	}
	return is
}

// Family is the outermost section an instrument stands in: Winds, Brass, Percussion,
// Keys and harp, Voices, Strings or Hybrid; empty for one that is not known.
func Family(id string) string {
	if s := ByID(id); s != nil && id != "" {
		top, _, _ := strings.Cut(s.Section, " / ")
		return top
	}
	return ""
}

// general are parts for whoever is at hand, and the family that plays them.
var general = map[string]string{"drum.group": "Percussion", "voice.vocals": "Voices", "strings.group": "Strings", "synth.pad": "Hybrid", "synth.effects": "Hybrid"}

// Covers tells whether a part is a general one, such as percussion, and an instrument can
// play it.
func Covers(part, id string) bool { return general[part] != "" && general[part] == Family(id) }

// Soloist tells whether a name speaks of one who plays alone.
func Soloist(name string) bool { return strings.Contains(fold(name), "solo") }

// special are words of names for a special kind of an instrument. Common practice, no source.
var special = words(map[string]string{"-": "felt upright prepared toy bowed gut lever soft hard muted small piccolo old broken finger far tiny detuned"})

// Special tells whether a name speaks of a special kind of an instrument, beside the plain
// one: a felt upright, a gut harp, a piccolo snare; but not of a piccolo.
func Special(name string) bool {
	is := ByName(name)
	return slices.ContainsFunc(strings.Fields(fold(name)), func(w string) bool {
		return special[w] != "" && (is == nil || !slices.Contains(strings.Fields(fold(is.Name)), w))
	})
}

// usual are what those who play a general part take, the first of them first. Common
// practice, no source.
var usual = map[string][]string{
	"drum.group": {
		"drum.bass-drum", "drum.snare-drum", "metal.cymbal.suspended", "metal.cymbal", "metal.tamtam", "pitched-percussion.glockenspiel", "metal.triangle", "drum.tom-tom",
		"pitched-percussion.xylophone", "drum.tambourine", "pitched-percussion.vibraphone", "drum.taiko", "pitched-percussion.marimba", "pitched-percussion.tubular-bells", "wood.wood-block",
	},
	"voice.vocals": {"voice.soprano", "voice.alto", "voice.tenor", "voice.bass"},
}

// Usual says how usual it is that those who play a general part take an instrument: 0 for
// not at all, to 31.
func Usual(part, id string) int {
	for n, u := range usual[part] {
		if Within(id, u) {
			return 31 - n
		}
	}
	return 0
}

// Pitched tells whether the keys an instrument is asked for are its pitches: those of
// drums, metals and made sounds only say what is struck.
func Pitched(id string) bool {
	s := ByID(id)
	if s == nil || id == "" {
		return false
	}
	family := Family(id)
	return family != "Hybrid" && (family != "Percussion" || strings.HasSuffix(s.Section, "Tuned") || strings.HasSuffix(s.Section, "Timpani"))
}
