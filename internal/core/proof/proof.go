// Package proof checks a template continuously: a template goes in, marks
// come out, each with at least one remedy. Every rule is a value in one
// table; each family of rules has its own file.
package proof

import (
	"slices"
	"sync"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Mark is one finding.
type Mark struct {
	Code     string
	Subject  template.ID // an instrument, bus, section, machine or call
	Name     string      // the subject's name
	Message  string
	Remedies []Remedy
	On       []template.ID // of CrowdedCode: the machines
}

// Remedy is one way to take a mark away.
type Remedy struct {
	Label string
	// Build makes the change. It is nil for a remedy that only a person can
	// carry out, such as fitting more memory.
	Build func() (change.Change, error)
	// Rests is what another template is to rest. It is not a change of a template.
	Rests *calls.Held
}

// Rule finds the marks of one code.
type Rule struct {
	Code  string
	About string // what it means, for people
	reads aspect // what can bring a mark of it about where there was none
	find  func(*subject) []Mark
	// within is find for what only rows of one section bring about among each other,
	// where nothing was found before: it looks into sections with changed rows. Nil for
	// most.
	within func(*subject, map[template.ID]bool) []Mark
}

// Rules is the table of all rules, in the order their marks are listed.
var Rules = slices.Concat(routeRules, seatRules, memoryRules, orderRules, colourRules, catalogueRules, levelRules)

// subject is what the rules look at: the template and what is computed from
// it once for all of them.
type subject struct {
	t     *template.Template
	fan   *fan.Fan
	fold  *template.Fold    // the chosen fold; nil when there is none
	stems [][]*template.Bus // of the fold, for each instrument
	maps  func() []mapped
	used  func() []*template.Patch
}

// Proof is the outcome of one check.
type Proof struct {
	Marks []Mark
	Fan   *fan.Fan

	t     *template.Template
	fold  *template.Fold
	stems [][]*template.Bus
	clean []bool // the rules that found nothing
}

// Check proves a template against the chosen fold (empty takes the finest).
func Check(t *template.Template, fold template.ID) Proof { return Recheck(Proof{}, t, fold) }

// Recheck is Check, taking over from the proof of an earlier version what can
// not have changed: the reach of untouched instruments, and that a rule found
// nothing, when nothing it reads was touched.
func Recheck(earlier Proof, t *template.Template, fold template.ID) Proof {
	s := &subject{t: t, fan: fan.Next(earlier.Fan, t), fold: t.Index().Folds[fold]}
	s.maps, s.used = sync.OnceValue(s.findMaps), sync.OnceValue(s.findUsed)
	if s.fold == nil && len(t.Folds) > 0 {
		s.fold = t.Folds[0]
	}
	changed := touched(earlier.t, t)
	if s.fold != earlier.fold {
		changed = everything
	}
	s.findStems(earlier, changed)
	p := Proof{Marks: []Mark{}, Fan: s.fan, t: t, fold: s.fold, stems: s.stems, clean: make([]bool, len(Rules))}
	found := make([][]Mark, len(Rules)) // the rules only read, so they run side by side
	var wait sync.WaitGroup
	for n, rule := range Rules {
		switch {
		case rule.within != nil && earlier.t != nil && earlier.clean[n] && rule.reads&changed&^(rows|names) == 0:
			if rule.reads&changed != 0 {
				wait.Go(func() { found[n] = rule.within(s, sectionsTouched(earlier.t, t)) })
			}
		case rule.reads&changed != 0 || !earlier.clean[n]:
			wait.Go(func() { found[n] = rule.find(s) })
		}
	}
	wait.Wait()
	for n, rule := range Rules {
		p.clean[n] = len(found[n]) == 0
		for _, m := range found[n] {
			m.Code = rule.Code
			p.Marks = append(p.Marks, m)
		}
	}
	return p
}

// Stems returns the stems of the chosen fold that the instrument at a position
// of the list reaches (see fan.Stems).
func (p Proof) Stems(n int) []*template.Bus { return p.stems[n] }

// findStems finds the stems each instrument reaches.
func (s *subject) findStems(earlier Proof, changed aspect) {
	s.stems = make([][]*template.Bus, len(s.t.Instruments))
	if s.fold == nil {
		return
	}
	for n := range s.t.Instruments {
		if old, ok := s.fan.Taken(n); ok && changed&buses == 0 {
			s.stems[n] = earlier.stems[old]
		} else {
			s.stems[n] = s.fan.StemsIn(s.fan.FromRow(n), s.fold.ID)
		}
	}
}

// Counts returns the number of marks by code.
func (p Proof) Counts() map[string]int {
	counts := map[string]int{}
	for _, m := range p.Marks {
		counts[m.Code]++
	}
	return counts
}

func always(c change.Change) func() (change.Change, error) {
	return func() (change.Change, error) { return c, nil }
}

func disconnect(from, to template.ID) change.Connect {
	return change.Connect{Wires: []change.Wire{{From: from, To: to}}}
}
