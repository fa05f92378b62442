package tempo_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Worked by hand: a ramp from 60 to 120 over four quarter notes lasts 60·4/60·ln 2 = 2.7726 s,
// its middle beat is reached after 4 ln 1.5 = 1.6219 s at 90; steps are plain.
func TestRamps(t *testing.T) {
	c, err := tempo.NewCurve(480, tempo.Point{Tick: 0, MilliBPM: 60_000}, tempo.Point{Tick: 1920, MilliBPM: 60_000, Ramp: true}, tempo.Point{Tick: 3840, MilliBPM: 120_000})
	require.NoError(t, err)
	require.InDelta(t, 4, c.Seconds(1920), 1e-12)
	require.InDelta(t, 4+4*math.Ln2, c.Seconds(3840), 1e-12)
	require.InDelta(t, 4+4*math.Log(1.5), c.Seconds(2880), 1e-12)
	require.InDelta(t, 90, c.BPM(2880), 1e-12)
	require.InDelta(t, 4+4*math.Ln2+.5, c.Seconds(4320), 1e-12)
	require.InDelta(t, -1, c.Seconds(-480), 1e-12)
	require.InDelta(t, 2880, c.Ticks(4+4*math.Log(1.5)), 1e-9)

	down, err := tempo.NewCurve(480, tempo.Point{MilliBPM: 120_000, Ramp: true}, tempo.Point{Tick: 1920, MilliBPM: 60_000})
	require.NoError(t, err)
	require.InDelta(t, 4*math.Ln2, down.Seconds(1920), 1e-12, "as long as the other way")

	last, err := tempo.NewCurve(480, tempo.Point{Tick: 960, MilliBPM: 100_000, Ramp: true})
	require.NoError(t, err)
	require.InDelta(t, 1+.6, last.Seconds(1440), 1e-12, "at 120 before, and there is nothing to move towards")
	for _, p := range []tempo.Point{{Tick: -1, MilliBPM: 1e5}, {MilliBPM: 0}, {MilliBPM: 1e9}, {Tick: math.MaxInt64, MilliBPM: 1e5}} {
		_, err := tempo.NewCurve(480, p)
		require.Error(t, err)
	}
}

func anyCurve(r *rapid.T) *tempo.Curve {
	var points []tempo.Point
	for range rapid.IntRange(0, 8).Draw(r, "points") {
		points = append(points, tempo.Point{
			Tick: rapid.Int64Range(0, 960*60_000).Draw(r, "at"), MilliBPM: rapid.Int64Range(20_000, 300_000).Draw(r, "tempo"), Ramp: rapid.Bool().Draw(r, "ramp"),
		})
	}
	c, err := tempo.NewCurve(960, points...)
	require.NoError(r, err)
	return c
}

// Bar, ticks, sample, timecode and back are the same through ten hours, at every frame rate:
// a tick is found again from its sample, and the frame of a sample begins at it or before.
func TestThereAndBackThroughTenHours(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		c := anyCurve(r)
		const rate = 48_000
		seconds := rapid.Float64Range(0, 36_000).Draw(r, "seconds")
		tick := int64(c.Ticks(seconds))
		require.InDelta(r, seconds, c.Seconds(tick), 60/20./960+1e-6)
		sample := c.Sample(tick, rate)
		require.Equal(r, tick, c.TickAt(sample, rate))
		bars, err := tempo.NewBars(960, tempo.Metre{Beats: rapid.IntRange(1, 15).Draw(r, "beats"), Unit: 4})
		require.NoError(r, err)
		bar := bars.At(tick)
		start := bars.Start(bar)
		require.Equal(r, bar, bars.At(c.TickAt(c.Sample(start, rate), rate)))
		for _, x := range timecode.Rates {
			frame := x.Rate.FrameAt(sample, rate)
			require.LessOrEqual(r, x.Rate.Sample(frame, rate), sample)
			require.Greater(r, x.Rate.Sample(frame+1, rate), sample)
			back, err := x.Rate.Parse(x.Rate.Format(frame))
			require.NoError(r, err)
			require.Equal(r, frame, back)
		}
	})
}

// As steps of a MIDI file a curve reaches the place of every step within half a microsecond for
// each quarter note of the step before, which is how exactly a MIDI file can say a tempo; errors
// do not add up.
func TestStepsKeepTime(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		c := anyCurve(r)
		micros := 0.0
		steps := c.Steps(480)
		for n, s := range steps[1:] {
			quarters := float64(s.Tick-steps[n].Tick) / 960
			micros += quarters * float64(steps[n].Quarter)
			if s.Quarter == 1 || s.Quarter == tempo.Slowest {
				continue
			}
			if diff := math.Abs(1e6*c.Seconds(s.Tick) - micros); diff > .5*quarters+.01 {
				require.Failf(r, "a step is off", "step %d: %g us", n, diff)
			}
		}
	})
}
