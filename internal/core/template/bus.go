package template

import (
	"math"
	"slices"
	"strings"
)

// BusKind says what a bus is for.
type BusKind string

// The kinds of bus, in the order sound meets them.
const (
	Group    BusKind = "group"
	Return   BusKind = "return" // fed by sends; its processing makes a chain of its own
	Stem     BusKind = "stem"
	Mix      BusKind = "mix"
	Speakers BusKind = "speakers"
)

// BusKinds lists every kind of bus.
var BusKinds = []BusKind{Group, Return, Stem, Mix, Speakers}

// Bus sums what is routed to it. Its fader stands after its processing.
type Bus struct {
	ID      ID      `json:"id"`
	Kind    BusKind `json:"kind"`
	Name    string  `json:"name"`
	Fold    ID      `json:"fold,omitempty"`    // stems only: the fold it belongs to
	Section ID      `json:"section,omitempty"` // whose tint it bears
	GainDB  float64 `json:"gainDb"`            // the fader, dB, MinGainDB..MaxGainDB
	Process string  `json:"process,omitempty"` // processing on it, in words; empty when it only sums
	Routes  []Route `json:"routes"`            // outgoing, sorted by To
}

// Clone returns a copy that shares nothing with the original.
func (b *Bus) Clone() *Bus {
	c := *b
	c.Routes = append([]Route{}, b.Routes...)
	return &c
}

// Processed tells whether sound passing the bus starts a new chain. The mix
// and the speakers never do: what is done there lies outside the stems.
func (b *Bus) Processed() bool {
	switch b.Kind {
	case Return:
		return true
	case Mix, Speakers:
		return false
	}
	return b.Process != ""
}

// Fold is one level of stem detail.
type Fold struct {
	ID   ID     `json:"id"`
	Name string `json:"name"`
}

// Tap says where a route takes its signal.
type Tap string

// The taps. Both lie after a bus's processing.
const (
	Post Tap = "post" // after the fader
	Pre  Tap = "pre"  // before the fader
)

// Route carries a signal from the instrument or bus that holds it to a bus.
type Route struct {
	To     ID      `json:"to"`
	GainDB float64 `json:"gainDb"` // dB, MinGainDB..MaxGainDB
	Tap    Tap     `json:"tap"`
}

// The range of every gain, dB. Below it, disconnect instead.
const (
	MinGainDB = -96.0
	MaxGainDB = 24.0
)

// Gain returns the linear gain of a level in dB: 10^(dB/20).
func Gain(db float64) float64 { return math.Pow(10, db/20) }

// Decibels returns the level of a linear gain in dB: 20 log10 |g|; -Inf for 0.
func Decibels(gain float64) float64 { return 20 * math.Log10(math.Abs(gain)) }

// SortRoutes returns the routes in their canonical order, by destination.
func SortRoutes(routes []Route) []Route {
	out := append([]Route{}, routes...)
	slices.SortFunc(out, func(a, b Route) int { return strings.Compare(string(a.To), string(b.To)) })
	return out
}

// StemsOf returns the stems of a fold in list order.
func (t *Template) StemsOf(fold ID) []*Bus {
	var out []*Bus
	for _, b := range t.Buses {
		if b.Kind == Stem && b.Fold == fold {
			out = append(out, b)
		}
	}
	return out
}
