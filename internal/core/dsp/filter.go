// Package dsp has numbers about sound: loudness, true peak, levels, decay. Samples go in,
// block by block or whole; figures with their units come out. It knows nothing of files or
// templates. Full scale is 1.
package dsp

import (
	"math"
	"math/cmplx"
)

// Silence stands for a level of nothing at all, dB.
const Silence = -200.0

// DB is a gain or an amplitude in dB, Silence at least.
func DB(amplitude float64) float64 { return max(Silence, 20*math.Log10(math.Abs(amplitude))) }

// PowerDB is a power, or a mean square, in dB, Silence at least.
func PowerDB(power float64) float64 { return max(Silence, 10*math.Log10(power)) }

// Amplitude is the gain or amplitude of a level in dB.
func Amplitude(db float64) float64 { return math.Pow(10, db/20) }

// Coefficients are those of a filter of second order, the first of the denominator being 1.
type Coefficients struct{ B0, B1, B2, A1, A2 float64 }

// Biquad is a filter of second order, in transposed direct form II, of one channel.
type Biquad struct {
	Coefficients
	z1, z2 float64
}

// Run filters samples in place.
func (f *Biquad) Run(samples []float64) {
	z1, z2, c := f.z1, f.z2, f.Coefficients
	for n, x := range samples {
		y := c.B0*x + z1
		z1 = c.B1*x - c.A1*y + z2
		z2 = c.B2*x - c.A2*y
		samples[n] = y
	}
	if math.Abs(z1) < 1e-30 { // no denormal numbers
		z1 = 0
	}
	if math.Abs(z2) < 1e-30 {
		z2 = 0
	}
	f.z1, f.z2 = z1, z2
}

// The filters below are those of R. Bristow-Johnson's Cookbook formulae for audio EQ biquad
// filter coefficients: hz is the corner or the middle, below half the rate, Hz, and q their
// resonance, 0.707 for none.

// angle is what the formulae begin with.
func angle(hz, q, rate float64) (cos, alpha float64) {
	sin, cos := math.Sincos(2 * math.Pi * hz / rate)
	return cos, sin / (2 * q)
}

// LowPass lets pass what is below.
func LowPass(hz, q, rate float64) Coefficients {
	cos, alpha := angle(hz, q, rate)
	a0 := 1 + alpha
	b := (1 - cos) / 2 / a0
	return Coefficients{b, (1 - cos) / a0, b, -2 * cos / a0, (1 - alpha) / a0}
}

// HighPass lets pass what is above.
func HighPass(hz, q, rate float64) Coefficients {
	cos, alpha := angle(hz, q, rate)
	a0 := 1 + alpha
	b := (1 + cos) / 2 / a0
	return Coefficients{b, -(1 + cos) / a0, b, -2 * cos / a0, (1 - alpha) / a0}
}

// BandPass lets pass what is around, with 0 dB in the middle.
func BandPass(hz, q, rate float64) Coefficients {
	cos, alpha := angle(hz, q, rate)
	a0 := 1 + alpha
	return Coefficients{alpha / a0, 0, -alpha / a0, -2 * cos / a0, (1 - alpha) / a0}
}

// BandStop takes out what is around.
func BandStop(hz, q, rate float64) Coefficients {
	cos, alpha := angle(hz, q, rate)
	a0 := 1 + alpha
	return Coefficients{1 / a0, -2 * cos / a0, 1 / a0, -2 * cos / a0, (1 - alpha) / a0}
}

// Bell raises or lowers what is around by a level in the middle, dB.
func Bell(hz, db, q, rate float64) Coefficients {
	cos, alpha := angle(hz, q, rate)
	a := math.Pow(10, db/40)
	a0 := 1 + alpha/a
	return Coefficients{(1 + alpha*a) / a0, -2 * cos / a0, (1 - alpha*a) / a0, -2 * cos / a0, (1 - alpha/a) / a0}
}

// LowShelf raises or lowers what is below by a level, dB.
func LowShelf(hz, db, rate float64) Coefficients {
	cos, alpha := angle(hz, math.Sqrt2/2, rate)
	a := math.Pow(10, db/40)
	r := 2 * math.Sqrt(a) * alpha
	a0 := (a + 1) + (a-1)*cos + r
	return Coefficients{
		a * ((a + 1) - (a-1)*cos + r) / a0, 2 * a * ((a - 1) - (a+1)*cos) / a0, a * ((a + 1) - (a-1)*cos - r) / a0,
		-2 * ((a - 1) + (a+1)*cos) / a0, ((a + 1) + (a-1)*cos - r) / a0,
	}
}

// HighShelf raises or lowers what is above by a level, dB.
func HighShelf(hz, db, rate float64) Coefficients {
	cos, alpha := angle(hz, math.Sqrt2/2, rate)
	a := math.Pow(10, db/40)
	r := 2 * math.Sqrt(a) * alpha
	a0 := (a + 1) - (a-1)*cos + r
	return Coefficients{
		a * ((a + 1) + (a-1)*cos + r) / a0, -2 * a * ((a - 1) + (a+1)*cos) / a0, a * ((a + 1) + (a-1)*cos - r) / a0,
		2 * ((a - 1) - (a+1)*cos) / a0, ((a + 1) - (a-1)*cos - r) / a0,
	}
}

// GainAt is how much the filter lets pass of a tone, linear.
func (c Coefficients) GainAt(hz, rate float64) float64 {
	sin, cos := math.Sincos(2 * math.Pi * hz / rate)
	z1, z2 := complex(cos, -sin), complex(cos*cos-sin*sin, -2*sin*cos)
	return cmplx.Abs((complex(c.B0, 0) + complex(c.B1, 0)*z1 + complex(c.B2, 0)*z2) / (1 + complex(c.A1, 0)*z1 + complex(c.A2, 0)*z2))
}

// The prototypes of K-weighting: a shelf that stands for the head, and a high pass. At 48
// kHz they give the coefficients that ITU-R BS.1770-4 prints in its tables 1 and 2; the
// figures of the prototypes are from memory, and TestPublishedCoefficients holds them
// against the tables.
const (
	shelfHz, shelfDB, shelfQ = 1681.974450955533, 3.999843853973347, 0.7071752369554196
	passHz, passQ            = 38.13547087602444, 0.5003270373238773
)

// kWeighting is the two stages at a sample rate, Hz.
func kWeighting(rate float64) [2]Biquad {
	k := math.Tan(math.Pi * shelfHz / rate)
	high := math.Pow(10, shelfDB/20)
	band := math.Pow(high, 0.4996667741545416)
	a0 := 1 + k/shelfQ + k*k
	shelf := Biquad{Coefficients: Coefficients{
		B0: (high + band*k/shelfQ + k*k) / a0, B1: 2 * (k*k - high) / a0, B2: (high - band*k/shelfQ + k*k) / a0,
		A1: 2 * (k*k - 1) / a0, A2: (1 - k/shelfQ + k*k) / a0,
	}}
	k = math.Tan(math.Pi * passHz / rate)
	a0 = 1 + k/passQ + k*k
	pass := Biquad{Coefficients: Coefficients{B0: 1, B1: -2, B2: 1, A1: 2 * (k*k - 1) / a0, A2: (1 - k/passQ + k*k) / a0}}
	return [2]Biquad{shelf, pass}
}
