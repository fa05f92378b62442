// Package sketch makes a small template out of a large one: within a memory budget it
// chooses the rows that are most useful to write with. A template, a budget and wishes go
// in; who is chosen, what for, and what had to be left out, come out; and the template cut
// down to them. What is useful is said in the tables of wants.go.
package sketch

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Wish says what a sketch should have and do without.
type Wish struct {
	BudgetMiB float64              // for all together, MiB
	Without   []string             // wants that are left out, by name
	Words     []string             // whatever these words say: wanted as much as what is wanted most
	Ready     map[template.ID]bool // who is ready now: preferred where all else is the same
}

// MaxWords bounds the words of a wish.
const MaxWords = 64

// Want is something a sketch should be able to play.
type Want struct {
	Name  string
	Worth float64     // beside other wants
	By    template.ID // who plays it; empty for nobody
	Why   string      // why nobody does, when nobody does
}

// Sketch is a set of rows chosen for a budget.
type Sketch struct {
	Rows  []*template.Instrument // in score order
	MiB   float64                // they take all together, with their players
	Wants []Want                 // the chief ones that somebody in the template could play
	For   map[template.ID]string // why each row was chosen
	Worth float64                // of all that is chosen; that of everything is MostWorth
	Most  float64                // what all rows of the template would be worth
}

// Covered is how many of the chief wants somebody plays.
func (s Sketch) Covered() int {
	n := 0
	for _, w := range s.Wants {
		if w.By != "" {
			n++
		}
	}
	return n
}

// enough is the share of what a want is worth from which on a row is said to play it.
const enough = .3

// wordWorth is what a word of a wish is worth: as much as what is wanted most.
const wordWorth = 100

// sketcher prepares the problem of a template.
type sketcher struct {
	t     *template.Template
	words *articulation.Vocabulary
	ways  map[string]string // the vocabulary's name of an articulation

	problem problem
	rows    []*template.Instrument // by item
	chief   []Want                 // the first of the wants
	ids     map[string]int         // further wants, by what they are
	names   []string               // of all wants
}

// Make chooses the rows of a sketch. The search is a good one, not an exact one: on rigs
// of some hundred rows it is within 2 % of the best, see TestAgainstAnExactAnswer.
func Make(t *template.Template, w Wish) Sketch {
	s := prepare(t, w)
	chosen := s.problem.choose()
	return s.told(chosen)
}

func prepare(t *template.Template, w Wish) *sketcher {
	s := &sketcher{t: t, words: articulation.NewVocabulary(t.Vocabulary), ways: map[string]string{}, ids: map[string]int{}}
	s.problem.budget = w.BudgetMiB
	for _, f := range families {
		for _, x := range f.wants {
			s.chief = append(s.chief, Want{Name: x.of + " " + x.manner.name, Worth: x.worth})
		}
	}
	for _, x := range single {
		s.chief = append(s.chief, Want{Name: x.name, Worth: x.worth})
	}
	for _, word := range w.Words {
		s.chief = append(s.chief, Want{Name: word, Worth: wordWorth})
	}
	for n := range s.chief {
		if slices.Contains(w.Without, s.chief[n].Name) {
			s.chief[n].Worth = 0
		}
		s.names = append(s.names, s.chief[n].Name)
	}
	s.problem.wants = len(s.chief)
	s.items(w)
	return s
}

// items makes an item of every row that plays, with the shares and machines it needs.
func (s *sketcher) items(w Wish) {
	shares, machines := map[any]int{}, map[template.ID]int{}
	share := func(key any, mib float64) int {
		n, known := shares[key]
		if !known {
			n = len(s.problem.shares)
			shares[key] = n
			s.problem.shares = append(s.problem.shares, mib)
		}
		return n
	}
	for _, m := range s.t.Machines {
		machines[m.ID] = len(s.problem.rooms)
		s.problem.rooms = append(s.problem.rooms, m.LimitMiB())
	}
	for _, i := range s.t.ScoreOrder() {
		if !i.NeedsSeat() || i.Printed != nil || i.Aside || len(i.Patches) == 0 {
			continue
		}
		seat := template.Seat{Machine: "no seat: " + i.ID} // one without a seat stands by itself
		it := item{machine: -1}
		if i.Seat != nil {
			seat = *i.Seat
			it.machine = machines[seat.Machine]
		}
		for _, p := range s.t.PatchesOf(i) {
			if key, shared := calls.SharedAt(p, i, seat); shared {
				it.shares = append(it.shares, share(key, i.PreloadMiB(p)))
			} else {
				it.mib += i.PreloadMiB(p)
			}
			player := s.t.Index().Players[p.Player]
			it.shares = append(it.shares, share(calls.PlayerAt(player, i, seat), player.OwnMiB))
		}
		slices.Sort(it.shares)
		it.shares = slices.Compact(it.shares)
		it.gives = s.gives(i, w)
		if w.Ready[i.ID] {
			for n := range it.gives {
				it.gives[n].worth *= 1 + 1e-4
			}
		}
		s.problem.items = append(s.problem.items, it)
		s.rows = append(s.rows, i)
	}
}

