package sampler

import "math"

// Mod is what a controller, or another source, does to a target: Amount times its value,
// and times that of a second source where there is one.
type Mod struct {
	Source, By Source
	To         Target
	Amount     float64
}

// Target is what is changed.
type Target byte

// The targets, with their units.
const (
	ToGain      Target = iota // dB
	ToAmplitude               // times: the value itself, where Amount is 1
	ToPan                     // -1..1
	ToPitch                   // cents
	ToCutoff                  // cents
	ToResonance               // dB
	ToVibrato                 // cents, of the pitch LFO
	ToAttack                  // s
	ToRelease                 // s
	targets
)

// From is where a source takes its value.
type From byte

// The sources.
const (
	Always From = iota // 1
	Controller
	Velocity
	Key
	ChannelPressure
	KeyPressure
	Wheel
)

// Curve is how a source's value follows it (SoundFont 2.04, section 8.2.1).
type Curve byte

// The curves.
const (
	Straight Curve = iota
	Concave
	Convex
	Step
)

// Source is a value from 0 to 1, or from -1 to 1.
type Source struct {
	From       From
	CC         int
	Curve      Curve
	Bipolar    bool
	Descending bool
}

// value of a raw one from 0 to 1.
func (s Source) value(x float64) float64 {
	if s.Descending {
		x = 1 - x
	}
	if s.Bipolar {
		y := 2*x - 1
		return math.Copysign(s.Curve.of(math.Abs(y)), y)
	}
	return s.Curve.of(x)
}

// of bends a value from 0 to 1. Concave and convex ones are those of 2.04, section 9.5.3:
// 96 dB of a square law.
func (c Curve) of(x float64) float64 {
	const full = 40.0 / 96
	switch c {
	case Concave:
		if x >= 1 {
			return 1
		}
		return min(1, -full*math.Log10(1-x))
	case Convex:
		if x <= 0 {
			return 0
		}
		return max(0, 1+full*math.Log10(x))
	case Step:
		return math.Round(x)
	}
	return x
}

// weight of a crossfade at a value: how much comes through, 0..1.
func (f Fade) weight(x float64) float64 {
	var share float64
	switch {
	case f.High <= f.Low:
		share = 1
		if x < f.Low {
			share = 0
		}
		if f.Out && x <= f.Low {
			share = 0
		}
	default:
		share = min(1, max(0, (x-f.Low)/(f.High-f.Low)))
	}
	if f.Out {
		share = 1 - share
	}
	if f.Linear {
		return share
	}
	return math.Sqrt(share)
}
