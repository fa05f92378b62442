// Package playable asks whether people could play a piece: parts with their notes and an
// orchestra go in; what no one of it could do, or only with trouble, comes out bar by bar.
// What people can do is said in tables of package sound.
package playable

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/note"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// Kind says what is the matter.
type Kind string

// The kinds.
const (
	AtOnce     Kind = "notes at once"
	Range      Kind = "range"
	Comfort    Kind = "comfort"
	Breath     Kind = "breath"
	Mute       Kind = "mute"
	Bowing     Kind = "bow"
	Instrument Kind = "instrument"
	Percussion Kind = "percussion"
	Tuning     Kind = "tuning"
	Divisi     Kind = "divisi"
)

// Finding is something that people could not play, or only with trouble.
type Finding struct {
	Kind    Kind
	Desk    string // whose part it is
	From    int64  // bars, counted from 1
	To      int64
	Message string
}

// Key tells a finding from others, also after the music has changed elsewhere.
func (f Finding) Key() string { return fmt.Sprintf("%s | %s | %d", f.Kind, f.Desk, f.From) }

// Part is a part of a piece, with its notes.
type Part struct {
	Name  string
	Sound string
	Notes []articulation.Note
	Time  tempo.Time
}

// Desk is a player or a section of an orchestra.
type Desk struct {
	Name    string
	Sound   string
	Players int
	Beside  string // the desk whose player takes this one, too
}

// OfLine is the orchestra of a line of shorthand. A string section whose size is not
// written has that of a large orchestra.
func OfLine(line string) ([]Desk, []casting.Unread, error) {
	parts, unread, err := casting.Shorthand(line)
	if err != nil {
		return nil, unread, err
	}
	out := []Desk{}
	for _, p := range parts {
		d := Desk{Name: p.Name, Sound: p.Sound, Players: max(1, p.Players), Beside: p.Beside}
		if p.Players < 2 && !sound.Soloist(p.Name) {
			d.Players = max(1, sound.SectionSize(p.Sound, strings.HasSuffix(p.Name, "2")))
		}
		out = append(out, d)
	}
	return out, unread, nil
}

// OfTemplate is the orchestra that a template has seats for: its desks, each once. Rows of
// several who play as one stand for players that have rows of their own, unless there are
// none.
func OfTemplate(t *template.Template) []Desk {
	words := articulation.NewVocabulary(t.Vocabulary)
	seen := map[string]bool{}
	var single, several []Desk
	for _, i := range t.ScoreOrder() {
		name := articulation.Desk(words, i.Name)
		is := soundOf(t, i, name)
		if i.Kind == template.Guide || i.Kind == template.Input || i.Kind == template.Divider || is == "" || seen[template.FoldName(name)] {
			continue
		}
		seen[template.FoldName(name)] = true
		switch kind := kindOf(is); sound.Family(is) {
		case "Hybrid":
			continue
		case "Percussion": // its rows are instruments; how many play them, nobody has said
			if kind != "drum.timpani" || seen[kind] {
				continue
			}
			seen[kind] = true
		case "Keys and harp":
			if sound.Special(name) || seen[kind] && len(sound.Desks(name)) == 0 {
				continue
			}
			seen[kind] = true
		}
		solo := sound.Soloist(i.Name + t.SectionPath(i.Section))
		d := Desk{Name: name, Sound: is, Players: 1}
		if n := sound.Players(name); n > 1 {
			d.Players = n
			several = append(several, d)
			continue
		}
		if size := sound.SectionSize(is, slices.Contains(sound.Desks(name), 2)); size > 0 && !solo {
			section := fmt.Sprint(kindOf(is), sound.Desks(name)) // one, however many rows sing its vowels
			if seen[section] {
				continue
			}
			seen[section], d.Players = true, size
		}
		single = append(single, d)
	}
	for _, d := range several {
		if !slices.ContainsFunc(single, func(o Desk) bool { return kindOf(o.Sound) == kindOf(d.Sound) }) {
			single = append(single, d)
		}
	}
	return single
}

func soundOf(t *template.Template, i *template.Instrument, name string) string {
	for _, p := range t.PatchesOf(i) {
		if sound.ByID(p.Sound) != nil {
			return p.Sound
		}
	}
	if s := sound.ByName(name); s != nil {
		return s.ID
	}
	return ""
}

// kindOf is the ID of the card of a sound.
func kindOf(id string) string {
	if s := sound.ByID(id); s != nil && id != "" {
		return s.ID
	}
	return id
}

