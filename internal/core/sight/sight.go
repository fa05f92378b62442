// Package sight tells which rows a sightline shows, and makes sets of sightlines
// in one go. A template goes in; rows, or sightlines to keep, come out. What runs
// is not of the template: a state that a sightline asks for is left to whoever
// knows it.
package sight

import (
	"slices"
	"strings"

	"fanfold/internal/core/template"
)

// Looker looks along the sightlines of one template. It is for one goroutine.
type Looker struct {
	t     *template.Template
	lines []line
}

// line is a sightline made ready to be asked of many rows.
type line struct {
	s        *template.Sightline
	rows     map[template.ID]bool
	sections map[template.ID]bool // those of the match and all below them
	stems    map[template.ID]bool // those of the match, and stems that lead there
	words    []string
}

// NewLooker takes the sightlines to look along, which may be others than the
// template's own.
func NewLooker(t *template.Template, list []*template.Sightline) *Looker {
	l := &Looker{t: t}
	for _, s := range list {
		x := line{s: s, words: strings.Fields(template.FoldName(s.Match.Text))}
		if s.Fixed {
			x.rows = make(map[template.ID]bool, len(s.Rows))
			for _, id := range s.Rows {
				x.rows[id] = true
			}
		}
		if len(s.Match.Sections) > 0 {
			x.sections = map[template.ID]bool{}
			for _, section := range t.Sections {
				x.sections[section.ID] = slices.ContainsFunc(t.Ancestry(section.ID), func(a *template.Section) bool { return slices.Contains(s.Match.Sections, a.ID) })
			}
		}
		x.stems = leadingTo(t, s.Match.Stems)
		l.lines = append(l.lines, x)
	}
	return l
}

// leadingTo are buses and those that lead there.
func leadingTo(t *template.Template, stems []template.ID) map[template.ID]bool {
	out := make(map[template.ID]bool, len(stems))
	for _, id := range stems {
		out[id] = true
	}
	for grew := len(stems) > 0; grew; {
		grew = false
		for _, b := range t.Buses {
			if b.Kind.Is().Stem && !out[b.ID] && slices.ContainsFunc(b.Routes, func(r template.Route) bool { return out[r.To] }) {
				out[b.ID], grew = true, true
			}
		}
	}
	return out
}

// Showing lists the sightlines along which a row is seen, whatever its state is;
// stems are those of the finest fold it reaches. A pinned row is seen along all, one
// that is set aside along none.
func (l *Looker) Showing(i *template.Instrument, stems []template.ID) []template.ID {
	out := []template.ID{}
	if i.Aside {
		return out
	}
	for _, x := range l.lines {
		if i.Pinned || x.shows(l.t, i, stems) {
			out = append(out, x.s.ID)
		}
	}
	return out
}

func (x *line) shows(t *template.Template, i *template.Instrument, stems []template.ID) bool {
	if x.s.Fixed {
		return x.rows[i.ID]
	}
	m := x.s.Match
	switch {
	case len(x.s.Buses) > 0: // it shows no rows
	case len(m.Sections) > 0 && !x.sections[i.Section]:
	case len(m.Kinds) > 0 && !slices.Contains(m.Kinds, i.Kind):
	case len(m.Stems) > 0 && !slices.ContainsFunc(stems, func(s template.ID) bool { return x.stems[s] }):
	case len(m.Machines) > 0 && (i.Seat == nil || !slices.Contains(m.Machines, i.Seat.Machine)):
	case len(m.Libraries) > 0 && !slices.ContainsFunc(t.PatchesOf(i), func(p *template.Patch) bool { return slices.Contains(m.Libraries, p.Library) }):
	case !x.speaks(t, i):
	default:
		return true
	}
	return false
}

// speaks tells whether a row has every word that is asked for.
func (x *line) speaks(t *template.Template, i *template.Instrument) bool {
	if len(x.words) == 0 {
		return true
	}
	text := template.FoldName(i.Name + " " + i.Notes + " " + t.SectionPath(i.Section) + " " + strings.Join(i.Articulations, " "))
	return !slices.ContainsFunc(x.words, func(w string) bool { return !strings.Contains(text, w) })
}

// Set is a set of sightlines that can be made in one go.
type Set string

// The sets.
const (
	All      Set = "all"      // one that shows everything
	Sections Set = "sections" // one for each section at the top
	Ready    Set = "ready"    // what is ready, and nothing else
	Buses    Set = "buses"    // groups and returns, in the routing
	Stems    Set = "stems"    // one for each stem of a fold
)

// Sets lists every set.
var Sets = []Set{All, Sections, Ready, Buses, Stems}

// Make makes the sightlines of a set that are not there yet, by name. The digits
// that are free become their keys. fold is whose stems; the finest when empty.
func Make(t *template.Template, which Set, fold template.ID, mint template.Mint) []*template.Sightline {
	var made []*template.Sightline
	switch which {
	case All:
		made = append(made, &template.Sightline{Name: "All"})
	case Sections:
		for _, s := range t.SectionsInOrder() {
			if s.Parent == "" {
				made = append(made, &template.Sightline{Name: s.Name, Match: template.Match{Sections: []template.ID{s.ID}}})
			}
		}
	case Ready:
		made = append(made, &template.Sightline{Name: "Ready only", Match: template.Match{State: "ready"}})
	case Buses:
		made = append(made, &template.Sightline{Name: "Groups and returns", Buses: template.InnerBuses, Leaves: []string{"routing"}})
	case Stems:
		if fold == "" {
			fold = t.Folds[0].ID
		}
		for _, b := range t.Delivered(fold) {
			made = append(made, &template.Sightline{Name: b.Name, Fold: fold, Match: template.Match{Stems: []template.ID{b.ID}}})
		}
	}
	names, keys := map[string]bool{}, map[int]bool{}
	for _, s := range t.Sightlines {
		names[template.FoldName(s.Name)], keys[s.Key] = true, true
	}
	var out []*template.Sightline
	for _, s := range made {
		if names[template.FoldName(s.Name)] || len(t.Sightlines)+len(out) >= template.MaxSightlines {
			continue
		}
		names[template.FoldName(s.Name)] = true
		for key := 1; key <= 9; key++ {
			if !keys[key] {
				s.Key, keys[key] = key, true
				break
			}
		}
		s.ID = mint("sightline")
		out = append(out, s)
	}
	return out
}
