package cue

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/timecode"
)

// FindAsk asks for tempi that meet hits.
type FindAsk struct {
	Rate      timecode.Rate
	Start     int64 // the first frame of the cue
	Hits      []Hit // at most MostHits
	LowBPM    float64
	HighBPM   float64
	StartWays float64 // frames by which the music may begin earlier or later, 0..48
	Beats     int     // in a bar, 1..32
	Most      int     // how many are listed; 0 is ten
}

// MostHits bounds the hits that tempi are looked for.
const MostHits = 200

// Step is how fine tempi are looked for, quarter notes a minute.
const Step = 0.01

// Found is a steady tempo, and how it meets the hits.
type Found struct {
	BPM    float64   `json:"bpm"`
	Click  string    `json:"click"`  // as InFrames has it
	Shift  float64   `json:"shift"`  // frames by which the music begins later
	Weight float64   `json:"weight"` // of the hits that are met, of those on a downbeat somewhat more
	Met    int       `json:"met"`
	Errors []HitMiss `json:"errors"` // of each hit
}

// InFrames is a tempo as film composers read a click: frames and eighths of a frame a beat, "12-4"
// (common practice, no source).
func InFrames(bpm float64, r timecode.Rate) string {
	eighths := int(math.Round(8 * 60 / bpm * float64(r.Num) / float64(r.Den)))
	return fmt.Sprintf("%d-%d", eighths/8, eighths%8)
}

// HitMiss is how far the nearest beat lies from a hit.
type HitMiss struct {
	Frames float64 `json:"frames"` // of the beat after the hit: positive when it comes late
	Place  Place   `json:"place"`  // bar and beat, from bar 1 on the start
	Met    bool    `json:"met"`    // within the tolerance
}

// downbeat is how much more a hit counts that falls on the first beat of a bar.
const downbeat = 0.25

func (a *FindAsk) check() error {
	switch {
	case len(a.Hits) == 0:
		return refused("", "there are no hits to meet")
	case len(a.Hits) > MostHits:
		return refused("", "%d hits; tempi are looked for %d at most", len(a.Hits), MostHits)
	case !(a.LowBPM >= 20 && a.HighBPM <= 400 && a.LowBPM <= a.HighBPM):
		return refused("", "tempi from %g to %g; use 20 to 400", a.LowBPM, a.HighBPM)
	case a.Beats < 1 || a.Beats > 32:
		return refused("", "%d beats in a bar; use 1 to 32", a.Beats)
	case !(a.StartWays >= 0 && a.StartWays <= 48):
		return refused("", "a start %g frames earlier or later; use 0 to 48", a.StartWays)
	}
	return nil
}

// Steady finds the steady tempi that let most weight of the hits fall on beats, the best first:
// every tempo in steps of 0.01, and every start within bounds. Of tempi that are nearly the same
// only the best is told.
func Steady(a FindAsk) ([]Found, error) {
	if err := a.check(); err != nil {
		return nil, err
	}
	times := make([]float64, len(a.Hits)) // frames after the start
	for n, h := range a.Hits {
		times[n] = float64(h.Frame - a.Start)
	}
	type spot struct{ bpm, shift, most, score float64 }
	spots := make([]spot, 0, int((a.HighBPM-a.LowBPM)/Step)+2)
	low, high := int(math.Round(a.LowBPM/Step)), int(math.Round(a.HighBPM/Step))
	edges := make([]edge, 0, 6*len(a.Hits))
	for k := low; k <= high; k++ {
		bpm := float64(k) * Step
		beat := 60 / bpm * float64(a.Rate.Num) / float64(a.Rate.Den) // frames
		shift, weight := a.bestShift(times, beat, edges[:0])
		spots = append(spots, spot{bpm: bpm, shift: shift, most: weight})
	}
	// Only those are looked at closely that may be among the best.
	slices.SortStableFunc(spots, func(x, y spot) int { return -cmp.Compare(x.most, y.most) })
	most := cmp.Or(a.Most, 10)
	for n := range spots {
		s := &spots[n]
		if n > 400*most && s.most < spots[400*most].most {
			spots = spots[:n]
			break
		}
		beat := 60 / s.bpm * float64(a.Rate.Num) / float64(a.Rate.Den)
		s.shift = a.centred(times, beat, s.shift)
		met, off := a.score(times, beat, s.shift)
		s.score = met - off*1e-3
	}
	slices.SortStableFunc(spots, func(x, y spot) int { return cmp.Or(-cmp.Compare(x.score, y.score), cmp.Compare(x.bpm, y.bpm)) })
	var out []Found
	for _, s := range spots {
		if len(out) == most || s.score <= 0 {
			break
		}
		if slices.ContainsFunc(out, func(f Found) bool { return math.Abs(f.BPM-s.bpm) < .005*s.bpm }) {
			continue
		}
		out = append(out, a.found(times, s.bpm, s.shift))
	}
	return out, nil
}

type edge struct{ at, weight float64 }