// Check tells what people of an orchestra could not play of a piece, by bar. Rows of one
// desk, such as one for long and one for short notes, are one part.
func Check(v *articulation.Vocabulary, parts []Part, orchestra []Desk, middleC int) []Finding {
	c := &checker{v: v, middleC: middleC, orchestra: orchestra}
	c.gather(parts)
	for _, l := range c.lines {
		c.line(l)
	}
	c.together()
	c.beside()
	c.percussion()
	out := merged(c.found)
	slices.SortStableFunc(out, func(a, b Finding) int { return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.Desk, b.Desk)) })
	return out
}

// line is the part of one desk.
type line struct {
	name     string
	sound    string // of its card
	about    sound.Player
	known    bool // what one person can do on it
	section  bool // strings, or a choir: many on one line
	players  int  // 0 when the orchestra has none
	definite bool // its name says how many, or which
	notes    []played
	time     tempo.Time
}

// played is a note in time.
type played struct {
	from, to float64 // s
	tick     int64
	key      int
	ways     []string
}

type checker struct {
	v         *articulation.Vocabulary
	middleC   int
	orchestra []Desk
	lines     []*line
	found     []Finding
}

func (c *checker) say(l *line, kind Kind, from, to int64, format string, args ...any) {
	c.found = append(c.found, Finding{kind, l.name, l.time.Bars.At(from), l.time.Bars.At(to), fmt.Sprintf(format, args...)})
}

// gather puts the parts of each desk together.
func (c *checker) gather(parts []Part) {
	at := map[string]*line{}
	for _, p := range parts {
		if len(p.Notes) == 0 || p.Sound == "" {
			continue
		}
		name := articulation.Desk(c.v, p.Name)
		key := template.FoldName(name) + " " + kindOf(p.Sound)
		l := at[key]
		if l == nil {
			l = &line{name: name, sound: kindOf(p.Sound), time: p.Time}
			l.about, l.known = sound.PlayerOf(l.sound)
			at[key] = l
			c.lines = append(c.lines, l)
		}
		named := c.named(p.Name)
		for _, n := range p.Notes {
			x := played{from: seconds(p.Time, n.Start), to: seconds(p.Time, n.End), tick: n.Start, key: n.Key, ways: n.Articulations}
			if len(x.ways) == 0 {
				x.ways = named
			}
			l.notes = append(l.notes, x)
		}
	}
	for _, l := range c.lines {
		c.staff(l)
		slices.SortStableFunc(l.notes, func(a, b played) int { return cmp.Or(cmp.Compare(a.from, b.from), a.key-b.key) })
	}
}

// named are the ways of playing that a part's name speaks of.
func (c *checker) named(name string) []string {
	var out []string
	for _, t := range articulation.Phrases(c.v, name) {
		if sound.Named(t.Name) == nil {
			out = append(out, t.Name)
		}
	}
	return out
}

func seconds(t tempo.Time, tick int64) float64 { return float64(t.Clock.Micros(tick)) / 1e6 }

// staff says how many play a line: as many as its name says, else all of the orchestra
// who could be meant.
func (c *checker) staff(l *line) {
	of := slices.DeleteFunc(slices.Clone(c.orchestra), func(d Desk) bool { // a bass trombone is one of the trombones, unless it has a part
		kind := kindOf(d.Sound)
		return kind != l.sound && (!sound.Within(kind, l.sound) || d.Beside != "" || slices.ContainsFunc(c.lines, func(o *line) bool { return o.sound == kind }))
	})
	l.section = (sound.Within(l.sound, "strings") || sound.Within(l.sound, "voice")) && !sound.Soloist(l.name)
	desks, count := sound.Desks(l.name), sound.Players(l.name)
	all := 0
	for _, d := range of {
		all += d.Players
		if template.FoldName(d.Name) == template.FoldName(l.name) { // just this one
			l.players, l.definite = d.Players, true
		}
	}
	switch {
	case l.definite || all == 0:
	case l.section:
		l.players = of[min(len(of), max(1, first(desks)))-1].Players
	case len(desks) > 0:
		l.players, l.definite = min(len(desks), all), true
	case count > 0:
		l.players, l.definite = min(count, all), true
	case sound.Several(l.name):
		l.players = all
	default:
		l.players = 1
	}
	if all > 0 && sound.Soloist(l.name) {
		l.players, l.definite = 1, true
	}
}

func first(list []int) int {
	if len(list) == 0 {
		return 0
	}
	return list[0]
}

