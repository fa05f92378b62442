package session

import (
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/template"
)

// says are the fields of rows, sections and buses that a session can say, by their names in a
// comparison. What else differs follows from them.
var says = map[compare.Noun]map[string]bool{
	compare.Settings: {"tempo": true},
	compare.Row:      {"name": true, "section": true, "colour": true, "level": true, "pan": true, "routes": true},
	compare.Section:  {"name": true, "stands in": true, "tint": true},
	compare.Bus:      {"name": true, "level": true, "mono": true, "routes": true},
}

// Drift is how a session differs from the template that it was made of.
type Drift struct {
	Differences []compare.Difference
	Elsewhere   []string // rows and sections that stand in another order, by name
}

// Alike tells whether nothing differs.
func (d *Drift) Alike() bool { return len(d.Differences) == 0 && len(d.Elsewhere) == 0 }

// Against puts a template and what was read of a session against it side by side.
func Against(here, there *template.Template) Drift {
	var out Drift
	for _, d := range compare.Pair(here, there) {
		fields, is := says[d.Noun]
		if !is {
			continue
		}
		if d.How == compare.Changed {
			d.Fields = slices.DeleteFunc(d.Fields, func(f compare.Field) bool { return !fields[f.Name] })
			if len(d.Fields) == 0 {
				continue
			}
		}
		out.Differences = append(out.Differences, d)
	}
	for _, id := range elsewhere(here, there) {
		out.Elsewhere = append(out.Elsewhere, compare.NameOf(here, id))
	}
	return out
}

// Take makes the change that brings differences of a session into a template, and with order its
// order of rows and sections.
func Take(here, there *template.Template, picks []compare.Pick, order bool, mint template.Mint) (change.Change, error) {
	var batch change.Batch
	now := here
	if len(picks) > 0 {
		c, err := compare.Take(here, there, picks, mint)
		if err != nil {
			return nil, err
		}
		if now, _, err = change.Apply(here, c); err != nil {
			return nil, err
		}
		batch.Changes = append(batch.Changes, c)
		if b, ok := c.(change.Batch); ok {
			batch.Label = b.Label
		}
	}
	if order {
		if c := change.Between(now, ordered(now, there)); c != nil {
			batch.Changes = append(batch.Changes, c)
		}
		if batch.Label == "" {
			batch.Label = "Take the order from " + there.Name
		}
	}
	if len(batch.Changes) == 0 {
		return nil, &change.Refused{Reason: "choose at least one difference to take"}
	}
	return batch, nil
}

// ordered is a template whose rows and sections stand in the order of another, as far as that has
// them in the same section.
func ordered(here, there *template.Template) *template.Template {
	out := here.Clone()
	out.Sections = inTheOrder(here.Sections, there.Sections, func(s *template.Section) (id, within template.ID) { return s.ID, s.Parent })
	out.Instruments = inTheOrder(here.Instruments, there.Instruments, func(i *template.Instrument) (id, within template.ID) { return i.ID, i.Section })
	return out
}

// inTheOrder changes places among those that both lists have within one thing; all others keep
// theirs.
func inTheOrder[T any](here, there []T, of func(T) (id, within template.ID)) []T {
	home, at := map[template.ID]template.ID{}, map[template.ID]T{}
	for _, x := range here {
		id, within := of(x)
		home[id], at[id] = within, x
	}
	want := map[template.ID][]T{}
	both := map[template.ID]bool{}
	for _, x := range there {
		id, within := of(x)
		if mine, known := home[id]; known && mine == within {
			want[within], both[id] = append(want[within], at[id]), true
		}
	}
	out := slices.Clone(here)
	for n, x := range here {
		if id, within := of(x); both[id] {
			out[n], want[within] = want[within][0], want[within][1:]
		}
	}
	return out
}

// elsewhere are the rows and sections that stand in another order there, as few as explain it.
func elsewhere(here, there *template.Template) []template.ID {
	out := moved(here.SectionsInOrder(), there.SectionsInOrder(), func(s *template.Section) (id, within template.ID) { return s.ID, s.Parent })
	return append(out, moved(here.ScoreOrder(), there.ScoreOrder(), func(i *template.Instrument) (id, within template.ID) { return i.ID, i.Section })...)
}

// moved are those outside of the longest part of each group that both have in one order.
func moved[T any](here, there []T, of func(T) (id, within template.ID)) []template.ID {
	home, place := map[template.ID]template.ID{}, map[template.ID]int{}
	for n, x := range here {
		id, within := of(x)
		home[id], place[id] = within, n
	}
	groups := map[template.ID][]template.ID{}
	var order []template.ID
	for _, x := range there {
		id, within := of(x)
		if mine, known := home[id]; !known || mine != within {
			continue
		}
		if groups[within] == nil {
			order = append(order, within)
		}
		groups[within] = append(groups[within], id)
	}
	var out []template.ID
	for _, g := range order {
		kept := longest(groups[g], place)
		for _, id := range groups[g] {
			if !kept[id] {
				out = append(out, id)
			}
		}
	}
	return out
}

// longest are the members of the longest rising run of places (patience sorting).
func longest(ids []template.ID, place map[template.ID]int) map[template.ID]bool {
	var ends []int // of each length, which one ends a run with the lowest place
	before := make([]int, len(ids))
	for n, id := range ids {
		at, _ := slices.BinarySearchFunc(ends, place[id], func(e, want int) int { return place[ids[e]] - want })
		before[n] = -1
		if at > 0 {
			before[n] = ends[at-1]
		}
		if at == len(ends) {
			ends = append(ends, n)
		} else {
			ends[at] = n
		}
	}
	out := map[template.ID]bool{}
	if len(ends) == 0 {
		return out
	}
	for n := ends[len(ends)-1]; n >= 0; n = before[n] {
		out[ids[n]] = true
	}
	return out
}
