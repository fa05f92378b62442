package balance

import (
	"math"
	"slices"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// profile is how the power of a row's middle note lies over the third-octaves from 25 Hz, dB
// beside its strongest, floorDB at least: below, a room or a noise speaks and not the row. It
// is empty when nobody knows.
func profile(h *template.Heard) []float64 {
	out := slices.Clone(h.Tone())
	if len(out) == 0 {
		return nil
	}
	top := slices.Max(out)
	for n, db := range out {
		out[n] = max(floorDB, db-top)
	}
	return out
}

// floorDB is how far below its strongest band a tone is looked at, dB.
const floorDB = -36.0

// mean is what tones are like together, band by band, dB; nil for none.
func mean(list [][]float64) []float64 {
	if len(list) == 0 {
		return nil
	}
	out := make([]float64, dsp.ThirdBands)
	for _, x := range list {
		for n, db := range x {
			out[n] += db / float64(len(list))
		}
	}
	return out
}

// tones tells of rows that stand for the same how far the tone of each lies from what they
// are like in the mean, dB: the root of the mean of the squares over the third-octaves in
// which any of them sounds. A single row has none.
func tones(rows []*Row) {
	var list [][]float64
	var known []*Row
	for _, r := range rows {
		if x := profile(r.Row.Heard); x != nil {
			list, known = append(list, x), append(known, r)
		}
	}
	if len(list) < 2 {
		return
	}
	all := mean(list)
	for k, r := range known {
		r.ToneDB = away(list[k], all)
	}
}

// away is how far a tone lies from another, dB, to a tenth.
func away(x, from []float64) float64 {
	sum, count := 0.0, 0
	for n, db := range x {
		if len(from) > n && from[n] > floorDB {
			sum += (db - from[n]) * (db - from[n])
			count++
		}
	}
	if count == 0 {
		return 0
	}
	return tenth(math.Sqrt(sum / float64(count)))
}
