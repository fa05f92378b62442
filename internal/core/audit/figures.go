package audit

import (
	"fmt"
	"math"

	"fanfold/internal/core/dsp"
)

// Figures are those of one file.
type Figures struct {
	Name     string   `json:"name"`
	Role     Role     `json:"role"`
	Folds    []string `json:"folds,omitempty"`
	Stem     string   `json:"stem,omitempty"`
	Channels int      `json:"channels"`
	RateHz   int      `json:"rateHz"`
	Samples  string   `json:"samples"`
	Seconds  float64  `json:"seconds"`
	Begin    int64    `json:"begin"` // samples since midnight; -1 when the file does not say
	PeakDB   float64  `json:"peakDb"`
	TruePeak float64  `json:"truePeak"` // dBTP
	RMSDB    float64  `json:"rmsDb"`
	LUFS     float64  `json:"lufs"`  // integrated
	Range    float64  `json:"range"` // LU
	Moment   float64  `json:"moment"`
	Wave     []int8   `json:"-"`     // the sound drawn: see WaveFrames
	Short    float64  `json:"short"` // the highest momentary and short-term loudness, LUFS
}

// The bounds of what is found in one file.
const (
	// A sample counts as at full scale from here on: two steps of 16 bits below it.
	fullScale = 1 - 2./(1<<15)
	// clippedRun is how many in a row clip [common practice, no source].
	clippedRun = 3
	// silentPeak is the strongest sample of silence: -90 dBFS.
	silentPeak = 3.2e-5
	// deadPeak is what the other channel must have for one to be dead: -60 dBFS.
	deadPeak = 1e-3
	// dcShare is how much of full scale the mean may be: -60 dBFS [common practice, no source].
	dcShare = 1e-3
	// startPeak is how strong the first sample may be, -40 dBFS: a stroke on the first beat
	// begins at once. edgePeak is how strong the end may be: -60 dBFS, the noise of a good room
	// below a mezzo-forte.
	startPeak, edgePeak = 1e-2, 1e-3
	// edgeS is how long an end is, s.
	edgeS = .01
	// dropS is how long silence in the middle of a sound is a gap, s; heardPeak is how strong
	// the sound beside it is at least, on both sides: -50 dBFS.
	dropS, heardPeak = .003, 3.2e-3
	// besideS is how soon after the silence the sound must be as strong, s, and fading how much
	// of what was before it counts after each sample.
	besideS, fading = .002, .95
	// mostTold is how many marks of a kind one file has.
	mostTold = 20
)

type stretch struct{ from, to int64 }

// meter measures one file.
type meter struct {
	f        *File
	loud     *dsp.Loudness
	peaks    []dsp.TruePeak
	sums     []float64
	squares  float64
	peak     []float64
	frames   int64
	wave     wave
	same     bool
	step     float64 // by which two channels may differ and be the same: rounding and dither
	clipped  int64
	clips    []stretch
	runs     []int // samples at full scale in a row, by channel
	drops    []stretch
	zeros    int64   // frames of nothing in a row
	beside   float64 // how strong it was right before them
	after    stretch // silence after which it is looked how strong it goes on
	edge     int64
	first    float64   // the strongest jump at the start
	lastEdge []float64 // the strongest sample of each of the last short pieces
}

func newMeter(f *File) *meter {
	weights := make([]float64, f.Channels)
	for c := range weights {
		weights[c] = 1
	}
	if f.Channels == len(dsp.FiveWeights) {
		weights = dsp.FiveWeights
	}
	m := &meter{
		f: f, loud: dsp.NewLoudness(float64(f.RateHz), weights), peaks: make([]dsp.TruePeak, f.Channels), sums: make([]float64, f.Channels),
		peak: make([]float64, f.Channels), same: f.Channels == 2, runs: make([]int, f.Channels), edge: max(1, int64(edgeS*float64(f.RateHz))),
	}
	if m.step = 1e-6; !f.Floating {
		m.step = 4 / math.Exp2(float64(f.Bits-1))
	}
	return m
}

