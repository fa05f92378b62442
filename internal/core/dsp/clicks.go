package dsp

import (
	"math"
	"slices"
)

// A click is a jump between two samples that what is around it does not make: the third
// difference, which a sound of low tones hardly has, is this many times its usual one, and at
// least so large.
const (
	clickTimes   = 6.0
	clickLeast   = 2e-3
	clickApartS  = .003 // what is nearer is one click
	clickAroundS = .05  // what is around
)

// Clicks counts the clicks of a sound that holds: those of a loop that does not close, or of
// a buffer that ran dry. In rolls and struck sounds each stroke may count as one.
func Clicks(samples []float64, rate float64) int {
	if len(samples) < 8 {
		return 0
	}
	jumps := make([]float64, len(samples)-3)
	for n := range jumps {
		jumps[n] = math.Abs(samples[n+3] - 3*samples[n+2] + 3*samples[n+1] - samples[n])
	}
	around, apart := max(16, int(clickAroundS*rate)), int(clickApartS*rate)
	count, last := 0, -apart-1
	sorted := make([]float64, 0, around)
	for from := 0; from < len(jumps); from += around {
		block := jumps[from:min(len(jumps), from+around)]
		sorted = append(sorted[:0], block...)
		slices.Sort(sorted)
		usual := sorted[len(sorted)*9/10]
		for n, x := range block {
			if x < clickLeast || x < clickTimes*usual {
				continue
			}
			if from+n-last > apart {
				count++
			}
			last = from + n
		}
	}
	return count
}
