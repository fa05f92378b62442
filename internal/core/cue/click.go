package cue

import (
	"math"

	"fanfold/internal/core/timecode"
)

// MostBeats bounds the beats that are told of a cue.
const MostBeats = 20_000

// Beat is one beat of a cue.
type Beat struct {
	Bar   int64
	Tick  int64
	Frame float64 // of timecode, with its fraction
	First bool    // of its bar
}

// Beats are the beats of a cue, from its first bar until its end.
func (c *Cue) Beats(rate timecode.Rate) []Beat {
	t := c.MustTime()
	out := []Beat{}
	for bar := int64(1); len(out) < MostBeats; bar++ {
		from, to := t.Bars.Start(bar), t.Bars.Start(bar+1)
		if c.FrameOf(t, rate, from) >= float64(c.End) {
			break
		}
		for tick := from; tick < to; tick += t.BeatAt(from) {
			out = append(out, Beat{bar, tick, c.FrameOf(t, rate, tick), tick == from})
		}
	}
	return out
}

// Clicks is a track of clicks: where each begins, samples from the first bar of the cue's file.
type Clicks struct {
	Begin   int64 // of the file, samples since the timecode 00:00:00:00; 0 where it would lie before
	Samples int64 // how long it is
	At      []int64
	First   []bool // of a bar
}

// Clicks are the clicks of a cue at the production's sample rate, to the nearest sample, from its
// first bar until its end.
func (p *Production) Clicks(c *Cue) Clicks {
	t, rate := c.MustTime(), p.FrameRate()
	hz := float64(p.RateHz)
	zero := t.Second(0)
	out := Clicks{
		Begin:   max(0, rate.Sample(c.Start, int64(p.RateHz))+int64(math.Round(zero*hz))),
		Samples: int64(math.Round((seconds(rate, float64(c.End-c.Start)) - zero) * hz)),
	}
	for _, b := range c.Beats(rate) {
		if at := int64(math.Round((t.Second(b.Tick) - zero) * hz)); at < out.Samples {
			out.At = append(out.At, at)
			out.First = append(out.First, b.First)
		}
	}
	return out
}
