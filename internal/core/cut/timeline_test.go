package cut_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cut"
)

// Events beside each other lie on as few tracks as there are at one time at most, none is lost, and
// none overlaps another on its track.
func TestEventsBesideEachOther(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var events []cut.Event
		for n := range rapid.IntRange(0, 30).Draw(t, "events") {
			start := rapid.Int64Range(0, 100).Draw(t, "start")
			events = append(events, cut.Event{Number: string(rune('A' + n)), Start: start, End: start + rapid.Int64Range(1, 30).Draw(t, "long")})
		}
		most := 0
		for _, e := range events {
			n := 0
			for _, o := range events {
				if o.Start <= e.Start && e.Start < o.End {
					n++
				}
			}
			most = max(most, n)
		}
		tracks := cut.Beside(events)
		require.Len(t, tracks, most)
		var all []cut.Event
		line := cut.Timeline{}
		for _, track := range tracks {
			for n, e := range track {
				require.True(t, n == 0 || track[n-1].End <= e.Start)
			}
			all = append(all, track...)
			line.Tracks = append(line.Tracks, cut.Track{Sound: true, Events: track})
		}
		require.ElementsMatch(t, events, all)
		span := line.Span()
		for _, e := range events {
			require.True(t, span.Start <= e.Start && e.End <= span.End)
		}
	})
}
