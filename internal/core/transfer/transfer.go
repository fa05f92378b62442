// Package transfer copies rows with their routes: a section beside itself, or
// rows of one template into another, whose buses are found by their labels.
// Templates and what is to be copied go in; a change comes out, or questions
// about the buses that have no counterpart.
package transfer

import (
	"fmt"
	"slices"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
)

// DuplicateSection copies a section with everything below it, and every row
// with its routes, level, colour and seat style. The copies have no seat yet.
func DuplicateSection(t *template.Template, id template.ID, mint template.Mint) (change.Change, error) {
	top := t.Index().Sections[id]
	if top == nil {
		return nil, &change.Refused{Subject: id, Reason: "the section is no longer in the template"}
	}
	copies := map[template.ID]template.ID{}
	var put change.Put
	for _, s := range t.SectionsInOrder() {
		parent, inside := copies[s.Parent]
		if s != top && !inside {
			continue
		}
		c := *s
		c.ID = mint("section")
		copies[s.ID] = c.ID
		if s == top {
			c.Name = freeName(t, s)
			put.Sections = append(put.Sections, change.Entry[template.Section]{At: slices.Index(t.Sections, s) + 1, Value: &c})
			continue
		}
		c.Parent = parent
		put.Sections = append(put.Sections, change.Append(&c))
	}
	var add change.Add
	sets := map[template.ID]template.ID{}
	for _, i := range t.Instruments {
		if section, ok := copies[i.Section]; ok {
			add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: copyOf(i, section, sets, mint)})
		}
	}
	return change.Batch{Label: "Duplicate the section " + top.Name, Changes: []change.Change{put, add}}, nil
}

// copyOf is a row again, unseated; rows of one spread set stay one set.
func copyOf(i *template.Instrument, section template.ID, sets map[template.ID]template.ID, mint template.Mint) *template.Instrument {
	c := i.Clone()
	c.ID, c.Section, c.Seat, c.With = mint("instrument"), section, nil, ""
	if c.Spread != "" {
		if sets[c.Spread] == "" {
			sets[c.Spread] = mint("spread")
		}
		c.Spread = sets[c.Spread]
	}
	return c
}

func freeName(t *template.Template, s *template.Section) string {
	taken := map[string]bool{}
	for _, o := range t.Sections {
		if o.Parent == s.Parent {
			taken[template.FoldName(o.Name)] = true
		}
	}
	for n := 2; ; n++ {
		if name := fmt.Sprintf("%s %d", s.Name, n); !taken[template.FoldName(name)] {
			return name
		}
	}
}

// Answer says what stands for a bus of the other template.
type Answer struct {
	Bus  template.ID `json:"bus,omitempty"`  // one of this template
	Make bool        `json:"make,omitempty"` // a new one like it
	// Neither: its routes are left out.
}

// Question asks what should stand for a bus that this template has not.
type Question struct {
	Bus         *template.Bus // of the other template
	Instruments int           // rows that feed it
}

// Paste brings rows of another template into this one. Buses are found by kind
// and label, stems also by their fold; the others must be answered for, by the
// ID of the other template's bus. Without an answer for each, the questions
// come back and the change is nil.
func Paste(t, from *template.Template, ids []template.ID, answers map[template.ID]Answer, mint template.Mint) (change.Change, []Question, error) {
	p := &paster{t: t, from: from, answers: answers, mint: mint, to: map[template.ID]template.ID{}, asked: map[template.ID]int{}}
	var rows []*template.Instrument
	for _, id := range ids {
		i := from.Instrument(id)
		if i == nil {
			return nil, nil, &change.Refused{Subject: id, Reason: "one of the rows is no longer in the template it was copied from"}
		}
		rows = append(rows, i)
	}
	if len(rows) == 0 {
		return nil, nil, &change.Refused{Reason: "select the rows to copy first"}
	}
	for _, i := range rows {
		for _, r := range i.Routes {
			p.find(r.To, 1)
		}
	}
	if len(p.questions) > 0 {
		for n := range p.questions {
			p.questions[n].Instruments = p.asked[p.questions[n].Bus.ID]
		}
		return nil, p.questions, nil
	}
	c, err := p.change(rows)
	return c, nil, err
}

