package dsp

import (
	"math"
	"math/bits"

	"gonum.org/v1/gonum/dsp/fourier"
)

// ThirdBands is how many third-octaves Thirds tells: from 25 Hz to 20 kHz.
const ThirdBands = 30

// ThirdHz is the exact middle of a third-octave, 0 for that of 25 Hz, Hz: of base 2, from
// 1 kHz (IEC 61260-1).
func ThirdHz(n int) float64 { return 1000 * math.Exp2(float64(n-16)/3) }

// Thirds is the level of a sound in each third-octave, dBFS; Silence above half of its rate.
// The power is the mean of parts that overlap by half, each through a Hann window (Welch,
// 1967); what lies at the edge of two bands is shared out between them.
func Thirds(samples []float64, rate float64) []float64 {
	out := make([]float64, ThirdBands)
	for n := range out {
		out[n] = Silence
	}
	if len(samples) < 2 {
		return out
	}
	power := spectrum(samples, longestPart)
	width := rate / float64(2*(len(power)-1)) // of a bin, Hz
	edge := math.Exp2(1. / 6)
	for n := range out {
		low, high := ThirdHz(n)/edge/width, ThirdHz(n)*edge/width // in bins
		if high > float64(len(power)-1) {
			break
		}
		sum := 0.0
		for k := int(math.Round(low)); k <= int(math.Round(high)); k++ {
			from, to := max(low, float64(k)-.5), min(high, float64(k)+.5)
			sum += max(0, to-from) * power[k]
		}
		out[n] = PowerDB(sum)
	}
	return out
}

// longestPart is how much of a sound is looked at at once, samples: it tells frequencies 2 Hz
// apart.
const longestPart = 1 << 15

// spectrum is the power of a sound by frequency, from nothing to half of its rate, as a mean
// over parts of a length that is a power of two; a shorter sound is one part, filled up.
func spectrum(samples []float64, part int) []float64 {
	length := min(part, len(samples))
	size := 1 << bits.Len(uint(length-1))
	window, square := make([]float64, length), 0.0
	for n := range window {
		window[n] = .5 - .5*math.Cos(2*math.Pi*float64(n)/float64(length))
		square += window[n] * window[n]
	}
	fft, in := fourier.NewFFT(size), make([]float64, size)
	var bins []complex128
	out, parts := make([]float64, size/2+1), 0.0
	for from := 0; from+length <= len(samples); from += max(1, length/2) {
		for n, w := range window {
			in[n] = w * samples[from+n]
		}
		bins = fft.Coefficients(bins, in)
		for k, c := range bins {
			out[k] += real(c)*real(c) + imag(c)*imag(c)
		}
		parts++
	}
	for k := range out {
		out[k] *= 2 / (parts * float64(size) * square)
	}
	return out
}
