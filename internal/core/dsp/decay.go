package dsp

import "math"

// Decay is how long a tail takes to fall by 60 dB, s, by Schroeder's backward integration
// (ISO 3382-1): from the straight line through what lies between from and to below its
// start, dB, such as -5 and -35 for T30. ok is false when the tail does not fall so far.
func Decay(tail []float64, rate, from, to float64) (seconds float64, ok bool) {
	energy := make([]float64, len(tail)+1)
	for n := len(tail) - 1; n >= 0; n-- {
		energy[n] = energy[n+1] + tail[n]*tail[n]
	}
	if energy[0] <= 0 {
		return 0, false
	}
	var count, sx, sy, sxx, sxy float64
	reached := false
	for n := range tail {
		level := PowerDB(energy[n] / energy[0])
		if level > from {
			continue
		}
		if level < to {
			reached = true
			break
		}
		x := float64(n) / rate
		count, sx, sy, sxx, sxy = count+1, sx+x, sy+level, sxx+x*x, sxy+x*level
	}
	slope := (count*sxy - sx*sy) / (count*sxx - sx*sx)
	if !reached || count < 2 || !(slope < 0) {
		return 0, false
	}
	return -60 / slope, true
}

// Onset is where a sound begins: the first sample from which on the level of two
// milliseconds lies 6 dB above the noise before it, and where it has half of the full
// amplitude; -1 for neither. noise is the level of silence, dBFS.
func Onset(samples []float64, rate, noise float64) (start, half int) {
	window := max(1, int(rate/500))
	start, half = -1, -1
	peak := 0.0
	for _, x := range samples {
		peak = max(peak, math.Abs(x))
	}
	gate := math.Pow(10, (noise+6)/10)
	sum := 0.0
	for n, x := range samples {
		sum += x * x
		if n >= window {
			sum -= samples[n-window] * samples[n-window]
		}
		if start < 0 && n >= window-1 && sum/float64(window) > gate {
			for k := max(0, n-window+1); k <= n; k++ { // where in it
				if samples[k]*samples[k] > gate {
					start = k
					break
				}
			}
		}
		if half < 0 && peak > 0 && start >= 0 && math.Abs(x) >= peak/2 {
			half = n
		}
	}
	return start, half
}
