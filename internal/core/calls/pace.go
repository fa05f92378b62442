package calls

import "time"

// Pace is what measured loads have taught of one machine. Its zero value knows
// nothing.
type Pace struct {
	Computed float64 `json:"computed"` // of the loads measured, s; older ones count less
	Measured float64 `json:"measured"` // what they took, s, weighed likewise
	Loads    int     `json:"loads"`    // how often something was measured
}

// fading is how much of what was learned stays with each new measure, so that
// the last few decide.
const fading = 0.7

// leastMeasured is the shortest computed time that teaches anything: below it,
// reports come too seldom to measure.
const leastMeasured = 500 * time.Millisecond

// Learn takes in that loads computed to take a time took another.
func (p Pace) Learn(computed, measured time.Duration) Pace {
	if computed < leastMeasured || measured <= 0 {
		return p
	}
	return Pace{
		Computed: fading*p.Computed + computed.Seconds(),
		Measured: fading*p.Measured + measured.Seconds(),
		Loads:    p.Loads + 1,
	}
}

// Factor is how many times the computed time loads take; 1 when nothing was
// measured.
func (p Pace) Factor() float64 {
	if p.Computed <= 0 {
		return 1
	}
	return p.Measured / p.Computed
}

// Of is a computed time as the machine would take it.
func (p Pace) Of(computed time.Duration) time.Duration {
	return time.Duration(float64(computed) * p.Factor())
}
