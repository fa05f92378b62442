// Package cut knows lists of picture events, and how one became another. Two lists go in, the
// old and the new; the pieces of old time, where each of them went, what is gone and what is
// new come out, and the map from old time to new follows.
package cut

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/timecode"
)

// Event is a stretch of picture from one source. Times are frames; ends are exclusive.
type Event struct {
	Number string  `json:"number,omitempty"` // as its list has it
	Source string  `json:"source,omitempty"` // the reel or tape
	Clip   string  `json:"clip,omitempty"`   // the name of the clip
	In     int64   `json:"in"`               // of the source
	Start  int64   `json:"start"`            // of the film
	End    int64   `json:"end"`
	Speed  float64 `json:"speed,omitempty"` // frames of the source for one of the film; 0 is 1
	Still  bool    `json:"still,omitempty"` // its source stands at one frame
	Fade   int64   `json:"fade,omitempty"`  // how long it comes in over the one before; 0 is a cut
	Wipe   string  `json:"wipe,omitempty"`  // the number of a wipe
}

// MostSpeed bounds how fast a source runs; negative ones run backwards.
const MostSpeed = 100.0

// Rate is how many frames of the source go by in one of the film.
func (e Event) Rate() float64 {
	switch {
	case e.Still:
		return 0
	case e.Speed == 0:
		return 1
	}
	return e.Speed
}

// Length is how many frames of the film it lasts.
func (e Event) Length() int64 { return e.End - e.Start }

// Name is what people call it: its clip, or its source.
func (e Event) Name() string { return cmp.Or(e.Clip, e.Source, e.Number) }

// Black tells whether it shows nothing.
func (e Event) Black() bool {
	s := strings.ToUpper(strings.TrimSpace(e.Source))
	return e.Clip == "" && (s == "BL" || s == "BLACK")
}

// List is what a film, or one of its reels, is made of, in the order of its time.
type List struct {
	Title  string
	Rate   timecode.Rate
	Events []Event
}

// MostEvents bounds a list.
const MostEvents = 100_000

// Checked puts events in the order of their time, and tells what cannot be: an end before a
// start, two events at one time, a time outside a day.
func Checked(rate timecode.Rate, events []Event) ([]Event, error) {
	if len(events) > MostEvents {
		return nil, fmt.Errorf("%d events; a list has at most %d", len(events), MostEvents)
	}
	out := slices.Clone(events)
	slices.SortStableFunc(out, func(a, b Event) int { return cmp.Compare(a.Start, b.Start) })
	for n, e := range out {
		switch {
		case e.End <= e.Start:
			return nil, fmt.Errorf("event %s ends at %s, before it begins at %s", cmp.Or(e.Number, e.Name()), rate.Format(e.End), rate.Format(e.Start))
		case e.Start < 0 || e.End > rate.Day():
			return nil, fmt.Errorf("event %s lies outside of a day of timecode", cmp.Or(e.Number, e.Name()))
		case e.In < 0 || e.In > rate.Day()*2:
			return nil, fmt.Errorf("event %s takes its picture from frame %d of its source; it has %d at most", cmp.Or(e.Number, e.Name()), e.In, rate.Day())
		case e.Speed < -MostSpeed || e.Speed > MostSpeed:
			return nil, fmt.Errorf("event %s runs at %g times; %g is the most", cmp.Or(e.Number, e.Name()), e.Speed, MostSpeed)
		case e.Fade < 0 || e.Fade > e.Length():
			return nil, fmt.Errorf("event %s comes in over %d frames and lasts %d", cmp.Or(e.Number, e.Name()), e.Fade, e.Length())
		case n > 0 && e.Start < out[n-1].End:
			return nil, fmt.Errorf("event %s begins at %s, before event %s ends at %s", cmp.Or(e.Number, e.Name()), rate.Format(e.Start), cmp.Or(out[n-1].Number, out[n-1].Name()), rate.Format(out[n-1].End))
		}
	}
	return out, nil
}

// Span is a stretch of time, frames; its end is exclusive.
type Span struct {
	Start int64 `json:"start"`
	End   int64 `json:"end"`
}

// Length is how many frames it lasts.
func (s Span) Length() int64 { return s.End - s.Start }

// SpanOf is the time that events take, from the first to the last.
func SpanOf(events []Event) Span {
	if len(events) == 0 {
		return Span{}
	}
	return Span{events[0].Start, events[len(events)-1].End}
}

// without is what of spans is left when others are taken away. Both are in order and do not
// overlap.
func without(spans, gone []Span) []Span {
	var out []Span
	n := 0
	for _, s := range spans {
		at := s.Start
		for n > 0 && gone[n-1].End > s.Start {
			n--
		}
		for ; n < len(gone) && gone[n].Start < s.End; n++ {
			if gone[n].End <= at {
				continue
			}
			if gone[n].Start > at {
				out = append(out, Span{at, gone[n].Start})
			}
			at = gone[n].End
		}
		if at < s.End {
			out = append(out, Span{at, s.End})
		}
	}
	return out
}

// joined puts spans in order, and joins those that touch or overlap.
func joined(spans []Span) []Span {
	sorted := slices.Clone(spans)
	slices.SortFunc(sorted, func(a, b Span) int { return cmp.Or(cmp.Compare(a.Start, b.Start), cmp.Compare(a.End, b.End)) })
	var out []Span
	for _, s := range sorted {
		if s.End <= s.Start {
			continue
		}
		if n := len(out); n > 0 && out[n-1].End >= s.Start {
			out[n-1].End = max(out[n-1].End, s.End)
			continue
		}
		out = append(out, s)
	}
	return out
}
