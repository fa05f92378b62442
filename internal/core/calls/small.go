package calls

import (
	"cmp"
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

// Role is something a small template shall be able to play: a way of playing
// in a section, or whatever a word says.
type Role struct {
	Name    string
	Section template.ID     // and all within it, but no soloist; empty for anywhere
	Family  template.Family // of an articulation; empty for any
	Word    string          // in the name, the section, the sound or a role tag; empty for any
}

// MaxRoles bounds the roles of a small template.
const MaxRoles = 64

// Small is a set of instruments chosen for a memory budget.
type Small struct {
	Instruments []*template.Instrument // in score order
	MiB         float64                // they take, all together
	Plays       []template.ID          // for each role who plays it; empty for nobody
	Why         []string               // for each role nobody plays, why
}

// Covered is how many of the roles somebody plays.
func (s Small) Covered() int {
	n := 0
	for _, id := range s.Plays {
		if id != "" {
			n++
		}
	}
	return n
}

// UsualRoles are long, short and legato playing for each of the outermost
// sections that has them, a soloist, a drone and percussion.
func UsualRoles(t *template.Template) []Role {
	var out []Role
	for _, s := range t.Sections {
		if s.Parent != "" || !slices.ContainsFunc(t.Instruments, func(i *template.Instrument) bool { return i.NeedsSeat() && within(t, i, s.ID) }) {
			continue
		}
		for _, f := range []template.Family{template.Long, template.Short, template.Legato} {
			out = append(out, Role{Name: fmt.Sprintf("%s %s", s.Name, f), Section: s.ID, Family: f})
		}
	}
	for _, word := range []string{"solo", "drone", "percussion"} {
		out = append(out, Role{Name: "One " + word, Word: word})
	}
	return out[:min(len(out), MaxRoles)]
}

func within(t *template.Template, i *template.Instrument, section template.ID) bool {
	return slices.ContainsFunc(t.Ancestry(i.Section), func(s *template.Section) bool { return s.ID == section })
}

// candidate is an instrument that could play some of the roles.
type candidate struct {
	i     *template.Instrument
	roles uint64
	mib   float64 // as if it were alone
	ready bool
}

// Sketch chooses, within a budget in MiB, the instruments that play the most
// roles and, of equal ones, take the least memory. Those that are ready now, or
// play several roles at once, come out of that by themselves: the first cost
// nothing to load, the second are counted once. At most MaxRoles roles are
// looked at. The search is exact until it has looked at searchLimit choices,
// then the best found so far stands; it is never worse than taking, one after
// another, what plays the most new roles for its memory.
func Sketch(t *template.Template, budgetMiB float64, roles []Role, ready map[template.ID]bool) Small {
	roles = roles[:min(len(roles), MaxRoles)]
	s := &sketcher{t: t, budget: budgetMiB, roles: roles}
	s.candidates(ready)
	s.greedy()
	s.search(0, 0, 0, nil)
	return s.small()
}

// searchLimit is how many choices Sketch looks at.
const searchLimit = 200_000

// soloist is in the name, section or tags of who does not stand for a section.
const soloist = "solo"

type sketcher struct {
	t      *template.Template
	budget float64
	roles  []Role
	all    []candidate // those that no other one beats
	anyone uint64      // roles that somebody plays

	best      []candidate
	bestRoles int
	bestMiB   float64
	looked    int
}

func (s *sketcher) candidates(ready map[template.ID]bool) {
	words := articulation.NewVocabulary(s.t.Vocabulary)
	families := map[string]template.Family{}
	familyOf := func(a string) template.Family {
		f, known := families[a]
		if !known {
			f = words.FamilyOf(a)
			families[a] = f
		}
		return f
	}
	var list []candidate
	for _, i := range s.t.ScoreOrder() {
		if !i.NeedsSeat() || len(i.Patches) == 0 {
			continue
		}
		c := candidate{i: i, ready: ready[i.ID], mib: alone(s.t, i)}
		text := strings.ToLower(i.Name + " " + s.t.SectionPath(i.Section))
		for _, p := range s.t.PatchesOf(i) {
			text += " " + strings.ToLower(p.Sound+" "+strings.Join(p.Roles, " "))
		}
		for n, r := range s.roles {
			if (r.Section == "" || within(s.t, i, r.Section) && !strings.Contains(text, soloist)) && strings.Contains(text, strings.ToLower(r.Word)) &&
				(r.Family == "" || slices.ContainsFunc(i.Articulations, func(a string) bool { return familyOf(a) == r.Family })) {
				c.roles |= 1 << n
			}
		}
		if c.roles != 0 {
			s.anyone |= c.roles
			list = append(list, c)
		}
	}
	slices.SortStableFunc(list, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.mib, b.mib), cmp.Compare(bits.OnesCount64(b.roles), bits.OnesCount64(a.roles)), cmp.Compare(rank(a), rank(b)))
	})
	for _, c := range list { // from the cheapest: one that plays nothing more than a cheaper one is beaten
		if !slices.ContainsFunc(s.all, func(o candidate) bool { return c.roles&^o.roles == 0 }) {
			s.all = append(s.all, c)
		}
	}
}

