// Package dsp has numbers about sound: loudness, true peak, levels, decay. Samples go in,
// block by block or whole; figures with their units come out. It knows nothing of files or
// templates. Full scale is 1.
package dsp

import "math"

// Silence stands for a level of nothing at all, dB.
const Silence = -200.0

// DB is a gain or an amplitude in dB, Silence at least.
func DB(amplitude float64) float64 { return max(Silence, 20*math.Log10(math.Abs(amplitude))) }

// PowerDB is a power, or a mean square, in dB, Silence at least.
func PowerDB(power float64) float64 { return max(Silence, 10*math.Log10(power)) }

// Amplitude is the gain or amplitude of a level in dB.
func Amplitude(db float64) float64 { return math.Pow(10, db/20) }

// biquad is a filter of second order, in transposed direct form II.
type biquad struct {
	b0, b1, b2, a1, a2 float64
	z1, z2             float64
}

func (f *biquad) next(x float64) float64 {
	y := f.b0*x + f.z1
	f.z1 = f.b1*x - f.a1*y + f.z2
	f.z2 = f.b2*x - f.a2*y
	return y
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
func kWeighting(rate float64) [2]biquad {
	k := math.Tan(math.Pi * shelfHz / rate)
	high := math.Pow(10, shelfDB/20)
	band := math.Pow(high, 0.4996667741545416)
	a0 := 1 + k/shelfQ + k*k
	shelf := biquad{
		b0: (high + band*k/shelfQ + k*k) / a0, b1: 2 * (k*k - high) / a0, b2: (high - band*k/shelfQ + k*k) / a0,
		a1: 2 * (k*k - 1) / a0, a2: (1 - k/shelfQ + k*k) / a0,
	}
	k = math.Tan(math.Pi * passHz / rate)
	a0 = 1 + k/passQ + k*k
	pass := biquad{b0: 1, b1: -2, b2: 1, a1: 2 * (k*k - 1) / a0, a2: (1 - k/passQ + k*k) / a0}
	return [2]biquad{shelf, pass}
}
