package cue

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Way says how the music of a cue follows a picture that changed inside it.
type Way string

// The ways.
const (
	ByBeats Way = "beats" // beats are taken out or put in at the seams
	ByBars  Way = "bars"  // whole bars are
	ByTempo Way = "tempo" // it keeps its bars and bends its tempo
	AsIs    Way = "as is" // it only moves
)

// Proposal is a way in which a cue can follow a new cut, worked out.
type Proposal struct {
	Way    Way       `json:"way"`
	Text   string    `json:"text"` // what is done, in words
	Edits  TickEdits `json:"edits"`
	Bend   float64   `json:"bend"`   // how much its tempo changes at most, %
	Errors []Missed  `json:"errors"` // of its hits, and of the music after each seam
	Worst  float64   `json:"worst"`  // of them, frames
	Lost   []string  `json:"lost"`   // hits and markers whose picture or music is gone
	Cue    *Cue      `json:"cue"`    // as it is then
}

// Missed is how far something comes from where it should be.
type Missed struct {
	Name   string  `json:"name"`
	Frames float64 `json:"frames"` // later; below 0 earlier
	Weight float64 `json:"weight"`
}

// Propose works out how a cue can follow a new cut, by its verdict: the best way first. A cue
// that is untouched, moves as a whole, or is gone has one.
func Propose(c *Cue, v Verdict, m cut.Map, rate timecode.Rate) []Proposal {
	if v.Kind != Changed {
		return []Proposal{follow(c, v, m, rate, AsIs, nil)}
	}
	var out []Proposal
	seen := map[string]bool{}
	for _, way := range []Way{ByBeats, ByBars, ByTempo, AsIs} {
		edits := c.editsFor(v, rate, way)
		p := follow(c, v, m, rate, way, edits)
		key := fmt.Sprint(edits, p.Cue.Tempi)
		if seen[key] {
			continue
		}
		seen[key] = true
		out = append(out, p)
	}
	slices.SortStableFunc(out, func(a, b Proposal) int { return cmp.Compare(a.cost(), b.cost()) })
	return out
}

// The weights by which proposals are compared: a frame of the worst error beyond what is not
// heard, a percent of bending, and an edit of the music.
const (
	unheard  = 2.0 // frames
	bendCost = 0.5
	editCost = 1.0
)

func (p *Proposal) cost() float64 {
	return max(0, p.Worst-unheard) + bendCost*p.Bend + editCost*float64(len(p.Edits))
}

// editsFor are the edits of the music by which a way follows the seams.
func (c *Cue) editsFor(v Verdict, rate timecode.Rate, way Way) TickEdits {
	if way != ByBeats && way != ByBars {
		return nil
	}
	t := c.MustTime()
	fps := float64(rate.Num) / float64(rate.Den)
	var out TickEdits
	owed := 0.0 // frames that earlier seams have left over
	end := int64(0)
	for _, s := range v.Seams {
		at := t.NearestBeat(c.TickOf(t, rate, float64(s.Frame)))
		start := t.Bars.Start(t.Bars.At(at))
		unit := t.BeatAt(at)
		if way == ByBars {
			unit = t.Bars.Start(t.Bars.At(at)+1) - start
		}
		beat := float64(unit) / Ticks * 60 / t.Curve.BPM(at) * fps // frames
		k := int64(math.Round((float64(s.By) + owed) / beat))
		owed += float64(s.By) - float64(k)*beat
		if k == 0 {
			continue
		}
		if bar := t.Bars.Start(t.Bars.At(at)+1) - start; k > 0 || k*unit%bar == 0 {
			at = start // whole bars, and what is put in, stand at a bar line: the nearest
			if next := start + bar; c.TickOf(t, rate, float64(s.Frame))-start > next-c.TickOf(t, rate, float64(s.Frame)) {
				at = next
			}
		}
		if at = max(at, t.Start, end); k > 0 {
			out = append(out, TickEdit{At: at, Put: k * unit})
			end = at
			continue
		}
		out = append(out, TickEdit{At: at, Take: -k * unit})
		end = at + -k*unit
	}
	return out
}