type paster struct {
	t, from   *template.Template
	answers   map[template.ID]Answer
	mint      template.Mint
	to        map[template.ID]template.ID // bus there → bus here; empty for left out
	asked     map[template.ID]int
	questions []Question
	put       change.Put
}

// find decides what stands for a bus of the other template.
func (p *paster) find(id template.ID, rows int) {
	p.asked[id] += rows
	if _, known := p.to[id]; known {
		return
	}
	b := p.from.Index().Buses[id]
	p.to[id] = ""
	if same := p.counterpart(b); same != nil {
		p.to[id] = same.ID
		return
	}
	answer, ok := p.answers[id]
	switch {
	case !ok:
		p.questions = append(p.questions, Question{Bus: b})
	case answer.Bus != "":
		p.to[id] = answer.Bus
	case answer.Make:
		p.like(b)
	}
}

// counterpart is the bus of the same kind and label; for stems, of a fold of
// the same name or place.
func (p *paster) counterpart(b *template.Bus) *template.Bus {
	for _, o := range p.t.Buses {
		switch {
		case o.Kind != b.Kind:
		case b.Kind.Is().Beyond:
			return o
		case template.FoldName(o.Name) != template.FoldName(b.Name):
		case !b.Kind.Is().Stem || o.Fold == p.foldHere(b.Fold):
			return o
		}
	}
	return nil
}

func (p *paster) foldHere(fold template.ID) template.ID {
	there := p.from.Index().Folds[fold]
	for _, f := range p.t.Folds {
		if template.FoldName(f.Name) == template.FoldName(there.Name) {
			return f.ID
		}
	}
	if len(p.t.Folds) == 0 {
		return ""
	}
	return p.t.Folds[min(p.from.FoldPlace(fold), len(p.t.Folds)-1)].ID
}

// like makes a bus like one of the other template, and decides about what it
// feeds.
func (p *paster) like(b *template.Bus) {
	c := b.Clone()
	c.ID, c.Number, c.Section, c.Returns, c.Effect, c.Routes = p.mint("bus"), 0, "", "", "", nil
	if b.Kind.Is().Stem {
		c.Fold = p.foldHere(b.Fold)
	}
	p.to[b.ID] = c.ID
	for _, r := range b.Routes {
		p.find(r.To, 0)
		if to := p.to[r.To]; to != "" {
			r.To = to
			c.Routes = append(c.Routes, r)
		}
	}
	p.put.Buses = append(p.put.Buses, change.Append(c))
}

func (p *paster) change(rows []*template.Instrument) (change.Change, error) {
	named := intake.NewNamed(p.t, p.mint)
	var patches []*template.Patch
	var add change.Add
	sets := map[template.ID]template.ID{}
	for _, i := range rows {
		section, err := named.Section(p.from.SectionPath(i.Section))
		if err != nil {
			return nil, &change.Refused{Subject: i.ID, Reason: fmt.Sprintf("%s cannot be pasted: %s", i.Name, err)}
		}
		c := copyOf(i, section.ID, sets, p.mint)
		if !p.t.ThePalette().Has(c.Colour) {
			c.Colour = ""
		}
		c.Routes = nil
		for _, r := range i.Routes {
			if to := p.to[r.To]; to != "" && !slices.ContainsFunc(c.Routes, func(o template.Route) bool { return o.To == to }) {
				r.To = to
				c.Routes = append(c.Routes, r)
			}
		}
		c.Style.Machine = p.machineHere(i.Style.Machine)
		for _, patch := range p.from.PatchesOf(i) {
			if !slices.Contains(patches, patch) {
				patches = append(patches, patch)
			}
		}
		add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: c})
	}
	return change.Batch{Label: fmt.Sprintf("Paste %d rows from %s", len(rows), p.from.Name), Changes: []change.Change{
		catalogue.Copies(p.t, p.from, patches), named.Put(), p.put, add,
	}}, nil
}

func (p *paster) machineHere(id template.ID) template.ID {
	if m := p.from.Index().Machines[id]; m != nil {
		for _, o := range p.t.Machines {
			if template.FoldName(o.Name) == template.FoldName(m.Name) {
				return o.ID
			}
		}
	}
	return ""
}
