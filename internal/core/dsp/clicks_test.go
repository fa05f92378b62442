package dsp_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
)

// Clicks that were put into held sounds are counted; the sounds alone, a chord of partials,
// noise and a swell have none.
func TestClicks(t *testing.T) {
	const rate = 48_000
	random := rand.New(rand.NewPCG(1, 1))
	for name, sound := range map[string]func(s float64) float64{
		"a sine": func(s float64) float64 { return .3 * math.Sin(2*math.Pi*440*s) },
		"partials": func(s float64) (x float64) {
			for k := 1.0; k <= 20; k++ {
				x += .2 / k * math.Sin(2*math.Pi*220*k*s+k)
			}
			return x
		},
		"breath":  func(s float64) float64 { return .2*math.Sin(2*math.Pi*300*s) + .004*random.NormFloat64() },
		"a swell": func(s float64) float64 { return .5 * s / 2 * math.Sin(2*math.Pi*110*s) },
		"silence": func(float64) float64 { return 0 },
	} {
		clean := make([]float64, 2*rate)
		for n := range clean {
			clean[n] = sound(float64(n) / rate)
		}
		require.Zero(t, dsp.Clicks(clean, rate), name)
		for _, at := range []int{9000, 41_000, 77_777} { // the sound jumps, as where a loop does not close
			for n := at; n < at+40; n++ {
				clean[n] += .25 * (1 - float64(n-at)/40)
			}
		}
		require.Equal(t, 3, dsp.Clicks(clean, rate), name)
	}
	require.Zero(t, dsp.Clicks([]float64{1, -1, 1}, rate))
}
