package cue

import (
	"fmt"
	"math"

	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Music is a file with the notes of a cue, that the studio keeps.
type Music struct {
	File   string  `json:"file"`
	Digest string  `json:"digest"` // its SHA-256, in hexadecimal
	Parts  int     `json:"parts"`
	Notes  int     `json:"notes"`
	On     string  `json:"on"`            // when it came, yyyy-mm-dd
	Cut    ID      `json:"cut,omitempty"` // that it is of
	BarMs  []int64 `json:"barMs"`         // where its bars begin, ms from its beginning
}

// BarsOf are where the bars of a piece begin, ms from its beginning, until the bar in which a tick
// lies; the first of them where there are very many.
func BarsOf(t tempo.Time, last int64) []int64 {
	out := []int64{}
	for bar := int64(1); len(out) < mostList; bar++ {
		at := t.Bars.Start(bar)
		if at > last && bar > 1 {
			break
		}
		out = append(out, (t.Clock.Micros(at)+500)/1000)
	}
	return out
}

// MusicIsBefore tells whether the cue was changed inside by a cut, and the music that it keeps was
// not.
func (c *Cue) MusicIsBefore(now ID) bool {
	return c.Music != nil && len(c.Edits) > 0 && c.Music.Cut != now
}

// Apart finds where the music of a cue leaves its tempo: the first bar that begins more than half a
// frame early or late in it, and by how many frames it is late. It is false where they go together
// until the cue or the music ends.
func (c *Cue) Apart(rate timecode.Rate) (bar int64, frames float64, apart bool) {
	if c.Music == nil {
		return 0, 0, false
	}
	t := c.MustTime()
	for n, ms := range c.Music.BarMs {
		at := t.Bars.Start(int64(n + 1))
		if c.FrameOf(t, rate, at) > float64(c.End) {
			break
		}
		off := (float64(ms)/1000 - t.Curve.Seconds(at)) * float64(rate.Num) / float64(rate.Den)
		if math.Abs(off) > 0.5 {
			return int64(n + 1), off, true
		}
	}
	return 0, 0, false
}

// WithTimeOf is the change that gives a cue the tempo and the metre of a piece. The error tells of
// a bar that is cut short.
func (c *Cue) WithTimeOf(t tempo.Time) (Change, error) {
	per := int64(t.Clock.TicksPerQuarter())
	var tempi []tempo.Point
	for _, x := range t.Clock.Changes() {
		tempi = append(tempi, tempo.Point{Tick: (x.Tick*Ticks + per/2) / per, MilliBPM: int64(math.Round(60e9 / float64(x.Quarter)))})
	}
	metres := []Metre{}
	for n, x := range t.Bars.Metres() {
		bar := t.Bars.At(x.Tick)
		if n > 0 {
			before := t.Bars.Metres()[n-1]
			long := 4 * per * int64(before.Beats) / int64(before.Unit)
			if (x.Tick-before.Tick)%long != 0 {
				return Change{}, refused(c.ID, "%s: bar %d of its music is cut short by a new metre; give that bar a metre of its own in the file", c.Called(), bar-1)
			}
		}
		metres = append(metres, Metre{Bar: bar, Beats: x.Beats, Unit: x.Unit})
	}
	return Change{Label: fmt.Sprintf("Take the tempo of the music of %s", c.Called()), Ops: []Op{Setting(OfCue, c.ID, "tempi", tempi, "metres", metres)}}, nil
}
