package musicxml

import (
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
)

// Time is the score's tempi and bars. Its bars are its measures, a short one at the
// beginning too.
func (s *Score) Time() (tempo.Time, error) {
	changes := make([]tempo.Change, len(s.Tempi))
	for n, t := range s.Tempi {
		changes[n] = tempo.Change{Tick: t.Tick, Quarter: min(tempo.Slowest, int64(60_000_000/t.BPM))}
	}
	return tempo.NewTime(TicksPerQuarter, changes, s.metres)
}

// Played is the part as it is to be compiled.
func (p *Part) Played() articulation.Part {
	out := articulation.Part{Notes: make([]articulation.Note, len(p.Notes))}
	for n, x := range p.Notes {
		out.Notes[n] = articulation.Note{Start: x.Start, End: max(x.End, x.Start+1), Key: x.Key, Velocity: x.Velocity, Articulations: x.Ways}
	}
	return out
}