// bestShift is the start, frames later than that of the cue, with which most weight is met: hits
// are met while the start lies in a window around each beat, and the windows are swept.
func (a *FindAsk) bestShift(times []float64, beat float64, edges []edge) (shift, weight float64) {
	low, high := -a.StartWays, a.StartWays
	base := 0.0
	for n, at := range times {
		tolerance := a.Hits[n].Tolerance
		if 2*tolerance >= beat {
			base += a.Hits[n].Weight
			continue
		}
		// at - shift = k beat +- tolerance, so shift is within tolerance of at - k beat.
		for k := max(0, math.Ceil((at-high-tolerance)/beat)); at-k*beat+tolerance >= low; k++ {
			from, to := max(low, at-k*beat-tolerance), min(high, at-k*beat+tolerance)
			if from > to {
				continue
			}
			w := a.Hits[n].Weight
			if int64(k)%int64(a.Beats) == 0 {
				w *= 1 + downbeat
			}
			edges = append(edges, edge{from, w}, edge{to, -w})
		}
	}
	slices.SortFunc(edges, func(x, y edge) int { return cmp.Or(cmp.Compare(x.at, y.at), -cmp.Compare(x.weight, y.weight)) })
	now, best := base, math.Inf(-1)
	for n, e := range edges {
		now += e.weight
		if e.weight > 0 && now > best+1e-9 {
			best, shift = now, e.at
			if n+1 < len(edges) {
				shift = (e.at + edges[n+1].at) / 2
			}
		}
	}
	if math.IsInf(best, -1) {
		return 0, base
	}
	return shift, best
}

// centred moves a start within its bounds to where the hits that it meets are missed least.
func (a *FindAsk) centred(times []float64, beat, shift float64) float64 {
	sum, weight := 0.0, 0.0
	for n, at := range times {
		if d := miss(at-shift, beat); math.Abs(d) <= a.Hits[n].Tolerance {
			sum, weight = sum+d*a.Hits[n].Weight, weight+a.Hits[n].Weight
		}
	}
	if weight == 0 {
		return shift
	}
	better := min(a.StartWays, max(-a.StartWays, shift-sum/weight))
	met, _ := a.score(times, beat, shift)
	if now, _ := a.score(times, beat, better); now < met-1e-9 {
		return shift
	}
	return better
}

// miss is how far the nearest beat lies from a place, frames: positive when it comes after it.
func miss(at, beat float64) float64 {
	k := max(0, math.Round(at/beat))
	return k*beat - at
}

// score is the weight of the hits that are met, and how far they are missed together.
func (a *FindAsk) score(times []float64, beat, shift float64) (met, off float64) {
	for n, at := range times {
		d := miss(at-shift, beat)
		if math.Abs(d) > a.Hits[n].Tolerance+1e-9 {
			continue
		}
		w := a.Hits[n].Weight
		off += w * math.Abs(d)
		if k := int64(max(0, math.Round((at-shift)/beat))); k%int64(a.Beats) == 0 {
			w *= 1 + downbeat
		}
		met += w
	}
	return met, off
}

func (a *FindAsk) found(times []float64, bpm, shift float64) Found {
	beat := 60 / bpm * float64(a.Rate.Num) / float64(a.Rate.Den)
	f := Found{BPM: math.Round(bpm/Step) * Step, Click: InFrames(bpm, a.Rate), Shift: math.Round(shift*100) / 100, Errors: make([]HitMiss, len(times))}
	f.BPM = math.Round(f.BPM*100) / 100
	for n, at := range times {
		d := miss(at-shift, beat)
		k := int64(max(0, math.Round((at-shift)/beat)))
		f.Errors[n] = HitMiss{Frames: math.Round(d*100) / 100, Place: Place{1 + k/int64(a.Beats), float64(1 + k%int64(a.Beats))}, Met: math.Abs(d) <= a.Hits[n].Tolerance+1e-9}
		if f.Errors[n].Met {
			f.Met++
			f.Weight += a.Hits[n].Weight
		}
	}
	return f
}

// Leg is a part of a map of tempi: so many beats at one tempo, up to a hit.
type Leg struct {
	From  int64   `json:"from"` // frames of timecode
	To    int64   `json:"to"`
	Beats int     `json:"beats"`
	BPM   float64 `json:"bpm"`
}

// Mapped is a map of few tempi that meets hits on beats.
type Mapped struct {
	Legs    []Leg     `json:"legs"`
	Changes int       `json:"changes"` // of the tempo
	Weight  float64   `json:"weight"`  // of the hits that are met
	Met     int       `json:"met"`
	Errors  []HitMiss `json:"errors"`
}

// The costs by which maps are compared: of a change of tempo, in weights of a usual hit, and of
// how much it changes, for each octave of tempo.
const (
	changeCost = 0.2
	leapCost   = 2.0
	hitMissed  = 1.0
)

