package template

import (
	"fmt"
	"slices"
)

// Seating is how plans seat instruments, beyond what a riser has.
type Seating struct {
	HeavyPerRiser int      `json:"heavyPerRiser,omitempty"` // heavy instruments on one riser at most, 0..MaxHeavy; 0 sets no limit
	FreeShare     float64  `json:"freeShare,omitempty"`     // share of a riser's seats that plans keep free for growth, 0..MaxFreeShare
	Weights       *Weights `json:"weights,omitempty"`       // nil takes StandardWeights
	Wishes        []Wish   `json:"wishes,omitempty"`
}

// The limits of Seating.
const (
	MaxHeavy     = 1024
	MaxFreeShare = 0.9
	MaxWeight    = 1e9
	MaxWishes    = 200
)

// Weights is what a plan makes small: each figure counts as often as its
// weight says. Each is 0..MaxWeight.
type Weights struct {
	Unseated float64 `json:"unseated"` // an instrument left over
	Moved    float64 `json:"moved"`    // an instrument that sits elsewhere than before; nothing when planning afresh
	Risers   float64 `json:"risers"`   // a riser in use
	Wishes   float64 `json:"wishes"`   // a place that a wish is broken by
	Pairs    float64 `json:"pairs"`    // an output pair in use on a riser: a return channel at the desk
	Uneven   float64 `json:"uneven"`   // unevenness of voices and of heavy instruments between the risers in use
}

// StandardWeights puts what is named first before all that follows.
func StandardWeights() Weights {
	return Weights{Unseated: 1e8, Moved: 1e5, Risers: 1e4, Wishes: 1e3, Pairs: 10, Uneven: 1}
}

// WishKind is what a wish asks for.
type WishKind string

// The kinds of wish.
const (
	Together WishKind = "together" // what lies in the sections sits in one place
	Apart    WishKind = "apart"    // no two of the sections sit in one place
)

// WishPlace is what counts as one place for a wish.
type WishPlace string

// The places.
const (
	OneRiser   WishPlace = "riser"
	OneMachine WishPlace = "machine"
)

// Wish is what a plan does where it can: keep sections together or apart. A
// section stands for all within it; one that is no longer there counts as
// empty.
type Wish struct {
	Kind     WishKind  `json:"kind"`
	Place    WishPlace `json:"place"`
	Sections []ID      `json:"sections"`
}

// PlanWeights is what plans of this template make small.
func (t *Template) PlanWeights() Weights {
	if t.Settings.Seating.Weights != nil {
		return *t.Settings.Seating.Weights
	}
	return StandardWeights()
}

// Heavy tells whether an instrument is heavy: one of its patches is.
func (t *Template) Heavy(i *Instrument) bool {
	return slices.ContainsFunc(t.PatchesOf(i), func(p *Patch) bool { return p.Heavy })
}

// Voices is how many voices an instrument may sound at once; unknown ones
// count nothing.
func (t *Template) Voices(i *Instrument) int {
	sum := 0
	for _, p := range t.PatchesOf(i) {
		sum += p.Voices
	}
	return sum
}

func (v *validator) seating() {
	s := v.t.Settings.Seating
	v.setting("seating.heavyPerRiser", float64(s.HeavyPerRiser), 0, MaxHeavy)
	v.setting("seating.freeShare", s.FreeShare, 0, MaxFreeShare)
	if w := s.Weights; w != nil {
		for _, r := range []struct {
			field string
			x     float64
		}{{"unseated", w.Unseated}, {"moved", w.Moved}, {"risers", w.Risers}, {"wishes", w.Wishes}, {"pairs", w.Pairs}, {"uneven", w.Uneven}} {
			v.setting("seating.weights."+r.field, r.x, 0, MaxWeight)
		}
	}
	if len(s.Wishes) > MaxWishes {
		v.fail("settings.seating.wishes", "there are more than %d wishes", MaxWishes)
	}
	for n, w := range s.Wishes {
		where := fmt.Sprintf("settings.seating.wishes[%d].", n)
		if w.Kind != Together && w.Kind != Apart {
			v.fail(where+"kind", "%q is neither %q nor %q", w.Kind, Together, Apart)
		}
		if w.Place != OneRiser && w.Place != OneMachine {
			v.fail(where+"place", "%q is neither %q nor %q", w.Place, OneRiser, OneMachine)
		}
		if len(w.Sections) == 0 || w.Kind == Apart && len(w.Sections) < 2 {
			v.fail(where+"sections", "a wish needs a section, and two to be apart")
		}
	}
}
