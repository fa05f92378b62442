package cue

import (
	"cmp"
	"slices"

	"fanfold/internal/core/tempo"
)

// TickEdit takes music out, or puts empty time in, at a tick.
type TickEdit struct {
	At   int64 `json:"at"`
	Take int64 `json:"take,omitempty"`
	Put  int64 `json:"put,omitempty"`
}

// TickEdits are edits of one piece of music, in order, that do not overlap; ticks are those
// before all of them.
type TickEdits []TickEdit

// At is where a tick lies afterwards; false when it was taken out. It is where the music goes
// on, then.
func (e TickEdits) At(tick int64) (int64, bool) {
	by := int64(0)
	for _, x := range e {
		switch {
		case tick < x.At:
			return tick + by, true
		case tick < x.At+x.Take:
			return x.At + by + x.Put, false
		}
		by += x.Put - x.Take
	}
	return tick + by, true
}

// bar is one bar of music.
type bar struct {
	long  int64 // ticks
	beats int
	unit  int
}

// bars lists the bars of a time up to a tick.
func (t Time) bars(until int64) []bar {
	var out []bar
	metres := t.Bars.Metres()
	n := 0
	for number := int64(1); ; number++ {
		from, to := t.Bars.Start(number), t.Bars.Start(number+1)
		if from >= until && number > 1 {
			return out
		}
		for n+1 < len(metres) && metres[n+1].Tick <= from {
			n++
		}
		out = append(out, bar{to - from, metres[n].Beats, metres[n].Unit})
	}
}

// edited are bars after edits: bars that are taken out are gone, others are shorter; what is put
// in is in whole bars of the metre there, and one of what is left.
func edited(list []bar, edits TickEdits) []bar {
	var out []bar
	at := int64(0)
	put := func(long int64, like bar) {
		full := like.long
		for ; full > 0 && long >= full; long -= full {
			out = append(out, like)
		}
		if long > 0 {
			out = append(out, shaped(long, like.unit))
		}
	}
	n := 0
	for _, b := range list {
		from, to := at, at+b.long
		at = to
		left := b.long
		for k := n; k < len(edits); k++ {
			e := edits[k]
			if e.At >= to {
				break
			}
			left -= max(0, min(to, e.At+e.Take)-max(from, e.At))
			if e.Put > 0 && e.At >= from {
				put(e.Put, b)
			}
			if e.At+e.Take <= to {
				n = k + 1
			}
		}
		switch {
		case left == b.long:
			out = append(out, b)
		case left > 0:
			out = append(out, shaped(left, b.unit))
		}
	}
	return out
}

// shaped is a bar of a length, in beats of a unit or of the first shorter one that fits.
func shaped(long int64, unit int) bar {
	for ; unit < 32; unit *= 2 {
		if beat := 4 * Ticks / int64(unit); long%beat == 0 && long/beat <= 255 {
			return bar{long, int(long / beat), unit}
		}
	}
	beat := 4 * Ticks / int64(unit)
	return bar{long, int(max(1, long/beat)), unit}
}

// metresOf are the metres of bars; what comes after them goes on in the last.
func metresOf(list []bar) []Metre {
	var out []Metre
	for n, b := range list {
		if last := len(out) - 1; last < 0 || out[last].Beats != b.beats || out[last].Unit != b.unit {
			out = append(out, Metre{int64(n + 1), b.beats, b.unit})
		}
	}
	return out
}

// tempiAfter are tempi after edits: where music is taken out, that of where it goes on; where time
// is put in, it stands still as it was there.
func tempiAfter(curve *tempo.Curve, edits TickEdits) []tempo.Point {
	milli := func(bpm float64) int64 {
		return min(tempo.FastestMilliBPM, max(tempo.SlowestMilliBPM, int64(bpm*1000+.5)))
	}
	points := curve.Points()
	ramps := func(tick int64) bool {
		on := false
		for _, p := range points {
			if p.Tick <= tick {
				on = p.Ramp
			}
		}
		return on
	}
	var out []tempo.Point
	for _, p := range points {
		if at, ok := edits.At(p.Tick); ok {
			p.Tick = at
			out = append(out, p)
		}
	}
	by := int64(0)
	for _, e := range edits {
		at := e.At + by
		if e.Put > 0 {
			out = append(out, tempo.Point{Tick: at, MilliBPM: milli(curve.BPM(e.At))})
		}
		if e.Take > 0 || e.Put > 0 {
			out = append(out, tempo.Point{Tick: at + e.Put, MilliBPM: milli(curve.BPM(e.At + e.Take)), Ramp: ramps(e.At + e.Take)})
		}
		by += e.Put - e.Take
	}
	slices.SortStableFunc(out, func(a, b tempo.Point) int { return cmp.Compare(a.Tick, b.Tick) })
	return tidyTempi(out)
}

// tidyTempi leaves out a tempo that is said again, and all but the last at one tick.
func tidyTempi(points []tempo.Point) []tempo.Point {
	var out []tempo.Point
	for _, p := range points {
		if n := len(out); n > 0 && out[n-1].Tick == p.Tick {
			out = out[:n-1]
		}
		if n := len(out); n > 0 && out[n-1].MilliBPM == p.MilliBPM && !out[n-1].Ramp && !p.Ramp {
			continue
		}
		out = append(out, p)
	}
	return out
}