// line checks what one desk does by itself.
func (c *checker) line(l *line) {
	if !l.known {
		return
	}
	if l.players == 0 {
		if sound.Family(l.sound) != "Percussion" { // percussionists take what there is
			n := l.notes[0]
			c.say(l, AtOnce, n.tick, l.notes[len(l.notes)-1].tick, "nobody in the orchestra plays it")
		}
		return
	}
	c.ranges(l)
	c.chords(l, l.notes, l.players)
	if l.about.BreathS > 0 && !l.section {
		c.breaths(l)
	}
	c.changes(l)
	if l.sound == "drum.timpani" {
		c.kettledrums(l)
	}
}

func (c *checker) ranges(l *line) {
	card := sound.ByID(l.sound)
	if card == nil || !sound.Pitched(l.sound) {
		return
	}
	name := func(key int) string { return note.Name(key, c.middleC) }
	for _, side := range []struct {
		kind   Kind
		beyond func(key int) bool
		worse  func(a, b int) int
		say    string
		to     int
	}{
		{Range, func(k int) bool { return k > card.High }, func(a, b int) int { return max(a, b) }, "%s lies above its range, which ends at %s", card.High},
		{Range, func(k int) bool { return k < card.Low }, func(a, b int) int { return min(a, b) }, "%s lies below its range, which begins at %s", card.Low},
		{Comfort, func(k int) bool { return l.about.High > 0 && k > l.about.High && k <= card.High }, func(a, b int) int { return max(a, b) }, "up to %s; at ease it goes to %s", l.about.High},
		{Comfort, func(k int) bool { return l.about.High > 0 && k < l.about.Low && k >= card.Low }, func(a, b int) int { return min(a, b) }, "down to %s; at ease it goes to %s", l.about.Low},
	} {
		from, to, extreme := int64(-1), int64(0), 0
		end := func() {
			if from >= 0 {
				c.say(l, side.kind, from, to, side.say, name(extreme), name(side.to))
			}
			from = -1
		}
		for _, n := range l.notes {
			if !side.beyond(n.key) || slices.ContainsFunc(n.ways, func(w string) bool { return c.v.Same(w, "harmonics") }) {
				continue
			}
			if from >= 0 && l.time.Bars.At(n.tick) > l.time.Bars.At(to)+1 {
				end()
			}
			if from < 0 {
				from, extreme = n.tick, n.key
			}
			to, extreme = n.tick, side.worse(extreme, n.key)
		}
		end()
	}
}

// overlap is how long two notes must sound together to be a chord: shorter is how one is
// played into the next, s.
const overlap = .06

// sounding visits each place where the number of different keys that sound at once grows.
func sounding(notes []played, visit func(at played, keys []played)) {
	var open []played
	for k, n := range notes {
		open = slices.DeleteFunc(open, func(o played) bool { return o.to <= n.from+min(overlap, (o.to-o.from)/2) || o.key == n.key })
		open = append(open, n)
		if k+1 == len(notes) || notes[k+1].from-n.from > overlap { // the whole chord is there
			visit(n, open)
		}
	}
}

// chords holds the notes that sound at once against those who play.
func (c *checker) chords(l *line, notes []played, players int) {
	room := players * l.about.AtOnce
	kind, have := AtOnce, people(players)
	if l.section && players > 1 {
		room, kind = (players+1)/2, Divisi
		have = fmt.Sprintf("%d desks", room)
		if players < 4 {
			room = players
			have = people(players)
		}
	}
	if l.section && players == 1 || l.about.AtOnce == 2 && sound.Within(l.sound, "strings") && players == 1 {
		room = 4 // rolled over the strings, when short
	}
	sounding(notes, func(at played, keys []played) {
		if n := len(keys); n > room {
			c.say(l, kind, at.tick, at.tick, "%d notes at once for %s", n, have)
		}
	})
}

func people(n int) string {
	if n == 1 {
		return "one player"
	}
	return fmt.Sprintf("%d players", n)
}

