package sampler

import "math"

// floorDB is where an envelope has ended: its times are for 100 dB (SoundFont 2.04, section
// 8.1.3; for SFZ common practice, no source).
const floorDB = -100

type stage byte

const (
	delaying stage = iota
	attacking
	holding
	decaying
	sustaining
	releasing
	ended
)

// envelope goes through the stages of one.
type envelope struct {
	Envelope
	inDB  bool // it falls evenly in dB
	stage stage
	spent float64 // s, in this stage
	level float64 // 0..1
}

func (e *envelope) start(of Envelope, inDB bool, key int) {
	of.Hold *= math.Exp2(float64(60-key) * of.KeyHold / 1200)
	of.Decay *= math.Exp2(float64(60-key) * of.KeyDecay / 1200)
	*e = envelope{Envelope: of, inDB: inDB, level: of.Start}
	if of.Delay <= 0 {
		e.stage = attacking
		if of.Attack <= 0 {
			e.stage, e.level = holding, 1
		}
	}
}

func (e *envelope) release() {
	if e.stage < releasing {
		e.stage, e.spent = releasing, 0
	}
}

// pass lets time go by, s, and returns the level then.
func (e *envelope) pass(s float64) float64 {
	for s > 0 {
		switch e.stage {
		case delaying:
			s = e.until(s, e.Delay, attacking)
			if e.stage == attacking && e.Attack <= 0 {
				e.stage, e.level = holding, 1
			}
		case attacking:
			left := e.Attack - e.spent
			if s < left {
				e.level += (1 - e.level) * s / left
				e.spent += s
				return e.level
			}
			s -= left
			e.stage, e.spent, e.level = holding, 0, 1
		case holding:
			s = e.until(s, e.Hold, decaying)
		case decaying:
			if e.fall(s, e.Decay, e.Sustain) {
				return e.level
			}
			e.stage, e.spent = sustaining, 0
		case releasing:
			if e.fall(s, e.Release, 0) {
				return e.level
			}
			e.stage, e.level = ended, 0
		default:
			return e.level
		}
	}
	return e.level
}

// until waits in a stage; what of the time is left is returned.
func (e *envelope) until(s, seconds float64, next stage) float64 {
	left := seconds - e.spent
	if s < left {
		e.spent += s
		return 0
	}
	e.stage, e.spent = next, 0
	return s - max(0, left)
}

// fall goes down at the rate of seconds for everything; false when the floor is met.
func (e *envelope) fall(s, seconds, floor float64) bool {
	if seconds <= 0 {
		e.level = floor
		return false
	}
	if !e.inDB {
		e.level -= s / seconds
	} else {
		e.level *= math.Exp(floorDB * math.Ln10 / 20 * s / seconds)
	}
	if e.level <= max(floor, 1e-5) {
		e.level = floor
		return false
	}
	return true
}

// lfo goes up and down.
type lfo struct {
	LFO
	at float64 // s since the note
}

// pass lets time go by, s, and returns what it does then.
func (l *lfo) pass(s float64) float64 {
	if l.Depth == 0 && !l.Triangle || l.Hz == 0 {
		return 0
	}
	return l.Depth * l.swing(s)
}

// swing is where it is, -1..1.
func (l *lfo) swing(s float64) float64 {
	l.at += s
	t := l.at - l.Delay
	if t <= 0 {
		return 0
	}
	phase := t * l.Hz
	phase -= math.Floor(phase)
	var x float64
	if l.Triangle {
		switch {
		case phase < .25:
			x = 4 * phase
		case phase < .75:
			x = 2 - 4*phase
		default:
			x = 4*phase - 4
		}
	} else {
		x = math.Sin(2 * math.Pi * phase)
	}
	if l.Fade > 0 && t < l.Fade {
		x *= t / l.Fade
	}
	return x
}
