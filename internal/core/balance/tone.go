package balance

import (
	"math"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// profile is how the power of a row's middle note lies over the octaves from 31.5 Hz, dB
// beside its strongest, floorDB at least: below, a room or a noise speaks and not the row.
func profile(h *template.Heard) (out octaves) {
	top := dsp.Silence
	for _, db := range h.Octaves {
		top = max(top, db)
	}
	for n, db := range h.Octaves {
		out[n] = max(floorDB, db-top)
	}
	return out
}

// octaves are levels in octaves, dB.
type octaves [len(template.Heard{}.Octaves)]float64

// floorDB is how far below its strongest octave a tone is looked at, dB.
const floorDB = -36.0

// tones tells of rows that stand for the same how far the tone of each lies from what they
// are like in the mean, dB: the root of the mean of the squares over the octaves in which any
// of them sounds. A single row has none.
func tones(rows []*Row) {
	if len(rows) < 2 {
		return
	}
	var mean octaves
	list := make([]octaves, len(rows))
	for k, r := range rows {
		list[k] = profile(r.Row.Heard)
		for n, db := range list[k] {
			mean[n] += db / float64(len(rows))
		}
	}
	for k, r := range rows {
		r.ToneDB = away(list[k], mean)
	}
}

// away is how far a tone lies from another, dB, to a tenth.
func away(x, from octaves) float64 {
	sum, count := 0.0, 0
	for n, db := range x {
		if from[n] > floorDB {
			sum += (db - from[n]) * (db - from[n])
			count++
		}
	}
	if count == 0 {
		return 0
	}
	return tenth(math.Sqrt(sum / float64(count)))
}
