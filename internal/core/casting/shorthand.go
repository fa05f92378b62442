package casting

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"fanfold/internal/core/sound"
)

// MostPlayers bounds the players of one instrument in a shorthand, MostParts all of them.
const (
	MostPlayers = 64
	MostParts   = 1000
)

// Unread is a place of a shorthand that cannot be read; the rest of it is kept.
type Unread struct {
	At     int // byte of the line
	Text   string
	Reason string
}

func (u Unread) String() string { return fmt.Sprintf("%q: %s", u.Text, u.Reason) }

// Shorthand reads the line by which librarians and publishers write an orchestra:
// "3[1.2.pic] 3 3 3 - 4 3 3 1 - tmp+3 - 2hp - str 14.12.10.8.6", or
// "2(II=picc).2.2.2 - 4.2.3.1 - timp.2perc - hp - str", "2222/4231/T+2/str", "2+1 2+1
// 2+1 2+1": flutes, oboes, clarinets, bassoons; horns, trumpets, trombones, tubas; then
// whatever is named, and strings with their numbers. Square brackets name who plays what,
// seat by seat; round ones who plays something beside; after a slash stands what one
// player plays beside, after a plus how many play the relative. Common practice, no
// source. What cannot be read is told; the error is for a line that names nobody.
func Shorthand(line string) ([]Part, []Unread, error) {
	if len(line) > 4000 {
		return nil, nil, fmt.Errorf("the line is too long for an orchestra")
	}
	s := &shorthand{line: line}
	counted := 0 // groups that only count
	for _, g := range s.groups() {
		tokens := s.tokens(g)
		n := 0
		for n < len(tokens) && tokens[n].counts() {
			n++
		}
		if n > 0 && (n == len(tokens) || n >= 3) {
			counted += s.count(tokens[:n], counted)
			tokens = tokens[n:]
		}
		s.named(tokens)
	}
	s.number()
	if len(s.parts) == 0 {
		if len(s.unread) > 0 {
			return nil, s.unread, fmt.Errorf("%s", s.unread[0])
		}
		return nil, nil, fmt.Errorf("the line names no instrument; write as in: 2 2 2 2 - 4 2 3 1 - tmp+2 - hp - str")
	}
	return s.parts, s.unread, nil
}

// span is a piece of the line.
type span struct {
	at   int
	text string
}

// token is a number, a word, or a sign, with what stands in brackets after it.
type token struct {
	span
	inside string // of brackets
	square bool
	closed bool // it has brackets
	tight  bool // it follows the last one without a space
}

func (t token) digits() bool { return t.text != "" && strings.Trim(t.text, "0123456789") == "" }

// counts tells whether the token counts players of a family: 2, 3[1.2.pic], 2+1.
var counting = regexp.MustCompile(`^\d+(\+\d+)?$`)

func (t token) counts() bool { return counting.MatchString(t.text) }

type shorthand struct {
	line   string
	parts  []Part
	base   []string // of each part: its name without a number
	fixed  []int    // of each part: the number that is written; 0 for none
	by     []int    // for each part, that of the player who takes it beside his own; -1 for none
	unread []Unread
	full   int // parts that found no place
}

func (s *shorthand) fail(at int, text, reason string, args ...any) {
	s.unread = append(s.unread, Unread{at, text, fmt.Sprintf(reason, args...)})
}

// outside calls visit with every letter that stands in no bracket.
func outside(line string, visit func(n int, r rune)) {
	depth := 0
	for n, r := range line {
		switch r {
		case '(', '[', '{':
			depth++
		case ')', ']', '}':
			depth = max(0, depth-1)
		default:
			if depth == 0 {
				visit(n, r)
			}
		}
	}
}

// joinedCounts is a line such as 2222/4231/timp.
var joinedCounts = regexp.MustCompile(`^\s*\d{3,5}\s*/\s*\d`)