// target is a tick of the edited music, and the frame at which it should be heard.
type target struct {
	tick   int64
	frame  float64
	name   string
	weight float64
}

// follow makes the cue follow by a way, with edits of its music.
func follow(c *Cue, v Verdict, m cut.Map, rate timecode.Rate, way Way, edits TickEdits) Proposal {
	p := Proposal{Way: way, Edits: edits, Errors: []Missed{}, Lost: []string{}}
	if p.Edits == nil {
		p.Edits = TickEdits{}
	}
	t := c.MustTime()
	next := *c
	next.Start, next.End = v.Start, v.End
	next.Edits = edits
	last := c.TickOf(t, rate, float64(c.End)) + 64*Ticks
	if len(edits) > 0 {
		next.Tempi = tempiAfter(t.Curve, edits)
		next.Metres = metresOf(edited(t.bars(last), edits))
	}
	targets := p.targets(c, &next, v, m, t, rate, edits)
	if way != AsIs {
		p.Bend = next.bend(rate, targets)
	}
	now := next.MustTime()
	for _, x := range targets {
		off := next.FrameOf(now, rate, x.tick) - x.frame
		p.Errors = append(p.Errors, Missed{x.name, math.Round(off*10) / 10, x.weight})
		p.Worst = max(p.Worst, math.Abs(off))
	}
	p.Worst = math.Round(p.Worst*10) / 10
	p.Cue = &next
	p.Text = p.say(v, t)
	return p
}

// targets moves the hits, markers and the anchor of the cue, and lists what its music should
// meet: its hits, and the first beat after every seam.
func (p *Proposal) targets(c, next *Cue, v Verdict, m cut.Map, t Time, rate timecode.Rate, edits TickEdits) []target {
	var out []target
	moved := func(frame int64) (int64, bool) {
		if v.Kind != Changed { // also what lies outside of the cue, or of the picture
			return frame + v.By, true
		}
		return m.At(frame)
	}
	next.Hits = nil
	for _, h := range c.Hits {
		now, ok := moved(h.Frame)
		tick := c.TickOf(t, rate, float64(h.Frame))
		if beat := t.NearestBeat(tick); math.Abs(c.FrameOf(t, rate, beat)-float64(h.Frame)) <= max(h.Tolerance, .5) {
			tick = beat
		}
		at, there := edits.At(tick)
		name := cmp.Or(h.Name, rate.Format(h.Frame))
		if !ok {
			p.Lost = append(p.Lost, "hit "+name)
			continue
		}
		h.Frame = now
		next.Hits = append(next.Hits, h)
		if there && v.Kind == Changed {
			out = append(out, target{at, float64(now), name, h.Weight})
		}
	}
	next.Markers = nil
	for _, x := range c.Markers {
		if x.Frame != nil {
			now, ok := moved(*x.Frame)
			if !ok {
				p.Lost = append(p.Lost, "marker "+x.Name)
				continue
			}
			x.Frame = &now
		} else {
			at, ok := edits.At(*x.Tick)
			if !ok {
				p.Lost = append(p.Lost, "marker "+x.Name)
				continue
			}
			x.Tick = &at
		}
		next.Markers = append(next.Markers, x)
	}
	if c.Anchor != nil {
		a := *c.Anchor
		if now, ok := moved(a.Frame); ok {
			a.Frame = now
		} else {
			a.Frame = min(max(a.Frame+v.By, v.Start), v.End-1)
			p.Lost = append(p.Lost, "anchor "+a.Text)
		}
		next.Anchor = &a
	}
	for _, s := range v.Seams {
		after := s.Frame + s.Taken
		if after >= c.End {
			continue
		}
		tick := t.NearestBeat(c.TickOf(t, rate, float64(after)) + t.BeatAt(t.Start)/2)
		old := c.FrameOf(t, rate, tick)
		now, ok := m.At(int64(math.Floor(old)))
		at, there := edits.At(tick)
		if !ok || !there || tick <= t.Start {
			continue
		}
		place := t.PlaceOf(tick)
		out = append(out, target{at, float64(now) + old - math.Floor(old), fmt.Sprintf("bar %d beat %g, after the seam", place.Bar, math.Round(place.Beat*100)/100), 0})
	}
	slices.SortStableFunc(out, func(a, b target) int { return cmp.Or(cmp.Compare(a.tick, b.tick), -cmp.Compare(a.weight, b.weight)) })
	return out
}

