package naming

import (
	"fmt"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Ask is what rows should be called.
type Ask struct {
	Rows         []template.ID
	Pattern      string // empty leaves names as they are
	ShortPattern string // what small displays show; empty shortens the name
	Shorten      bool   // short names are made, too
	Limit        int    // letters of a short name, 0 for any
	ByHand       bool   // those named by hand are renamed, too
	Own          []template.Abbreviation
}

// Named is what one row would be called.
type Named struct {
	Instrument  *template.Instrument
	Name, Short string
	Kept        bool // named by hand, and left so
	KeptShort   bool
	Twice       bool // another row of its section then has the name
}

// Name works out what rows would be called. Short names are unique in the
// template. The error is a *change.Refused for a bad pattern, or when nothing
// is to be named.
func Name(t *template.Template, a Ask) ([]Named, error) {
	if len(a.Rows) == 0 {
		return nil, &change.Refused{Reason: "select the rows to name first"}
	}
	if a.Limit < 0 || a.Limit > template.MaxShort {
		return nil, &change.Refused{Reason: fmt.Sprintf("a short name has 1 to %d letters", template.MaxShort)}
	}
	table := NewTable(a.Own)
	n := NewNamer(t, table)
	out, err := names(t, n, a)
	if err != nil {
		return nil, err
	}
	if a.Shorten {
		if err := shorts(t, n, a, out); err != nil {
			return nil, err
		}
	}
	count := map[string]int{}
	key := func(i *template.Instrument, name string) string {
		return string(i.Section) + "/" + template.FoldName(name)
	}
	chosen := map[template.ID]bool{}
	for _, x := range out {
		chosen[x.Instrument.ID] = true
		count[key(x.Instrument, x.Name)]++
	}
	for _, i := range t.Instruments {
		if !chosen[i.ID] {
			count[key(i, i.Name)]++
		}
	}
	for k, x := range out {
		out[k].Twice = count[key(x.Instrument, x.Name)] > 1
	}
	return out, nil
}

// names fills in the names, in score order.
func names(t *template.Template, n *Namer, a Ask) ([]Named, error) {
	wanted := map[template.ID]bool{}
	for _, id := range a.Rows {
		if t.Instrument(id) == nil {
			return nil, &change.Refused{Subject: id, Reason: "the row is no longer in the template"}
		}
		wanted[id] = true
	}
	var pattern *Pattern
	if a.Pattern != "" {
		var err error
		if pattern, err = ParsePattern(a.Pattern); err != nil {
			return nil, err
		}
	}
	numbers := map[template.ID]int{}
	var out []Named
	for _, i := range t.ScoreOrder() {
		if !wanted[i.ID] || i.Kind == template.Divider {
			continue
		}
		numbers[i.Section]++
		x := Named{Instrument: i, Name: i.Name, Short: i.Short}
		if x.Kept = pattern != nil && i.NameByHand && !a.ByHand; pattern != nil && !x.Kept {
			if name := n.Name(i, pattern, numbers[i.Section]); name != "" {
				x.Name = name
			}
		}
		out = append(out, x)
	}
	return out, nil
}

// shorts fills in the short names: by their pattern, or of the names.
func shorts(t *template.Template, n *Namer, a Ask, list []Named) error {
	var pattern *Pattern
	if a.ShortPattern != "" {
		var err error
		if pattern, err = ParsePattern(a.ShortPattern); err != nil {
			return err
		}
	}
	taken, made := map[string]bool{}, map[template.ID]bool{}
	for _, x := range list {
		made[x.Instrument.ID] = !x.Instrument.ShortByHand || a.ByHand
	}
	for _, i := range t.Instruments {
		if !made[i.ID] && i.Short != "" {
			taken[i.Short] = true
		}
	}
	var texts []string
	var at []int
	numbers := map[template.ID]int{}
	for k, x := range list {
		numbers[x.Instrument.Section]++
		if !made[x.Instrument.ID] {
			list[k].KeptShort = true
			continue
		}
		text := x.Name
		if pattern != nil {
			if by := n.Name(x.Instrument, pattern, numbers[x.Instrument.Section]); by != "" {
				text = by
			}
		}
		texts, at = append(texts, text), append(at, k)
	}
	for k, short := range n.table.Shorten(texts, a.Limit, taken) {
		list[at[k]].Short = short
	}
	return nil
}

// Change is the naming as one change; nil when all have these names already.
func Change(list []Named) change.Change {
	var edit change.Edit
	no := false
	for _, x := range list {
		f := change.Fields{ID: x.Instrument.ID}
		if x.Name != x.Instrument.Name {
			f.Name, f.NameByHand = &x.Name, &no
		}
		if x.Short != x.Instrument.Short {
			f.Short, f.ShortByHand = &x.Short, &no
		}
		if f.Name != nil || f.Short != nil {
			edit.Edits = append(edit.Edits, f)
		}
	}
	if len(edit.Edits) == 0 {
		return nil
	}
	return change.Batch{Label: fmt.Sprintf("Name %d rows", len(edit.Edits)), Changes: []change.Change{edit}}
}