// groups splits the line at dashes or slashes with spaces about them; where there are
// none, at every dash.
func (s *shorthand) groups() []span {
	dash := func(r rune) bool { return strings.ContainsRune("-–—−|;\n", r) }
	var spaced, slashes, bare []int
	tightSlashes := joinedCounts.MatchString(s.line)
	outside(s.line, func(n int, r rune) {
		around := n == 0 || n+1 >= len(s.line) || unicode.IsSpace(rune(s.line[n-1])) || s.line[n-1] == '-' || strings.ContainsRune("|;\n", r)
		switch {
		case dash(r) && around:
			spaced = append(spaced, n)
		case dash(r):
			bare = append(bare, n)
		case r == '/' && (tightSlashes || n > 0 && n+1 < len(s.line) && unicode.IsSpace(rune(s.line[n-1])) && unicode.IsSpace(rune(s.line[n+1]))):
			slashes = append(slashes, n)
		}
	})
	cuts := slices.Concat(spaced, slashes)
	if len(cuts) == 0 && slices.ContainsFunc(bare, func(n int) bool { return n > 0 && strings.ContainsRune("0123456789)]", rune(s.line[n-1])) }) {
		cuts = slices.DeleteFunc(bare, s.hyphen) // 2222-4231-timp
	}
	slices.Sort(cuts)
	var out []span
	from := 0
	for _, n := range append(cuts, len(s.line)) {
		if n > from {
			out = append(out, span{from, s.line[from:n]})
		}
		_, size := utf8.DecodeRuneInString(s.line[n:])
		from = n + max(1, size)
	}
	return out
}

// hyphen tells whether a dash stands in the middle of an instrument's name, as in tam-tam.
func (s *shorthand) hyphen(n int) bool {
	from := strings.LastIndexFunc(s.line[:n], func(r rune) bool { return !unicode.IsLetter(r) }) + 1
	to := strings.IndexFunc(s.line[n+1:], func(r rune) bool { return !unicode.IsLetter(r) })
	if to < 0 {
		to = len(s.line) - n - 1
	}
	return from < n && to > 0 && instrument(s.line[from:n+1+to]) != nil
}

// tokens takes a group apart. Digits together are one number, but for a group such as
// 2222, where each is one.
func (s *shorthand) tokens(g span) []token {
	var out []token
	tight := false
	for n := 0; n < len(g.text); {
		r, size := utf8.DecodeRuneInString(g.text[n:])
		at := g.at + n
		switch {
		case strings.ContainsRune("([{", r):
			inside, after := bracketed(g.text[n:])
			if after < 0 {
				s.fail(at, g.text[n:], "the bracket is not closed")
				return out
			}
			if len(out) > 0 && !out[len(out)-1].closed {
				last := &out[len(out)-1]
				last.inside, last.square, last.closed = inside, r != '(', true
			} else {
				s.fail(at, g.text[n:n+after], "nothing comes before the brackets")
			}
			n += after
			continue
		case unicode.IsDigit(r):
			end := n
			for end < len(g.text) && (g.text[end] >= '0' && g.text[end] <= '9' || g.text[end] == '+' && end > n && end+1 < len(g.text) && g.text[end+1] >= '0' && g.text[end+1] <= '9' && !strings.Contains(g.text[n:end], "+")) {
				end++
			}
			if end == n { // a digit of another script
				s.fail(at, string(r), "it is not a number")
				n += size
				continue
			}
			out = append(out, token{span: span{at, g.text[n:end]}, tight: tight})
			n, tight = end, true
			continue
		case unicode.IsLetter(r):
			end := n
			for end < len(g.text) {
				x, size := utf8.DecodeRuneInString(g.text[end:])
				if !unicode.IsLetter(x) && x != '\'' && x != '-' {
					break
				}
				end += size
			}
			out = append(out, token{span: span{at, g.text[n:end]}, tight: tight})
			n, tight = end, true
			continue
		case r == '+' || r == '/' || r == '&':
			out = append(out, token{span: span{at, string(r)}, tight: tight})
		case unicode.IsSpace(r) || strings.ContainsRune(".,:;-–—=", r):
		default:
			s.fail(at, string(r), "this sign means nothing here")
		}
		tight = r == '+' || r == '/'
		n += size
	}
	if len(out) == 1 && out[0].digits() && !out[0].closed && len(out[0].text) >= 3 && len(out[0].text) <= 5 {
		var each []token
		for n, d := range out[0].text {
			each = append(each, token{span: span{out[0].at + n, string(d)}})
		}
		return each
	}
	return out
}

