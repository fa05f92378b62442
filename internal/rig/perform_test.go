package rig_test

import (
	"context"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// A host plays music ahead: rows that need not be ready sound in their lanes at their times,
// as loud as their ways say, the same each time it begins again.
func TestAHostPerforms(t *testing.T) {
	d, heard := openDesk(t)
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{library(t)}
	stop := host(t, d, machine)
	until(t, heard, "here", func(x told) bool { return len(x.report.ScanRoots) > 0 })
	ctx := context.Background()
	gone := toneLoad("t/gone")
	gone.Patches[0].File = "Gone.sfz"
	soft := toneLoad("t/soft")
	soft.Patches[0].LevelDB = -12
	rows := []rig.PerformRow{
		{Load: toneLoad("t/a"), Ways: []render.Way{{Lane: 0, Left: 1, Right: .5}, {Lane: 2, Left: .1, Right: .1}, {Lane: 99, Left: 1}}},
		{Load: gone, Ways: straight}, {Load: soft, Ways: []render.Way{{Lane: 2, Left: 1, Right: 1}}},
	}
	play := func() (out [3][2][]float64) {
		done, err := d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Begin: true, Lanes: 3, Rows: rows[:2]})
		require.NoError(t, err)
		require.Len(t, done.Reasons, 1)
		require.Contains(t, done.Reasons[1], "Gone.sfz")
		done, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Rows: rows[2:], Messages: []rig.PerformMessage{
			{Row: 0, At: 1000, Kind: sampler.NoteOn, Key: 69, Value: 127}, {Row: 0, At: 6000, Kind: sampler.NoteOff, Key: 69}, {Row: 7, At: 1, Kind: sampler.NoteOn, Key: 1, Value: 1},
		}})
		require.NoError(t, err)
		require.Empty(t, done.Reasons)
		for n := range 20 {
			ask := rig.PerformAsk{Session: "me", Blocks: 2}
			if n == 10 {
				ask.Messages = []rig.PerformMessage{{Row: 2, At: 20 * rig.SoundFrames, Kind: sampler.NoteOn, Key: 69, Value: 127}}
			}
			done, err = d.Perform(ctx, "s", "Birch", ask)
			require.NoError(t, err)
			require.Len(t, done.Blocks, 2)
			for _, lanes := range done.Blocks {
				require.Len(t, lanes, 3)
				require.Nil(t, lanes[1])
				for n, lane := range lanes {
					if lane == nil {
						lane = &render.Block{}
					}
					for c := range lane {
						out[n][c] = append(out[n][c], lane[c][:]...)
					}
				}
			}
		}
		return out
	}
	first := play()
	left := first[0][0]
	for n, x := range left[:1000] {
		require.Zero(t, x, "frame %d", n)
	}
	hz, ok := dsp.Pitch(left[1200:5800], rig.SoundRateHz, 100, 1000)
	require.True(t, ok)
	require.InDelta(t, 440, hz, 1)
	on := 20*math.Log10(16000.0/32768/math.Sqrt2) - 3.01
	level := func(x []float64) float64 { return dsp.LevelOf(x).RMS }
	require.InDelta(t, on, level(left[1200:5800]), .3)
	require.InDelta(t, on-6.02, level(first[0][1][1200:5800]), .3)
	require.InDelta(t, on-20, level(first[2][0][1200:5100]), .3)
	require.InDelta(t, on-12, level(first[2][0][9600:]), .3, "its level trim")
	require.Equal(t, first, play(), "the same each time")

	for _, rate := range render.Rates {
		ask := rig.PerformAsk{Session: "fast", Begin: true, Lanes: 1, RateHz: rate, Rows: []rig.PerformRow{{Load: toneLoad("t/a"), Ways: straight}}, Blocks: 40, Messages: []rig.PerformMessage{
			{At: 1000, Kind: sampler.NoteOn, Key: 69, Value: 127},
		}}
		done, err := d.Perform(ctx, "s", "Birch", ask)
		require.NoError(t, err)
		var left []float64
		for _, lanes := range done.Blocks {
			if lanes[0] == nil {
				lanes[0] = &render.Block{}
			}
			left = append(left, lanes[0][0][:]...)
		}
		hz, ok := dsp.Pitch(left[1200:], float64(rate), 100, 1000)
		require.True(t, ok)
		require.InDelta(t, 440, hz, 1, "at %d Hz", rate)
		require.InDelta(t, on, level(left[1200:]), .3, "at %d Hz", rate)
	}
	_, err := d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "fast", Begin: true, Lanes: 1, RateHz: 8000})
	require.ErrorContains(t, err, "8000 Hz; sound is made at one of")
	_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "other", Blocks: 1})
	require.ErrorContains(t, err, "no longer knows")
	_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "other", Begin: true, Lanes: 9999})
	require.ErrorContains(t, err, "lanes")
	_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Blocks: 9999})
	require.ErrorContains(t, err, "blocks")
	_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Close: true})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Blocks: 1})
		return err != nil
	}, 10*time.Second, time.Millisecond)
	_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Begin: true, Lanes: 1})
	require.ErrorContains(t, err, "no longer knows", "an ask that its own end has overtaken")
	_, err = d.Perform(ctx, "s", "Rowan", rig.PerformAsk{Session: "me", Blocks: 1})
	require.Error(t, err, "nobody there")
	for n := range 20 {
		_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: string(rune('a' + n)), Begin: true, Lanes: 1})
	}
	require.ErrorContains(t, err, "pieces already")
	stop()
	_, err = d.Perform(ctx, "s", "Birch", rig.PerformAsk{Session: "me", Begin: true, Lanes: 1})
	require.ErrorContains(t, err, "its host is away")
}
