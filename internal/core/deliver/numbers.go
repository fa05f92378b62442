package deliver

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Renumber numbers every bus upward from first: groups, returns, the stems of
// each fold, and what comes after, each kind in score order. After the buses of
// each top section, gap numbers stay free for more. Labels stay as they are.
func Renumber(t *template.Template, first, gap int) (change.Change, error) {
	if first < 1 || gap < 0 || gap > 1000 {
		return nil, &change.Refused{Reason: fmt.Sprintf("numbers begin at 1 or above and leave 0 to 1000 free; %d and %d do not", first, gap)}
	}
	put := change.Put{}
	number := first
	var before *template.Bus
	for _, b := range InOrder(t) {
		if before != nil && (before.Kind != b.Kind || before.Fold != b.Fold || t.TopSection(before.Section) != t.TopSection(b.Section)) {
			number += gap
		}
		if number > template.MaxNumber {
			return nil, &change.Refused{Subject: b.ID, Reason: fmt.Sprintf("%s would have the number %d; %d is the last: begin lower or leave less free", b.Name, number, template.MaxNumber)}
		}
		if b.Number != number {
			c := b.Clone()
			c.Number = number
			put.Buses = append(put.Buses, change.Append(c))
		}
		number++
		before = b
	}
	set := t.Settings
	set.Deliver.FirstNumber, set.Deliver.NumberGap = first, gap
	return change.Batch{Label: "Number the buses", Changes: []change.Change{put, change.Configure{Name: t.Name, Settings: set}}}, nil
}

// InOrder lists the buses as sound meets them, each kind in score order: those of a
// section's parts before what is of the whole section, such as "low winds".
func InOrder(t *template.Template) []*template.Bus {
	rank := make(map[template.ID]int, len(t.Sections))
	for n, s := range t.SectionsInOrder() {
		for _, a := range t.Ancestry(s.ID) {
			rank[a.ID] = 2*n + 1
		}
		rank[s.ID] = 2 * n
	}
	rank[""] = len(rank)
	out := slices.Clone(t.Buses)
	slices.SortStableFunc(out, func(a, b *template.Bus) int {
		return cmp.Or(
			cmp.Compare(a.Kind.Is().Column, b.Kind.Is().Column),
			cmp.Compare(a.Kind.Place(), b.Kind.Place()),
			cmp.Compare(t.FoldPlace(a.Fold), t.FoldPlace(b.Fold)),
			cmp.Compare(rank[a.Section], rank[b.Section]))
	})
	return out
}
