package seating

import (
	"fanfold/internal/core/template"
)

// tally counts what a plan costs while it is made.
type tally struct {
	h        *hall
	weights  template.Weights
	from     map[template.ID]*template.Seat // where instruments sat before
	needed   int                            // instruments that want a seat
	seated   int
	moved    int
	used     int // risers
	pairs    int
	voices   spreadOf
	heavy    spreadOf
	wishes   []*wish
	wished   map[template.ID][]wishedBy // by instrument
	heedless int                        // places that wishes are broken by
}

// spreadOf adds up a figure over the risers in use.
type spreadOf struct{ sum, squares float64 }

func (x *spreadOf) add(figure, by float64) {
	x.sum += by * figure
	x.squares += by * figure * figure
}

// uneven is the squared coefficient of variation: the variance over n risers
// divided by the square of the mean. 0 is even.
func (x spreadOf) uneven(n int) float64 {
	if x.sum <= 0 || n == 0 {
		return 0
	}
	return max(0, float64(n)*x.squares/(x.sum*x.sum)-1)
}

// wish knows where the sections of a wish sit.
type wish struct {
	template.Wish
	places map[riserKey][]int // rows of each section; one figure for all that should be together
}

type wishedBy struct {
	wish *wish
	part int
}

func newTally(h *hall) *tally {
	c := &tally{h: h, weights: h.t.PlanWeights(), from: map[template.ID]*template.Seat{}, wished: map[template.ID][]wishedBy{}}
	for _, i := range h.t.Instruments {
		if seatable(i, nil) {
			c.needed++
		}
	}
	for _, w := range h.t.Settings.Seating.Wishes {
		c.wishes = append(c.wishes, &wish{Wish: w, places: map[riserKey][]int{}})
	}
	if len(c.wishes) == 0 {
		return c
	}
	x := h.t.Index()
	for _, i := range h.t.Instruments {
		for _, w := range c.wishes {
			if part := w.part(x, i.Section); part >= 0 {
				c.wished[i.ID] = append(c.wished[i.ID], wishedBy{w, part})
			}
		}
	}
	return c
}

// part is the place, among a wish's sections, of the one that holds a section;
// -1 for none.
func (w *wish) part(x *template.Index, section template.ID) int {
	for s := x.Sections[section]; s != nil; s = x.Sections[s.Parent] {
		for n, id := range w.Sections {
			if id != s.ID {
				continue
			}
			if w.Kind == template.Together {
				return 0
			}
			return n
		}
	}
	return -1
}

func (w *wish) place(s template.Seat) riserKey {
	key := riserOf(s)
	if w.Place == template.OneMachine {
		key.riser = 0
	}
	return key
}

// broken is how many places break the wish: those beyond the first where
// something should be together, sections beyond the first in each place where
// they should be apart.
func (w *wish) broken() int {
	out := 0
	if w.Kind == template.Together {
		return max(0, len(w.places)-1)
	}
	for _, parts := range w.places {
		there := 0
		for _, rows := range parts {
			if rows > 0 {
				there++
			}
		}
		out += max(0, there-1)
	}
	return out
}

func (w *wish) count(s template.Seat, part, by int) {
	key := w.place(s)
	parts := w.places[key]
	if parts == nil {
		parts = make([]int, len(w.Sections))
		w.places[key] = parts
	}
	parts[part] += by
	for _, rows := range parts {
		if rows > 0 {
			return
		}
	}
	delete(w.places, key)
}

// before takes a riser out of the sums, and after puts it back, around each
// change of what sits there.
func (c *tally) before(s template.Seat) { c.riser(c.h.use(s), -1) }
func (c *tally) after(s template.Seat)  { c.riser(c.h.use(s), 1) }

func (c *tally) riser(use *riserUse, by int) {
	if use.seats == 0 {
		return
	}
	c.used += by
	c.pairs += by * use.pairs
	c.voices.add(float64(use.voices), float64(by))
	c.heavy.add(float64(use.heavy), float64(by))
}

// enter counts an instrument that takes a seat, or (by -1) leaves it.
func (c *tally) enter(i *template.Instrument, s template.Seat, by int) {
	if seatable(i, nil) {
		c.seated += by
	}
	if was := c.from[i.ID]; was != nil && *was != s {
		c.moved += by
	}
	for _, w := range c.wished[i.ID] {
		c.heedless -= w.wish.broken()
		w.wish.count(s, w.part, by)
		c.heedless += w.wish.broken()
	}
}

// Cost is what a plan is judged by: each figure and its weight.
type Cost struct {
	Unseated int
	Moved    int // instruments that sit elsewhere than before
	Risers   int // in use
	Wishes   int // places that wishes are broken by
	Pairs    int // output pairs in use, riser by riser
	Uneven   float64
	Total    float64 // all of them, by weight
}

func (c *tally) cost() Cost {
	out := Cost{
		Unseated: c.needed - c.seated, Moved: c.moved, Risers: c.used, Wishes: c.heedless, Pairs: c.pairs,
		Uneven: c.voices.uneven(c.used) + c.heavy.uneven(c.used),
	}
	w := c.weights
	out.Total = w.Unseated*float64(out.Unseated) + w.Moved*float64(out.Moved) + w.Risers*float64(out.Risers) +
		w.Wishes*float64(out.Wishes) + w.Pairs*float64(out.Pairs) + w.Uneven*out.Uneven
	return out
}

// joining is what a riser costs more when an instrument comes to sit there.
func (c *tally) joining(i *template.Instrument, s template.Seat) float64 {
	cost := 0.0
	if use := c.h.risers[riserOf(s)]; use == nil || use.seats == 0 {
		cost += c.weights.Risers
	}
	if len(c.h.first[groupOn{riserOf(s), c.h.group(i)}]) == 0 {
		cost += c.weights.Pairs
	}
	for _, w := range c.wished[i.ID] {
		parts := w.wish.places[w.wish.place(s)]
		switch {
		case w.wish.Kind == template.Together && parts == nil && len(w.wish.places) > 0:
			cost += c.weights.Wishes
		case w.wish.Kind == template.Apart && parts != nil && parts[w.part] == 0:
			cost += c.weights.Wishes
		}
	}
	return cost
}
