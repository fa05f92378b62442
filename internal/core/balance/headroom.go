package balance

import (
	"math"

	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// CrestDB is how far the peaks of many sources that have nothing to do with each other lie
// above their RMS, dB: four times the spread of a normal distribution, which one sample in
// sixteen thousand exceeds.
const CrestDB = 12.04

// Headroom is what the rows of a call come to in the mix when all of them play.
type Headroom struct {
	Call     *template.Call
	Rows     int     // that reach the mix
	Heard    int     // of them, those that were measured; the others are taken to be at the working level
	LevelDB  float64 // of middle notes together, dBFS RMS
	StrongDB float64 // of strong ones
	PeakDB   float64 // that is to be expected of them
	OverDB   float64 // by how much that is over full scale; 0 when it is not
}

// strongerDB is how much stronger a strong note is taken to be than a middle one where nobody
// has heard it: mezzo-forte to fortissimo (common practice, no source).
const strongerDB = 8.0

// Headrooms forecasts the mix of every call of a template, dry, with faders and gains as they
// are.
func Headrooms(t *template.Template, f *fan.Fan) []Headroom {
	var out []Headroom
	for _, c := range t.Calls {
		h := Headroom{Call: c}
		var middle, strong []float64
		for _, id := range c.Instruments {
			i := t.Instrument(id)
			if i == nil {
				continue
			}
			gain := MixGain(f, i)
			if gain <= 0 {
				continue
			}
			h.Rows++
			m, s := WorkingDB, WorkingDB+strongerDB
			if i.Heard.Sounds() {
				h.Heard++
				m, s = i.Heard.Levels[1]+i.LevelTrimDB, i.Heard.Levels[2]+i.LevelTrimDB
			}
			db := template.Decibels(gain)
			middle, strong = append(middle, m+db), append(strong, s+db)
		}
		if h.Rows == 0 {
			continue
		}
		h.LevelDB, h.StrongDB = SumDB(middle), SumDB(strong)
		h.PeakDB = h.StrongDB + CrestDB
		h.OverDB = math.Max(0, h.PeakDB)
		out = append(out, h)
	}
	return out
}

// MixGain is how loud a row's dry sound reaches the mix, linear.
func MixGain(f *fan.Fan, i *template.Instrument) float64 {
	sum := 0.0
	for _, r := range f.FromInstrument(i) {
		if f.Bus(r).Kind == template.Mix && !f.Wet(r.Chain) {
			sum += r.Gain
		}
	}
	return sum
}
