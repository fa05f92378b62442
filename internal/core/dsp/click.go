package dsp

import "math"

// The sound of a click: a tone that dies away, higher and louder on the first beat of a bar
// (chosen by ear).
const (
	clickHz, clickFirstHz     = 1100.0, 1650.0
	clickPeak, clickFirstPeak = 0.35, 0.6 // of full scale
	clickS                    = 0.045
	clickDecayS               = 0.009 // until it is 1/e
)

// ClickTrack is a track of clicks of 16 bits, so many samples long at a rate in Hz. Each begins at a
// sample of at; first says which are the first of a bar.
func ClickTrack(samples int64, rateHz float64, at []int64, first []bool) []int16 {
	out := make([]int16, max(0, samples))
	sounds := [2][]float64{click(rateHz, clickHz, clickPeak), click(rateHz, clickFirstHz, clickFirstPeak)}
	for n, from := range at {
		sound := sounds[0]
		if n < len(first) && first[n] {
			sound = sounds[1]
		}
		for k, v := range sound {
			if x := from + int64(k); x >= 0 && x < int64(len(out)) {
				sum := float64(out[x]) + v*math.MaxInt16
				out[x] = int16(max(math.MinInt16, min(math.MaxInt16, math.Round(sum))))
			}
		}
	}
	return out
}

func click(rateHz, hz, peak float64) []float64 {
	out := make([]float64, int(clickS*rateHz))
	for n := range out {
		s := float64(n) / rateHz
		out[n] = peak * math.Sin(2*math.Pi*hz*s+math.Pi/2) * math.Exp(-s/clickDecayS)
	}
	return out
}
