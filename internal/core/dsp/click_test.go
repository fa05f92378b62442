package dsp_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
)

// A click is loud at once and gone before the next; the first of a bar is louder; what lies beyond
// the end is cut off.
func TestAClickTrack(t *testing.T) {
	got := dsp.ClickTrack(10_000, 48_000, []int64{0, 4_000, 9_990, 20_000}, []bool{true, false, false, false})
	require.Len(t, got, 10_000)
	require.Equal(t, int16(19_660), got[0], "0.6 of full scale")
	require.Equal(t, int16(11_468), got[4_000], "0.35 of full scale")
	for n := 2_300; n < 4_000; n++ {
		require.Zero(t, got[n])
	}
	require.NotZero(t, got[9_999])
	require.Empty(t, dsp.ClickTrack(-5, 48_000, []int64{0}, nil))
	close := dsp.ClickTrack(100, 48_000, []int64{0, 0, 0}, []bool{true, true, true})
	require.Equal(t, int16(32_767), close[0], "several at once are held to full scale")
}
