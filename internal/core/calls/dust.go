package calls

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/template"
)

// Piece is the music of a cue, by who plays in it.
type Piece struct {
	Name string
	On   string // when it came, yyyy-mm-dd
	Rows []template.ID
}

// DustAsk asks for what gathers dust.
type DustAsk struct {
	Pieces []Piece
	Since  string               // the first day that counts, yyyy-mm-dd; empty for all days
	Paces  map[template.ID]Pace // of machines, as loads took so far
}

// Dust is what of a template was never played since a day, and what it costs.
type Dust struct {
	Pieces   int            `json:"pieces"`   // that count
	Rows     []DustyRow     `json:"rows"`     // never played, in score order; those that sit with another as well
	Machines []DustyMachine `json:"machines"` // that would have room, in the template's order
	Aside    []template.ID  `json:"aside"`    // set aside already, in score order
	Missed   []template.ID  `json:"missed"`   // set aside, though it is asked for
	Together []Together     `json:"together"` // always called together, the most telling first
}

// DustyRow is a row that nobody plays.
type DustyRow struct {
	ID     template.ID `json:"id"`
	MiB    float64     `json:"mib"`    // of its preload, MiB; 0 where it sits with another
	Before string      `json:"before"` // the last piece that played it before that day; empty for none
}

// DustyMachine is what setting the rows aside frees.
type DustyMachine struct {
	Machine template.ID `json:"machine"`
	MiB     float64     `json:"mib"`     // less with every row ready, with players
	Seconds float64     `json:"seconds"` // less to wait for them, as loads took so far, s
}

// Together are rows that play in the same pieces, always.
type Together struct {
	Name   string        `json:"name"` // of their sections, as a call is named
	Rows   []template.ID `json:"rows"`
	Pieces int           `json:"pieces"`
	MiB    float64       `json:"mib"` // with their players
}

// What is told of rows that play together: in so many pieces, so many rows, and so many groups
// (chosen; a call of two rows saves nobody a click).
const (
	togetherPieces = 2
	togetherRows   = 3
	mostTogether   = 12
)

// FindDust looks through the music of all cues. What stands ready beside every call, because it
// is kept or opens the template, gathers no dust; nor do rows without a seat.
func FindDust(t *template.Template, a DustAsk) Dust {
	out := Dust{Rows: []DustyRow{}, Aside: []template.ID{}, Missed: []template.ID{}}
	played := map[template.ID][]int{} // by the home of a row, the pieces that count
	before := map[template.ID]Piece{}
	var counted []Piece
	for _, p := range a.Pieces {
		counts := p.On >= a.Since
		if counts {
			counted = append(counted, p)
		}
		for _, id := range slices.Compact(slices.Sorted(slices.Values(t.Sounds(p.Rows)))) {
			switch was := before[id]; {
			case counts:
				played[id] = append(played[id], len(counted)-1)
			case p.On >= was.On:
				before[id] = p
			}
		}
	}
	out.Pieces = len(counted)
	stands := map[template.ID]bool{}
	for _, id := range t.Sounds(Standing(t)) {
		stands[id] = true
	}
	var loads []template.ID
	for _, i := range t.ScoreOrder() {
		home := t.Home(i)
		switch {
		case i.Aside:
			out.Aside = append(out.Aside, i.ID)
			if len(played[home.ID]) > 0 {
				out.Missed = append(out.Missed, i.ID)
			}
		case home.Aside || !home.Loads() || len(played[home.ID]) > 0 || stands[home.ID] || out.Pieces == 0:
		default:
			row := DustyRow{ID: i.ID, Before: before[home.ID].Name}
			if i == home {
				row.MiB = PreloadMiB(t, i)
				loads = append(loads, i.ID)
			}
			out.Rows = append(out.Rows, row)
		}
	}
	out.Machines = freed(t, loads, a.Paces)
	out.Together = together(t, played)
	return out
}

// freed is what is freed on each machine without some rows.
func freed(t *template.Template, ids []template.ID, paces map[template.ID]Pace) []DustyMachine {
	all := EverythingMiB(t)
	gone := map[template.ID]bool{}
	for _, id := range ids {
		gone[id] = true
	}
	var rest []template.ID
	for _, i := range t.Instruments {
		if i.Loads() && !gone[i.ID] {
			rest = append(rest, i.ID)
		}
	}
	without := ReadyMiB(t, rest)
	wait := map[template.ID]float64{}
	for _, e := range Reckon(t, Going{Before: rest, After: append(slices.Clone(rest), ids...), Paces: paces}) {
		wait[e.Machine.ID] = e.Learned.Seconds()
	}
	out := []DustyMachine{}
	for _, m := range t.Machines {
		if by := all[m.ID] - without[m.ID]; by > 0 {
			out = append(out, DustyMachine{m.ID, by, wait[m.ID]})
		}
	}
	return out
}

// together finds the rows that play in just the same pieces. Groups that are a call already are
// left out.
func together(t *template.Template, played map[template.ID][]int) []Together {
	type group struct {
		rows   []template.ID
		pieces int
	}
	groups := map[string]*group{}
	var order []*group
	for _, i := range t.ScoreOrder() {
		in := played[i.ID]
		if len(in) < togetherPieces || !i.Loads() {
			continue
		}
		key := fmt.Sprint(in)
		g := groups[key]
		if g == nil {
			g = &group{pieces: len(in)}
			groups[key] = g
			order = append(order, g)
		}
		g.rows = append(g.rows, i.ID)
	}
	known := map[string]bool{}
	for _, c := range t.Calls {
		known[setKey(t.Sounds(c.Instruments))] = true
	}
	takes := NewTakes(t)
	out := []Together{}
	for _, g := range order {
		if g.pieces >= togetherPieces && len(g.rows) >= togetherRows && !known[setKey(g.rows)] {
			out = append(out, Together{sectionsOf(t, g.rows), g.rows, g.pieces, takes.InAll(g.rows)})
		}
	}
	slices.SortStableFunc(out, func(a, b Together) int {
		return cmp.Or(cmp.Compare(b.Pieces*len(b.Rows), a.Pieces*len(a.Rows)), strings.Compare(a.Name, b.Name))
	})
	return out[:min(len(out), mostTogether)]
}

// setKey is the same for the same rows in any order.
func setKey(ids []template.ID) string {
	sorted := slices.Clone(ids)
	slices.Sort(sorted)
	var b strings.Builder
	for _, id := range slices.Compact(sorted) {
		b.WriteString(string(id))
		b.WriteByte(0)
	}
	return b.String()
}

// namedSections bounds the sections that a name says.
const namedSections = 3

// sectionsOf names the outermost sections of some rows in score order: "Winds, Brass, Strings". Rows
// of one alone are named by the sections within it.
func sectionsOf(t *template.Template, ids []template.ID) string {
	x := t.Index()
	paths := make([][]string, 0, len(ids))
	for _, id := range ids {
		var path []string
		for s := x.Sections[t.Instrument(id).Section]; s != nil; s = x.Sections[s.Parent] {
			path = append([]string{s.Name}, path...)
		}
		paths = append(paths, path)
	}
	for depth := 0; ; depth++ {
		var names []string
		deeper := false
		for _, p := range paths {
			if len(p) == 0 {
				continue
			}
			name := p[min(depth, len(p)-1)]
			deeper = deeper || depth < len(p)-1
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		if len(names) == 1 && deeper {
			continue
		}
		if len(names) > namedSections {
			return strings.Join(names[:namedSections], ", ") + " and more"
		}
		return strings.Join(names, ", ")
	}
}
