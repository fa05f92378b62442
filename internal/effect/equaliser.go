package effect

import (
	"math"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// equaliser cuts the ends, and raises or lowers what lies between.
type equaliser struct {
	edges  edges
	stages [][2]dsp.Biquad
}

func newEqualiser(e template.BusEffect, rate float64) *equaliser {
	q := &equaliser{edges: newEdges(e, rate)}
	hz := func(name string) float64 { return min(e.Value(name), .45*rate) }
	add := func(db float64, c dsp.Coefficients) {
		if db != 0 {
			f := dsp.Biquad{Coefficients: c}
			q.stages = append(q.stages, [2]dsp.Biquad{f, f})
		}
	}
	low, bell, high := e.Value(template.SetLowDB), e.Value(template.SetBellDB), e.Value(template.SetHighDB)
	add(low, dsp.LowShelf(hz(template.SetLowHz), low, rate))
	add(bell, dsp.Bell(hz(template.SetBellHz), bell, e.Value(template.SetBellQ), rate))
	add(high, dsp.HighShelf(hz(template.SetHighHz), high, rate))
	return q
}

func (q *equaliser) Tail() float64 { return .05 }
func (q *equaliser) Late() int     { return 0 }

func (q *equaliser) Run(b *Block) {
	q.edges.run(b)
	for n := range q.stages {
		for c := range b {
			q.stages[n][c].Run(b[c][:])
		}
	}
}

// limiter keeps the true peak below a ceiling: it looks ahead, turns down in time, and lets
// go slowly.
type limiter struct {
	ceiling, level float64
	release        float64 // what is left of the reduction after a frame
	ahead          int
	late           [2]*line
	over           [2]dsp.Oversampled
	least          least     // of the gains wanted within the window
	smooth         []float64 // gains held, of which the mean is taken, a ring
	at             int
	sum            float64
	held           float64
}

// lookAheadS is how far the limiter looks ahead, s.
const lookAheadS = .003

func newLimiter(e template.BusEffect, rate float64) *limiter {
	l := &limiter{
		ceiling: dsp.Amplitude(e.Value(template.SetCeiling)), level: dsp.Amplitude(e.Value(template.SetLevel)),
		release: math.Exp(-1 / (e.Value(template.SetRelease) / 1000 * rate)), ahead: int(lookAheadS * rate), held: 1,
	}
	// What is wanted is known for as long as the window is; the mean over it comes down to
	// the least within it in time.
	l.least, l.smooth = least{over: l.ahead}, make([]float64, l.ahead)
	for n := range l.smooth {
		l.smooth[n] = 1
	}
	l.sum = float64(l.ahead)
	for c := range l.late {
		l.late[c] = newLine(l.Late())
	}
	return l
}

func (l *limiter) Tail() float64 { return 2 * lookAheadS }

// Late is the delay of the window and of the true peak's own filter.
func (l *limiter) Late() int { return l.ahead - 1 + dsp.OversampledLate }

func (l *limiter) Run(b *Block) {
	for n := range Frames {
		peak := 0.0
		for c := range b {
			b[c][n] *= l.level
			peak = max(peak, l.over[c].Peak(b[c][n]))
		}
		want := 1.0
		if peak > l.ceiling {
			want = l.ceiling / peak
		}
		l.held = min(l.least.next(want), 1-(1-l.held)*l.release)
		l.sum += l.held - l.smooth[l.at]
		l.smooth[l.at] = l.held
		if l.at++; l.at == len(l.smooth) {
			l.at = 0
		}
		gain := min(1, l.sum/float64(l.ahead))
		for c := range b {
			l.late[c].swap(b[c][n : n+1])
			b[c][n] *= gain
		}
	}
}

// least is the least of the last numbers, as many as over: those are kept that may yet be
// the least.
type least struct {
	over, now int
	kept      []dated
}

type dated struct {
	at    int
	value float64
}

func (l *least) next(x float64) float64 {
	for len(l.kept) > 0 && l.kept[len(l.kept)-1].value >= x {
		l.kept = l.kept[:len(l.kept)-1]
	}
	l.kept = append(l.kept, dated{l.now, x})
	if l.kept[0].at <= l.now-l.over {
		l.kept = l.kept[:copy(l.kept, l.kept[1:])]
	}
	l.now++
	return l.kept[0].value
}
