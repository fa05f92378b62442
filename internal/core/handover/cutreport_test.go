package handover_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
	"fanfold/internal/demo"
)

// The report of the demo's second cut names every cue, and on a page of its own what is to be
// rewritten, with the figures that were worked by hand.
func TestTheReportOfACut(t *testing.T) {
	p, err := demo.Film()
	require.NoError(t, err)
	next := p.CutOf("cut-2")
	pages := handover.CutReport(p, next, p.Conform(next))
	require.Len(t, pages, 2)
	require.Equal(t, "The Salt Lantern: Cut 1 to Cut 2", pages[0].Title)
	require.Equal(t, "25 frames a second. 5 of 14 cues change inside, 11:12 of music.", pages[0].Note)
	require.Len(t, pages[0].Rows, 14)
	require.Equal(t, []string{"1M06", "Gulls at noon", "1", "01:16:40:00", "01:16:19:06", "-519", "moved", "moves by -519 frames", "", ""}, pages[0].Rows[5])
	require.Equal(t, "1M02 The lamp is lit", pages[1].Rows[0][0])
	require.Equal(t, "-25", pages[1].Rows[0][3])
	require.Contains(t, pages[1].Rows[0][5], "the lamp turns")
}