// add takes the frames from a place on.
func (m *meter) add(sound [][]float64, from int64) {
	if len(sound[0]) == 0 {
		return
	}
	if from == 0 {
		for _, x := range sound {
			m.first = max(m.first, math.Abs(x[0]))
		}
	}
	m.loud.Add(sound...)
	m.wave.add(sound)
	strongest := 0.0
	for c, x := range sound {
		sum, squares, peak := 0.0, 0.0, 0.0
		for left := x; len(left) > 0; {
			piece := left[:min(dsp.PieceFrames, len(left))]
			high := 0.0
			for _, v := range piece {
				sum += v
				squares += v * v
				if v = math.Abs(v); v > high {
					high = v
				}
			}
			m.peaks[c].AddPiece(piece, high)
			if high > peak {
				peak = high
			}
			left = left[len(piece):]
		}
		m.sums[c] += sum
		m.squares += squares
		m.peak[c] = max(m.peak[c], peak)
		strongest = max(strongest, peak)
		if peak >= fullScale {
			m.clip(c, x, from)
		} else {
			m.runs[c] = 0
		}
	}
	if m.same {
		for n, v := range sound[0] {
			if math.Abs(v-sound[1][n]) > m.step {
				m.same = false
				break
			}
		}
	}
	m.gaps(sound, from, strongest)
	m.frames = from + int64(len(sound[0]))
}

func (m *meter) clip(c int, x []float64, from int64) {
	for n, v := range x {
		if math.Abs(v) < fullScale {
			m.runs[c] = 0
			continue
		}
		if m.runs[c]++; m.runs[c] < clippedRun {
			continue
		}
		m.clipped++
		at := from + int64(n)
		if k := len(m.clips) - 1; k >= 0 && at-m.clips[k].to < int64(m.f.RateHz) && at >= m.clips[k].from {
			m.clips[k].to = at
		} else if len(m.clips) < mostTold {
			m.clips = append(m.clips, stretch{at - clippedRun + 1, at})
		}
	}
}

// gaps finds silence in the middle of sound, and keeps how strong the last pieces are.
func (m *meter) gaps(sound [][]float64, from int64, strongest float64) {
	if strongest == 0 {
		m.zeros += int64(len(sound[0]))
		m.after = stretch{}
		m.lastEdge = append(m.lastEdge[:0], 0)
		return
	}
	rate := int64(m.f.RateHz)
	least, look := max(2, int64(dropS*float64(rate))), max(2, int64(besideS*float64(rate)))
	for n := 0; n < len(sound[0]); {
		end := min(len(sound[0]), n+int(m.edge-(from+int64(n))%m.edge))
		peak, silent := strongestOf(sound, n, end)
		first := n
		if m.zeros == 0 && m.after.to == 0 && !silent {
			first = max(n, end-int(look)) // nothing stops here; what is beside what follows counts
		}
		for k := first; k < end; k++ {
			v := 0.0
			for c := range sound {
				v = max(v, math.Abs(sound[c][k]))
			}
			if v == 0 {
				m.zeros++
				continue
			}
			at := from + int64(k)
			if m.zeros >= least && m.zeros < rate && m.beside >= heardPeak {
				m.after = stretch{at - m.zeros, at}
			}
			if m.after.to > 0 {
				switch {
				case at-m.after.to > look:
					m.after = stretch{}
				case v >= heardPeak && len(m.drops) < mostTold:
					m.drops, m.after = append(m.drops, m.after), stretch{}
				}
			}
			if m.zeros > 0 {
				m.beside = 0
			}
			m.zeros = 0
			m.beside = max(fading*m.beside, v) // what is right beside it counts
		}
		m.lastEdge = append(m.lastEdge, peak)
		if len(m.lastEdge) > 4 {
			m.lastEdge = m.lastEdge[1:]
		}
		n = end
	}
}

// strongestOf is the strongest sample of a piece, and whether there is silence in it.
func strongestOf(sound [][]float64, from, to int) (peak float64, silent bool) {
	other := sound[len(sound)-1][:to]
	for k, v := range sound[0][from:to] {
		a, b := math.Abs(v), math.Abs(other[from+k])
		if a < b {
			a = b
		}
		if a == 0 {
			silent = true
		}
		if a > peak {
			peak = a
		}
	}
	return peak, silent
}

// figures tells what was measured, and marks what is wrong with it.
func (m *meter) figures(r *run, t *track) Figures {
	f := &r.ask.Files[t.at]
	rate := float64(f.RateHz)
	out := Figures{
		Name: f.Name, Role: f.Role, Folds: f.Folds, Stem: f.Stem, Channels: f.Channels, RateHz: f.RateHz, Samples: f.Samples(),
		Seconds: float64(m.frames) / rate, Begin: f.Begin, PeakDB: dsp.Silence, TruePeak: dsp.Silence,
		RMSDB: dsp.PowerDB(m.squares / float64(max(1, m.frames*int64(f.Channels)))),
		LUFS:  m.loud.Integrated(), Range: m.loud.Range(), Moment: dsp.Silence, Short: dsp.Silence,
	}
	m.wave.end()
	out.Wave = m.wave.steps
	for c := range m.peaks {
		out.PeakDB = max(out.PeakDB, dsp.DB(m.peak[c]))
		out.TruePeak = max(out.TruePeak, m.peaks[c].DBTP())
	}
	for _, v := range m.loud.Momentary() {
		out.Moment = max(out.Moment, v)
	}
	for _, v := range m.loud.ShortTerm() {
		out.Short = max(out.Short, v)
	}
	if f.Role == Stem || f.Role == Mix || f.Role == Limited {
		m.marks(r, f, out)
	}
	return out
}

