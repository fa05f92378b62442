package deliver

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Report says what establishing a stem list does.
type Report struct {
	Folds   []string // made
	Made    []string // stems
	Kept    []string // stems there already
	Moved   []string // stems that belong to another one than before
	Removed []string // stems that are not on the list and that nothing feeds
	Staying []string // stems that are not on the list but are fed
	Rules   int      // made
}

// Establish makes the stems of a list, nested as it says. Stems there already,
// by name within their fold, are kept with everything that feeds them. With
// takeAway, stems that are not on the list go if nothing feeds them.
func Establish(t *template.Template, list []*Wanted, takeAway bool, mint template.Mint) (change.Change, Report, error) {
	e := &establisher{t: t, mint: mint, number: numberer(t), depth: Depth(list), stem: map[[2]string]*template.Bus{}, taken: map[template.ID]bool{}}
	e.folds()
	for level := range e.depth { // coarsest first
		walk(list, e.depth, level, func(w, parent *Wanted) { e.one(w, parent, level) })
	}
	s := &steps{t: t}
	s.then(just(e.put))
	if rules := e.rules(list); len(rules) > 0 {
		s.then(just(change.SetRules{Rules: rules}))
	}
	if takeAway {
		s.then(e.takeAway)
	}
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, nil, mint) })
	c, err := s.batch(fmt.Sprintf("Establish %d stems", len(e.report.Made)+len(e.report.Kept)))
	return c, e.report, err
}

type establisher struct {
	t      *template.Template
	mint   template.Mint
	number func(*template.Bus) int
	depth  int
	fold   []template.ID // by level, coarsest first
	stem   map[[2]string]*template.Bus
	taken  map[template.ID]bool
	put    change.Put
	report Report
}

// foldNames names the folds of a list, finest first.
func foldNames(depth int) []string {
	names := []string{"fine", "split", "sections"}
	switch {
	case depth <= 1:
		return names[:1]
	case depth == 2:
		return []string{names[0], names[2]}
	case depth == 3:
		return names
	}
	names = names[:1]
	for n := 2; n < depth; n++ {
		names = append(names, fmt.Sprintf("split %d", n-1))
	}
	return append(names, "sections")
}

// folds finds or makes a fold for each level: the finest and the coarsest are
// those of the template, and what is between them is put between them.
func (e *establisher) folds() {
	there := e.t.Folds
	names := foldNames(e.depth)
	ids := make([]template.ID, e.depth) // finest first
	make := func(n, at int) {
		f := &template.Fold{ID: e.mint("fold"), Name: names[n]}
		e.put.Folds = append(e.put.Folds, change.Entry[template.Fold]{At: at, Value: f})
		e.report.Folds = append(e.report.Folds, f.Name)
		ids[n] = f.ID
	}
	for n := range ids {
		switch {
		case n == 0 && len(there) > 0:
			ids[0] = there[0].ID
		case n == e.depth-1 && len(there) > 1:
			ids[n] = there[len(there)-1].ID
		case n < len(there)-1 && n < e.depth-1:
			ids[n] = there[n].ID
		case len(there) > 1 && n < e.depth-1:
			make(n, n)
		default:
			make(n, -1)
		}
	}
	slices.Reverse(ids)
	e.fold = ids
}

// one finds or makes one stem.
func (e *establisher) one(w, parent *Wanted, level int) {
	fold := e.fold[level]
	to := e.t.TheMix().ID
	var above *template.Bus
	if parent != nil {
		above = e.stem[[2]string{string(e.fold[level-1]), template.FoldName(parent.Name)}]
	} else if e.depth == 1 && len(e.t.Folds) > 1 && e.there(fold, w.Name) == nil {
		above = e.coarse(w)
	}
	if above != nil {
		to = above.ID
	}
	key := [2]string{string(fold), template.FoldName(w.Name)}
	if b := e.there(fold, w.Name); b != nil {
		e.keep(b, w, to, key)
		return
	}
	b := &template.Bus{
		ID: e.mint("bus"), Kind: template.Stem, Name: w.Name, Fold: fold, Carries: w.Carries, Mono: w.Mono,
		Section: e.sectionFor(w.Name, above), Routes: []template.Route{{To: to, Tap: template.Post}},
	}
	b.Number = e.number(b)
	e.stem[key] = b
	e.put.Buses = append(e.put.Buses, change.Append(b))
	e.report.Made = append(e.report.Made, w.Name)
}

func (e *establisher) there(fold template.ID, name string) *template.Bus {
	for _, b := range e.t.StemsOf(fold) {
		if template.FoldName(b.Name) == template.FoldName(name) {
			return b
		}
	}
	return nil
}

