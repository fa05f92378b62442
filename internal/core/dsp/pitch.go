package dsp

import "math"

// Pitch is the frequency of a periodic sound between two others, Hz, by the difference
// function of YIN (de Cheveigné and Kawahara, 2002), with the dip between samples. ok is
// false when nothing periodic is found.
func Pitch(samples []float64, rate, low, high float64) (hz float64, ok bool) {
	longest, shortest := int(rate/low)+2, max(2, int(rate/high))
	window := len(samples) - longest - 1
	if window < longest {
		return 0, false
	}
	window = min(window, 4*longest) // a few periods tell
	d, norm := make([]float64, longest+2), make([]float64, longest+2)
	running, best := 0.0, -1
	norm[0] = 1
	for lag := 1; lag < len(d); lag++ {
		sum := 0.0
		for n := range window {
			x := samples[n] - samples[n+lag]
			sum += x * x
		}
		d[lag], norm[lag] = sum, 1
		if running += sum; running > 0 {
			norm[lag] = sum * float64(lag) / running
		}
		// The first deep dip is the one: what lies beyond it need not be looked at.
		if dip := lag - 1; dip >= shortest && norm[dip] < .15 && norm[dip] <= norm[lag] && norm[dip] <= norm[dip-1] {
			best = dip
			break
		}
	}
	if best < 0 {
		return 0, false
	}
	a, b, c := d[best-1], d[best], d[best+1]
	shift := 0.0
	if bend := a - 2*b + c; bend > 0 {
		shift = (a - c) / (2 * bend)
	}
	return rate / (float64(best) + shift), true
}

// Cents is how far a frequency lies above another, in hundredths of a semitone.
func Cents(hz, from float64) float64 { return 1200 * math.Log2(hz/from) }

// KeyHz is the frequency of a MIDI note in equal temperament, key 69 at 440 Hz: ISO 16.
func KeyHz(key int) float64 { return 440 * math.Exp2(float64(key-69)/12) }