// bracketed is what stands in the brackets that a text begins with, and where it goes
// on; -1 when they are not closed.
func bracketed(text string) (string, int) {
	depth := 0
	for n, r := range text {
		switch r {
		case '(', '[', '{':
			depth++
		case ')', ']', '}':
			if depth--; depth == 0 {
				return strings.TrimSpace(text[1:n]), n + 1
			}
		}
	}
	return "", -1
}

// families are what the counting groups count, in order, with the relative that a plus
// adds.
var families = [][]struct{ id, relative string }{
	{{"wind.flutes.flute", "wind.flutes.flute.piccolo"}, {"wind.reed.oboe", "wind.reed.english-horn"}, {"wind.reed.clarinet", "wind.reed.clarinet.bass"}, {"wind.reed.bassoon", "wind.reed.contrabassoon"}},
	{{"brass.french-horn", "brass.wagner-tuba"}, {"brass.trumpet", "brass.cornet"}, {"brass.trombone", "brass.trombone.bass"}, {"brass.tuba", "brass.euphonium"}},
}

// count reads a group that counts, and tells how many families it was: five numbers
// after the winds and brass, or by themselves, are strings.
func (s *shorthand) count(tokens []token, family int) int {
	if len(tokens) == len(section) {
		s.sections(tokens[0].at, numbersOf(tokens))
		return 0
	}
	whole := s.line[tokens[0].at : tokens[len(tokens)-1].at+len(tokens[len(tokens)-1].text)]
	if family >= len(families) {
		s.fail(tokens[0].at, whole, "winds and brass are counted already; name what this counts")
		return 0
	}
	kinds := families[family]
	if len(tokens) > len(kinds) {
		s.fail(tokens[len(kinds)].at, whole, "it counts %d instruments; %d are usual there", len(tokens), len(kinds))
		tokens = tokens[:len(kinds)]
	}
	for n, t := range tokens {
		main, more, _ := strings.Cut(t.text, "+")
		is := sound.ByID(kinds[n].id)
		if t.closed && t.square {
			s.seats(t, main, is)
		} else {
			s.add(t.span, is, main)
			s.beside(t, is, main)
		}
		if more != "" {
			s.add(t.span, sound.ByID(kinds[n].relative), more)
		}
	}
	return 1
}

// players reads how many play; 1 where nothing is said, -1 after telling that it is too
// many.
func (s *shorthand) players(t span, text string, of string) int {
	if text == "" {
		return 1
	}
	n, err := strconv.Atoi(text)
	if err != nil || n > MostPlayers {
		s.fail(t.at, t.text, "%s players of %s are too many", text, of)
		return -1
	}
	return n
}

// add adds a part for each of several players of an instrument.
func (s *shorthand) add(t span, is *sound.Sound, players string) {
	for range max(0, s.players(t, players, is.Name)) {
		s.part(is.Name, is.ID, 1, 0)
	}
}

func (s *shorthand) part(name, id string, players, number int) {
	if len(s.parts) == MostParts {
		if s.full == 0 {
			s.fail(0, s.line, "it names more than %d parts", MostParts)
		}
		s.full++
		return
	}
	s.parts = append(s.parts, Part{Name: name, Sound: id, Players: players, Ways: []Way{}})
	s.base, s.fixed, s.by = append(s.base, name), append(s.fixed, number), append(s.by, -1)
}

// number names the parts: those of one name are told apart by numbers, written or not.
func (s *shorthand) number() {
	count, last, used := map[string]int{}, map[string]int{}, map[string]map[int]bool{}
	for n, name := range s.base {
		if used[name] == nil {
			used[name] = map[int]bool{}
		}
		count[name]++
		if f := s.fixed[n]; f > 0 {
			if used[name][f] {
				s.fixed[n] = 0 // two are written alike
			}
			used[name][f] = true
		}
	}
	for n := range s.parts {
		p, name := &s.parts[n], s.base[n]
		p.ID = fmt.Sprintf("part-%d", n+1)
		number := s.fixed[n]
		if number == 0 && count[name] == 1 {
			continue
		}
		if number == 0 {
			for last[name]++; used[name][last[name]]; last[name]++ {
			}
			number = last[name]
		}
		p.Name = fmt.Sprintf("%s %d", name, number)
	}
	for n, by := range s.by {
		if by >= 0 && by != n {
			s.parts[n].Beside = s.parts[by].Name
		}
	}
}