// looks is what is seen of a row.
type looks struct {
	sound     string
	family    string
	desk      string // its name without ways of playing
	low, high int
	solo      bool // it says that it is one
	section   bool // several play it together
	players   int  // how many, when its name says so
	plain     float64
	ways      []string
	text      string
}

func (s *sketcher) look(i *template.Instrument) looks {
	patches := s.t.PatchesOf(i)
	l := looks{low: 127, desk: template.FoldName(articulation.Desk(s.words, i.Name))}
	path := s.t.SectionPath(i.Section)
	tags := ""
	for _, p := range patches {
		if l.sound == "" && sound.ByID(p.Sound) != nil {
			l.sound = p.Sound
		}
		l.low, l.high = min(l.low, p.KeyLow), max(l.high, p.KeyHigh)
		tags += " " + p.Sound + " " + strings.Join(p.Roles, " ")
	}
	around := ""
	if is := sound.ByName(path); is != nil {
		around = sound.Family(is.ID)
	}
	if is := sound.ByName(l.desk); l.sound == "" && is != nil {
		l.sound = sound.Among(l.desk, is.ID, around)
	}
	if card := sound.ByID(l.sound); card != nil && l.sound != "" && !strings.HasSuffix(l.sound, ".group") {
		l.low, l.high = max(l.low, card.Low), min(l.high, card.High)
	}
	l.family = cmp.Or(sound.Family(l.sound), around)
	for _, a := range i.Articulations {
		l.ways = append(l.ways, s.way(a))
	}
	l.text = strings.ToLower(i.Name + " " + path + " " + tags + " " + strings.Join(l.ways, " "))
	l.solo = sound.Soloist(i.Name+" "+path) || slices.ContainsFunc(patches, func(p *template.Patch) bool { return slices.Contains(p.Roles, "solo") })
	l.players = sound.Players(i.Name)
	l.section = !l.solo && (l.players > 1 || sound.Several(i.Name) || l.family == "Strings" || strings.HasSuffix(l.sound, ".group"))
	l.plain = 1
	if sound.Special(l.desk) {
		l.plain = specially
	}
	if d := sound.Desks(l.desk); len(d) > 0 && d[0] > 1 {
		l.plain *= 1 - .1*float64(min(d[0], 8)-1) // the first desk goes before
	}
	return l
}

// size says how well the number who play a row serves in a family, 0..1.
func (l looks) size(f family) float64 {
	if !l.section {
		return f.alone
	}
	if l.players > 0 {
		for _, s := range sizes[f.name] {
			if l.players >= s.players {
				return s.serves
			}
		}
	}
	return 1
}

// way is the vocabulary's name of an articulation.
func (s *sketcher) way(name string) string {
	w, known := s.ways[name]
	if !known {
		w = strings.ToLower(name)
		if t := s.words.Find(name); t != nil {
			w = t.Name
		}
		s.ways[name] = w
	}
	return w
}

// serves says how well a row plays in a manner, 0..1.
func (l looks) serves(m manner) float64 {
	if m.by == nil {
		return 1
	}
	best := 0.0
	for _, w := range l.ways {
		best = max(best, m.by[w])
	}
	return best
}

// spans is how much of a family's music lies within the row's keys, 0..1.
func (l looks) spans(low, high int) float64 {
	return max(0, float64(min(l.high, high)-max(l.low, low))) / float64(high-low)
}

// gives lists what a row is worth for which wants.
func (s *sketcher) gives(i *template.Instrument, w Wish) []gain {
	l := s.look(i)
	var out []gain
	give := func(want int, worth float64) {
		if worth > 0 {
			out = append(out, gain{want, worth})
		}
	}
	n := 0
	for _, f := range families {
		for _, x := range f.wants {
			if f.name == l.family {
				spans := l.spans(x.low, x.high)
				give(n, s.chief[n].Worth*f.leads.of(l.sound)*(.2+.8*spans*spans)*l.size(f)*l.serves(x.manner)*l.plain)
			}
			n++
		}
	}
	for _, x := range single {
		if x.family == l.family && (!x.solo || !l.section) {
			worth := s.chief[n].Worth * x.who.of(l.sound) * l.serves(x.manner) * l.plain
			if x.solo && !l.solo {
				worth *= .7 // a desk of several, not made to stand alone
			}
			give(n, worth)
		}
		n++
	}
	for _, word := range w.Words {
		if l.meets(s, word) {
			give(n, s.chief[n].Worth*(1-.01*float64(len(l.ways)))) // one that is for this alone goes before
		}
		n++
	}
	return append(out, s.furtherGives(i, l)...)
}

