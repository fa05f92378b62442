package fan

import (
	"math"

	"fanfold/internal/core/template"
)

// Doubled is one place from which the same sound reaches a bus twice over the
// same chain.
type Doubled struct {
	From   template.ID // an instrument or a bus
	To     *template.Bus
	Chain  ChainID
	RiseDB float64     // 20 log10(|g1+g2|/|g1|), g1 the strongest route
	Extra  template.ID // the destination of the route to take away
}

// DoubledFrom looks for doubled paths that part at one node, given its
// outgoing routes. Only the first bus where the ways meet again is reported,
// together with the destination of the route to take away: the more direct
// one, which skips the buses that the other passes.
func (f *Fan) DoubledFrom(from template.ID, routes []template.Route, faderDB float64) (Doubled, bool) {
	if len(routes) < 2 {
		return Doubled{}, false
	}
	inside := int32(-1)
	if b, ok := f.place[from]; ok {
		inside = b
	}
	var all []Reach
	var best Doubled
	found, steps := false, 0
	for n := range routes {
		for _, x := range f.along(nil, routes[n:n+1], template.Gain(faderDB), inside) {
			at := indexOf(all, x)
			if at < 0 {
				all = append(all, x)
				continue
			}
			all[at].Gain += x.Gain
			if math.Abs(x.Most) > math.Abs(all[at].Most) {
				all[at].Most = x.Most
			}
			if s := f.after(x.Bus); !found || s > steps {
				found, steps = true, s
				best = Doubled{
					From: from, To: f.t.Buses[x.Bus], Chain: x.Chain, Extra: f.direct(routes, n, x),
					RiseDB: template.Decibels(all[at].Gain) - template.Decibels(all[at].Most),
				}
			}
		}
	}
	return best, found
}

func indexOf(list []Reach, x Reach) int {
	for i, y := range list {
		if y.Bus == x.Bus && y.Chain == x.Chain {
			return i
		}
	}
	return -1
}

// after counts the buses reached from b: the more, the earlier b stands.
func (f *Fan) after(b int32) int { return len(f.reach[b]) }

// direct picks, of the routes up to n that reach x's bus, the one whose
// destination stands furthest down.
func (f *Fan) direct(routes []template.Route, n int, x Reach) template.ID {
	pick, least := routes[n].To, f.after(f.place[routes[n].To])
	for _, r := range routes[:n] {
		to := f.place[r.To]
		if a := f.after(to); a < least && indexOf(f.reach[to], x) >= 0 {
			pick, least = r.To, a
		}
	}
	return pick
}
