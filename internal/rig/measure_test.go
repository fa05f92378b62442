package rig_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// test compiles the test of a row for its host.
func test(t testing.TB, row calibrate.Row, l rig.Load) rig.MeasureAsk {
	t.Helper()
	clock, err := tempo.New(480)
	require.NoError(t, err)
	done, err := articulation.Compile(articulation.NewVocabulary(nil), calibrate.Alone(row).Part(0), articulation.Target{KeyHigh: 127, Channel: 1}, clock, articulation.Options{})
	require.NoError(t, err)
	ask := rig.MeasureAsk{Load: l, Row: row, On: "2026-01-02T03:04:05Z"}
	for _, m := range done.Messages {
		kind, _ := sampler.KindOf(m.Status)
		ask.Messages = append(ask.Messages, rig.TimedMessage{At: float64(m.Tick) / calibrate.TicksPerSecond, Kind: kind, Key: m.Data1, Value: m.Data2})
	}
	return ask
}

// A host measures a row it holds the files of, whether it is ready or not: a sine of -9.2
// dBFS RMS in the middle, at its pitch, at once, and softer by 40 log10 of its velocity. One
// whose files it has not is silent.
func TestARowIsMeasured(t *testing.T) {
	d, heard := openDesk(t)
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{library(t)}
	stop := host(t, d, machine)
	defer stop()
	until(t, heard, "here", func(x told) bool { return !x.away })
	row := calibrate.Row{ID: "a", Name: "Tone", Low: 60, High: 78, Ways: []string{}}
	h, err := d.Measure(context.Background(), "s", "Birch", test(t, row, toneLoad("t/a")))
	require.NoError(t, err)
	full := 20*math.Log10(16000.0/32768) - 3.01
	for n, v := range calibrate.Strengths {
		require.InDelta(t, full+40*math.Log10(float64(v)/127), h.Levels[n], .2)
	}
	require.Equal(t, template.ByStandIn, h.By)
	require.InDelta(t, 0, *h.Cents, 2)
	require.InDelta(t, 0, h.StartMs, 3)
	require.InDelta(t, 0, h.Position, .5)
	require.False(t, h.Silent)
	missing := toneLoad("t/b")
	missing.Patches[0].File = "Gone.sfz"
	h, err = d.Measure(context.Background(), "s", "Birch", test(t, row, missing))
	require.NoError(t, err)
	require.True(t, h.Silent)
	_, err = d.Measure(context.Background(), "s", "Oak", test(t, row, missing))
	require.ErrorContains(t, err, "its host is away")
}
