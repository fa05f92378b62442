// Package deliver computes the wiring that a template's stems ask for: which
// stem every instrument goes to by the stem rules, the groups and returns
// between them, the sends and the numbers of buses, and what the delivery
// costs. A template goes in; a change comes out.
package deliver

import (
	"fmt"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// steps makes one change of several, each made on what the earlier ones left.
type steps struct {
	t    *template.Template
	done []change.Change
	err  error
}

func (s *steps) then(make func(t *template.Template) (change.Change, error)) {
	if s.err != nil {
		return
	}
	c, err := make(s.t)
	if err == nil && c != nil {
		var after *template.Template
		if after, _, err = change.Apply(s.t, c); err == nil {
			s.t, s.done = after, append(s.done, c)
		}
	}
	s.err = err
}

func (s *steps) batch(label string) (change.Change, error) {
	if s.err != nil {
		return nil, s.err
	}
	return change.Batch{Label: label, Changes: s.done}, nil
}

func just(c change.Change) func(*template.Template) (change.Change, error) {
	return func(*template.Template) (change.Change, error) { return c, nil }
}

// Settle makes a change of stems, return sets or sections, and brings groups,
// returns and sends in line with it.
func Settle(t *template.Template, c change.Change, mint template.Mint) (change.Change, error) {
	s := &steps{t: t}
	s.then(just(c))
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, nil, mint) })
	return s.batch(change.Describe(c))
}

// Wire brings the whole wiring in line with the stems and the settings:
// groups, returns and sends, and returns shared by several stems are split.
func Wire(t *template.Template, mint template.Mint) (change.Change, error) {
	s := &steps{t: t}
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, nil, mint) })
	s.then(splitShared)
	return s.batch("Compute the wiring")
}

// ApplyRules sends every instrument to the stem its first rule names, but for
// the exceptions, and wires it there.
func ApplyRules(t *template.Template, mint template.Mint) (change.Change, error) {
	assign := map[template.ID]template.ID{}
	for _, v := range NewSorter(t, t.Rules).Sort(fan.New(t)) {
		if v.Moves() {
			assign[v.Instrument.ID] = v.Stem.ID
		}
	}
	s := &steps{t: t}
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, assign, mint) })
	return s.batch(fmt.Sprintf("Apply the stem rules to %d rows", len(assign)))
}

// ByHand sends instruments to a stem and wires them there. Where the rules say
// otherwise, it becomes an exception; where they agree, it is one no longer.
func ByHand(t *template.Template, ids []template.ID, stem template.ID, mint template.Mint) (change.Change, error) {
	b := t.Index().Buses[stem]
	if b == nil || !b.Kind.Is().Stem || b.Carries == template.CarriesWet {
		return nil, &change.Refused{Subject: stem, Reason: "choose a stem that carries dry sound"}
	}
	assign := make(map[template.ID]template.ID, len(ids))
	var edit change.Edit
	sorter := NewSorter(t, t.Rules)
	for _, id := range ids {
		i := t.Instrument(id)
		switch {
		case i == nil:
			return nil, &change.Refused{Subject: id, Reason: "the instrument is no longer in the template"}
		case i.Kind == template.Divider:
			return nil, &change.Refused{Subject: id, Reason: "a divider plays nothing and is in no stem"}
		case i.Kind == template.Guide:
			return nil, &change.Refused{Subject: id, Reason: fmt.Sprintf("%q is a guide; guides go straight to the speakers and are in no stem", i.Name)}
		}
		assign[id] = stem
		rule, _ := sorter.Match(i)
		if other := rule >= 0 && t.Rules[rule].Stem != stem; other != i.StemByHand {
			edit.Edits = append(edit.Edits, change.Fields{ID: id, StemByHand: &other})
		}
	}
	s := &steps{t: t}
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, assign, mint) })
	if len(edit.Edits) > 0 {
		s.then(just(edit))
	}
	return s.batch(fmt.Sprintf("Send %d rows to %s", len(ids), b.Name))
}

// Obey takes away that instruments are exceptions, and follows the rules. With
// sends, their levels set by hand follow their sections again, too.
func Obey(t *template.Template, ids []template.ID, sends bool, mint template.Mint) (change.Change, error) {
	var edit change.Edit
	var wires change.Connect
	assign := map[template.ID]template.ID{}
	sorter, no := NewSorter(t, t.Rules), false
	for _, id := range ids {
		i := t.Instrument(id)
		if i == nil {
			return nil, &change.Refused{Subject: id, Reason: "the instrument is no longer in the template"}
		}
		if i.StemByHand {
			edit.Edits = append(edit.Edits, change.Fields{ID: id, StemByHand: &no})
		}
		if rule, _ := sorter.Match(i); rule >= 0 && i.StemByHand {
			assign[id] = t.Rules[rule].Stem
		}
		for _, r := range i.Routes {
			if r.Hand && sends {
				wires.Wires = append(wires.Wires, change.Wire{From: id, To: r.To, Level: &change.WireSetting{GainDB: r.GainDB, Tap: r.Tap}})
			}
		}
	}
	s := &steps{t: t}
	s.then(just(edit))
	s.then(just(wires))
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, assign, mint) })
	return s.batch(fmt.Sprintf("Let %d rows follow the rules", len(ids)))
}

// Born lets new instruments follow the stem rules: those that a change of
// before adds, or that it makes of spare rows. Those that have a stem already
// keep it, unless anew is set.
func Born(before *template.Template, c change.Change, anew bool, mint template.Mint) (change.Change, error) {
	if len(before.Rules) == 0 {
		return c, nil
	}
	s := &steps{t: before}
	s.then(just(c))
	s.then(func(t *template.Template) (change.Change, error) {
		assign := map[template.ID]template.ID{}
		sorter := NewSorter(t, t.Rules)
		for _, i := range t.Instruments {
			was := before.Instrument(i.ID)
			fresh := was == nil || was.Kind == template.Spare && i.Kind != template.Spare
			if !fresh || !i.FeedsStems() || i.StemByHand || len(i.Routes) > 0 && (was != nil || !anew) {
				continue
			}
			if rule, _ := sorter.Match(i); rule >= 0 {
				assign[i.ID] = t.Rules[rule].Stem
			}
		}
		return wire(t, assign, mint)
	})
	return s.batch(change.Describe(c))
}