func (e *establisher) keep(b *template.Bus, w *Wanted, to template.ID, key [2]string) {
	e.taken[b.ID] = true
	e.report.Kept = append(e.report.Kept, b.Name)
	c := b.Clone()
	if w.Carries != template.CarriesBoth {
		c.Carries = w.Carries
	}
	c.Mono = c.Mono || w.Mono
	if e.depth == 1 { // a flat list says nothing of nesting
		e.stem[key] = c
		e.put.Buses = append(e.put.Buses, change.Append(c))
		return
	}
	if above := e.t.ParentStem(b); (above == nil) != (to == e.t.TheMix().ID) || above != nil && above.ID != to {
		c.Routes = onward(e.t, c.Routes, to)
		e.report.Moved = append(e.report.Moved, b.Name)
	}
	e.stem[key] = c
	e.put.Buses = append(e.put.Buses, change.Append(c))
}

// onward replaces a stem's ways to stems and the mix by one.
func onward(t *template.Template, routes []template.Route, to template.ID) []template.Route {
	var out []template.Route
	for _, r := range routes {
		if b := t.Index().Buses[r.To]; !b.Kind.Is().Stem && !b.Kind.Is().Only {
			out = append(out, r)
		}
	}
	return template.SortRoutes(append(out, template.Route{To: to, Tap: template.Post}))
}

// coarse guesses the stem of the next fold that a stem of a flat list belongs
// to: that of its section, else one of its own name, which is made.
func (e *establisher) coarse(w *Wanted) *template.Bus {
	fold := e.t.Folds[len(e.t.Folds)-1].ID
	section := e.sectionFor(w.Name, nil)
	name := w.Name
	if top := e.t.TopSection(section); top != nil {
		for _, b := range e.t.StemsOf(fold) {
			if e.t.TopSection(b.Section) == top {
				return b
			}
		}
		name = top.Name
	}
	key := [2]string{string(fold), template.FoldName(name)}
	b := e.stem[key]
	if b == nil {
		if b = e.there(fold, name); b == nil {
			b = &template.Bus{
				ID: e.mint("bus"), Kind: template.Stem, Name: name, Fold: fold, Section: section,
				Routes: []template.Route{{To: e.t.TheMix().ID, Tap: template.Post}},
			}
			b.Number = e.number(b)
			e.put.Buses = append(e.put.Buses, change.Append(b))
			e.report.Made = append(e.report.Made, name)
		}
		e.stem[key] = b
	}
	return b
}

// sectionFor finds the section whose tint a stem has: one of its name, else
// its parent's, else the top section of the kind its name speaks of.
func (e *establisher) sectionFor(name string, above *template.Bus) template.ID {
	words := template.FoldName(name)
	for _, s := range e.t.SectionsInOrder() {
		if template.FoldName(s.Name) == words {
			return s.ID
		}
	}
	if above != nil && above.Section != "" {
		return above.Section
	}
	tint := template.TintFor(name)
	for _, s := range e.t.Sections {
		if tint != "grey" && s.Parent == "" && template.TintFor(s.Name) == tint {
			return s.ID
		}
	}
	for _, s := range e.t.SectionsInOrder() { // "Low clarinets" for "Clarinets"
		if strings.Contains(words, template.FoldName(s.Name)) || strings.Contains(template.FoldName(s.Name), words) {
			return s.ID
		}
	}
	return ""
}

// takeAway drops the stems that are not on the list, if nothing feeds them
// once they are gone themselves.
func (e *establisher) takeAway(t *template.Template) (change.Change, error) {
	s := &steps{t: t}
	for again := true; again; {
		again = false
		fed := fedBuses(s.t)
		for _, b := range s.t.Buses {
			if !b.Kind.Is().Stem || e.taken[b.ID] || e.t.Index().Buses[b.ID] == nil || fed[b.ID] {
				continue
			}
			e.report.Removed = append(e.report.Removed, b.Name)
			s.then(just(change.RemoveBus{ID: b.ID}))
			again = true
			break
		}
	}
	fed := fedBuses(s.t)
	for _, b := range s.t.Buses {
		if b.Kind.Is().Stem && !e.taken[b.ID] && e.t.Index().Buses[b.ID] != nil && fed[b.ID] {
			e.report.Staying = append(e.report.Staying, b.Name)
		}
	}
	if len(s.done) == 0 {
		return nil, s.err
	}
	return s.batch("Remove stems")
}

func fedBuses(t *template.Template) map[template.ID]bool {
	fed := map[template.ID]bool{}
	for _, i := range t.Instruments {
		for _, r := range i.Routes {
			fed[r.To] = true
		}
	}
	for _, b := range t.Buses {
		for _, r := range b.Routes {
			fed[r.To] = true
		}
	}
	return fed
}