func rank(c candidate) int {
	if c.ready {
		return 0
	}
	return 1
}

// alone is the memory of an instrument whose players nobody else wakes, MiB.
func alone(t *template.Template, i *template.Instrument) float64 {
	seat := template.Seat{}
	if i.Seat != nil {
		seat = *i.Seat
	}
	return NewGlass(t).Adding(i, seat)
}

// keep takes a choice if it is the best so far.
func (s *sketcher) keep(chosen []candidate, roles uint64, mib float64) {
	n := bits.OnesCount64(roles)
	if n > s.bestRoles || n == s.bestRoles && mib < s.bestMiB {
		s.best, s.bestRoles, s.bestMiB = slices.Clone(chosen), n, mib
	}
}

// greedy takes what plays the most new roles for its memory, again and again.
func (s *sketcher) greedy() {
	var chosen []candidate
	roles, mib := uint64(0), 0.0
	for {
		best, most := -1, 0.0
		for n, c := range s.all {
			fresh := bits.OnesCount64(c.roles &^ roles)
			if fresh == 0 || mib+c.mib > s.budget {
				continue
			}
			if worth := float64(fresh) / max(c.mib, 1e-6); best < 0 || worth > most {
				best, most = n, worth
			}
		}
		if best < 0 {
			break
		}
		chosen, roles, mib = append(chosen, s.all[best]), roles|s.all[best].roles, mib+s.all[best].mib
	}
	s.keep(chosen, roles, mib)
}

// search goes on choosing for the first role that is neither played nor left.
func (s *sketcher) search(roles, left uint64, mib float64, chosen []candidate) {
	if s.looked++; s.looked > searchLimit {
		return
	}
	s.keep(chosen, roles, mib)
	open := s.anyone &^ roles &^ left
	if open == 0 || bits.OnesCount64(roles)+s.reach(open, s.budget-mib) < s.bestRoles {
		return
	}
	role, fewest := 0, len(s.all)+1
	for rest := open; rest != 0; rest &= rest - 1 { // the role fewest can play
		n, players := bits.TrailingZeros64(rest), 0
		for _, c := range s.all {
			if c.roles>>n&1 == 1 && mib+c.mib <= s.budget {
				players++
			}
		}
		if players < fewest {
			role, fewest = n, players
		}
	}
	for _, c := range s.all {
		if c.roles>>role&1 == 1 && mib+c.mib <= s.budget {
			s.search(roles|c.roles, left, mib+c.mib, append(slices.Clip(chosen), c))
		}
	}
	s.search(roles, left|1<<role, mib, chosen)
}

// reach is how many of the open roles a budget could play at the very most: as
// if each cost only its share of the cheapest that plays it.
func (s *sketcher) reach(open uint64, budget float64) int {
	var costs []float64
	for rest := open; rest != 0; rest &= rest - 1 {
		n, least := bits.TrailingZeros64(rest), -1.0
		for _, c := range s.all {
			if c.roles>>n&1 == 1 {
				if share := c.mib / float64(bits.OnesCount64(c.roles&open)); least < 0 || share < least {
					least = share
				}
			}
		}
		costs = append(costs, least)
	}
	slices.Sort(costs)
	n := 0
	for _, x := range costs {
		if budget -= x; budget < -1e-9 {
			break
		}
		n++
	}
	return n
}

// small says what was chosen. Players that several of the chosen share leave
// memory over; it is spent on further roles while there is room.
func (s *sketcher) small() Small {
	glass, used := NewGlass(s.t), 0.0
	in := map[template.ID]bool{}
	roles := uint64(0)
	take := func(c candidate) {
		seat := seatOf(c.i)
		used += glass.Adding(c.i, seat)
		glass.Add(c.i, seat)
		in[c.i.ID] = true
		roles |= c.roles
	}
	for _, c := range s.best {
		take(c)
	}
	for _, c := range s.all {
		if c.roles&^roles != 0 && used+glass.Adding(c.i, seatOf(c.i)) <= s.budget {
			take(c)
		}
	}
	out := Small{MiB: used, Plays: make([]template.ID, len(s.roles)), Why: make([]string, len(s.roles))}
	for _, i := range s.t.ScoreOrder() {
		if in[i.ID] {
			out.Instruments = append(out.Instruments, i)
		}
	}
	for n := range s.roles {
		least := -1.0
		for _, c := range s.all {
			if c.roles>>n&1 == 0 {
				continue
			}
			if in[c.i.ID] && out.Plays[n] == "" {
				out.Plays[n] = c.i.ID
			}
			if more := glass.Adding(c.i, seatOf(c.i)); least < 0 || more < least {
				least = more
			}
		}
		switch {
		case out.Plays[n] != "":
		case least < 0:
			out.Why[n] = "nobody in the template plays it"
		default:
			out.Why[n] = fmt.Sprintf("takes %s, and %s are left", FormatMiB(least), FormatMiB(max(0, s.budget-used)))
		}
	}
	return out
}

// seatOf is where an instrument sits; one without a seat stands by itself.
func seatOf(i *template.Instrument) template.Seat {
	if i.Seat != nil {
		return *i.Seat
	}
	return template.Seat{Machine: "no seat: " + i.ID}
}
