package musicxml

import (
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
)

// Clock is the score's tempi.
func (s *Score) Clock() (*tempo.Map, error) {
	changes := make([]tempo.Change, len(s.Tempi))
	for n, t := range s.Tempi {
		changes[n] = tempo.Change{Tick: t.Tick, Quarter: min(tempo.Slowest, int64(60_000_000/t.BPM))}
	}
	return tempo.New(TicksPerQuarter, changes...)
}

// Played is the part as it is to be compiled.
func (p *Part) Played() articulation.Part {
	out := articulation.Part{Notes: make([]articulation.Note, len(p.Notes))}
	for n, x := range p.Notes {
		out.Notes[n] = articulation.Note{Start: x.Start, End: max(x.End, x.Start+1), Key: x.Key, Velocity: x.Velocity, Articulations: x.Ways}
	}
	return out
}

// MeasureStart is where a measure begins for the part, as far as its notes
// tell: the beginning of the first note there or later.
func (p *Part) MeasureStart(measure int) int64 {
	for _, n := range p.Notes {
		if n.Measure >= measure {
			return n.Start
		}
	}
	return 0
}
