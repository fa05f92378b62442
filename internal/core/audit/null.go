package audit

import (
	"math"
	"slices"

	"fanfold/internal/core/dsp"
)

// Null is whether the stems of a fold add up to the mix.
type Null struct {
	Fold     string    `json:"fold"`
	Name     string    `json:"name"`
	Stems    int       `json:"stems"`         // that were added up
	Why      string    `json:"why,omitempty"` // it was not tested
	AddsUp   bool      `json:"addsUp"`
	PeakDB   float64   `json:"peakDb"` // of what is left, dBFS
	RMSDB    float64   `json:"rmsDb"`
	NoiseDB  float64   `json:"noiseDb"`   // RMS that rounding and dither must leave, dBFS
	AllowedD float64   `json:"allowedDb"` // the highest peak that is allowed, dBFS
	Seconds  []float32 `json:"seconds"`   // the peak of what is left, second by second, dBFS
	Skipped  int       `json:"skipped"`   // seconds in which the limiter worked
}

// What may be left.
const (
	// renderedDB is what may be left of sound that is not rounded, dBFS.
	renderedDB = -120
	// peakRoomDB is how far the peaks of the noise of many files lie above its RMS. It is
	// near to Gaussian; in ten minutes of stereo it reaches 5.6 times its RMS, 15 dB, and
	// eight times once in ten billion years.
	peakRoomDB = 18
	// rmsRoomDB is how much stronger the noise of one second may be than it should: dither may
	// be shaped.
	rmsRoomDB = 3
	// limitRoomDB is how far below the strongest sample a limited mix is taken as it was, dB.
	limitRoomDB = 3
)

// null adds up the stems of a fold.
type null struct {
	run     *run
	fold    Fold
	mix     *track
	stems   []*track
	guides  []*track // what is left may be one of them
	why     string
	scale   float64 // of the mix, by which the stems come into it
	noise   float64 // power of what rounding leaves
	peak    float64
	power   float64
	counted int
	seconds []float32
	skipped int
	failed  []failure
	known   []column
	lagged  int // how often lags were looked for
	wetLike int // seconds in which only the wet differs
	left    [2][]float64

	unexplained bool // the mix has what no stem has
}

// failure is a second in which something is left, and what explains it.
type failure struct {
	second  int
	peak    float64
	energy  float64
	causes  []cause
	open    bool // not explained
	clipped []*track
	dropped []*track
}

// cause is a stem that explains what is left.
type cause struct {
	stem *track
	gain float64 // with which the mix has it, against the stem
	late int     // samples by which the stem is later than the mix
	drop bool    // it stops while the mix goes on
}

// column is a stem at a lag, as one explanation.
type column struct {
	stem *track
	late int
}

func (r *run) newNull(f Fold) *null {
	n := &null{run: r, fold: f, scale: 1}
	roles := []Role{Mix, Limited}
	for _, role := range roles {
		for _, t := range r.tracks {
			if n.mix == nil && t.Role == role {
				n.mix = t
			}
		}
	}
	apart := ""
	for _, t := range r.tracks {
		switch {
		case t.Role != Stem || !slices.Contains(t.Folds, f.ID):
		case t.sum:
			n.stems = append(n.stems, t)
		case apart == "":
			apart = t.Called()
		}
	}
	switch {
	case f.Why != "":
		n.why = f.Why
	case n.mix == nil:
		n.why = "there is no mix to hold them against"
	case !n.mix.sum:
		n.why = "the mix has another rate than the stems"
	case apart != "":
		n.why = apart + " has another rate than the mix"
	case len(n.stems) == 0:
		n.why = "none of its stems is here at the rate of the mix"
	}
	if n.why != "" {
		return n
	}
	if n.mix.Role == Limited && r.ask.LimitedGain > 0 {
		n.scale = r.ask.LimitedGain
	}
	n.noise = rounding(&n.mix.File)
	for _, t := range n.stems {
		n.noise += t.Gain * t.Gain * n.scale * n.scale * rounding(&t.File)
	}
	for c := range n.left {
		n.left[c] = make([]float64, r.frames)
	}
	for _, t := range r.tracks {
		if t.Role == Guide && t.sum {
			n.guides = append(n.guides, t)
		}
	}
	return n
}

// rounding is the power of the noise that rounding with dither leaves in a file: half a step
// RMS, as 7-sound's sources say of triangular dither. Floating point leaves next to none.
func rounding(f *File) float64 {
	if f.Floating || f.Bits == 0 {
		return 0
	}
	half := .5 / math.Exp2(float64(f.Bits-1))
	return half * half
}

// side is a channel of a track's window; a track of one channel has it on both sides.
func (t *track) side(window, c int) []float32 {
	x := t.windows[window]
	return x[min(c, len(x)-1)]
}

// window looks at the present second.
func (n *null) window(second int) {
	if n.why != "" {
		return
	}
	for c := range n.left {
		left := n.left[c]
		for k, v := range n.mix.side(present, c)[:len(left)] {
			left[k] = float64(v)
		}
		for _, t := range n.stems {
			gain := t.Gain * n.scale
			for k, v := range t.side(present, c)[:len(left)] {
				left[k] -= gain * float64(v)
			}
		}
	}
	peak, power := level(n.left[:])
	if n.mix.Role == Limited {
		if high, _ := level(n.mix.windows[present]); high > n.limit() {
			n.skipped++
			n.seconds = append(n.seconds, float32(dsp.Silence))
			return
		}
	}
	n.peak, n.power, n.counted = max(n.peak, peak), n.power+power, n.counted+1
	n.seconds = append(n.seconds, float32(dsp.DB(peak)))
	if peak <= n.mostPeak() && power <= n.mostPower() {
		return
	}
	n.explain(second, peak, power*float64(2*len(n.left[0])))
}

// limit is from where on a limited mix is not what went in: somewhat below its strongest
// sample, which is known only in the end; until then below what is asked for.
func (n *null) limit() float64 {
	top := dsp.Amplitude(-1)
	if n.run.ask.PeakDB != 0 {
		top = dsp.Amplitude(n.run.ask.PeakDB)
	}
	return top * dsp.Amplitude(-limitRoomDB)
}

// mostPeak is the strongest sample that may be left, mostPower the power.
func (n *null) mostPeak() float64 {
	return max(dsp.Amplitude(renderedDB), math.Sqrt(n.noise)*dsp.Amplitude(peakRoomDB))
}

func (n *null) mostPower() float64 {
	least := dsp.Amplitude(renderedDB)
	return max(least*least, n.noise*math.Pow(10, rmsRoomDB/10.))
}

// finish tells what came of it.
func (n *null) finish(r *run) Null {
	out := Null{
		Fold: n.fold.ID, Name: n.fold.Name, Stems: len(n.stems), Why: n.why, PeakDB: dsp.DB(n.peak), RMSDB: dsp.PowerDB(n.power / float64(max(1, n.counted))),
		NoiseDB: dsp.PowerDB(n.noise), AllowedD: dsp.DB(n.mostPeak()), Seconds: n.seconds, Skipped: n.skipped,
	}
	if n.why != "" {
		return out
	}
	if n.counted == 0 {
		out.Why = "the limiter of the mix works all the time"
		return out
	}
	if out.AddsUp = len(n.failed) == 0; out.AddsUp {
		return out
	}
	n.tell(r)
	return out
}
