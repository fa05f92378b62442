// Package order puts a template in order: sections and rows as a score, a stage
// or their range has them, or rows gathered into sections by role, library or
// instrument. A template and a way go in; a plan to look at, and the one change
// that carries it out, come out. Routes, seats and settings stay as they are.
package order

import (
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/template"
)

// By is a way to put rows in order.
type By string

// The ways. The first three move sections and rows among their like; the others
// gather rows into sections again.
const (
	Score      By = "score"       // woodwinds, brass, percussion, harp and keyboards, soloists, voices, strings
	Stage      By = "stage"       // strings in front
	LowToHigh  By = "low-to-high" // by the middle of the range
	Role       By = "role"        // low and high, long and short, family by family
	RoleOfAll  By = "role-of-all" // likewise, all families together
	Library    By = "library"
	Instrument By = "instrument" // as the orchestra's sections have them
)

// Ways lists every way.
var Ways = []By{Score, Stage, LowToHigh, Role, RoleOfAll, Library, Instrument}

// Gathers tells whether the way gathers rows into sections again.
func (b By) Gathers() bool { return b == Role || b == RoleOfAll || b == Library || b == Instrument }

// Plan is an order to be looked at before it is taken.
type Plan struct {
	Change change.Change      // nil when everything is in that order already
	After  *template.Template // as it would be
	Moved  int                // rows that would stand elsewhere
	Made   []string           // sections that would be made, by path
	Gone   []string           // sections that would be empty, and go
	Kept   []string           // that would be empty, and stay: rules or wishes speak of them
	Stems  int                // rows that the stem rules, applied again, would treat differently
}

// Arrange orders a section and all in it, or the whole template when within is
// empty. Rows that play no patches stay in their sections, after the others. The
// error is a *change.Refused when the section is gone or the way is unknown.
func Arrange(t *template.Template, within template.ID, by By, mint template.Mint) (Plan, error) {
	if within != "" && t.Index().Sections[within] == nil {
		return Plan{}, &change.Refused{Subject: within, Reason: "the section is no longer in the template"}
	}
	if !slices.Contains(Ways, by) {
		return Plan{}, &change.Refused{Reason: "rows are put in order by score, stage, low-to-high, role, role-of-all, library or instrument"}
	}
	s := &sorter{t: t, traits: deliver.NewSorter(t, nil), words: articulation.NewVocabulary(t.Vocabulary), within: within, by: by}
	var c change.Batch
	var plan Plan
	if by.Gathers() {
		c = s.gather(mint, &plan)
	} else {
		c = s.sort()
	}
	after, _, err := change.Apply(t, c)
	if err != nil {
		return Plan{}, err
	}
	plan.After = after
	plan.Moved = moved(t, after)
	if plan.Moved > 0 || !sameSections(t, after) {
		plan.Change = c
	}
	plan.Stems = treatedOtherwise(t, after)
	return plan, nil
}

// inside tells whether a section is the one to be ordered, or lies in it.
func (s *sorter) inside(section template.ID) bool {
	return s.within == "" || slices.ContainsFunc(s.t.Ancestry(section), func(a *template.Section) bool { return a.ID == s.within })
}

// places puts rows, in the order given, into the places of the list that they
// hold among them, and returns those that stand elsewhere then or change their
// section.
func places(t *template.Template, rows []*template.Instrument, section func(*template.Instrument) template.ID) []change.Position {
	place := t.Index().Place
	slots := make([]int, len(rows))
	for n, i := range rows {
		slots[n] = place[i.ID]
	}
	slices.Sort(slots)
	var out []change.Position
	for n, i := range rows {
		if to := section(i); slots[n] != place[i.ID] || to != i.Section {
			out = append(out, change.Position{ID: i.ID, At: slots[n], Section: to})
		}
	}
	return out
}

// moved counts the rows that stand in another section, or after other rows of
// theirs.
func moved(before, after *template.Template) int {
	old, now := neighbours(before), neighbours(after)
	n := 0
	for id, at := range now {
		if old[id] != at {
			n++
		}
	}
	return n
}

type neighbour struct {
	section template.ID
	before  template.ID // the row before it in its section
}

func neighbours(t *template.Template) map[template.ID]neighbour {
	out, last := make(map[template.ID]neighbour, len(t.Instruments)), map[template.ID]template.ID{}
	for _, i := range t.Instruments {
		out[i.ID] = neighbour{i.Section, last[i.Section]}
		last[i.Section] = i.ID
	}
	return out
}

func sameSections(a, b *template.Template) bool {
	return slices.EqualFunc(a.SectionsInOrder(), b.SectionsInOrder(), func(x, y *template.Section) bool { return x.ID == y.ID && x.Parent == y.Parent })
}

// treatedOtherwise counts the rows that meet another stem rule in another order.
func treatedOtherwise(before, after *template.Template) int {
	if len(before.Rules) == 0 {
		return 0
	}
	was, is := deliver.NewSorter(before, before.Rules), deliver.NewSorter(after, after.Rules)
	n := 0
	for _, i := range after.Instruments {
		old, _ := was.Match(before.Instrument(i.ID))
		now, _ := is.Match(i)
		if old != now && !i.StemByHand {
			n++
		}
	}
	return n
}
