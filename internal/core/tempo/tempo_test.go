package tempo_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/tempo"
)

func TestWorkedExample(t *testing.T) {
	// One bar of 4/4 at 120, then 60: 2 s, and 1 s each quarter note.
	m, err := tempo.New(480, tempo.Change{Tick: 1920, Quarter: 1_000_000})
	require.NoError(t, err)
	require.EqualValues(t, 2_000_000, m.Micros(1920))
	require.EqualValues(t, 3_000_000, m.Micros(2400))
	require.EqualValues(t, 2160, m.Tick(2_500_000))
	require.EqualValues(t, -480, m.Tick(-500_000))
}

func TestRefusals(t *testing.T) {
	for _, f := range []func() error{
		func() error { _, err := tempo.New(0); return err },
		func() error { _, err := tempo.New(480, tempo.Change{Tick: -1, Quarter: 1}); return err },
		func() error { _, err := tempo.New(480, tempo.Change{Quarter: tempo.Slowest + 1}); return err },
	} {
		require.Error(t, f())
	}
}

func TestThereAndBackAndNeverBackwards(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		var changes []tempo.Change
		for range rapid.IntRange(0, 6).Draw(r, "changes") {
			changes = append(changes, tempo.Change{Tick: rapid.Int64Range(0, 100_000).Draw(r, "at"), Quarter: rapid.Int64Range(60_000, tempo.Slowest).Draw(r, "quarter")})
		}
		m, err := tempo.New(rapid.SampledFrom([]int{96, 480, 960}).Draw(r, "ticks"), changes...)
		require.NoError(r, err)
		a := rapid.Int64Range(-1000, 200_000).Draw(r, "a")
		b := a + rapid.Int64Range(1, 1000).Draw(r, "later")
		require.LessOrEqual(r, m.Micros(a), m.Micros(b))
		require.InDelta(r, a, m.Tick(m.Micros(a)), 1)
	})
}