// bend bends the tempo of a cue, within its limit, so that its music meets targets one after
// another; how much at most, %.
func (c *Cue) bend(rate timecode.Rate, targets []target) float64 {
	t := c.MustTime()
	fps := float64(rate.Num) / float64(rate.Den)
	type leg struct {
		from, to int64
		factor   float64
	}
	var legs []leg
	at, heard := t.Start, float64(c.Start)
	worst := 0.0
	for _, x := range targets {
		natural := (t.Curve.Seconds(x.tick) - t.Curve.Seconds(at)) * fps
		if x.tick-at < Ticks || natural <= 0 {
			continue // too near to the one before
		}
		factor := natural / max(1, x.frame-heard)
		factor = min(1+c.BendLimit/100, max(1-c.BendLimit/100, factor))
		legs = append(legs, leg{at, x.tick, factor})
		heard += natural / factor
		at = x.tick
		worst = max(worst, math.Abs(factor-1))
	}
	if worst < 1e-5 {
		return 0
	}
	legs = append(legs, leg{at, math.MaxInt64, 1})
	var out []tempo.Point
	points := t.Curve.Points()
	put := func(tick int64, bpm float64, ramp bool) {
		milli := int64(math.Round(bpm * 1000))
		out = append(out, tempo.Point{Tick: tick, MilliBPM: min(tempo.FastestMilliBPM, max(tempo.SlowestMilliBPM, milli)), Ramp: ramp})
	}
	for _, p := range points {
		if p.Tick < t.Start {
			out = append(out, p)
		}
	}
	for _, l := range legs {
		ramp := false
		for _, p := range points {
			if p.Tick <= l.from {
				ramp = p.Ramp
			}
		}
		put(l.from, t.Curve.BPM(l.from)*l.factor, ramp)
		for _, p := range points {
			if p.Tick > l.from && p.Tick < l.to {
				put(p.Tick, float64(p.MilliBPM)/1000*l.factor, p.Ramp)
			}
		}
	}
	c.Tempi = tidyTempi(out)
	return math.Round(worst*1000) / 10
}

// say says what a proposal does.
func (p *Proposal) say(v Verdict, t Time) string {
	var parts []string
	switch {
	case v.Kind == Gone:
		return "stays where it was: its picture is gone"
	case v.By != 0:
		parts = append(parts, fmt.Sprintf("moves by %+d frames", v.By))
	case v.Kind == Untouched:
		return "stays as it is"
	}
	for _, e := range p.Edits {
		place := t.PlaceOf(e.At).rounded()
		unit := t.BeatAt(e.At)
		what, ticks := "puts in", e.Put
		if e.Take > 0 {
			what, ticks = "takes out", e.Take
		}
		bar := t.Bars.Start(place.Bar+1) - t.Bars.Start(place.Bar)
		amount := plural(ticks/unit, "beat")
		if ticks%bar == 0 {
			amount = plural(ticks/bar, "bar")
		}
		where := fmt.Sprintf("bar %d", place.Bar)
		if place.Beat != 1 {
			where += fmt.Sprintf(" beat %g", place.Beat)
		}
		parts = append(parts, fmt.Sprintf("%s %s at %s", what, amount, where))
	}
	if p.Bend > 0 {
		parts = append(parts, fmt.Sprintf("bends its tempo by up to %.1f%%", p.Bend))
	}
	if len(parts) == 0 {
		parts = append(parts, "keeps its music as it is")
	}

	return strings.Join(parts, ", ")
}

