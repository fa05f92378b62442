package sampler

import (
	"math"

	"fanfold/internal/core/dsp"
)

// biquad is a filter of two poles, for two channels.
type biquad struct {
	dsp.Coefficients
	left, right [2]float64
	kind        FilterKind
	hz, q       float64
}

// set makes the coefficients, unless they are as they were.
func (f *biquad) set(kind FilterKind, hz, resonanceDB, rate float64) {
	hz = min(max(hz, 10), .49*rate)
	if kind == f.kind && hz == f.hz && resonanceDB == f.q {
		return
	}
	f.kind, f.hz, f.q = kind, hz, resonanceDB
	if kind == LowPass1 || kind == HighPass1 {
		k := math.Tan(math.Pi * hz / rate)
		f.Coefficients = dsp.Coefficients{B0: k / (k + 1), B1: k / (k + 1), A1: (k - 1) / (k + 1)}
		if kind == HighPass1 {
			f.B0, f.B1 = 1/(k+1), -1/(k+1)
		}
		return
	}
	q := math.Sqrt2 / 2 * math.Pow(10, max(0, resonanceDB)/20)
	switch kind {
	case HighPass:
		f.Coefficients = dsp.HighPass(hz, q, rate)
	case BandPass:
		f.Coefficients = dsp.BandPass(hz, q, rate)
	case BandStop:
		f.Coefficients = dsp.BandStop(hz, q, rate)
	default:
		f.Coefficients = dsp.LowPass(hz, q, rate)
	}
}

// run filters a channel in place.
func (f *biquad) run(x []float32, state *[2]float64) {
	z1, z2 := state[0], state[1]
	for n, in := range x {
		v := float64(in)
		out := f.B0*v + z1
		z1 = f.B1*v - f.A1*out + z2
		z2 = f.B2*v - f.A2*out
		x[n] = float32(out)
	}
	if math.Abs(z1) < 1e-20 { // no denormal numbers
		z1 = 0
	}
	if math.Abs(z2) < 1e-20 {
		z2 = 0
	}
	state[0], state[1] = z1, z2
}
