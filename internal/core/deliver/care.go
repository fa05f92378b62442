package deliver

import (
	"cmp"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Dependants is what hangs on a bus, and where it could go instead.
type Dependants struct {
	Bus         *template.Bus
	Instruments []*template.Instrument // that feed it directly
	Buses       []*template.Bus        // that feed it
	Rules       int                    // stem rules that name it
	Orphaned    []*template.Instrument // that would no longer reach the mix without it
	Silenced    []*template.Instrument // that would lose a part of what they give the mix
	Offers      []*template.Bus        // that could take over, the likeliest first
}

// DependOn looks at what removing a bus would do. It is computed by removing
// it from a copy.
func DependOn(t *template.Template, f *fan.Fan, id template.ID) (Dependants, error) {
	b := t.Index().Buses[id]
	if b == nil {
		return Dependants{}, &change.Refused{Subject: id, Reason: "the bus is no longer in the template"}
	}
	after, _, err := change.Apply(t, change.RemoveBus{ID: id})
	if err != nil {
		return Dependants{}, err
	}
	d := Dependants{Bus: b}
	feeds := func(routes []template.Route) bool {
		return slices.ContainsFunc(routes, func(r template.Route) bool { return r.To == id })
	}
	g := fan.New(after)
	for n, i := range t.Instruments {
		if feeds(i.Routes) {
			d.Instruments = append(d.Instruments, i)
		}
		switch had, has := atMix(f, n), atMix(g, n); {
		case had > 0 && has == 0:
			d.Orphaned = append(d.Orphaned, i)
		case had > has:
			d.Silenced = append(d.Silenced, i)
		}
	}
	for _, o := range t.Buses {
		if feeds(o.Routes) {
			d.Buses = append(d.Buses, o)
		}
	}
	for _, r := range t.Rules {
		if r.Stem == id {
			d.Rules++
		}
	}
	d.Offers = offers(t, f, b)
	return d, nil
}

// atMix counts the ways by which an instrument reaches the mix.
func atMix(f *fan.Fan, n int) int {
	ways := 0
	for _, r := range f.FromRow(n) {
		if f.Bus(r).Kind.Is().Only {
			ways += int(r.Ways)
		}
	}
	return ways
}

// offers are the buses that could take over from one: those it feeds, then
// those of its kind and fold, those of its section first. None of them may lead
// back to what feeds it.
func offers(t *template.Template, f *fan.Fan, b *template.Bus) []*template.Bus {
	var feeders []template.ID
	for _, o := range t.Buses {
		if slices.ContainsFunc(o.Routes, func(r template.Route) bool { return r.To == b.ID }) {
			feeders = append(feeders, o.ID)
		}
	}
	rank := func(o *template.Bus) int {
		switch {
		case slices.ContainsFunc(b.Routes, func(r template.Route) bool { return r.To == o.ID }):
			return 0
		case o.Kind != b.Kind || o.Fold != b.Fold:
			return -1
		case t.TopSection(o.Section) == t.TopSection(b.Section):
			return 1
		}
		return 2
	}
	var out []*template.Bus
	for _, o := range t.Buses {
		back := slices.ContainsFunc(f.FromBus(o.ID), func(r fan.Reach) bool { return slices.Contains(feeders, f.Bus(r).ID) })
		if o != b && rank(o) >= 0 && !back {
			out = append(out, o)
		}
	}
	slices.SortStableFunc(out, func(a, b *template.Bus) int { return cmp.Compare(rank(a), rank(b)) })
	return out
}
