package cut

import (
	"cmp"
	"slices"

	"fanfold/internal/core/timecode"
)

// Timeline is several tracks of events at one time, such as picture and the music to it.
type Timeline struct {
	Title  string
	Rate   timecode.Rate
	Tracks []Track
}

// Track holds events in the order of their time, of which no two overlap.
type Track struct {
	Name   string
	Sound  bool // otherwise picture
	Events []Event
}

// Timeline is the list as the one picture track of a timeline.
func (l List) Timeline() Timeline {
	return Timeline{l.Title, l.Rate, []Track{{Name: "Picture", Events: l.Events}}}
}

// Span is the time from the first event of all tracks to the end of the last.
func (t Timeline) Span() Span {
	var out Span
	for _, track := range t.Tracks {
		s := SpanOf(track.Events)
		switch {
		case s.Length() == 0:
		case out.Length() == 0:
			out = s
		default:
			out = Span{min(out.Start, s.Start), max(out.End, s.End)}
		}
	}
	return out
}

// Beside puts events on as few tracks as hold them without overlapping, each on the first that is
// free.
func Beside(events []Event) [][]Event {
	sorted := slices.Clone(events)
	slices.SortStableFunc(sorted, func(a, b Event) int { return cmp.Or(cmp.Compare(a.Start, b.Start), cmp.Compare(a.End, b.End)) })
	var out [][]Event
	for _, e := range sorted {
		n := slices.IndexFunc(out, func(track []Event) bool { return track[len(track)-1].End <= e.Start })
		if n < 0 {
			out, n = append(out, nil), len(out)
		}
		out[n] = append(out[n], e)
	}
	return out
}