// listed splits what stands in brackets.
func listed(text string, at string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(at, r) })
}

// seats reads who plays what, seat by seat: "1.2.pic" has two of the family and a
// piccolo; "1.2/pic" a second player who takes the piccolo too.
func (s *shorthand) seats(t token, count string, family *sound.Sound) {
	seats := listed(t.inside, ".,")
	if strings.ContainsAny(t.inside, "=") || s.players(t.span, count, family.Name) != len(seats) && !slices.ContainsFunc(seats, written) {
		s.add(t.span, family, count)
		s.beside(t, family, count)
		return
	}
	if n := s.players(t.span, count, family.Name); n >= 0 && n != len(seats) {
		s.fail(t.at, t.text+"["+t.inside+"]", "it counts %d players and names %d", n, len(seats))
	}
	for _, seat := range seats {
		first := len(s.parts)
		for _, word := range listed(seat, "/") {
			word = strings.TrimSpace(word)
			if number := numeral(word); number > 0 {
				s.part(family.Name, family.ID, 1, number)
			} else if is := instrument(word); is != nil {
				s.part(is.Name, is.ID, 1, 0)
			} else {
				s.fail(t.at, word, "no instrument has this name")
			}
		}
		for n := first + 1; n < len(s.by); n++ {
			s.by[n] = first
		}
	}
}

// written tells whether a seat is a number.
func written(seat string) bool {
	return slices.ContainsFunc(listed(seat, "/"), func(w string) bool { return numeral(w) > 0 })
}

var romans = map[string]int{"i": 1, "ii": 2, "iii": 3, "iv": 4, "v": 5, "vi": 6, "vii": 7, "viii": 8}

// numeral reads a player's number: 2, II, 2nd; 0 for none.
func numeral(word string) int {
	word = strings.ToLower(strings.TrimSpace(word))
	if n := romans[word]; n > 0 {
		return n
	}
	digits := strings.TrimRight(word, "stndrh")
	n, err := strconv.Atoi(digits)
	if err != nil || n > MostPlayers || n < 1 {
		return 0
	}
	return n
}

// beside reads who plays something beside: "pic", "2pic", "II=picc", "III=cbn, IV=cbn".
// Each gets a part of its own, for the player who takes both.
func (s *shorthand) beside(t token, family *sound.Sound, count string) {
	if !t.closed {
		return
	}
	first, main := len(s.parts), len(s.parts)-max(0, s.players(t.span, count, family.Name))
	defer func() { // who is not named is the last of them
		last := first - 1
		for n := len(s.by) - 1; n >= first && last >= main; n-- {
			if s.by[n] < 0 {
				s.by[n] = last
				last--
			}
		}
	}()
	for _, item := range listed(t.inside, ",;./&") {
		who, what, said := strings.Cut(item, "=")
		if !said {
			what = item
		}
		what = strings.TrimSpace(what)
		if numeral(what) > 0 { // a player of the family, named
			continue
		}
		players := "1"
		if end := strings.IndexFunc(what, func(r rune) bool { return r < '0' || r > '9' }); end > 0 {
			players, what = what[:end], strings.TrimSpace(what[end:])
		}
		if is := instrument(what); is != nil {
			s.add(t.span, is, players)
			if n := numeral(who); said && n > 0 && main+n-1 < first && len(s.by) > first {
				s.by[len(s.by)-1] = main + n - 1
			}
		} else if what != "" {
			s.fail(t.at, what, "no instrument has this name")
		}
	}
}

// short are abbreviations that mean an instrument in a shorthand alone.
// Common practice, no source.
var short = map[string]string{
	"t": "drum.timpani", "p": "drum.group", "c.a": "wind.reed.english-horn", "k": "keyboard.piano", "kbd": "keyboard.piano", "keys": "keyboard.piano", "tenor tuba": "brass.euphonium",
}

