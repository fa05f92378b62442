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
	Print    BusKind = "print" // the recorded stems, heard instead of the mix
	Speakers BusKind = "speakers"
)

// Bus sums what is routed to it. Its fader stands after its processing.
type Bus struct {
	ID      ID          `json:"id"`
	Kind    BusKind     `json:"kind"`
	Name    string      `json:"name"`
	Fold    ID          `json:"fold,omitempty"`    // stems only: the fold it belongs to
	Section ID          `json:"section,omitempty"` // whose tint it has
	GainDB  float64     `json:"gainDb"`            // the fader, dB, MinGainDB..MaxGainDB
	Process string      `json:"process,omitempty"` // processing on it, in words; empty when it only sums
	Number  int         `json:"number,omitempty"`  // 1..MaxNumber, each one once; 0 when it has none
	File    string      `json:"file,omitempty"`    // stems: their part of a file's name; empty takes the name
	Mono    bool        `json:"mono,omitempty"`    // one channel; otherwise stereo
	Carries Carries     `json:"carries,omitempty"` // stems: dry sound, wet, or both
	Returns ID          `json:"returns,omitempty"` // stems: the return set of what they hold
	Effect  ID          `json:"effect,omitempty"`  // returns: the effect of a return set it runs
	Runs    []BusEffect `json:"runs,omitempty"`    // what runs on it when Fanfold plays, in order
	Routes  []Route     `json:"routes"`            // outgoing, sorted by To
}

// Clone returns a copy that shares nothing with the original.
func (b *Bus) Clone() *Bus {
	c := *b
	c.Routes = append([]Route{}, b.Routes...)
	c.Runs = CloneEffects(b.Runs)
	return &c
}

// MaxNumber bounds the number of a bus.
const MaxNumber = 9999

// Carries says which sound a stem is delivered with.
type Carries string

// What a stem carries.
const (
	CarriesBoth Carries = ""    // the sound of its instruments with their returns
	CarriesDry  Carries = "dry" // without returns
	CarriesWet  Carries = "wet" // the returns of the dry stems beside it
)

// AllCarries lists what a stem can carry.
var AllCarries = []Carries{CarriesBoth, CarriesDry, CarriesWet}

// AtInput tells whether the bus is heard at its input, before its fader: what is
// done on the mix lies outside the stems.
func (b *Bus) AtInput() bool { return b.Kind.Is().Beyond }

// FileName is the stem's part of a file's name.
func (b *Bus) FileName() string {
	if b.File != "" {
		return b.File
	}
	return b.Name
}

// Processed tells whether sound passing the bus starts a new chain. The mix
// and the speakers never do: what is done there lies outside the stems.
func (b *Bus) Processed() bool {
	switch b.Kind.Is().Chain {
	case ChainAlways:
		return true
	case ChainNever:
		return false
	}
	return b.Process != "" || slices.ContainsFunc(b.Runs, BusEffect.Sounds)
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
	Hand   bool    `json:"hand,omitempty"` // a send level set by hand; otherwise it follows the section's
	At     At      `json:"at,omitempty"`   // to the speakers only: the print position it is open in
}

// At is a print position: what is heard.
type At string

// The print positions. A route that names none is open in both.
const (
	AtListen At = "listen" // the mix is heard
	AtPrint  At = "print"  // the recorded stems are heard
)

// OpenAt tells whether the route carries sound in a print position.
func (r Route) OpenAt(position At) bool { return r.At == "" || r.At == position }

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

// InFold tells whether a stem is one that a fold is delivered as: it is of the fold, or
// of a finer one and stands alone, reaching the mix over no stem of this fold or of one
// between.
func (t *Template) InFold(b *Bus, fold ID) bool {
	if !b.Kind.Is().Stem || b.Fold == fold {
		return b.Kind.Is().Stem
	}
	here, there := t.FoldPlace(b.Fold), t.FoldPlace(fold)
	if there < here {
		return false
	}
	seen, mixed := map[*Bus]bool{b: true}, false
	for todo := []*Bus{b}; len(todo) > 0; todo = todo[1:] {
		for _, r := range todo[0].Routes {
			to := t.Index().Buses[r.To]
			if to == nil || seen[to] || !r.OpenAt(t.Position()) {
				continue
			}
			seen[to] = true
			if place := t.FoldPlace(to.Fold); to.Kind.Is().Stem && place > here && place <= there {
				return false
			}
			mixed = mixed || to.Kind.Is().Only
			todo = append(todo, to)
		}
	}
	return mixed
}

// Delivered returns the stems that a fold is delivered as, in list order; none
// where the fold has none of its own.
func (t *Template) Delivered(fold ID) []*Bus {
	if len(t.StemsOf(fold)) == 0 {
		return nil
	}
	var out []*Bus
	for _, b := range t.Buses {
		if t.InFold(b, fold) {
			out = append(out, b)
		}
	}
	return out
}

// StemsOf returns the stems of a fold in list order.
func (t *Template) StemsOf(fold ID) []*Bus {
	var out []*Bus
	for _, b := range t.Buses {
		if b.Kind.Is().Stem && b.Fold == fold {
			out = append(out, b)
		}
	}
	return out
}
