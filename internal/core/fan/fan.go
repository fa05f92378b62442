// Package fan computes the signal graph of a template: with what gain every
// instrument reaches every bus, over which chain of processing, and whether
// the stems of each fold add up to the mix. A template goes in; a Fan, which
// never changes afterwards, comes out.
package fan

import (
	"iter"
	"math"
	"slices"

	"fanfold/internal/core/template"
)

// Tolerance is the largest difference, as a linear gain, at which stems still
// add up to the mix.
const Tolerance = 1e-9

// ChainID names a chain: the processing buses on a way, in order. Dry is the
// chain without any.
type ChainID int32

// Dry is the chain of sound that meets no processing.
const Dry ChainID = 0

// Reach is how something reaches one bus over one chain.
type Reach struct {
	Bus   int32 // position in Template.Buses
	Chain ChainID
	Ways  int32   // number of routes added up
	Gain  float64 // linear; the sum over those routes
	Most  float64 // linear; the strongest single route
}

// Fan is the computed signal graph of one template.
type Fan struct {
	t        *template.Template
	place    map[template.ID]int32 // bus positions
	chains   chains
	reach    [][]Reach // per bus: from its input
	rows     [][]Reach // per instrument, by position
	from     []int32   // per instrument: its position in the earlier fan its row was taken from, or -1
	cyclic   [][]template.ID
	inLoop   []int   // per bus: the number of its loop, -1 outside any
	sequence []int32 // of buses, every destination before what feeds it
	mix      int32
	folds    map[template.ID][]bool // per fold: whether it is delivered as the bus at a place
}

// New computes the fan of a template. Buses that feed each other in a loop
// are reported by Cycles, and the routes within a loop carry nothing, so that
// every figure stays finite.
func New(t *template.Template) *Fan { return Next(nil, t) }

// Next computes the fan of a template, taking over from the fan of an earlier
// version what cannot have changed. A nil earlier is New.
func Next(earlier *Fan, t *template.Template) *Fan {
	if earlier != nil && slices.Equal(earlier.t.Buses, t.Buses) && earlier.t.Position() == t.Position() {
		f := *earlier
		f.t = t
		if !slices.Equal(earlier.t.Folds, t.Folds) {
			f.findFolds()
		}
		f.takeRows(earlier, func(template.ID) bool { return true })
		return &f
	}
	f := &Fan{t: t, place: make(map[template.ID]int32, len(t.Buses)), chains: newChains()}
	for i, b := range t.Buses {
		f.place[b.ID] = int32(i)
		if b.Kind.Is().Only {
			f.mix = int32(i)
		}
	}
	same := earlier.keepsPlaces(t)
	if same {
		f.chains = earlier.chains.clone()
	}
	f.findFolds()
	f.sequence = f.order()
	f.reach = make([][]Reach, len(t.Buses))
	for _, b := range f.sequence { // destinations first
		f.reach[b] = f.fromBus(b)
	}
	f.takeRows(earlier, func(to template.ID) bool {
		b := f.place[to]
		return same && int(b) < len(earlier.reach) && slices.Equal(f.reach[b], earlier.reach[b])
	})
	return f
}

// findFolds finds out which stems each fold is delivered as.
func (f *Fan) findFolds() {
	f.folds = make(map[template.ID][]bool, len(f.t.Folds))
	for _, fold := range f.t.Folds {
		in := make([]bool, len(f.t.Buses))
		for _, b := range f.t.Delivered(fold.ID) {
			in[f.place[b.ID]] = true
		}
		f.folds[fold.ID] = in
	}
}

// mostChains is how many chains a fan takes over before it numbers them again.
const mostChains = 4096

// keepsPlaces tells whether every bus of the fan still stands at its place.
func (f *Fan) keepsPlaces(t *template.Template) bool {
	if f == nil || len(t.Buses) < len(f.t.Buses) || len(f.chains.heads) > mostChains {
		return false
	}
	for n, b := range f.t.Buses {
		if t.Buses[n].ID != b.ID {
			return false
		}
	}
	return true
}

// takeRows computes the reach of every instrument, or takes it over from an
// earlier fan where the instrument and what it feeds are the same.
func (f *Fan) takeRows(earlier *Fan, same func(to template.ID) bool) {
	rows, from := make([][]Reach, len(f.t.Instruments)), make([]int32, len(f.t.Instruments))
	known := map[template.ID]bool{} // buses, whether their reach is the same
	untouched := func(i *template.Instrument) bool {
		for _, r := range i.Routes {
			is, ok := known[r.To]
			if !ok {
				is = same(r.To)
				known[r.To] = is
			}
			if !is {
				return false
			}
		}
		return true
	}
	for n, i := range f.t.Instruments {
		from[n] = earlier.rowOf(n, i, len(f.t.Instruments))
		if from[n] >= 0 && untouched(i) {
			rows[n] = earlier.rows[from[n]]
			continue
		}
		from[n] = -1
		rows[n] = f.along(nil, i.Routes, template.Gain(i.GainDB), -1)
	}
	f.rows, f.from = rows, from
}

