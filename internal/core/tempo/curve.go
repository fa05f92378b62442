package tempo

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"sort"
)

// Point is a tempo from a tick on, thousandths of a quarter note a minute. With Ramp it moves
// towards that of the next point, evenly from beat to beat.
type Point struct {
	Tick     int64 `json:"tick"`
	MilliBPM int64 `json:"milliBpm"` // SlowestMilliBPM..FastestMilliBPM
	Ramp     bool  `json:"ramp,omitempty"`
}

// The range of a tempo, thousandths of a quarter note a minute.
const (
	SlowestMilliBPM = 5_000
	FastestMilliBPM = 999_000
)

// Curve is the tempo of a piece with steps and ramps.
type Curve struct {
	ticks   int64 // in a quarter note
	points  []Point
	seconds []float64 // when each point is reached
}

// NewCurve returns the curve with so many ticks in a quarter note, 1..32767: at 120 until a
// point says otherwise. Of two points at one tick the later one counts.
func NewCurve(ticksPerQuarter int, points ...Point) (*Curve, error) {
	if ticksPerQuarter < 1 || ticksPerQuarter > 1<<15-1 {
		return nil, fmt.Errorf("%d ticks in a quarter note; use 1 to 32767", ticksPerQuarter)
	}
	c := &Curve{ticks: int64(ticksPerQuarter)}
	sorted := slices.Clone(points)
	slices.SortStableFunc(sorted, func(a, b Point) int { return cmp.Compare(a.Tick, b.Tick) })
	for _, p := range sorted {
		if p.Tick < 0 || p.Tick > MostTicks {
			return nil, fmt.Errorf("a tempo at tick %d; it stands at 0 to %d", p.Tick, MostTicks)
		}
		if p.MilliBPM < SlowestMilliBPM || p.MilliBPM > FastestMilliBPM {
			return nil, fmt.Errorf("a tempo of %g; it is %d to %d quarter notes a minute", float64(p.MilliBPM)/1000, SlowestMilliBPM/1000, FastestMilliBPM/1000)
		}
		if n := len(c.points); n > 0 && c.points[n-1].Tick == p.Tick {
			c.points[n-1] = p
			continue
		}
		c.points = append(c.points, p)
	}
	if len(c.points) == 0 || c.points[0].Tick > 0 {
		c.points = slices.Insert(c.points, 0, Point{MilliBPM: 120_000})
	}
	c.seconds = make([]float64, len(c.points))
	for n := 1; n < len(c.points); n++ {
		c.seconds[n] = c.seconds[n-1] + c.span(n-1, c.points[n].Tick)
	}
	return c, nil
}

// MostTicks is the last tick that a tempo may stand at: ten hours at 999 with 32,767 ticks fit.
const MostTicks = 1 << 44

// Points lists the tempi, the first of them at tick 0.
func (c *Curve) Points() []Point { return slices.Clone(c.points) }

// TicksPerQuarter is the time resolution.
func (c *Curve) TicksPerQuarter() int { return int(c.ticks) }

// slope is by how much the tempo of a point grows from there, quarter notes a minute and
// quarter note; 0 for a step.
func (c *Curve) slope(n int) float64 {
	if !c.points[n].Ramp || n+1 == len(c.points) {
		return 0
	}
	from, to := c.points[n], c.points[n+1]
	return float64(to.MilliBPM-from.MilliBPM) / 1000 * float64(c.ticks) / float64(to.Tick-from.Tick)
}

// span is how long it takes from a point to a tick that it reaches, s. Over a ramp that is the
// integral of 60/(b + s x) over x quarter notes: 60/s ln(1 + s x/b).
func (c *Curve) span(n int, tick int64) float64 {
	quarters := float64(tick-c.points[n].Tick) / float64(c.ticks)
	bpm := float64(c.points[n].MilliBPM) / 1000
	if slope := c.slope(n); slope != 0 {
		return 60 / slope * math.Log1p(slope*quarters/bpm)
	}
	return 60 * quarters / bpm
}

// at is the point that is in force at a tick.
func (c *Curve) at(tick int64) int {
	return max(0, sort.Search(len(c.points), func(i int) bool { return c.points[i].Tick > tick })-1)
}

// Seconds is when a tick is reached, s from tick 0. Ticks before 0 lie before the beginning, in
// the first tempo.
func (c *Curve) Seconds(tick int64) float64 {
	if tick < 0 {
		return 60 * float64(tick) / float64(c.ticks) / (float64(c.points[0].MilliBPM) / 1000)
	}
	n := c.at(tick)
	return c.seconds[n] + c.span(n, tick)
}

// Ticks is where a time lies, ticks, with its fraction: the other way of Seconds.
func (c *Curve) Ticks(seconds float64) float64 {
	n := max(0, sort.Search(len(c.seconds), func(i int) bool { return c.seconds[i] > seconds })-1)
	bpm, since := float64(c.points[n].MilliBPM)/1000, seconds-c.seconds[n]
	quarters := bpm * since / 60
	if slope := c.slope(n); slope != 0 && since > 0 {
		quarters = bpm * math.Expm1(slope*since/60) / slope
	}
	return float64(c.points[n].Tick) + quarters*float64(c.ticks)
}

// Sample is when a tick is reached, samples from tick 0, to the nearest.
func (c *Curve) Sample(tick, rateHz int64) int64 {
	return int64(math.Round(c.Seconds(tick) * float64(rateHz)))
}

// TickAt is the tick nearest to a sample.
func (c *Curve) TickAt(sample, rateHz int64) int64 {
	return int64(math.Round(c.Ticks(float64(sample) / float64(rateHz))))
}

// BPM is the tempo at a tick, quarter notes a minute.
func (c *Curve) BPM(tick int64) float64 {
	n := c.at(max(0, tick))
	p := c.points[n]
	return float64(p.MilliBPM)/1000 + c.slope(n)*float64(max(0, tick)-p.Tick)/float64(c.ticks)
}

// Steps writes the curve as the steps of a MIDI file: a ramp becomes one step for each part of
// so many ticks. Each begins when the curve gets there, within a microsecond and what the
// rounding of one step makes; errors do not add up.
func (c *Curve) Steps(every int64) []Change {
	var out []Change
	at := 0.0 // what the steps come to, µs
	put := func(from, to int64, wanted float64) {
		quarter := int64(math.Round((wanted - at) * float64(c.ticks) / float64(to-from)))
		quarter = min(Slowest, max(1, quarter))
		out = append(out, Change{from, quarter})
		at += float64(quarter) * float64(to-from) / float64(c.ticks)
	}
	for n, p := range c.points {
		if n+1 == len(c.points) {
			out = append(out, Change{p.Tick, min(Slowest, int64(math.Round(60e9/float64(p.MilliBPM))))})
			break
		}
		next := c.points[n+1].Tick
		part := next - p.Tick
		if c.slope(n) != 0 {
			part = max(1, every)
		}
		for from := p.Tick; from < next; from += part {
			to := min(next, from+part)
			put(from, to, 1e6*c.Seconds(to))
		}
	}
	return out
}