// instrument finds what a word of a shorthand speaks of: the whole of it, so that no
// word is read as another that it holds.
func instrument(word string) *sound.Sound {
	word = strings.TrimSpace(word)
	if id := short[strings.ToLower(word)]; id != "" {
		return sound.ByID(id)
	}
	if is := sound.Named(word); is != nil {
		return is
	}
	return sound.Named(strings.TrimRight(word, "0123456789. "))
}

// named reads tokens that name their instruments: "tmp+3", "2hp", "pf/cel", "perc(3)",
// "timp.2perc", "str 14.12.10.8.6", "SATB".
func (s *shorthand) named(tokens []token) {
	for n := 0; n < len(tokens); {
		t := tokens[n]
		switch {
		case t.text == "+" || t.text == "/" || t.text == "&":
			n++
		case t.digits():
			n += s.counted(tokens[n:])
		case t.counts(): // 1+3 with no name
			s.fail(t.at, t.text, "it counts nobody named here")
			n++
		default:
			n += s.word(tokens[n:], "")
		}
	}
}

// counted reads a number and the word after it.
func (s *shorthand) counted(tokens []token) int {
	if len(tokens) == 1 || !isWord(tokens[1]) || tokens[0].closed {
		s.fail(tokens[0].at, tokens[0].text, "it counts nobody named here")
		return 1
	}
	return 1 + s.word(tokens[1:], tokens[0].text)
}

func isWord(t token) bool { return t.text != "" && unicode.IsLetter([]rune(t.text)[0]) }

// word reads one instrument of one to three words, of so many players, and tells how many
// tokens that took.
func (s *shorthand) word(tokens []token, players string) int {
	t := tokens[0]
	lower := strings.ToLower(t.text)
	if strings.HasPrefix(lower, "str") && (sound.Named(lower) != nil || lower == "strs") || lower == "archi" {
		return s.strings(tokens)
	}
	if used, ok := s.choir(tokens); ok {
		return used
	}
	for length := 3; length > 0; length-- {
		if length > len(tokens) || !allWords(tokens[:length]) {
			continue
		}
		text := s.line[t.at : tokens[length-1].at+len(tokens[length-1].text)]
		is := instrument(text)
		if is == nil {
			continue
		}
		return s.instruments(tokens, length, is, players)
	}
	s.fail(t.at, t.text, "no instrument has this name")
	n := 1
	if n < len(tokens) && tokens[n].digits() && tokens[n].tight {
		n++
	}
	return n
}

func allWords(tokens []token) bool {
	for n, t := range tokens {
		if !isWord(t) || t.closed && n < len(tokens)-1 {
			return false
		}
	}
	return true
}

// instruments adds an instrument that was read, with its players: those before it, in
// brackets, or after it; and percussionists after a plus.
func (s *shorthand) instruments(tokens []token, used int, is *sound.Sound, players string) int {
	last := tokens[used-1]
	next := func(n int) token {
		if used+n < len(tokens) {
			return tokens[used+n]
		}
		return token{}
	}
	doubles := false
	switch {
	case last.closed && strings.Trim(last.inside, "0123456789 ") == "":
		if players == "" {
			players = strings.TrimSpace(last.inside)
		}
	case last.closed:
		doubles = true
	case players == "" && next(0).digits() && !isWord(next(1)): // perc 3
		players = next(0).text
		used++
	}
	s.add(last.span, is, players)
	if doubles {
		s.beside(last, is, players)
	}
	if next(0).text == "+" && next(1).digits() && !isWord(next(2)) && is.ID == "drum.timpani" {
		s.add(next(1).span, sound.ByID("drum.group"), next(1).text)
		used += 2
	}
	return used
}

// section is the strings, from high to low.
var section = []struct{ name, id string }{
	{"Violins 1", "strings.violin"}, {"Violins 2", "strings.violin"}, {"Violas", "strings.viola"}, {"Cellos", "strings.cello"}, {"Basses", "strings.contrabass"},
}