func plural(n int64, word string) string {
	if n == 1 {
		return "a " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

// Conforming is a production held against a new cut: what it does to every cue, in their order,
// and how each can follow.
type Conforming struct {
	Verdicts  []Verdict
	Proposals [][]Proposal
}

// Conform holds all cues against a new cut: by reel, the map from the picture that they stand in.
// Reels of which one of the two is not known stay as they are.
func (p *Production) Conform(next *Cut) Conforming {
	rate := p.FrameRate()
	maps := map[ID]cut.Map{}
	known := map[ID]bool{}
	for _, r := range p.Reels {
		was, now := p.Picture(r.ID), next.Reel(r.ID)
		if was == nil || now == nil || len(was.Events) == 0 || len(now.Events) == 0 {
			continue
		}
		maps[r.ID], known[r.ID] = cut.NewMap(cut.Compare(was.Events, now.Events)), true
	}
	var out Conforming
	for _, c := range p.InOrder() {
		v := Verdict{Cue: c.ID, Kind: Untouched, Start: c.Start, End: c.End, Seams: []Seam{}, Look: []string{}}
		if known[c.Reel] {
			v = Judge(c, maps[c.Reel], rate)
		}
		out.Verdicts = append(out.Verdicts, v)
		out.Proposals = append(out.Proposals, Propose(c, v, maps[c.Reel], rate))
	}
	return out
}

// Take is the change that brings a new cut in, and makes cues follow it: by the proposal that is
// chosen for each, the first for those of which nothing is said; -1 leaves a cue as it is. The
// cut before keeps the cues as they stood in it.
func (p *Production) Take(next *Cut, choices map[ID]int) (Change, error) {
	x := p.Conform(next)
	ops := []Op{}
	if was := p.CutOf(p.Cut); was != nil {
		ops = append(ops, Setting(OfCut, was.ID, "was", p.Cues))
	}
	if p.CutOf(next.ID) == nil {
		ops = append(ops, Adding(next))
	}
	ops = append(ops, Setting(OfProduction, "", "cut", next.ID))
	for n, v := range x.Verdicts {
		choice, list := choices[v.Cue], x.Proposals[n]
		if choice < 0 {
			continue
		}
		if choice >= len(list) {
			return Change{}, refused(v.Cue, "%s has %d proposals; there is no number %d", p.Cue(v.Cue).Called(), len(list), choice+1)
		}
		if op, changed := following(p.Cue(v.Cue), list[choice].Cue); changed {
			ops = append(ops, op)
		}
	}
	return Change{Label: "Take " + next.Name, Ops: ops}, nil
}

// following is the step by which a cue becomes another.
func following(was, now *Cue) (Op, bool) {
	op := Setting(OfCue, was.ID)
	for _, f := range []struct {
		name     string
		old, new any
	}{
		{"start", was.Start, now.Start}, {"end", was.End, now.End}, {"tempi", was.Tempi, now.Tempi}, {"metres", was.Metres, now.Metres},
		{"markers", was.Markers, now.Markers}, {"hits", was.Hits, now.Hits}, {"anchor", was.Anchor, now.Anchor}, {"edits", was.Edits, now.Edits},
		{"music", was.Music, now.Music},
	} {
		a, b := Setting(OfCue, "", "x", f.old).Set["x"], Setting(OfCue, "", "x", f.new).Set["x"]
		if string(a) != string(b) {
			op.Set[f.name] = b
		}
	}
	return op, len(op.Set) > 0
}

// Back is the change that goes back to an earlier cut, with the cues that it knows as they stood
// in it; cues that are newer follow the picture.
func (p *Production) Back(to *Cut) (Change, error) {
	c, err := p.Take(to, nil)
	if err != nil {
		return c, err
	}
	then := map[ID]*Cue{}
	for _, x := range to.Was {
		then[x.ID] = x
	}
	ops := slices.DeleteFunc(c.Ops, func(op Op) bool { return op.Kind == OfCue && then[op.ID] != nil })
	for _, now := range p.Cues {
		if was := then[now.ID]; was != nil {
			if op, changed := following(now, was); changed {
				ops = append(ops, op)
			}
		}
	}
	return Change{Label: "Go back to " + to.Name, Ops: ops}, nil
}