// Maps finds maps of tempi that meet hits on beats, with few and small changes: each hit that
// is met ends a leg of a whole number of beats at one tempo, and from leg to leg the tempo
// changes by a ratio at most. It is dynamic programming over the hits in the order of their
// time; heavier hits are left out last.
func Maps(a FindAsk, ratio float64) ([]Mapped, error) {
	if err := a.check(); err != nil {
		return nil, err
	}
	if !(ratio >= 1 && ratio <= 4) {
		return nil, refused("", "tempi that change by a ratio of %g; use 1 to 4", ratio)
	}
	order := make([]int, 0, len(a.Hits))
	for n, h := range a.Hits {
		if h.Frame > a.Start {
			order = append(order, n)
		}
	}
	if len(order) == 0 {
		return nil, refused("", "no hit lies after the start")
	}
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(a.Hits[x].Frame, a.Hits[y].Frame) })
	states := a.walk(order, ratio)
	var ends []*state
	for _, list := range states {
		ends = append(ends, list...)
	}
	left := func(s *state) float64 { // what is not met after it
		sum := 0.0
		for k := s.hit + 1; k < len(order); k++ {
			sum += hitMissed * a.Hits[order[k]].Weight
		}
		return s.cost + sum
	}
	slices.SortStableFunc(ends, func(x, y *state) int { return cmp.Or(cmp.Compare(left(x), left(y)), cmp.Compare(x.bpm, y.bpm)) })
	most := cmp.Or(a.Most, 10)
	var out []Mapped
	seen := map[string]bool{}
	for _, s := range ends {
		m := a.mapped(order, s)
		key := fmt.Sprint(m.Legs)
		if seen[key] {
			continue
		}
		seen[key] = true
		if out = append(out, m); len(out) == most {
			break
		}
	}
	return out, nil
}

// state is a hit that is met at the end of a leg.
type state struct {
	hit    int // in the order of time
	beats  int
	bpm    float64
	cost   float64
	before *state // nil at the start
}

// keptStates is how many of the best are kept at each hit.
const keptStates = 120

func (a *FindAsk) walk(order []int, ratio float64) [][]*state {
	states := make([][]*state, len(order))
	fps := float64(a.Rate.Num) / float64(a.Rate.Den)
	const skips = 6 // hits that may be left out in a row
	for k, hit := range order {
		at := float64(a.Hits[hit].Frame)
		skipped := 0.0
		for from := k - 1; from >= -1 && from >= k-1-skips; from-- {
			start := float64(a.Start)
			if from >= 0 {
				start = float64(a.Hits[order[from]].Frame)
			}
			long := (at - start) / fps // s
			for beats := max(1, int(math.Ceil(long*a.LowBPM/60-1e-9))); float64(beats) <= long*a.HighBPM/60+1e-9; beats++ {
				bpm := 60 * float64(beats) / long
				if from < 0 {
					states[k] = append(states[k], &state{hit: k, beats: beats, bpm: bpm, cost: skipped})
					continue
				}
				for _, s := range states[from] {
					leap := math.Abs(math.Log2(bpm / s.bpm))
					if leap > math.Log2(ratio)+1e-9 {
						continue
					}
					cost := s.cost + skipped
					if leap > 1e-4 {
						cost += changeCost + leapCost*leap
					}
					states[k] = append(states[k], &state{k, beats, bpm, cost, s})
				}
			}
			if from >= 0 {
				skipped += hitMissed * a.Hits[order[from]].Weight
			}
		}
		slices.SortStableFunc(states[k], func(x, y *state) int { return cmp.Or(cmp.Compare(x.cost, y.cost), cmp.Compare(x.bpm, y.bpm)) })
		states[k] = states[k][:min(len(states[k]), keptStates)]
	}
	return states
}

// mapped is the map that ends in a state, with how it meets every hit; after its last leg the
// tempo stays.
func (a *FindAsk) mapped(order []int, end *state) Mapped {
	var m Mapped
	for s := end; s != nil; s = s.before {
		from := a.Start
		if s.before != nil {
			from = a.Hits[order[s.before.hit]].Frame
		}
		m.Legs = append(m.Legs, Leg{from, a.Hits[order[s.hit]].Frame, s.beats, math.Round(s.bpm*1000) / 1000})
	}
	slices.Reverse(m.Legs)
	for n := 1; n < len(m.Legs); n++ {
		if math.Abs(m.Legs[n].BPM-m.Legs[n-1].BPM) > .0005 {
			m.Changes++
		}
	}
	fps := float64(a.Rate.Num) / float64(a.Rate.Den)
	for _, h := range a.Hits {
		beats, leg := 0, m.Legs[len(m.Legs)-1]
		start := float64(leg.To)
		for _, l := range m.Legs {
			if h.Frame < l.To {
				leg, start = l, float64(l.From)
				break
			}
			beats += l.Beats
		}
		beat := 60 / leg.BPM * fps
		if h.Frame < leg.To && start == float64(leg.From) {
			beat = float64(leg.To-leg.From) / float64(leg.Beats)
		}
		at := float64(h.Frame) - start
		d := math.Round(at/beat)*beat - at
		k := beats + int(math.Round(at/beat))
		k = max(k, 0)
		x := HitMiss{Frames: math.Round(d*100) / 100, Place: Place{int64(1 + k/a.Beats), float64(1 + k%a.Beats)}, Met: math.Abs(d) <= h.Tolerance+1e-9}
		m.Errors = append(m.Errors, x)
		if x.Met {
			m.Met++
			m.Weight += h.Weight
		}
	}
	return m
}