// Nest makes stems belong to another stem of the next fold, or, with an empty
// parent, lie in none: they feed the mix.
func Nest(t *template.Template, stems []template.ID, parent template.ID, mint template.Mint) (change.Change, error) {
	to, name := t.TheMix().ID, t.TheMix().Name
	above := t.Index().Buses[parent]
	if parent != "" {
		if above == nil || !above.Kind.Is().Stem {
			return nil, &change.Refused{Subject: parent, Reason: "choose a stem to belong to"}
		}
		to, name = above.ID, above.Name
	}
	var put change.Put
	for _, id := range stems {
		b := t.Index().Buses[id]
		switch {
		case b == nil || !b.Kind.Is().Stem:
			return nil, &change.Refused{Subject: id, Reason: "the stem is no longer in the template"}
		case above != nil && t.FoldPlace(above.Fold) != t.FoldPlace(b.Fold)+1:
			return nil, &change.Refused{Subject: id, Reason: fmt.Sprintf("%s can only belong to a stem of the next coarser fold", b.Name)}
		}
		b = b.Clone()
		b.Routes = onward(t, b.Routes, to)
		put.Buses = append(put.Buses, change.Append(b))
	}
	s := &steps{t: t}
	s.then(just(put))
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, nil, mint) })
	return s.batch(fmt.Sprintf("Put %d stems into %s", len(stems), name))
}

// AddFold makes a fold at a position, 0 for the finest, with a stem for each
// stem of the fold it stands before, or after when it is the coarsest, so that
// every fold still adds up.
func AddFold(t *template.Template, name string, at int, mint template.Mint) (change.Change, error) {
	if at < 0 || at > len(t.Folds) || len(t.Folds) >= MaxFolds {
		return nil, &change.Refused{Reason: fmt.Sprintf("a fold stands at 0 to %d, and a template has %d at most", len(t.Folds), MaxFolds)}
	}
	if err := template.CheckName(name); err != nil {
		return nil, &change.Refused{Reason: "the fold cannot have that name: " + err.Error()}
	}
	fold := &template.Fold{ID: mint("fold"), Name: name}
	put := change.Put{Folds: []change.Entry[template.Fold]{{At: at, Value: fold}}}
	s := &steps{t: t}
	number := numberer(t)
	copyOf := func(b *template.Bus) *template.Bus {
		c := &template.Bus{ID: mint("bus"), Kind: template.Stem, Name: b.Name, Fold: fold.ID, Section: b.Section, Carries: b.Carries, Returns: b.Returns, Mono: b.Mono}
		c.Number = number(c)
		return c
	}
	var wires change.Connect
	var rules []*template.StemRule
	own := map[template.ID]template.ID{}
	if at == len(t.Folds) && at > 0 {
		for _, b := range t.StemsOf(t.Folds[at-1].ID) {
			c := copyOf(b)
			c.Routes = slices.Clone(b.Routes)
			put.Buses = append(put.Buses, change.Append(c))
			for _, r := range b.Routes {
				wires.Wires = append(wires.Wires, change.Wire{From: b.ID, To: r.To})
			}
			wires.Wires = append(wires.Wires, change.Wire{From: b.ID, To: c.ID, Level: &change.WireSetting{Tap: template.Post}})
		}
	} else if at < len(t.Folds) {
		for _, b := range t.StemsOf(t.Folds[at].ID) {
			c := copyOf(b)
			c.Routes = []template.Route{{To: b.ID, Tap: template.Post}}
			own[b.ID] = c.ID
			put.Buses = append(put.Buses, change.Append(c))
		}
		wires = redirect(t, own)
		for _, r := range t.Rules {
			if to, moves := own[r.Stem]; moves {
				other := *r
				other.Stem = to
				r = &other
			}
			rules = append(rules, r)
		}
	}
	s.then(just(put))
	s.then(just(wires))
	if len(rules) > 0 {
		s.then(just(change.SetRules{Rules: rules}))
	}
	return s.batch("Add the fold " + name)
}

// redirect sends everything that feeds some buses to others instead.
func redirect(t *template.Template, to map[template.ID]template.ID) change.Connect {
	var c change.Connect
	move := func(from template.ID, routes []template.Route) {
		for _, r := range routes {
			if other, moves := to[r.To]; moves {
				c.Wires = append(c.Wires, change.Wire{From: from, To: r.To},
					change.Wire{From: from, To: other, Level: &change.WireSetting{GainDB: r.GainDB, Tap: r.Tap, Hand: r.Hand}})
			}
		}
	}
	for _, i := range t.Instruments {
		move(i.ID, i.Routes)
	}
	for _, b := range t.Buses {
		move(b.ID, b.Routes)
	}
	return c
}

// RemoveFold takes a fold away: what fed its stems feeds what they fed.
func RemoveFold(t *template.Template, fold template.ID, mint template.Mint) (change.Change, error) {
	f := t.Index().Folds[fold]
	switch {
	case f == nil:
		return nil, &change.Refused{Subject: fold, Reason: "the fold is no longer in the template"}
	case len(t.Folds) == 1:
		return nil, &change.Refused{Subject: fold, Reason: "a template has one fold at least"}
	}
	s := &steps{t: t}
	for _, b := range t.StemsOf(fold) {
		s.then(func(t *template.Template) (change.Change, error) {
			to := t.TheMix()
			if above := t.ParentStem(t.Index().Buses[b.ID]); above != nil {
				to = above
			}
			return change.RemoveBus{ID: b.ID, Onward: to.ID}, nil
		})
	}
	s.then(just(change.Drop{Folds: []template.ID{fold}}))
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, nil, mint) })
	return s.batch("Remove the fold " + f.Name)
}