// breaths finds where a line goes on for longer than a breath lasts, and nobody is free to
// take over.
func (c *checker) breaths(l *line) {
	if len(l.notes) == 0 {
		return
	}
	start, last, most := l.notes[0], l.notes[0].to, 1
	told := false
	var open []played
	for _, n := range l.notes[1:] {
		open = slices.DeleteFunc(open, func(o played) bool { return o.to <= n.from+overlap })
		if n.from-last >= sound.Changes.Breath {
			start, most, told = n, 1, false
		}
		open = append(open, n)
		most, last = max(most, len(open)), max(last, n.to)
		if !told && last-start.from > l.about.BreathS && most >= l.players {
			told = true
			c.say(l, Breath, start.tick, n.tick, "%.0f s without a breath; one lasts about %.0f", last-start.from, l.about.BreathS)
		}
	}
	if one := l.notes[0]; len(l.notes) == 1 && one.to-one.from > l.about.BreathS && l.players == 1 {
		c.say(l, Breath, one.tick, one.tick, "%.0f s without a breath; one lasts about %.0f", one.to-one.from, l.about.BreathS)
	}
}

// hold is how a player holds the instrument: its mute, and what it is played with.
type hold struct{ mute, bow string }

func (c *checker) holdOf(l *line, n played) hold {
	h := hold{mute: "open", bow: ""}
	strung := sound.Within(l.sound, "strings")
	if strung {
		h.bow = "bow"
	}
	for _, w := range n.ways {
		t := c.v.Find(w)
		if t == nil {
			continue
		}
		switch {
		case t.Group == articulation.Mute && !t.Natural && t.Name != "stopped":
			h.mute = t.Name
		case strung && t.Group == articulation.Bowing && (t.Name == "pizzicato" || t.Name == "snap pizzicato"):
			h.bow = "plucked"
		}
	}
	return h
}

// changes finds where there is no time for a mute, or from the bow to plucking.
func (c *checker) changes(l *line) {
	for n := 1; n < len(l.notes); n++ {
		a, b := l.notes[n-1], l.notes[n]
		was, is := c.holdOf(l, a), c.holdOf(l, b)
		gap := b.from - a.to
		if b.from-a.from < overlap || l.players > 1 && !l.section { // together, or two players share it
			continue
		}
		if was.mute != is.mute {
			need, what := sound.Changes.MuteIn, "to put the mute on"
			switch {
			case is.mute == "open":
				need, what = sound.Changes.MuteOut, "to take the mute off"
			case was.mute != "open":
				need, what = sound.Changes.MuteIn+sound.Changes.MuteOut, "to change the mute"
			}
			if gap < need {
				c.say(l, Mute, b.tick, b.tick, "%.1f s %s; it takes about %.0f", max(0, gap), what, need)
			}
		}
		if was.bow != is.bow {
			need, what := sound.Changes.Pluck, "from the bow to plucking"
			if is.bow == "bow" {
				need, what = sound.Changes.Bow, "from plucking to the bow"
			}
			if reach := b.from - a.from; gap < need && reach < 2*need { // a plucked note rings on while the hand moves
				c.say(l, Bowing, b.tick, b.tick, "%.1f s %s; it takes about %.1f", max(0, gap), what, need)
			}
		}
	}
}

// kettledrums finds where more pitches are asked for than there are drums, and no time to
// tune.
func (c *checker) kettledrums(l *line) {
	room := l.players * sound.Kettledrums
	for n := range l.notes {
		pitches := map[int]bool{}
		for k := n; k >= 0 && l.notes[n].from-l.notes[k].from < sound.Changes.Pedal; k-- {
			pitches[l.notes[k].key] = true
		}
		if len(pitches) > room {
			c.say(l, Tuning, l.notes[n].tick, l.notes[n].tick, "%d pitches within %.0f s on %d drums", len(pitches), sound.Changes.Pedal, room)
		}
	}
}

// together holds several lines of one instrument against all who play it: three trombones
// on two staves are three.
func (c *checker) together() {
	by := map[string][]*line{}
	for _, l := range c.lines {
		if l.known && l.players > 0 && !l.section && sound.Family(l.sound) != "Percussion" && sound.Family(l.sound) != "Keys and harp" {
			by[l.sound] = append(by[l.sound], l)
		}
	}
	for kind, lines := range by {
		if len(lines) < 2 {
			continue
		}
		all := 0
		for _, d := range c.orchestra {
			if kindOf(d.Sound) == kind {
				all += d.Players
			}
		}
		type voiced struct {
			played
			line *line
		}
		var notes []voiced
		for _, l := range lines {
			for _, n := range l.notes {
				notes = append(notes, voiced{n, l})
			}
		}
		slices.SortStableFunc(notes, func(a, b voiced) int { return cmp.Compare(a.from, b.from) })
		var open []voiced
		for _, n := range notes {
			open = slices.DeleteFunc(open, func(o voiced) bool { return o.to <= n.from+overlap || o.line == n.line && o.key == n.key })
			open = append(open, n)
			alone := 0 // of its own line, which is reported by itself
			for _, o := range open {
				if o.line == n.line {
					alone++
				}
			}
			if len(open) > all && alone <= n.line.players {
				whole := *n.line
				whole.name = sound.ByID(kind).Name
				c.say(&whole, AtOnce, n.tick, n.tick, "%d notes at once on %d parts for %s", len(open), len(lines), people(all))
			}
		}
	}
}