// strings reads "str", "str 14.12.10.8.6" and "strings (8.6.4.3.2)".
func (s *shorthand) strings(tokens []token) int {
	t, used := tokens[0], 1
	var numbers []string
	if t.closed {
		numbers = strings.FieldsFunc(t.inside, func(r rune) bool { return !unicode.IsDigit(r) })
	} else {
		for used < len(tokens) && tokens[used].digits() {
			numbers = append(numbers, tokens[used].text)
			used++
		}
	}
	if len(numbers) == 0 {
		numbers = slices.Repeat([]string{""}, len(section))
	}
	s.sections(t.at, numbers)
	return used
}

func numbersOf(tokens []token) []string {
	var out []string
	for _, t := range tokens {
		out = append(out, t.text)
	}
	return out
}

func (s *shorthand) sections(at int, numbers []string) {
	if len(numbers) != len(section) {
		s.fail(at, strings.Join(numbers, "."), "the strings are five: violins 1 and 2, violas, cellos, basses")
		numbers = slices.Repeat([]string{""}, len(section))
	}
	for n, x := range section {
		many := 0
		if numbers[n] != "" {
			if many = s.players(span{at, numbers[n]}, numbers[n], x.name); many == 0 {
				continue // 6.0.4.3.2 has no second violins
			}
		}
		s.part(x.name, x.id, max(0, many), 0)
	}
}

// voices are those of a choir by their letters.
var voices = map[rune]struct{ choir, solo, id string }{
	'S': {"Sopranos", "Solo soprano", "voice.soprano"}, 'A': {"Altos", "Solo alto", "voice.alto"}, 'T': {"Tenors", "Solo tenor", "voice.tenor"},
	'B': {"Basses of the choir", "Solo bass", "voice.bass"}, 'M': {"Mezzo-sopranos", "Solo mezzo-soprano", "voice.mezzo-soprano"}, 'R': {"Baritones", "Solo baritone", "voice.baritone"},
}

var (
	letters = regexp.MustCompile(`^[SMATRB]{2,8}$`)
	one     = regexp.MustCompile(`^[SMATRB]$`)
)

func soloists(word string) bool {
	return slices.Contains([]string{"solo", "soli", "solos", "soloist", "soloists"}, strings.ToLower(word))
}

func choral(word string) bool {
	return slices.Contains([]string{"choir", "chorus", "coro", "chor", "ch"}, strings.ToLower(word))
}

// choir reads a choir, or soloists, by letters: "SATB", "SSAA choir", "SATB soli", and
// "soprano solo". It tells how many tokens that took, and whether it was one.
func (s *shorthand) choir(tokens []token) (int, bool) {
	t, used := tokens[0], 1
	solo := false
	if soloists(t.text) || choral(t.text) {
		if len(tokens) > 1 && isWord(tokens[1]) && (letters.MatchString(tokens[1].text) || soloists(t.text) && one.MatchString(tokens[1].text)) {
			solo, t, used = soloists(t.text), tokens[1], 2
		} else if inside := strings.ReplaceAll(t.inside, " ", ""); letters.MatchString(inside) {
			solo = soloists(t.text)
			t.text = inside
		} else if soloists(t.text) && len(tokens) > 1 && isWord(tokens[1]) {
			if is := instrument(tokens[1].text); is != nil && sound.Within(is.ID, "voice") {
				s.part("Solo "+strings.ToLower(is.Name), is.ID, 1, 0)
				return 2, true
			}
			return 0, false
		}
	}
	if used == 1 && !letters.MatchString(t.text) {
		if is := instrument(t.text); is != nil && sound.Within(is.ID, "voice") && len(tokens) > 1 && soloists(tokens[1].text) {
			s.part("Solo "+strings.ToLower(is.Name), is.ID, 1, 0)
			return 2, true
		}
		return 0, false
	}
	for used < len(tokens) && (soloists(tokens[used].text) || choral(tokens[used].text)) {
		solo = solo || soloists(tokens[used].text)
		used++
	}
	for _, r := range t.text {
		v := voices[r]
		if solo {
			s.part(v.solo, v.id, 1, 0)
		} else {
			s.part(v.choir, v.id, 0, 0)
		}
	}
	return used, true
}
