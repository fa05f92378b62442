package dsp

import "math"

// Resample takes samples from one rate to another, Hz, by a windowed sinc that cuts at nine
// tenths of half the lower rate; between 0 and there it is flat within 0.01 dB, and what
// mirrors lies 80 dB below.
func Resample(samples []float64, from, to float64) []float64 {
	if from == to {
		return append([]float64(nil), samples...)
	}
	const zeros = 48
	cut := .95 * min(1, to/from)
	reach := zeros / cut
	out := make([]float64, int(math.Ceil(float64(len(samples))*to/from)))
	for n := range out {
		at := float64(n) * from / to
		sum := 0.0
		for k := max(0, int(math.Ceil(at-reach))); k < len(samples) && float64(k) <= at+reach; k++ {
			sum += samples[k] * WindowedSinc(float64(k)-at, cut, reach)
		}
		out[n] = sum / bessel(kaiser)
	}
	return out
}

// kaiser is the shape of a Kaiser window that keeps what mirrors about 90 dB below.
const kaiser = 9.0

// WindowedSinc is a sinc of a cutoff, as a share of half the rate, at a place within half a
// width to either side, frames, under a Kaiser window, whose own height, bessel(9), is not
// taken off.
func WindowedSinc(at, cut, half float64) float64 {
	u := at / half
	if u <= -1 || u >= 1 {
		return 0
	}
	return cut * sinc(cut*at) * bessel(kaiser*math.Sqrt(1-u*u))
}

func sinc(x float64) float64 {
	if x == 0 {
		return 1
	}
	return math.Sin(math.Pi*x) / (math.Pi * x)
}

// bessel is the modified Bessel function of the first kind and order 0.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-12*sum; k++ {
		term *= x * x / (4 * k * k)
		sum += term
	}
	return sum
}