// beside finds where a player has no time to take the second instrument.
func (c *checker) beside() {
	lineOf := func(d Desk) *line {
		at := slices.IndexFunc(c.lines, func(l *line) bool { return template.FoldName(l.name) == template.FoldName(d.Name) })
		if at < 0 {
			return nil
		}
		return c.lines[at]
	}
	for _, d := range c.orchestra {
		if d.Beside == "" {
			continue
		}
		at := slices.IndexFunc(c.orchestra, func(o Desk) bool { return o.Name == d.Beside })
		if at < 0 {
			continue
		}
		main, second := lineOf(c.orchestra[at]), lineOf(d)
		if main == nil || second == nil {
			continue
		}
		type turn struct {
			played
			on *line
		}
		var all []turn
		for _, l := range []*line{main, second} {
			for _, n := range l.notes {
				all = append(all, turn{n, l})
			}
		}
		slices.SortStableFunc(all, func(a, b turn) int { return cmp.Compare(a.from, b.from) })
		for n := 1; n < len(all); n++ {
			a, b := all[n-1], all[n]
			if a.on == b.on {
				continue
			}
			switch gap := b.from - a.to; {
			case gap < 0:
				c.say(b.on, Instrument, b.tick, b.tick, "the player of %s takes it, and plays that too", main.name)
			case gap < sound.Changes.Instrument:
				c.say(b.on, Instrument, b.tick, b.tick, "%.1f s to take it from %s; it takes about %.0f", gap, a.on.name, sound.Changes.Instrument)
			}
		}
	}
}

// percussion counts how many percussionists are needed: each needs time to go from one
// instrument to the next.
func (c *checker) percussion() {
	have := 0
	for _, d := range c.orchestra {
		if sound.Family(d.Sound) == "Percussion" && kindOf(d.Sound) == "drum.group" {
			have += d.Players
		}
	}
	type run struct {
		from, to float64
		tick     int64
		line     *line
	}
	var runs []run
	for _, l := range c.lines {
		if sound.Family(l.sound) != "Percussion" || l.sound == "drum.timpani" || l.sound == "drum.group" {
			continue
		}
		var now *run
		for _, n := range l.notes {
			if now != nil && n.from-now.to < 2*sound.Changes.Percussion {
				now.to = max(now.to, n.to)
				continue
			}
			runs = append(runs, run{n.from, n.to, n.tick, l})
			now = &runs[len(runs)-1]
		}
	}
	if have == 0 {
		return // nobody has said how many there are
	}
	slices.SortStableFunc(runs, func(a, b run) int { return cmp.Compare(a.from, b.from) })
	var open []run
	for _, r := range runs {
		open = slices.DeleteFunc(open, func(o run) bool { return o.to+sound.Changes.Percussion <= r.from })
		open = append(open, r)
		if len(open) > have {
			var names []string
			for _, o := range open {
				names = append(names, o.line.name)
			}
			whole := *r.line
			whole.name = "Percussion"
			c.say(&whole, Percussion, r.tick, r.tick, "%s want %d players, and there are %d", strings.Join(names, ", "), len(open), have)
		}
	}
}

// merged joins findings of one desk that say the same in bars that follow each other, or
// several times in one bar.
func merged(list []Finding) []Finding {
	var out []Finding
	last := map[string]int{}
	for _, f := range list {
		key := string(f.Kind) + "|" + f.Desk + "|" + f.Message
		if at, known := last[key]; known && f.From <= out[at].To+1 {
			out[at].To = max(out[at].To, f.To)
			continue
		}
		last[key] = len(out)
		out = append(out, f)
	}
	return oneABar(out)
}

// oneABar keeps the first finding of one kind of a desk in a bar.
func oneABar(list []Finding) []Finding {
	seen := map[string]bool{}
	return slices.DeleteFunc(list, func(f Finding) bool {
		was := seen[f.Key()]
		seen[f.Key()] = true
		return was
	})
}
