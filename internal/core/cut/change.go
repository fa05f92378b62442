package cut

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/timecode"
)

// Edit is a line of a list of changes: where in the film as it was, how many frames go there,
// and how many new ones come in their place.
type Edit struct {
	Line  int // of its list
	At    int64
	Gone  int64
	Added int64
	Name  string // of what is new
}

// BadEdit is a change that cannot be made, by its line.
type BadEdit struct {
	Line   int
	Reason string
}

// BadEdits is the error of a list of changes of which nothing is taken: every line that is wrong.
type BadEdits []BadEdit

func (b BadEdits) Error() string {
	var text []string
	for _, e := range b[:min(3, len(b))] {
		text = append(text, fmt.Sprintf("line %d: %s", e.Line, e.Reason))
	}
	if more := len(b) - len(text); more > 0 {
		text = append(text, fmt.Sprintf("and %d more", more))
	}
	return "list of changes, " + strings.Join(text, "; ")
}

// Edited is a list of events with changes made, all told in the time of the list as it was. An
// event is split where a change lies within it, and everything after it moves. What is added has
// a clip of its own, which no event of before has. events is as Checked leaves it. The error is
// BadEdits: a change outside of the film, over another, or of nothing.
func Edited(rate timecode.Rate, events []Event, edits []Edit) ([]Event, error) {
	film := SpanOf(events)
	sorted := slices.Clone(edits)
	slices.SortStableFunc(sorted, func(a, b Edit) int { return cmp.Compare(a.At, b.At) })
	var bad BadEdits
	at := film.Start
	for _, e := range sorted {
		reason := ""
		switch {
		case e.Gone < 0 || e.Added < 0 || e.Gone == 0 && e.Added == 0:
			reason = "it neither takes out nor adds anything"
		case e.At < film.Start || e.At+e.Gone > film.End:
			reason = fmt.Sprintf("%s lies outside of the picture, which goes from %s to %s", rate.Format(e.At+e.Gone), rate.Format(film.Start), rate.Format(film.End))
		case e.At < at:
			reason = fmt.Sprintf("what is at %s goes in another line already", rate.Format(e.At))
		}
		if reason != "" {
			bad = append(bad, BadEdit{e.Line, reason})
			continue
		}
		at = e.At + e.Gone
	}
	if len(bad) > 0 {
		return nil, bad
	}
	taken, times := map[string]bool{}, map[string]int{}
	for _, e := range events {
		taken[e.Clip] = true
	}
	var out []Event
	from, shift := film.Start, int64(0)
	keep := func(to int64) {
		n, _ := slices.BinarySearchFunc(events, from, func(e Event, at int64) int { return cmp.Compare(e.End-1, at) })
		for ; n < len(events) && events[n].Start < to; n++ {
			if e := events[n].within(Span{from, to}); e.Length() > 0 {
				e.Start, e.End = e.Start+shift, e.End+shift
				out = append(out, e)
			}
		}
	}
	for _, e := range sorted {
		keep(e.At)
		if e.Added > 0 {
			start := e.At + shift
			name := cmp.Or(e.Name, "added at "+rate.Format(e.At))
			clip := name
			for taken[clip] {
				times[name]++
				clip = fmt.Sprintf("%s (%d)", name, times[name]+1)
			}
			taken[clip] = true
			out = append(out, Event{Clip: clip, Start: start, End: start + e.Added})
		}
		from = e.At + e.Gone
		shift += e.Added - e.Gone
	}
	keep(film.End)
	if len(out) == 0 {
		return nil, BadEdits{{sorted[0].Line, "nothing of the picture would be left"}}
	}
	return Checked(rate, out)
}

// within is the part of an event that lies in a stretch of the film; at another speed its
// source begins at the nearest frame.
func (e Event) within(s Span) Event {
	if d := s.Start - e.Start; d > 0 {
		in := math.Round(float64(e.In) + float64(d)*e.Rate())
		e.In, e.Start, e.Fade = max(0, int64(in)), s.Start, 0
	}
	e.End = min(e.End, s.End)
	e.Fade = min(e.Fade, max(0, e.Length()))
	return e
}
