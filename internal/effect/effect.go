// Package effect is what runs on a bus when Fanfold plays: halls, plates, delays, filters,
// convolutions and a limiter. An effect of a template goes in; something that changes blocks
// of samples in place comes out. All are linear and the same at all times, so that stems add
// up to the mix, but for the limiter, which runs on the mix alone.
package effect

import (
	"fmt"
	"math"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// Frames is how many frames a block has.
const Frames = 256

// Block is a block of two channels, full scale 1.
type Block [2][Frames]float64

// Add adds another at a gain, linear.
func (b *Block) Add(o *Block, gain float64) {
	for c := range b {
		to, from := &b[c], &o[c]
		for k := range to {
			to[k] += gain * from[k]
		}
	}
}

// Set becomes another at a gain, linear.
func (b *Block) Set(o *Block, gain float64) {
	if gain == 1 {
		*b = *o
		return
	}
	for c := range b {
		to, from := &b[c], &o[c]
		for k := range to {
			to[k] = gain * from[k]
		}
	}
}

// Effect changes blocks of sound, one after the other, in place.
type Effect interface {
	Run(b *Block)
	// Tail is how long it rings on after its input has ended, to -60 dB, s.
	Tail() float64
	// Late is the delay from what goes in to what comes out, frames.
	Late() int
}

// Options of effects.
type Options struct {
	RateHz   float64 // of the samples
	QuarterS float64 // how long a quarter lasts, s: delays in note lengths follow it; 0 takes half a second
	// Parts says that what comes in is but a part of the whole: of what is not a sum of what it
	// does to parts, a limiter, only its level is left.
	Parts bool
	// Audio finds a recording by its digest: one channel or two, and its rate, Hz.
	Audio func(digest string) (channels [][]float64, rateHz float64, err error)
}

// usualQuarter is a quarter at 120 to the minute, s.
const usualQuarter = .5

// New makes what runs on a bus, in order; nil where nothing does.
func New(list []template.BusEffect, o Options) (Effect, error) {
	if o.QuarterS == 0 {
		o.QuarterS = usualQuarter
	}
	var out chain
	for _, e := range list {
		if !e.Sounds() {
			continue
		}
		x, err := one(e, o)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.Kind, err)
		}
		out = append(out, x)
	}
	if len(out) == 0 {
		return nil, nil //nolint:nilnil // nothing runs there
	}
	return out, nil
}

func one(e template.BusEffect, o Options) (Effect, error) {
	var wet Effect
	switch e.Kind {
	case template.EffectHall:
		wet = newReverb(hallLines, e, o.RateHz)
	case template.EffectPlate:
		wet = newReverb(plateLines, e, o.RateHz)
	case template.EffectDelay:
		wet = newDelay(e, o)
	case template.EffectFilter:
		wet = newEqualiser(e, o.RateHz)
	case template.EffectConvolution:
		x, err := newConvolution(e, o)
		if err != nil {
			return nil, err
		}
		wet = x
	case template.EffectLimiter:
		if o.Parts {
			return &mixed{Effect: nothing{}, gain: dsp.Amplitude(e.Value(template.SetLevel)), wet: 1}, nil
		}
		return newLimiter(e, o.RateHz), nil
	default:
		return nil, fmt.Errorf("there is no effect %q", e.Kind)
	}
	m := &mixed{Effect: wet, gain: dsp.Amplitude(e.Value(template.SetLevel)), wet: 1}
	if is := e.Kind.Is(); is.Parameter(template.SetWet) != nil {
		m.wet = e.Value(template.SetWet) / 100
	}
	return m, nil
}

// chain runs effects one after the other.
type chain []Effect

func (c chain) Run(b *Block) {
	for _, e := range c {
		e.Run(b)
	}
}

func (c chain) Tail() (s float64) {
	for _, e := range c {
		s += e.Tail()
	}
	return s
}

