package order

import (
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// group is where rows are gathered, as a path below the section that is ordered.
type group struct {
	path []string
	rank int // among the groups
}

// roles in their order, and rows of which one thing is not known.
var roles = []string{"High long", "High short", "Low long", "Low short", "Long", "Short", "Effects"}

func (s *sorter) groupOf(i *template.Instrument) group {
	switch s.by {
	case Library:
		l := s.t.LibraryOf(i)
		if l == nil {
			return group{[]string{"No library"}, len(s.t.Libraries)}
		}
		return group{[]string{l.Name}, slices.Index(s.t.Libraries, l)}
	case Role, RoleOfAll:
		name := s.roleOf(i)
		place := slices.Index(roles, name)
		if s.by == RoleOfAll || s.within != "" {
			return group{[]string{name}, place}
		}
		family, rank := s.familyOf(i)
		return group{[]string{family, name}, rank*len(roles) + place}
	}
	id := s.soundOf(i)
	x := sound.ByID(id)
	if id == "" || x == nil {
		return group{[]string{"Others"}, unknown}
	}
	path := strings.Split(x.Section, template.PathSeparator)
	if s.within != "" {
		path = path[len(path)-1:]
	}
	return group{path, sound.Rank(id)}
}

// familyOf is the family of an instrument, and its place among them; of one that is not
// known, the outermost section it stands in.
func (s *sorter) familyOf(i *template.Instrument) (string, int) {
	id := s.soundOf(i)
	if family := sound.Family(id); family != "" {
		for n, x := range sound.All() { // of a family, the first in score order
			if sound.Family(x.ID) == family {
				return family, n
			}
		}
	}
	return s.t.TopSection(i.Section).Name, len(sound.All())
}

func (s *sorter) roleOf(i *template.Instrument) string {
	tr := s.traits.Traits(i)
	long := map[template.Family]string{template.Long: "long", template.Legato: "long", template.Short: "short", "": "long"}[tr.Family]
	if long == "" {
		return "Effects"
	}
	switch tr.Register {
	case template.High:
		return "High " + long
	case template.Low:
		return "Low " + long
	}
	return strings.ToUpper(long[:1]) + long[1:]
}

// gathering makes the sections that rows are gathered in.
type gathering struct {
	s        *sorter
	mint     template.Mint
	sections []*template.Section
	homes    map[string]*template.Section // by path
	made     map[template.ID]int          // the best rank of its rows
	tints    map[template.ID]map[string]int
}

// home is the section of a path, which is made if it is not there.
func (g *gathering) home(x group, tint string) *template.Section {
	parent, at := g.s.within, ""
	var home *template.Section
	for depth, name := range x.path {
		at += template.PathSeparator + template.FoldName(name)
		home = g.homes[at]
		if home == nil {
			same := func(o *template.Section) bool {
				return o.Parent == parent && template.FoldName(o.Name) == template.FoldName(name)
			}
			if n := slices.IndexFunc(g.sections, same); n >= 0 {
				home = g.sections[n]
			} else {
				home = &template.Section{ID: g.mint("section"), Parent: parent, Name: name}
				g.sections = append(g.sections, home)
				g.made[home.ID] = x.rank
				g.tints[home.ID] = map[string]int{}
			}
			g.homes[at] = home
		}
		if best, fresh := g.made[home.ID]; fresh {
			g.made[home.ID] = min(best, x.rank)
			if parent == "" && depth == 0 {
				g.tints[home.ID][tint]++
			}
		}
		parent = home.ID
	}
	return home
}

// gather puts rows into sections by role, library or instrument.
func (s *sorter) gather(mint template.Mint, plan *Plan) change.Batch {
	g := &gathering{s: s, mint: mint, sections: slices.Clone(s.t.Sections), homes: map[string]*template.Section{}, made: map[template.ID]int{}, tints: map[template.ID]map[string]int{}}
	to := map[template.ID]template.ID{}
	var rows []*template.Instrument
	for _, i := range s.t.ScoreOrder() {
		if !s.inside(i.Section) {
			continue
		}
		rows = append(rows, i)
		to[i.ID] = i.Section
		if i.Kind == template.Sampled {
			to[i.ID] = g.home(s.groupOf(i), s.t.TintOf(i.Section)).ID
		}
	}
	sections, gone := s.tidy(g, to, plan)
	return change.Batch{Label: "Gather " + label[s.by], Changes: []change.Change{
		change.SetSections{Sections: sections},
		s.repointed(gone, to),
		change.Arrange{Places: places(s.t, rows, func(i *template.Instrument) template.ID { return to[i.ID] })},
	}}
}

// tidy takes away the sections that nobody stands in any more, and puts the new
// ones first among their like, in their order; one for what has no order goes last.
func (s *sorter) tidy(g *gathering, to map[template.ID]template.ID, plan *Plan) (sections []*template.Section, gone map[template.ID]bool) {
	used, parents := map[template.ID]bool{}, map[template.ID]template.ID{}
	for _, x := range g.sections {
		parents[x.ID] = x.Parent
	}
	use := func(id template.ID) {
		for ; id != "" && !used[id]; id = parents[id] {
			used[id] = true
		}
	}
	for _, i := range s.t.Instruments {
		if home, moves := to[i.ID]; moves {
			use(home)
		} else {
			use(i.Section)
		}
	}
	use(s.within)
	stood := map[template.ID]bool{} // somebody stands in it, or below, now
	for _, i := range s.t.Instruments {
		for _, x := range s.t.Ancestry(i.Section) {
			stood[x.ID] = true
		}
	}
	spoken := spokenOf(s.t)
	for _, x := range s.t.Sections {
		switch {
		case used[x.ID]:
		case !s.inside(x.ID) || !stood[x.ID]:
			use(x.ID)
		case spoken[x.ID]:
			plan.Kept = append(plan.Kept, s.t.SectionPath(x.ID))
			use(x.ID)
		}
	}
	gone = map[template.ID]bool{}
	for _, x := range s.t.Sections {
		gone[x.ID] = !used[x.ID]
	}
	var fresh, last []*template.Section
	for _, x := range g.sections {
		rank, made := g.made[x.ID]
		switch {
		case made && rank == unknown:
			last = append(last, x) // of no tint: what stands in it has nothing in common
		case made:
			x.Tint = most(g.tints[x.ID])
			fresh = append(fresh, x)
		case gone[x.ID]:
			plan.Gone = append(plan.Gone, s.t.SectionPath(x.ID))
		default:
			sections = append(sections, x)
		}
	}
	slices.SortStableFunc(fresh, func(a, b *template.Section) int { return g.made[a.ID] - g.made[b.ID] })
	for _, x := range slices.Concat(fresh, last) {
		name := x.Name
		for up := x.Parent; up != "" && up != s.within; up = parents[up] {
			if n := slices.IndexFunc(g.sections, func(o *template.Section) bool { return o.ID == up }); n >= 0 {
				name = g.sections[n].Name + template.PathSeparator + name
			}
		}
		plan.Made = append(plan.Made, name)
	}
	return slices.Concat(fresh, sections, last), gone
}

// spokenOf are the sections that stem rules and wishes of the seating speak of.
func spokenOf(t *template.Template) map[template.ID]bool {
	out := map[template.ID]bool{}
	for _, r := range t.Rules {
		out[r.Section] = true
	}
	for _, w := range t.Settings.Seating.Wishes {
		for _, id := range w.Sections {
			out[id] = true
		}
	}
	return out
}

// repointed gives buses that have the tint of a section which goes the one where
// most of its rows stand now.
func (s *sorter) repointed(gone map[template.ID]bool, to map[template.ID]template.ID) change.Put {
	heirs := map[template.ID]map[template.ID]int{}
	for _, i := range s.t.Instruments {
		for _, x := range s.t.Ancestry(i.Section) {
			if gone[x.ID] && to[i.ID] != "" {
				if heirs[x.ID] == nil {
					heirs[x.ID] = map[template.ID]int{}
				}
				heirs[x.ID][to[i.ID]]++
			}
		}
	}
	var put change.Put
	for _, b := range s.t.Buses {
		if gone[b.Section] {
			b = b.Clone()
			b.Section = most(heirs[b.Section])
			put.Buses = append(put.Buses, change.Append(b))
		}
	}
	return put
}

// most is what was counted most often; of equals the first by name.
func most[K ~string](counts map[K]int) K {
	var best K
	for k, n := range counts {
		if n > counts[best] || n == counts[best] && k < best {
			best = k
		}
	}
	return best
}