func (m *meter) marks(r *run, f *File, x Figures) {
	rate := float64(f.RateHz)
	s := func(frames int64) float64 { return float64(frames) / rate }
	name, end := f.Called(), s(m.frames)
	strongest := 0.0
	for _, p := range m.peak {
		strongest = max(strongest, p)
	}
	if strongest < silentPeak {
		if !f.Silent {
			r.mark("silent", f, 0, 0, end, "%s is silent", name)
		}
		return
	}
	for _, c := range m.clips {
		r.mark("clipping", f, float64(c.to-c.from+1), s(c.from), s(c.to+1), "%s clips at %s", name, clock(s(c.from)))
	}
	for _, d := range m.drops {
		r.mark("dropout", f, s(d.to-d.from), s(d.from), s(d.to), "%s drops out for %.0f ms at %s", name, 1000*s(d.to-d.from), clock(s(d.from)))
	}
	if r.ask.PeakDB != 0 && x.TruePeak > r.ask.PeakDB+.05 {
		at := 0.0
		for c := range m.peaks {
			if m.peaks[c].DBTP() == x.TruePeak {
				at = s(m.peaks[c].At())
			}
		}
		r.mark("true-peak", f, x.TruePeak, at, at, "%s reaches %.1f dBTP at %s; %.1f is the limit", name, x.TruePeak, clock(at), r.ask.PeakDB)
	}
	for c, sum := range m.sums {
		if dc := math.Abs(sum) / float64(max(1, m.frames)); dc > dcShare {
			r.mark("dc", f, dsp.DB(dc), 0, end, "%s has a DC offset of %.0f dBFS in channel %d", name, dsp.DB(dc), c+1)
			break
		}
	}
	if f.Channels == 2 {
		for c, p := range m.peak {
			if p < silentPeak && m.peak[1-c] > deadPeak {
				r.mark("dead-side", f, 0, 0, end, "%s is silent on the %s", name, []string{"left", "right"}[c])
			}
		}
		if m.same && !f.Mono {
			r.mark("both-same", f, 0, 0, end, "%s is identical on both sides", name).Note = true
		}
	}
	if m.first > startPeak {
		r.mark("start-click", f, dsp.DB(m.first), 0, 0, "%s begins abruptly, at %.0f dBFS", name, dsp.DB(m.first))
	}
	tail := 0.0
	for _, p := range m.lastEdge[max(0, len(m.lastEdge)-3):] {
		tail = max(tail, p)
	}
	if tail > edgePeak && f.Lost == 0 {
		r.mark("cut-tail", f, dsp.DB(tail), end, end, "%s is cut off at its end, at %.0f dBFS", name, dsp.DB(tail))
	}
}

// loudness holds the mix against what is asked for.
func (r *run) loudness() {
	if r.ask.LoudnessLUFS == 0 {
		return
	}
	for n, t := range r.tracks {
		f := &r.ask.Files[t.at]
		if f.Role != Mix && f.Role != Limited || f.Role == Mix && r.has(Limited) {
			continue
		}
		x := r.report.Files[n]
		if by := x.LUFS - r.ask.LoudnessLUFS; math.Abs(by) > mostLoudnessOff {
			word := "louder"
			if by < 0 {
				word = "softer"
			}
			r.mark("loudness", f, x.LUFS, 0, x.Seconds, "%s is at %.1f LUFS, %.1f LU %s than asked for", f.Called(), x.LUFS, math.Abs(by), word)
		}
	}
}

// mostLoudnessOff is how far the loudness may be off, LU: EBU R 128 for what is not a live
// programme.
const mostLoudnessOff = .5

func (r *run) has(role Role) bool {
	for n := range r.ask.Files {
		if r.ask.Files[n].Role == role {
			return true
		}
	}
	return false
}

// clock writes a place: minutes and seconds.
func clock(s float64) string {
	tenths := int(10 * s)
	return fmt.Sprintf("%d:%02d.%d", tenths/600, tenths/10%60, tenths%10)
}
