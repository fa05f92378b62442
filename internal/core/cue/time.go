package cue

import (
	"fmt"
	"math"

	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Time is how a cue runs: its tempi and its bars, and where its music begins.
type Time struct {
	Curve *tempo.Curve
	Bars  *tempo.Bars
	Start int64 // the tick that stands on the first frame of the cue
}

// Time is the time of the cue. The error says what is wrong with its tempi or metres.
func (c *Cue) Time() (Time, error) {
	curve, err := tempo.NewCurve(Ticks, c.Tempi...)
	if err != nil {
		return Time{}, err
	}
	var metres []tempo.Metre
	bars, err := tempo.NewBars(Ticks)
	for n, m := range c.Metres {
		if err != nil {
			break
		}
		switch {
		case m.Bar < 1 || m.Bar > 100_000:
			return Time{}, fmt.Errorf("a metre at bar %d; bars are counted from 1 to 100,000", m.Bar)
		case n > 0 && m.Bar <= c.Metres[n-1].Bar:
			return Time{}, fmt.Errorf("the metre at bar %d comes after that at bar %d; put them in order", m.Bar, c.Metres[n-1].Bar)
		case m.Unit > 32:
			return Time{}, fmt.Errorf("a metre of %d/%d is not possible", m.Beats, m.Unit)
		}
		metres = append(metres, tempo.Metre{Tick: bars.Start(m.Bar), Beats: m.Beats, Unit: m.Unit})
		bars, err = tempo.NewBars(Ticks, metres...)
	}
	if err != nil {
		return Time{}, err
	}
	return Time{curve, bars, bars.Start(c.Bar)}, nil
}

// MustTime is Time of a cue that is known to be valid.
func (c *Cue) MustTime() Time {
	t, err := c.Time()
	if err != nil {
		panic(err) // a valid cue has one
	}
	return t
}

// Second is when a tick is heard, s from the first frame of the cue.
func (t Time) Second(tick int64) float64 { return t.Curve.Seconds(tick) - t.Curve.Seconds(t.Start) }

// Tick is what is heard so many seconds after the first frame, with its fraction.
func (t Time) Tick(second float64) float64 {
	return t.Curve.Ticks(second + t.Curve.Seconds(t.Start))
}

// seconds is how long frames last.
func seconds(rate timecode.Rate, frames float64) float64 {
	return frames * float64(rate.Den) / float64(rate.Num)
}

// FrameOf is where a tick is heard, frames of timecode, with their fraction.
func (c *Cue) FrameOf(t Time, rate timecode.Rate, tick int64) float64 {
	return float64(c.Start) + t.Second(tick)*float64(rate.Num)/float64(rate.Den)
}

// TickOf is what is heard at a frame, to the nearest tick.
func (c *Cue) TickOf(t Time, rate timecode.Rate, frame float64) int64 {
	return int64(math.Round(t.Tick(seconds(rate, frame-float64(c.Start)))))
}

// Place is a place in the music as people say it.
type Place struct {
	Bar  int64   `json:"bar"`
	Beat float64 `json:"beat"` // from 1, of the metre's unit
}

// PlaceOf is the bar and beat of a tick.
func (t Time) PlaceOf(tick int64) Place {
	bar := t.Bars.At(tick)
	return Place{bar, 1 + float64(tick-t.Bars.Start(bar))/float64(t.BeatAt(tick))}
}

// BeatAt is how long a beat of the metre is at a tick, ticks.
func (t Time) BeatAt(tick int64) int64 {
	unit := 4
	for _, m := range t.Bars.Metres() {
		if m.Tick <= tick {
			unit = m.Unit
		}
	}
	return 4 * Ticks / int64(unit)
}

// NearestBeat is the beat nearest to a tick.
func (t Time) NearestBeat(tick int64) int64 {
	bar := t.Bars.At(tick)
	start, beat := t.Bars.Start(bar), t.BeatAt(tick)
	at := start + (tick-start+beat/2)/beat*beat
	return min(at, t.Bars.Start(bar+1))
}

// Recut is a cue as its music is edited: where ticks lie afterwards, and the time it has then.
type Recut struct {
	Edits  TickEdits
	Tempi  []tempo.Change
	Metres []tempo.Metre
}

// Recut tells how the MIDI file of a cue is edited, so that it follows as the cue did: edits are
// those that made it what it is. A ramp is steps of so many ticks.
func (c *Cue) Recut(edits TickEdits, every int64) Recut {
	t := c.MustTime()
	return Recut{edits, t.Curve.Steps(every), t.Bars.Metres()}
}

// Puts are the ticks of before at which time is put in.
func (e TickEdits) Puts() []int64 {
	var out []int64
	for _, x := range e {
		if x.Put > 0 {
			out = append(out, x.At)
		}
	}
	return out
}