// rowOf finds the instrument in an earlier fan, if it goes the same ways there: at
// the same place, or shifted by the rows added or deleted before it. -1 when it is
// not there.
func (f *Fan) rowOf(n int, i *template.Instrument, of int) int32 {
	if f == nil {
		return -1
	}
	old := f.t.Instruments
	for _, at := range []int{n, n + len(old) - of} {
		if at >= 0 && at < len(old) && (old[at] == i || old[at].ID == i.ID && old[at].GainDB == i.GainDB && slices.Equal(old[at].Routes, i.Routes)) {
			return int32(at)
		}
	}
	return -1
}

// Taken returns the position, in the earlier fan given to Next, of the row that
// what the row at n reaches was taken over from; false when it was computed.
func (f *Fan) Taken(n int) (int, bool) { return int(f.from[n]), f.from[n] >= 0 }

// fromBus adds up how the input of a bus reaches every bus after it. A bus is
// heard at its output, after its fader; the mix, the print bus and the speakers
// are heard at their input, since what is done there lies outside the stems.
func (f *Fan) fromBus(b int32) []Reach {
	bus := f.t.Buses[b]
	fader := template.Gain(bus.GainDB)
	heard := fader
	if bus.AtInput() {
		heard = 1
	}
	out := []Reach{{Bus: b, Chain: Dry, Ways: 1, Gain: heard, Most: heard}}
	out = f.along(out, bus.Routes, fader, b)
	if bus.Processed() {
		for i := range out {
			out[i].Chain = f.chains.prepend(b, out[i].Chain)
		}
	}
	return out
}

// onward are the buses that routes feed, and with what gain, given the fader before them.
// from is the bus the routes leave, or -1 for an instrument. Within a loop nothing is fed.
func (f *Fan) onward(routes []template.Route, fader float64, from int32) iter.Seq2[int32, float64] {
	return func(yield func(int32, float64) bool) {
		for _, r := range routes {
			to := f.place[r.To]
			if !r.OpenAt(f.t.Position()) || from >= 0 && f.inLoop[from] >= 0 && f.inLoop[from] == f.inLoop[to] {
				continue
			}
			gain := template.Gain(r.GainDB)
			if r.Tap == template.Post {
				gain *= fader
			}
			if !yield(to, gain) {
				return
			}
		}
	}
}

// along adds to out what the routes reach, given the fader before them. from
// is the bus the routes leave, or -1 for an instrument.
func (f *Fan) along(out []Reach, routes []template.Route, fader float64, from int32) []Reach {
	for to, gain := range f.onward(routes, fader, from) {
		for _, x := range f.reach[to] {
			x.Gain *= gain
			x.Most *= gain
			out = add(out, x)
		}
	}
	return out
}

func add(list []Reach, x Reach) []Reach {
	for i := range list {
		if y := &list[i]; y.Bus == x.Bus && y.Chain == x.Chain {
			y.Gain += x.Gain
			y.Ways += x.Ways
			if math.Abs(x.Most) > math.Abs(y.Most) {
				y.Most = x.Most
			}
			return list
		}
	}
	return append(list, x)
}

// Template is what the fan was computed of.
func (f *Fan) Template() *template.Template { return f.t }

// FromInstrument returns how an instrument of the template reaches every bus
// and chain. The result is shared and must not be changed.
func (f *Fan) FromInstrument(i *template.Instrument) []Reach {
	if n, ok := f.t.Index().Place[i.ID]; ok {
		return f.rows[n]
	}
	return nil
}

// FromRow is FromInstrument for the instrument at a position of the list.
func (f *Fan) FromRow(n int) []Reach { return f.rows[n] }

// FromBus returns how the input of a bus reaches every bus from itself on.
func (f *Fan) FromBus(id template.ID) []Reach {
	if b, ok := f.place[id]; ok {
		return slices.Clone(f.reach[b])
	}
	return nil
}

// Bus returns the bus a Reach speaks of.
func (f *Fan) Bus(r Reach) *template.Bus { return f.t.Buses[r.Bus] }

// Chain returns the processing buses of a chain, in the order they are met.
func (f *Fan) Chain(c ChainID) []*template.Bus {
	var out []*template.Bus
	for _, b := range f.chains.list(c) {
		out = append(out, f.t.Buses[b])
	}
	return out
}

// ChainName names a chain: "dry", or the names of its buses joined by " > ".
func (f *Fan) ChainName(c ChainID) string {
	name := ""
	for i, b := range f.Chain(c) {
		if i > 0 {
			name += " > "
		}
		name += b.Name
	}
	if name == "" {
		return "dry"
	}
	return name
}

// Stems returns the stems of a fold that an instrument reaches dry. When it
// reaches none dry (its only sound is wet), those it reaches at all.
func (f *Fan) Stems(i *template.Instrument, fold template.ID) []*template.Bus {
	return f.StemsIn(f.FromInstrument(i), fold)
}

// StemsIn picks, from what an instrument reaches, the stems that Stems returns.
func (f *Fan) StemsIn(reach []Reach, fold template.ID) []*template.Bus {
	var dry, wet []*template.Bus
	in := f.folds[fold]
	if in == nil {
		return nil
	}
	for _, r := range reach {
		b := f.t.Buses[r.Bus]
		switch {
		case !in[r.Bus]:
		case r.Chain == Dry:
			dry = append(dry, b)
		case !slices.Contains(wet, b):
			wet = append(wet, b)
		}
	}
	if len(dry) > 0 {
		return dry
	}
	return wet
}

// Cycles returns the loops of buses that feed each other.
func (f *Fan) Cycles() [][]template.ID { return f.cyclic }