func (c chain) Late() (n int) {
	for _, e := range c {
		n += e.Late()
	}
	return n
}

// mixed is an effect with as much of what goes in as its wet share leaves.
type mixed struct {
	Effect
	wet, gain float64
	dry       Block
}

func (m *mixed) Run(b *Block) {
	if m.wet < 1 {
		m.dry = *b
	}
	m.Effect.Run(b)
	if m.wet == 1 && m.gain == 1 {
		return
	}
	for c := range b {
		for n := range b[c] {
			b[c][n] *= m.wet * m.gain
			if m.wet < 1 {
				b[c][n] += m.dry[c][n] * (1 - m.wet) * m.gain
			}
		}
	}
}

// nothing is an effect that leaves sound as it is.
type nothing struct{}

func (nothing) Run(*Block)    {}
func (nothing) Tail() float64 { return 0 }
func (nothing) Late() int     { return 0 }

// edges cuts below and above.
type edges struct{ low, high *[2]dsp.Biquad }

// flat is the resonance of a filter without any.
var flat = math.Sqrt2 / 2

func newEdges(e template.BusEffect, rate float64) (c edges) {
	if hz := e.Value(template.SetLowCut); hz > template.NoLowCutHz {
		f := dsp.Biquad{Coefficients: dsp.HighPass(hz, flat, rate)}
		c.low = &[2]dsp.Biquad{f, f}
	}
	if hz := e.Value(template.SetHighCut); hz < template.NoHighCutHz {
		f := dsp.Biquad{Coefficients: dsp.LowPass(min(hz, .45*rate), flat, rate)}
		c.high = &[2]dsp.Biquad{f, f}
	}
	return c
}

func (c edges) run(b *Block) {
	for ch := range b {
		if c.low != nil {
			c.low[ch].Run(b[ch][:])
		}
		if c.high != nil {
			c.high[ch].Run(b[ch][:])
		}
	}
}

// line is a delay line of a fixed length, frames, of at least a block.
type line struct {
	samples []float64
	at      int
}

func newLine(frames int) *line { return &line{samples: make([]float64, frames)} }

// swap takes a block in and gives the one that went in before, in place. It may be called
// with parts of a block that are no longer than the line.
func (l *line) swap(x []float64) {
	for n := range x {
		l.samples[l.at], x[n] = x[n], l.samples[l.at]
		if l.at++; l.at == len(l.samples) {
			l.at = 0
		}
	}
}

// preDelay is a delay line of each channel; none for no delay.
type preDelay [2]*line

func newPreDelay(ms, rate float64) (p preDelay) {
	if frames := int(math.Round(ms / 1000 * rate)); frames > 0 {
		p = preDelay{newLine(frames), newLine(frames)}
	}
	return p
}

func (p preDelay) run(b *Block) {
	for c, l := range p {
		if l != nil {
			l.swap(b[c][:])
		}
	}
}

func (p preDelay) seconds(rate float64) float64 {
	if p[0] == nil {
		return 0
	}
	return float64(len(p[0].samples)) / rate
}

// middle is the band by which effects that give back a room are levelled, Hz and Q: where
// ears and orchestras are strongest.
const middleHz, middleQ = 1000.0, .5

// evened is the gain at which a response gives back as much as goes in: sides are the
// responses of one output to each input, and the sounds of both inputs have nothing to do
// with each other.
func evened(rate float64, sides ...[]float64) float64 {
	energy := func(x []float64) (sum float64) {
		f := dsp.Biquad{Coefficients: dsp.BandPass(middleHz, middleQ, rate)}
		y := append([]float64(nil), x...)
		f.Run(y)
		for _, v := range y {
			sum += v * v
		}
		return sum
	}
	one := make([]float64, int(rate/4))
	one[0] = 1
	got := 0.0
	for _, s := range sides {
		got += energy(s)
	}
	if got <= 0 {
		return 0
	}
	return math.Sqrt(energy(one) / got)
}