// meets tells whether all words of a wish speak of a row: of its name, its section, its
// sound or a role, of an articulation or an instrument by any of their names.
func (l looks) meets(s *sketcher, words string) bool {
	whole := sound.Named(words)
	return slices.Contains(l.ways, s.way(strings.ToLower(words))) || whole != nil && sound.Within(l.sound, whole.ID) || all(strings.Fields(strings.ToLower(words)), func(x string) bool {
		is := sound.Named(x)
		return strings.Contains(l.text, x) || slices.Contains(l.ways, s.way(x)) || is != nil && sound.Within(l.sound, is.ID)
	})
}

func all[T any](list []T, is func(T) bool) bool {
	return len(list) > 0 && !slices.ContainsFunc(list, func(x T) bool { return !is(x) })
}

// furtherGives is what a row is worth by itself, when there is room for more: for its
// instrument, for its articulations, for its desk.
func (s *sketcher) furtherGives(i *template.Instrument, l looks) []gain {
	worth := more.of(l.sound)
	var out []gain
	kind, name := l.sound, l.desk
	if card := sound.ByID(l.sound); card != nil && kind != "" {
		kind, name = card.ID, card.Name
	}
	give := func(what, name string, worth float64) {
		n, known := s.ids[what]
		if !known {
			n = s.problem.wants
			s.ids[what] = n
			s.problem.wants++
			s.names = append(s.names, name)
		}
		out = append(out, gain{n, worth})
	}
	size := l.plain
	if l.solo {
		size *= .3
	}
	if n := l.players; n > 0 {
		for _, f := range families {
			if f.name == l.family {
				size *= l.size(f)
			}
		}
	}
	served := false
	for _, p := range plain {
		if fit := l.serves(p.manner); fit > 0 {
			served = true
			give(kind+"/"+p.manner.name, name+" "+p.manner.name, worth*p.share*fit*size)
			give("desk "+l.desk+"/"+p.manner.name, l.desk+" "+p.manner.name, worth*p.share*fit*further)
		}
	}
	if !served && len(l.ways) == 0 {
		give("desk "+l.desk, i.Name, worth*further)
	}
	for _, w := range l.ways {
		share := besides
		if s.words.FamilyOf(w) == template.Effect {
			share = effects
		}
		give(kind+": "+w, name+" "+w, worth*share*size)
		give("desk "+l.desk+": "+w, l.desk+" "+w, worth*share*further)
	}
	return out
}

// told says what was chosen, and why.
func (s *sketcher) told(chosen *state) Sketch {
	out := Sketch{MiB: chosen.mib, Worth: chosen.worth, For: map[template.ID]string{}}
	for n, i := range s.rows {
		if chosen.in[n] {
			out.Rows = append(out.Rows, i)
			out.For[i.ID] = s.reason(chosen, n)
		}
	}
	most := make([]float64, s.problem.wants)
	for _, it := range s.problem.items {
		for _, g := range it.gives {
			most[g.want] = max(most[g.want], g.worth)
		}
	}
	for _, m := range most {
		out.Most += m
	}
	for n, w := range s.chief {
		if most[n] == 0 && w.Worth > 0 {
			continue // nobody could
		}
		least, who, fit := -1.0, -1, 0.0
		for k, it := range s.problem.items {
			at := slices.IndexFunc(it.gives, func(g gain) bool { return g.want == n })
			if at < 0 {
				continue
			}
			if worth := it.gives[at].worth; chosen.in[k] && worth > fit && worth >= min(enough*w.Worth, most[n]) {
				who, fit = k, it.gives[at].worth
			}
			if mib := chosen.adding(k); least < 0 || mib < least {
				least = mib
			}
		}
		switch {
		case w.Worth == 0:
		case who >= 0:
			w.By = s.rows[who].ID
		default:
			w.Why = fmt.Sprintf("takes %s more, and %s are left", calls.FormatMiB(least), calls.FormatMiB(max(0, s.problem.budget-chosen.mib)))
		}
		out.Wants = append(out.Wants, w)
	}
	return out
}

// reason names what a row is the best of all chosen for: the chief wants first, else what
// it is worth most for.
func (s *sketcher) reason(chosen *state, n int) string {
	var chief []string
	best, most := "", 0.0
	for _, g := range s.problem.items[n].gives {
		if g.worth < chosen.best[g.want] {
			continue
		}
		if g.want < len(s.chief) && g.worth >= enough*s.chief[g.want].Worth {
			chief = append(chief, s.names[g.want])
		} else if g.want >= len(s.chief) && g.worth > most {
			best, most = s.names[g.want], g.worth
		}
	}
	if len(chief) > 0 {
		return strings.Join(chief, ", ")
	}
	return "more: " + best
}
