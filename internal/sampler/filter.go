package sampler

import "math"

// biquad is a filter of two poles, for two channels: coefficients by R. Bristow-Johnson,
// Cookbook formulae for audio EQ biquad filter coefficients.
type biquad struct {
	b0, b1, b2, a1, a2 float64
	left, right        [2]float64
	kind               FilterKind
	hz, q              float64
}

// set makes the coefficients, unless they are as they were.
func (f *biquad) set(kind FilterKind, hz, resonanceDB, rate float64) {
	hz = min(max(hz, 10), .49*rate)
	if kind == f.kind && hz == f.hz && resonanceDB == f.q {
		return
	}
	f.kind, f.hz, f.q = kind, hz, resonanceDB
	w := 2 * math.Pi * hz / rate
	sin, cos := math.Sincos(w)
	if kind == LowPass1 || kind == HighPass1 {
		k := math.Tan(w / 2)
		f.a1, f.a2, f.b2 = (k-1)/(k+1), 0, 0
		f.b0, f.b1 = k/(k+1), k/(k+1)
		if kind == HighPass1 {
			f.b0, f.b1 = 1/(k+1), -1/(k+1)
		}
		return
	}
	q := math.Sqrt2 / 2 * math.Pow(10, max(0, resonanceDB)/20)
	alpha := sin / (2 * q)
	a0 := 1 + alpha
	f.a1, f.a2 = -2*cos/a0, (1-alpha)/a0
	switch kind {
	case HighPass:
		f.b0, f.b1 = (1+cos)/2/a0, -(1+cos)/a0
		f.b2 = f.b0
	case BandPass:
		f.b0, f.b1, f.b2 = alpha/a0, 0, -alpha/a0
	case BandStop:
		f.b0, f.b1, f.b2 = 1/a0, -2*cos/a0, 1/a0
	default:
		f.b0, f.b1 = (1-cos)/2/a0, (1-cos)/a0
		f.b2 = f.b0
	}
}

// run filters a channel in place.
func (f *biquad) run(x []float32, state *[2]float64) {
	z1, z2 := state[0], state[1]
	for n, in := range x {
		v := float64(in)
		out := f.b0*v + z1
		z1 = f.b1*v - f.a1*out + z2
		z2 = f.b2*v - f.a2*out
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
