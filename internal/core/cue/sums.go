package cue

import (
	"math"
	"slices"
	"time"

	"fanfold/internal/core/timecode"
)

// Sum is how much music there is of something.
type Sum struct {
	Of      string  `json:"of"` // a reel or a status, by its name; empty for all
	Cues    int     `json:"cues"`
	Seconds float64 `json:"seconds"`
	Left    float64 `json:"left"` // of them, seconds that are not written yet
}

// Sums are the sums of a production.
type Sums struct {
	Whole    Sum    `json:"whole"`
	Reels    []Sum  `json:"reels"`
	Statuses []Sum  `json:"statuses"`
	Days     int    `json:"days"` // until all is written, at so many minutes a day; 0 when nothing is estimated
	Done     string `json:"done"` // the day on which it is, yyyy-mm-dd; empty when nothing is estimated
}

// Written tells whether a cue's music is written: it has come as far as the status after the
// sketch, if the production has so many.
func (p *Production) Written(c *Cue) bool {
	at := slices.Index(p.Statuses, c.Status)
	return at >= min(WrittenFrom, len(p.Statuses)-1)
}

// WrittenFrom is the place in the list of statuses from which on a cue's music counts as
// written: with the director, in the usual list.
const WrittenFrom = 2

// Sums adds the cues up. today is the day from which is computed where the production does not
// say.
func (p *Production) Sums(today time.Time) Sums {
	rate := p.FrameRate()
	out := Sums{Reels: make([]Sum, len(p.Reels)), Statuses: make([]Sum, len(p.Statuses))}
	for n, r := range p.Reels {
		out.Reels[n].Of = r.Name
	}
	for n, s := range p.Statuses {
		out.Statuses[n].Of = s
	}
	for _, c := range p.Cues {
		long := Seconds(rate, c.End-c.Start)
		left := long
		if p.Written(c) {
			left = 0
		}
		add := func(s *Sum) { s.Cues, s.Seconds, s.Left = s.Cues+1, s.Seconds+long, s.Left+left }
		add(&out.Whole)
		add(&out.Reels[slices.IndexFunc(p.Reels, func(r *Reel) bool { return r.ID == c.Reel })])
		add(&out.Statuses[slices.Index(p.Statuses, c.Status)])
	}
	if p.MinutesADay > 0 {
		if day, err := time.Parse(time.DateOnly, p.Begin); err == nil {
			today = day
		}
		out.Days = int(math.Ceil(out.Whole.Left/60/p.MinutesADay - 1e-9))
		out.Done = today.AddDate(0, 0, max(0, out.Days-1)).Format(time.DateOnly)
	}
	return out
}

// Seconds is how long frames last.
func Seconds(rate timecode.Rate, frames int64) float64 { return seconds(rate, float64(frames)) }
