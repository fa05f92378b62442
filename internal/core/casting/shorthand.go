package casting

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"fanfold/internal/core/sound"
)

// MostPlayers bounds the players of one instrument in a shorthand.
const MostPlayers = 64

// Shorthand reads the line by which librarians write an orchestra:
// "3[1.2.pic] 3 3 3 - 4 3 3 1 - tmp+3 - 2hp - str 14.12.10.8.6": flutes,
// oboes, clarinets, bassoons; horns, trumpets, trombones, tubas; then
// timpani plus percussionists, harps, keyboards and strings with their
// numbers. Brackets name who plays another instrument, after a slash what a
// player plays beside. Common practice, no source. The error says which word
// can not be read.
func Shorthand(line string) ([]Part, error) {
	s := &shorthand{}
	groups := dash.Split(strings.TrimSpace(line), -1)
	if len(groups) > 32 || len(line) > 4000 {
		return nil, fmt.Errorf("the line is too long for an orchestra")
	}
	counted := 0 // groups that only count
	for _, g := range groups {
		words := spaced(g)
		if len(words) == 0 {
			continue
		}
		if counting(words) && counted < len(families) {
			if err := s.count(words, families[counted]); err != nil {
				return nil, err
			}
			counted++
			continue
		}
		for n := 0; n < len(words); n++ {
			word := words[n]
			if strings.HasPrefix(strings.ToLower(word), "str") && n+1 < len(words) && desks.MatchString(words[n+1]) {
				word, n = word+" "+words[n+1], n+1
			}
			if err := s.named(word); err != nil {
				return nil, err
			}
		}
	}
	if len(s.parts) == 0 {
		return nil, fmt.Errorf("the line names no instrument; write as in: 2 2 2 2 - 4 2 3 1 - tmp+2 - hp - str")
	}
	return s.parts, nil
}

var (
	dash  = regexp.MustCompile(`\s+[-–—]+\s+`)
	desks = regexp.MustCompile(`^\d+(\.\d+)+$`)
	count = regexp.MustCompile(`^(\d+)(\[([^\]]*)\])?$`)
	some  = regexp.MustCompile(`^(\d*)([A-Za-z]+)(\+(\d+))?$`)
)

// families are what the counting groups count, in order.
var families = [][]string{
	{"wind.flutes.flute", "wind.reed.oboe", "wind.reed.clarinet", "wind.reed.bassoon"},
	{"brass.french-horn", "brass.trumpet", "brass.trombone", "brass.tuba"},
}

// spaced splits at spaces outside brackets.
func spaced(text string) []string {
	var out []string
	depth, from := 0, 0
	for n, r := range text + " " {
		switch {
		case r == '[':
			depth++
		case r == ']':
			depth--
		case r == ' ' && depth <= 0:
			if n > from {
				out = append(out, text[from:n])
			}
			from = n + 1
		}
	}
	return out
}

// counting tells whether a group is of numbers only.
func counting(words []string) bool {
	for _, w := range words {
		if !count.MatchString(w) {
			return false
		}
	}
	return true
}

type shorthand struct{ parts []Part }

// add adds a part for each of several players of an instrument.
func (s *shorthand) add(is *sound.Sound, players int) error {
	if players > MostPlayers {
		return fmt.Errorf("%d players of %s are too many", players, is.Name)
	}
	for n := range players {
		name := is.Name
		if players > 1 {
			name = fmt.Sprintf("%s %d", is.Name, n+1)
		}
		s.part(name, is.ID, 1)
	}
	return nil
}

func (s *shorthand) part(name, id string, players int) {
	s.parts = append(s.parts, Part{ID: fmt.Sprintf("part-%d", len(s.parts)+1), Name: name, Sound: id, Players: players, Ways: []Way{}})
}

func (s *shorthand) count(words []string, family []string) error {
	if len(words) > len(family) {
		return fmt.Errorf("%q counts %d instruments; %d are usual there", strings.Join(words, " "), len(words), len(family))
	}
	for n, w := range words {
		m := count.FindStringSubmatch(w)
		players, err := strconv.Atoi(m[1])
		if err != nil {
			return fmt.Errorf("%q is no number of players", m[1])
		}
		is := sound.ByID(family[n])
		if m[3] == "" {
			if err := s.add(is, players); err != nil {
				return err
			}
			continue
		}
		if err := s.bracket(m[3], players, is); err != nil {
			return fmt.Errorf("%q: %w", w, err)
		}
	}
	return nil
}

// bracket reads who plays what: "1.2.pic" has two of the family and a piccolo;
// "2/pic" a second player who takes the piccolo too.
func (s *shorthand) bracket(text string, players int, family *sound.Sound) error {
	seats := strings.Split(text, ".")
	if len(seats) != players {
		return fmt.Errorf("it counts %d players and names %d", players, len(seats))
	}
	usual := 0
	for _, seat := range seats {
		for _, word := range strings.Split(seat, "/") {
			word = strings.TrimSpace(word)
			if number, err := strconv.Atoi(word); err == nil {
				usual++
				s.part(fmt.Sprintf("%s %d", family.Name, number), family.ID, 1)
				continue
			}
			is := sound.ByName(strings.TrimRight(word, "0123456789"))
			if is == nil {
				return fmt.Errorf("%q is no instrument", word)
			}
			s.part(is.Name, is.ID, 1)
		}
	}
	return nil
}

// named reads a word that names its instrument: "tmp+3", "2hp", "pf/cel",
// "str 14.12.10.8.6".
func (s *shorthand) named(word string) error {
	if strings.HasPrefix(strings.ToLower(word), "str") {
		return s.strings(word)
	}
	for _, one := range strings.Split(word, "/") {
		m := some.FindStringSubmatch(one)
		if m == nil {
			return fmt.Errorf("%q can not be read; write as in tmp+3, 2hp, pf/cel or str", one)
		}
		is := sound.ByName(m[2])
		if is == nil {
			return fmt.Errorf("%q is no instrument", m[2])
		}
		players := 1
		if m[1] != "" {
			players, _ = strconv.Atoi(m[1]) // digits; too many are refused below
		}
		if players == 0 && m[1] != "0" {
			players = MostPlayers + 1
		}
		if err := s.add(is, players); err != nil {
			return err
		}
		if m[4] != "" {
			others, err := strconv.Atoi(m[4])
			if err != nil {
				others = MostPlayers + 1
			}
			if err := s.add(sound.ByID("drum.group"), others); err != nil {
				return err
			}
		}
	}
	return nil
}

// section is the strings, from high to low.
var section = []struct{ name, id string }{
	{"Violins 1", "strings.violin"}, {"Violins 2", "strings.violin"}, {"Violas", "strings.viola"}, {"Cellos", "strings.cello"}, {"Basses", "strings.contrabass"},
}

func (s *shorthand) strings(word string) error {
	_, numbers, _ := strings.Cut(word, " ")
	players := strings.Split(numbers, ".")
	if numbers != "" && len(players) != len(section) {
		return fmt.Errorf("%q: the strings are five: violins 1 and 2, violas, cellos, basses", word)
	}
	for n, x := range section {
		many := 0
		if numbers != "" {
			many, _ = strconv.Atoi(players[n]) // digits only, by the pattern
		}
		s.part(x.name, x.id, many)
	}
	return nil
}
