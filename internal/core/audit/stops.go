package audit

import (
	"math"
)

// dropped are the stems that stop in the middle of their sound where something is left.
func (n *null) dropped(columns []column, fit []float64, left float64) (out []*track) {
	rest := n.rest(columns, fit)
	for _, t := range n.stems {
		if run, ok := stops(t); ok {
			held := 0.0
			for c := range rest {
				part := rest[c][run.from:run.to]
				held += dot(part, part)
			}
			if held > mostlyThere*left {
				out = append(out, t)
			}
		}
	}
	return out
}

// mostlyThere is the share of what is left that lies where a stem has stopped.
const mostlyThere = .9

// stops is where a stem falls silent, or comes back, in the middle of its sound: silence in the
// present second with something as strong as sound right at one of its ends.
func stops(t *track) (longest stretch, ok bool) {
	x := t.windows[present]
	frames := len(x[0])
	silent := func(k int) bool {
		for c := range x {
			if x[c][k] != 0 {
				return false
			}
		}
		return true
	}
	for k := 0; k < frames; {
		if !silent(k) {
			k++
			continue
		}
		run := stretch{int64(k), int64(k)}
		for k < frames && silent(k) {
			k++
		}
		run.to = int64(k)
		if run.to-run.from > longest.to-longest.from {
			longest = run
		}
	}
	if float64(longest.to-longest.from) < dropS*float64(frames) {
		return longest, false
	}
	look := int(besideS * float64(frames))
	return longest, t.peakNear(int(longest.from)-look, int(longest.from)) >= heardPeak || t.peakNear(int(longest.to), int(longest.to)+look) >= heardPeak
}

// peakNear is the strongest sample between two places, from the start of the present second.
func (t *track) peakNear(from, to int) (peak float64) {
	frames := len(t.windows[present][0])
	for k := max(from, -frames); k < min(to, 2*frames); k++ {
		at := k + frames
		for _, x := range t.windows[at/frames] {
			peak = max(peak, math.Abs(float64(x[at%frames])))
		}
	}
	return peak
}
