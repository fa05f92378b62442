package effect

import (
	"math"
	"math/bits"
	"sync"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// lines is how many delay lines a network has.
const lines = 16

// The lengths of the lines of a network, ms, and of what scatters the sound before it. Each
// is longer than a block at every rate. They spread evenly on a scale of ratios, so that few
// echoes meet.
var (
	hallLines  = network{shortest: 26, longest: 89, scatter: []float64{4.7, 7.1, 9.7, 13.3}}
	plateLines = network{shortest: 7.3, longest: 37, scatter: []float64{2.1, 3.3, 4.9, 6.1, 8.3}}
)

// Rooms that decay sooner than wholeSizeS, s, are smaller, down to a share of the lengths.
const (
	wholeSizeS = 1.2
	smallest   = .36
)

type network struct {
	shortest, longest float64
	scatter           []float64
}

// reverb is a feedback delay network (J.-M. Jot and A. Chaigne, Digital delay networks for
// designing artificial reverberators, 1991): what comes out of the lines is mixed by a
// Hadamard matrix and goes in again, each line with a filter that takes away what its length
// of the decay takes away.
type reverb struct {
	rate  float64
	tail  float64
	gain  float64
	pre   preDelay
	edges edges
	input [2][]*allpass
	lines [lines]*line
	fades [lines]fade
	block [lines][Frames]float64
}

// Where the decay is set: the middle of the octaves for low, middle and high, Hz.
const lowAt, middleAt, highAt = 125.0, 1000.0, 8000.0

func newReverb(of network, e template.BusEffect, rate float64) *reverb {
	decay := e.Value(template.SetDecay)
	low, high := decay*e.Value(template.SetLow), decay*e.Value(template.SetHigh)
	size := min(1, max(smallest, decay/wholeSizeS))
	r := &reverb{rate: rate, gain: 1, pre: newPreDelay(e.Value(template.SetPreDelay), rate), edges: newEdges(e, rate)}
	shortest := max(size*of.shortest/1000, (Frames+8)/rate) // what comes out is read a block ahead
	ratio := math.Pow(max(size*of.longest/1000, 3*shortest)/shortest, 1./(lines-1))
	for n := range r.lines {
		frames := prime(int(shortest * math.Pow(ratio, float64(n)) * rate))
		r.lines[n] = newLine(frames)
		lost := -60 * float64(frames) / rate
		r.fades[n] = newFade(lost/low, lost/decay, lost/high, rate)
	}
	for c := range r.input {
		for k, ms := range of.scatter {
			seconds := size * (ms + .37*float64(c)*float64(k+1)) / 1000
			r.input[c] = append(r.input[c], newAllpass(prime(int(seconds*rate)), min(scattering, math.Pow(10, -3*seconds/(scatteredFor*min(low, decay, high))))))
		}
	}
	type known struct {
		shortest, decay, low, high, lowCut, highCut, rate float64
	}
	key := known{of.shortest, decay, low, high, e.Value(template.SetLowCut), e.Value(template.SetHighCut), rate}
	if gain, is := levels.Load(key); is {
		r.gain = gain.(float64)
	} else {
		r.level(max(low, decay, high))
		levels.Store(key, r.gain)
	}
	r.tail = max(low, decay, high) + r.pre.seconds(rate)
	return r
}

// levels are the gains of networks that were played once, by what they are set to.
var levels sync.Map

// level finds the gain at which as much comes back as goes in, by playing an impulse on one
// side and looking at both: the network is alike on both. What is lost after half of the
// decay is a thousandth.
func (r *reverb) level(decay float64) {
	probe := *r
	probe.pre = preDelay{}
	for n := range probe.lines {
		probe.lines[n] = newLine(len(r.lines[n].samples))
	}
	for c := range probe.input {
		probe.input[c] = nil
		for _, a := range r.input[c] {
			probe.input[c] = append(probe.input[c], newAllpass(len(a.line.samples), a.gain))
		}
	}
	blocks := int(math.Ceil((decay/2 + .2) * r.rate / Frames))
	var out [2][]float64
	var b Block
	b[0][0] = 1
	for range blocks {
		probe.Run(&b)
		out[0], out[1] = append(out[0], b[0][:]...), append(out[1], b[1][:]...)
		b = Block{}
	}
	r.gain = evened(r.rate, out[0], out[1])
	r.edges = freshEdges(r.edges)
}

// freshEdges are edges that heard nothing yet.
func freshEdges(c edges) edges {
	again := func(f *[2]dsp.Biquad) *[2]dsp.Biquad {
		if f == nil {
			return nil
		}
		x := dsp.Biquad{Coefficients: f[0].Coefficients}
		return &[2]dsp.Biquad{x, x}
	}
	return edges{again(c.low), again(c.high)}
}

func (r *reverb) Tail() float64 { return r.tail }
func (r *reverb) Late() int     { return 0 }

// Run makes a block. A line is longer than a block, so what comes out of all lines is known
// before anything goes in.
func (r *reverb) Run(b *Block) {
	r.pre.run(b)
	for c := range b {
		for _, a := range r.input[c] {
			a.run(b[c][:])
		}
	}
	for n, l := range r.lines {
		l.read(r.block[n][:])
		r.fades[n].run(r.block[n][:])
	}
	in := *b
	*b = Block{}
	for n := range r.block {
		left, right := sign(n, leftSigns), sign(n, rightSigns)
		for k, x := range r.block[n] {
			b[0][k] += left * x
			b[1][k] += right * x
		}
	}
	hadamard(&r.block)
	for n, l := range r.lines {
		x := &r.block[n]
		side, s := &in[n%2], sign(n, inSigns)
		for k := range x {
			x[k] = x[k]/4 + s*side[k] // the matrix of sixteen has a gain of four
		}
		l.write(x[:])
	}
	r.edges.run(b)
	for c := range b {
		for k := range b[c] {
			b[c][k] *= r.gain / 4
		}
	}
}

// The signs with which lines come out at each side, and go in: rows of a Hadamard matrix, so
// that the sides have nothing to do with each other.
const leftSigns, rightSigns, inSigns = 5, 10, 12

func sign(n, row int) float64 {
	if bits.OnesCount(uint(n&row))%2 == 1 {
		return -1
	}
	return 1
}

// read gives what comes out of the line next, write puts as much in; both are called in turn.
func (l *line) read(x []float64) {
	n := copy(x, l.samples[l.at:])
	copy(x[n:], l.samples)
}

func (l *line) write(x []float64) {
	n := copy(l.samples[l.at:], x)
	copy(l.samples, x[n:])
	l.at = (l.at + len(x)) % len(l.samples)
}

// hadamard mixes what comes out of sixteen lines, all with all (the fast Walsh-Hadamard
// transform); its gain is 4.
func hadamard(b *[lines][Frames]float64) {
	for half := 1; half < lines; half *= 2 {
		for n := 0; n < lines; n++ {
			if n&half != 0 {
				continue
			}
			x, y := &b[n], &b[n+half]
			for k := range x {
				x[k], y[k] = x[k]+y[k], x[k]-y[k]
			}
		}
	}
}

// allpass scatters a sound in time, and leaves its colour (M. R. Schroeder, Natural sounding
// artificial reverberation, 1962).
type allpass struct {
	line *line
	gain float64
}

// scattering is the gain of what scatters, where the decay is long enough; it should ring no
// longer than a part of the decay, scatteredFor.
const (
	scattering   = .62
	scatteredFor = .25
)

func newAllpass(frames int, gain float64) *allpass { return &allpass{newLine(frames), gain} }

func (a *allpass) run(x []float64) {
	l, gain := a.line, a.gain
	for n, in := range x {
		old := l.samples[l.at]
		v := in + gain*old
		l.samples[l.at] = v
		x[n] = old - gain*v
		if l.at++; l.at == len(l.samples) {
			l.at = 0
		}
	}
}

// fade takes away a level at low, middle and high: a gain and two shelves of first order.
type fade struct {
	gain           float64
	l0, l1, la     float64 // of the low shelf
	h0, h1, ha     float64
	lx, ly, hx, hy float64
}

// mostLost is the most a line may take away at once, dB, and steepest a shelf of it.
const mostLost, steepest = -90.0, 60.0

func bounded(db float64) float64 { return min(steepest, max(-steepest, db)) }

// newFade makes a fade that takes away levels, dB, at lowAt, middleAt and highAt. The shelves
// reach into each other, so they are moved until all three are met.
func newFade(low, middle, high, rate float64) (f fade) {
	low, middle, high = max(low, mostLost), max(middle, mostLost), max(high, mostLost)
	a, b, c := low-middle, middle, high-middle
	for range 40 {
		f.gain = dsp.Amplitude(b)
		f.l0, f.l1, f.la = shelf(math.Sqrt(lowAt*middleAt), a, rate, false)
		f.h0, f.h1, f.ha = shelf(math.Sqrt(middleAt*highAt), c, rate, true)
		missing := func(hz, want float64) float64 {
			low := dsp.Coefficients{B0: f.l0, B1: f.l1, A1: f.la}.GainAt(hz, rate)
			high := dsp.Coefficients{B0: f.h0, B1: f.h1, A1: f.ha}.GainAt(hz, rate)
			return want - dsp.DB(f.gain*low*high)
		}
		m := missing(middleAt, middle)
		a = bounded(a + missing(lowAt, low) - m)
		c = bounded(c + missing(min(highAt, .4*rate), high) - m)
		b = min(0, max(mostLost, b+m))
	}
	// Whatever was asked, a line must lose something at both ends, or it would ring for ever.
	const least = -.001
	if b+a > least || b+c > least {
		f.l0, f.l1, f.la = shelf(math.Sqrt(lowAt*middleAt), min(a, least-b), rate, false)
		f.h0, f.h1, f.ha = shelf(math.Sqrt(middleAt*highAt), min(c, least-b), rate, true)
	}
	return f
}

// shelf is one of first order around hz: (s + w √g) / (s + w / √g), by the bilinear
// transform, for the low end; the high one is its mirror.
func shelf(hz, db, rate float64, high bool) (b0, b1, a1 float64) {
	w, g := math.Tan(math.Pi*hz/rate), math.Pow(10, db/40)
	if high { // (g s √ + w) / (s / √g + w)
		n0, n1, d0, d1 := g+w, w-g, 1/g+w, w-1/g
		return n0 / d0, n1 / d0, d1 / d0
	}
	n0, n1, d0, d1 := 1+w*g, w*g-1, 1+w/g, w/g-1
	return n0 / d0, n1 / d0, d1 / d0
}

func (f *fade) run(x []float64) {
	lx, ly, hx, hy := f.lx, f.ly, f.hx, f.hy
	for n, v := range x {
		v *= f.gain
		low := f.l0*v + f.l1*lx - f.la*ly
		lx, ly = v, low
		out := f.h0*low + f.h1*hx - f.ha*hy
		hx, hy = low, out
		x[n] = out
	}
	if math.Abs(ly) < 1e-30 {
		ly = 0
	}
	if math.Abs(hy) < 1e-30 {
		hy = 0
	}
	f.lx, f.ly, f.hx, f.hy = lx, ly, hx, hy
}

// prime is the first prime number from n on, at least a block.
func prime(n int) int {
	for n = max(n, 2); ; n++ {
		is := true
		for k := 2; k*k <= n && is; k++ {
			is = n%k != 0
		}
		if is {
			return n
		}
	}
}
