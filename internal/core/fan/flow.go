package fan

import (
	"math"
	"slices"

	"fanfold/internal/core/template"
)

// Onward is a bus that is fed, by its place in the list of buses, and with what gain, linear.
type Onward struct {
	Bus  int
	Gain float64
}

// Flowing is a bus, by its place in the list of buses, and what it feeds.
type Flowing struct {
	Bus int
	To  []Onward
}

// Flow lists every bus in the order in which sound meets them, as it is to be computed: each
// one after all that feed it. Gains are as the matrix has them.
func (f *Fan) Flow() []Flowing {
	out := make([]Flowing, 0, len(f.sequence))
	for _, b := range slices.Backward(f.sequence) {
		bus := f.t.Buses[b]
		out = append(out, Flowing{Bus: int(b), To: f.fed(bus.Routes, bus.GainDB, b)})
	}
	return out
}

// Entries are the buses that an instrument feeds itself, with the gain of its fader and its
// routes.
func (f *Fan) Entries(i *template.Instrument) []Onward { return f.fed(i.Routes, i.GainDB, -1) }

func (f *Fan) fed(routes []template.Route, faderDB float64, from int32) (out []Onward) {
	for to, gain := range f.onward(routes, template.Gain(faderDB), from) {
		out = append(out, Onward{int(to), gain})
	}
	return out
}

// Sides are what a pan does to the two sides of a source, -1 left to 1 right, linear: of
// constant power, and in the middle both have all of it, as a stereo source is. It stands at
// the source, so every way has it.
func Sides(pan float64) (left, right float64) {
	sin, cos := math.Sincos((pan + 1) * math.Pi / 4)
	return min(1, cos*math.Sqrt2), min(1, sin*math.Sqrt2)
}
