package handover_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
)

// Dividers stand in lists and on paper where they stand in the Orchestra; what holds only what
// plays leaves them out, and says so.
func TestDividersStandInLists(t *testing.T) {
	base := seated(12, 2)
	section := base.Instruments[1].Section
	now, _, err := change.Apply(base, change.Add{Instruments: []change.Placed{
		{At: 2, Instrument: &template.Instrument{ID: "word", Section: section, Name: "Softer below", Kind: template.Divider}},
		{At: 3, Instrument: &template.Instrument{ID: "line", Section: section, Kind: template.Divider}},
	}})
	require.NoError(t, err)

	routing := handover.RoutingSheet(now)
	at := slices.IndexFunc(routing.Rows, func(r []string) bool { return r[1] == "Softer below" })
	require.Equal(t, base.Instruments[1].Name, routing.Rows[at-1][1], "in its place")
	require.Equal(t, []string{"", "divider"}, routing.Rows[at+1][1:3])
	require.Len(t, routing.Rows[at], len(routing.Headings))

	for _, pages := range [][]handover.Page{handover.RoutingPages(now), handover.Handbook(now, handover.Edition{})} {
		var words []string
		for _, p := range pages {
			for n, row := range p.Rows {
				if p.Divides(row) {
					words = append(words, row[0])
					require.Equal(t, now.SectionPath(section), p.Title)
					require.Positive(t, n)
				}
			}
		}
		require.Equal(t, []string{"Softer below", ""}, words)
	}

	require.Equal(t, handover.NewSong(base).Tracks, handover.NewSong(now).Tracks, "no track for a line")
	require.Contains(t, handover.LeftOfSong(now), "dividers (2)")
	require.Contains(t, handover.LeftOfScore(now), "dividers (2)")
	require.Equal(t, handover.ScoreParts(base), handover.ScoreParts(now))
}
