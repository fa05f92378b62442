package calls

import "fanfold/internal/core/template"

// Comparison is what going from one call to another means.
type Comparison struct {
	Loads, Rests, Stays []*template.Instrument // in score order
	Unseated            []*template.Instrument // of the second, that cannot load
	Estimates           []Estimate             // machine by machine
}

// Compare tells what going from one set of instruments to another loads, rests
// and keeps, and what that costs. Instruments that are gone, or need no seat,
// are left out.
func Compare(t *template.Template, g Going) Comparison {
	was, will := known(t.Sounds(g.Before)), known(t.Sounds(g.After))
	c := Comparison{Unseated: Unseated(t, g.After), Estimates: Reckon(t, g)}
	for _, i := range t.ScoreOrder() {
		if !i.NeedsSeat() {
			continue
		}
		switch {
		case was[i.ID] && will[i.ID]:
			c.Stays = append(c.Stays, i)
		case was[i.ID]:
			c.Rests = append(c.Rests, i)
		case will[i.ID]:
			c.Loads = append(c.Loads, i)
		}
	}
	return c
}

// Combine is both calls as one set, each sound once, in score order.
func Combine(t *template.Template, a, b []template.ID) []template.ID {
	wanted := known(t.Sounds(a))
	for id := range known(t.Sounds(b)) {
		wanted[id] = true
	}
	out := make([]template.ID, 0, len(wanted))
	for _, i := range t.ScoreOrder() {
		if wanted[i.ID] {
			out = append(out, i.ID)
		}
	}
	return out
}

func known(ids []template.ID) map[template.ID]bool {
	out := make(map[template.ID]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out
}
