package deliver

import (
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Outcome is what a change of the wiring does, by name.
type Outcome struct {
	Made    []*template.Bus
	Removed []*template.Bus
	Split   []Parted
	Moved   []Moved
	Rewired int // instruments that keep their stem and get other routes
	Stems   []Carried
}

// Parted is a return that several stems shared, and the returns that carry their sound
// afterwards, itself among them if it is still there.
type Parted struct {
	Return *template.Bus
	Into   []*template.Bus
}

// Moved is an instrument that reaches other stems of the finest fold.
type Moved struct {
	Instrument *template.Instrument
	From, To   []*template.Bus
}

// Carried is how many instruments a stem carries dry and wet, before and after. A stem
// that is made carried nothing, one that is removed carries nothing.
type Carried struct {
	Stem          *template.Bus
	Before, After Load
}

// Load is how many instruments a stem carries.
type Load struct{ Dry, Wet int }

// Preview tells what a change of the wiring does.
func Preview(before *template.Template, c change.Change) (Outcome, error) {
	after := before
	if c != nil {
		var err error
		if after, _, err = change.Apply(before, c); err != nil {
			return Outcome{}, err
		}
	}
	f, g := fan.New(before), fan.New(after)
	out := Outcome{Made: missing(after, before), Removed: missing(before, after)}
	out.Stems = carried(f, g)
	if len(before.Folds) == 0 {
		return out, nil
	}
	fold := before.Folds[0].ID
	for _, x := range SharedReturns(before, f, fold) {
		if p := parted(f, g, after, x.Return); len(p.Into) > 1 {
			out.Split = append(out.Split, p)
		}
	}
	for n, i := range before.Instruments {
		if !i.Played() {
			continue
		}
		now := after.Index().Place[i.ID]
		from, to := f.StemsIn(f.FromRow(n), fold), g.StemsIn(g.FromRow(now), fold)
		switch same := func(a, b *template.Bus) bool { return a.ID == b.ID }; {
		case !slices.EqualFunc(from, to, same):
			out.Moved = append(out.Moved, Moved{i, from, to})
		case !slices.Equal(i.Routes, after.Instruments[now].Routes):
			out.Rewired++
		}
	}
	return out, nil
}

// missing lists the buses of one template that another has not.
func missing(t, other *template.Template) []*template.Bus {
	var out []*template.Bus
	for _, b := range t.Buses {
		if other.Index().Buses[b.ID] == nil {
			out = append(out, b)
		}
	}
	return out
}

// parted lists the returns that instruments of a return feed afterwards with its
// processing.
func parted(f, g *fan.Fan, after *template.Template, b *template.Bus) Parted {
	fed := map[template.ID]bool{}
	for n, i := range f.Template().Instruments {
		if !i.Played() || !slices.ContainsFunc(f.FromRow(n), func(r fan.Reach) bool { return f.Bus(r) == b }) {
			continue
		}
		for _, r := range g.FromInstrument(i) {
			if to := g.Bus(r); to.Kind.Is().Wet() && to.Process == b.Process && to.Effect == b.Effect {
				fed[to.ID] = true
			}
		}
	}
	out := Parted{Return: b}
	for _, o := range after.Buses {
		if fed[o.ID] {
			out.Into = append(out.Into, o)
		}
	}
	return out
}

// carried counts what every stem carries in two fans, for those where it differs.
func carried(f, g *fan.Fan) []Carried {
	before, after := loads(f), loads(g)
	var out []Carried
	add := func(b *template.Bus) {
		if was, is := before[b.ID], after[b.ID]; was != is {
			out = append(out, Carried{b, was, is})
		}
	}
	for _, b := range InOrder(g.Template()) {
		if b.Kind.Is().Stem {
			add(b)
		}
	}
	for _, b := range missing(f.Template(), g.Template()) {
		if b.Kind.Is().Stem {
			add(b)
		}
	}
	return out
}

// loads counts the instruments that each stem carries.
func loads(f *fan.Fan) map[template.ID]Load {
	out := map[template.ID]Load{}
	seen := map[int32][2]bool{}
	for n, i := range f.Template().Instruments {
		if !i.Played() {
			continue
		}
		clear(seen)
		for _, r := range f.FromRow(n) {
			if !f.Bus(r).Kind.Is().Stem {
				continue
			}
			x := seen[r.Bus]
			if f.Wet(r.Chain) {
				x[1] = true
			} else {
				x[0] = true
			}
			seen[r.Bus] = x
		}
		for bus, x := range seen {
			id := f.Template().Buses[bus].ID
			load := out[id]
			if x[0] {
				load.Dry++
			}
			if x[1] {
				load.Wet++
			}
			out[id] = load
		}
	}
	return out
}

// AddWet makes the wet stem that a stem delivered dry lacks: beside it in its fold,
// going the way it goes, and with the returns of all dry stems there.
func AddWet(t *template.Template, stem template.ID, mint template.Mint) (change.Change, error) {
	b := t.Index().Buses[stem]
	switch {
	case b == nil || !b.Kind.Is().Stem:
		return nil, &change.Refused{Subject: stem, Reason: "the stem is no longer in the template"}
	case b.Carries != template.CarriesDry:
		return nil, &change.Refused{Subject: stem, Reason: fmt.Sprintf("%s is not delivered dry; its wet sound is in it", b.Name)}
	}
	if home := t.WetHome(b); home != nil && home.Fold == b.Fold {
		return nil, &change.Refused{Subject: stem, Reason: fmt.Sprintf("the wet sound of %s is in %s already", b.Name, home.Name)}
	}
	name := b.Name
	if above := t.ParentStem(b); above != nil { // it serves all dry stems there
		name = above.Name
	}
	name = shorten(name + " wet")
	free := func(name string) bool {
		return !slices.ContainsFunc(t.StemsOf(b.Fold), func(o *template.Bus) bool { return template.FoldName(o.Name) == template.FoldName(name) })
	}
	if !free(name) {
		name = template.FreeName(name, free)
	}
	wet := &template.Bus{
		ID: mint("bus"), Kind: b.Kind, Name: name, Fold: b.Fold, Section: b.Section, Mono: b.Mono,
		Carries: template.CarriesWet, Routes: slices.Clone(b.Routes),
	}
	wet.Number = numberer(t)(wet)
	s := &steps{t: t}
	s.then(just(change.Put{Buses: []change.Entry[template.Bus]{change.Append(wet)}}))
	s.then(func(t *template.Template) (change.Change, error) { return wire(t, nil, mint) })
	return s.batch(fmt.Sprintf("Add the stem %s", wet.Name))
}
