package tempo_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/tempo"
)

// Worked by hand: bars of 7/16 last 7 sixteenths, a bar that a metre cuts short ends
// there, and a metre said again changes nothing.
func TestBarsGoByTheMetre(t *testing.T) {
	bars := func(metres ...tempo.Metre) *tempo.Bars {
		b, err := tempo.NewBars(480, metres...)
		require.NoError(t, err)
		return b
	}
	b := bars()
	require.EqualValues(t, []int64{0, 0, 1920, 3840}, []int64{b.Start(0), b.Start(1), b.Start(2), b.Start(3)})
	b = bars(tempo.Metre{Beats: 7, Unit: 16})
	require.EqualValues(t, 840, b.Start(2))
	require.EqualValues(t, 2, b.At(840))
	require.EqualValues(t, 1, b.At(839))
	b = bars(tempo.Metre{Beats: 6, Unit: 8}, tempo.Metre{Tick: 1440, Beats: 6, Unit: 8}, tempo.Metre{Tick: 3000, Beats: 2, Unit: 2})
	require.EqualValues(t, []int64{0, 1440, 2880, 3000, 4920}, []int64{b.Start(1), b.Start(2), b.Start(3), b.Start(4), b.Start(5)})
	require.Len(t, b.Metres(), 2)
	for _, wrong := range []tempo.Metre{{Beats: 0, Unit: 4}, {Beats: 4, Unit: 3}, {Beats: 4, Unit: 256}, {Tick: -1, Beats: 4, Unit: 4}, {Beats: 256, Unit: 4}} {
		_, err := tempo.NewBars(480, wrong)
		require.ErrorContains(t, err, "is not possible")
	}
	_, err := tempo.NewBars(0)
	require.Error(t, err)
}

// The clocks of a click: 6/8 has 36 in Standard MIDI Files 1.0, FF 58; the others follow.
func TestClicksOfTheMetronome(t *testing.T) {
	for _, x := range []struct{ beats, unit, clocks int }{{4, 4, 24}, {6, 8, 36}, {3, 8, 12}, {9, 8, 36}, {12, 8, 36}, {2, 2, 48}, {7, 16, 6}, {6, 4, 24}, {5, 128, 1}} {
		require.Equal(t, x.clocks, tempo.Metre{Beats: x.beats, Unit: x.unit}.Clicks(), "%d/%d", x.beats, x.unit)
	}
}

// Bars follow each other without a gap, and each tick lies in the bar that has begun.
func TestBarsThereAndBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		var metres []tempo.Metre
		for range rapid.IntRange(0, 6).Draw(r, "metres") {
			metres = append(metres, tempo.Metre{
				Tick: rapid.Int64Range(0, 50_000).Draw(r, "at"), Beats: rapid.IntRange(1, 255).Draw(r, "beats"),
				Unit: 1 << rapid.IntRange(0, 7).Draw(r, "unit"),
			})
		}
		b, err := tempo.NewBars(rapid.SampledFrom([]int{1, 24, 96, 480}).Draw(r, "ticks"), metres...)
		require.NoError(r, err)
		tick := rapid.Int64Range(0, 100_000).Draw(r, "tick")
		bar := b.At(tick)
		require.LessOrEqual(r, b.Start(bar), tick)
		require.True(r, b.Start(bar+1) > tick || b.Start(bar+1) == b.Start(bar), "bar %d begins at %d, the next at %d, and %d is in it", bar, b.Start(bar), b.Start(bar+1), tick)
	})
}
