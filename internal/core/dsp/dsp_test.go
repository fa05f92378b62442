package dsp

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const rate = 48000

// sine is so many seconds of a sine, Hz, at a peak level, dBFS, from a phase, degrees.
func sine(seconds, hz, dbfs, degrees float64) []float64 {
	out := make([]float64, int(math.Round(seconds*rate)))
	a := Amplitude(dbfs)
	for n := range out {
		out[n] = a * math.Sin(2*math.Pi*hz*float64(n)/rate+degrees*math.Pi/180)
	}
	return out
}

type run struct{ seconds, dbfs float64 }

// programme is runs of a sine of 1 kHz, the same in both channels.
func programme(runs ...run) *Loudness {
	l := NewLoudness(rate, StereoWeights)
	for _, r := range runs {
		x := sine(r.seconds, 1000, r.dbfs, 0)
		l.Add(x, x)
	}
	return l
}

// The coefficients at 48 kHz: ITU-R BS.1770-4, tables 1 and 2, from memory.
func TestPublishedCoefficients(t *testing.T) {
	k := kWeighting(rate)
	for n, want := range []Coefficients{
		{B0: 1.53512485958697, B1: -2.69169618940638, B2: 1.19839281085285, A1: -1.69065929318241, A2: 0.73248077421585},
		{B0: 1, B1: -2, B2: 1, A1: -1.99004745483398, A2: 0.99007225036621},
	} {
		for _, pair := range [][2]float64{{want.B0, k[n].B0}, {want.B1, k[n].B1}, {want.B2, k[n].B2}, {want.A1, k[n].A1}, {want.A2, k[n].A2}} {
			require.InDelta(t, pair[0], pair[1], 1e-9)
		}
	}
}

// EBU Tech 3341, the minimum requirements of table 1 that can be synthesised: cases 1 to 6,
// within 0.1 LU. From memory.
func TestIntegratedLoudness(t *testing.T) {
	for n, c := range [][]run{
		{{20, -23}},
		{{20, -33}},
		{{10, -36}, {60, -23}, {10, -36}},
		{{10, -72}, {10, -36}, {60, -23}, {10, -36}, {10, -72}},
		{{20, -26}, {20.1, -20}, {20, -26}},
	} {
		want := -23.0
		if n == 1 {
			want = -33
		}
		l := programme(c...)
		require.InDelta(t, want, l.Integrated(), .1, "case %d", n+1)
		if n < 2 {
			for _, m := range l.Momentary()[1:] {
				require.InDelta(t, want, m, .1)
			}
			for _, s := range l.ShortTerm()[1:] {
				require.InDelta(t, want, s, .1)
			}
		}
	}
	five := NewLoudness(rate, FiveWeights)
	five.Add(sine(20, 1000, -28, 0), sine(20, 1000, -28, 0), sine(20, 1000, -24, 0), sine(20, 1000, -30, 0), sine(20, 1000, -30, 0))
	require.InDelta(t, -23, five.Integrated(), .1, "case 6")
	require.Equal(t, Silence, programme(run{5, -80}).Integrated(), "all below the gate")
	require.Equal(t, Silence, NewLoudness(rate, StereoWeights).Integrated())
}

// Cases 9 and 12: short-term after 3 s and momentary after 1 s stand still.
func TestShortTermAndMomentary(t *testing.T) {
	var nine, twelve []run
	for range 5 {
		nine = append(nine, run{1.34, -20}, run{1.66, -30})
	}
	for range 25 {
		twelve = append(twelve, run{.18, -20}, run{.22, -30})
	}
	for _, s := range programme(nine...).ShortTerm() {
		require.InDelta(t, -23, s, .1, "case 9")
	}
	for _, m := range programme(twelve...).Momentary()[6:] {
		require.InDelta(t, -23, m, .1, "case 12")
	}
}

// EBU Tech 3342, cases 1 to 4, within 1 LU. From memory.
func TestLoudnessRange(t *testing.T) {
	for n, c := range []struct {
		runs []run
		want float64
	}{
		{[]run{{20, -20}, {20, -30}}, 10},
		{[]run{{20, -20}, {20, -15}}, 5},
		{[]run{{20, -40}, {20, -20}}, 20},
		{[]run{{20, -50}, {20, -35}, {20, -20}, {20, -35}, {20, -50}}, 15},
	} {
		require.InDelta(t, c.want, programme(c.runs...).Range(), 1, "case %d", n+1)
	}
}

// A sine of 997 Hz at full scale in one channel reads -3.01 LUFS: BS.1770-4; and so it
// does at other sample rates.
func TestTheReferenceAtAnyRate(t *testing.T) {
	for _, hz := range []float64{44100, 48000, 88200, 96000} {
		l := NewLoudness(hz, []float64{1})
		x := make([]float64, int(hz)*2)
		for n := range x {
			x[n] = math.Sin(2 * math.Pi * 997 * float64(n) / hz)
		}
		l.Add(x)
		require.InDelta(t, -3.01, l.Integrated(), .02, "%g Hz", hz)
	}
}

// Whatever blocks the samples come in, the figures are the same.
func TestBlocksDoNotMatter(t *testing.T) {
	dice := rand.New(rand.NewPCG(1, 2))
	x := make([]float64, rate*5)
	for n := range x {
		x[n] = dice.NormFloat64() / 10
	}
	whole, peak := NewLoudness(rate, []float64{1}), TruePeak{}
	whole.Add(x)
	peak.Add(x)
	rapid.Check(t, func(r *rapid.T) {
		l, p := NewLoudness(rate, []float64{1}), TruePeak{}
		for rest := x; len(rest) > 0; {
			n := min(len(rest), rapid.IntRange(1, 100_000).Draw(r, "block"))
			l.Add(rest[:n])
			p.Add(rest[:n])
			rest = rest[n:]
		}
		require.Equal(r, whole.sums, l.sums)
		require.Equal(r, peak.DBTP(), p.DBTP())
	})
}

// EBU Tech 3341, cases 15 to 19: within +0.2 and -0.4 dB. From memory.
func TestTruePeaks(t *testing.T) {
	for n, c := range []struct{ hz, amplitude, degrees, want float64 }{
		{rate / 4, .5, 0, -6}, {rate / 4, .5, 45, -6}, {rate / 6, .5, 60, -6}, {rate / 8, .5, 67.5, -6}, {rate / 4, 1.41, 45, 3},
	} {
		var p TruePeak
		x := sine(1, c.hz, DB(c.amplitude), c.degrees)
		for k := 0; k < 480; k++ { // faded in and out, as the files are
			x[k] *= float64(k) / 480
			x[len(x)-1-k] *= float64(k) / 480
		}
		p.Add(x)
		require.LessOrEqual(t, p.DBTP(), c.want+.2, "case %d", n+15)
		require.GreaterOrEqual(t, p.DBTP(), c.want-.4, "case %d", n+15)
	}
}

// Each phase of the filter passes what does not change, and the outer ones mirror each
// other.
func TestTruePeakFilter(t *testing.T) {
	for n := range phases {
		sum := 0.0
		for k, c := range phases[n] {
			sum += c
			require.Equal(t, c, phases[3-n][11-k])
		}
		require.InDelta(t, 1, sum, .03)
	}
}

func TestLevels(t *testing.T) {
	l := LevelOf(sine(1, 1000, -18, 0))
	require.InDelta(t, -21.01, l.RMS, .01)
	require.InDelta(t, -18, l.Peak, .01)
	require.InDelta(t, 0, l.DC, 1e-6)
	require.Equal(t, Level{RMS: Silence, Peak: Silence}, LevelOf(nil))
	require.Equal(t, Silence, LevelOf(make([]float64, 10)).RMS)
	require.InDelta(t, .5, Amplitude(-6.0206), 1e-4)
}

// The decay of noise that falls as it was made to, within 5 %, and none where it does not.
func TestDecays(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		t60 := rapid.Float64Range(.3, 3).Draw(r, "t60")
		dice := rand.New(rand.NewPCG(rapid.Uint64().Draw(r, "seed"), 1))
		x := make([]float64, int(t60*rate))
		for n := range x {
			x[n] = dice.NormFloat64() * Amplitude(-60*float64(n)/rate/t60)
		}
		got, ok := Decay(x, rate, -5, -35)
		require.True(r, ok)
		require.InEpsilon(r, t60, got, .05)
	})
	_, ok := Decay(make([]float64, 100), rate, -5, -35)
	require.False(t, ok)
}

// A note is found to the sample where it begins at once, and where it swells to half.
func TestOnsets(t *testing.T) {
	x := make([]float64, rate)
	dice := rand.New(rand.NewPCG(3, 4))
	for n := range x {
		x[n] = dice.NormFloat64() * Amplitude(-80)
	}
	const at = 12345
	for n := at; n < len(x); n++ {
		x[n] += .5 * min(1, float64(n-at)/4800) * math.Cos(2*math.Pi*1000*float64(n-at)/rate)
	}
	start, half := Onset(x, rate, -80)
	require.InDelta(t, at, start, rate/500, "within two milliseconds")
	require.InDelta(t, at+2400, half, rate/500)
	start, half = Onset(make([]float64, 500), rate, -80)
	require.Equal(t, []int{-1, -1}, []int{start, half})
}

func BenchmarkLoudness(b *testing.B) {
	x := sine(10, 1000, -23, 0)
	b.ReportAllocs()
	for b.Loop() {
		l := NewLoudness(rate, StereoWeights)
		l.Add(x, x)
		l.Integrated()
	}
}

// A tone that is taken to another rate is the same tone, and one above half the lower rate
// is gone.
func TestResample(t *testing.T) {
	tone := func(hz, rate float64, n int) []float64 {
		out := make([]float64, n)
		for k := range out {
			out[k] = math.Sin(2 * math.Pi * hz * float64(k) / rate)
		}
		return out
	}
	for _, to := range []float64{44_100, 88_200, 96_000, 22_050} {
		for _, hz := range []float64{100, 997, 8000} {
			got := Resample(tone(hz, 48_000, 9600), 48_000, to)
			want := tone(hz, to, len(got))
			for n := 300; n < len(got)-300; n++ {
				require.InDelta(t, want[n], got[n], 2e-3, "%g Hz at %g Hz", hz, to)
			}
		}
	}
	gone := Resample(tone(15_000, 48_000, 9600), 48_000, 22_050)
	require.Less(t, LevelOf(gone[300:len(gone)-300]).RMS, -80.0)
	require.Equal(t, []float64{1, 2}, Resample([]float64{1, 2}, 8000, 8000))
}

// The filters do what they say at their corners and middles, and nothing far from them.
func TestFilters(t *testing.T) {
	at := func(c Coefficients, hz float64) float64 { return DB(c.GainAt(hz, rate)) }
	q := math.Sqrt2 / 2
	require.InDelta(t, -3.01, at(LowPass(1000, q, rate), 1000), .01)
	require.InDelta(t, -3.01, at(HighPass(1000, q, rate), 1000), .01)
	require.InDelta(t, -40, at(LowPass(200, q, rate), 2000), .5, "12 dB an octave")
	require.InDelta(t, -40, at(HighPass(2000, q, rate), 200), .5)
	require.InDelta(t, 0, at(BandPass(1000, q, rate), 1000), 1e-9)
	require.Less(t, at(BandStop(1000, q, rate), 1000), -200.0+1)
	require.InDelta(t, 6, at(Bell(1000, 6, 1, rate), 1000), 1e-9)
	require.InDelta(t, 0, at(Bell(1000, 6, 1, rate), 20), .01)
	require.InDelta(t, -9, at(LowShelf(200, -9, rate), 1), .01)
	require.InDelta(t, -4.5, at(LowShelf(200, -9, rate), 200), .01, "half of it at the corner")
	require.InDelta(t, 5, at(HighShelf(2000, 5, rate), 23_900), .05)
	require.InDelta(t, 2.5, at(HighShelf(2000, 5, rate), 2000), .01)
}

// A tone lies in its third-octave with its level, and in no other; the middles are those of
// IEC 61260-1 (exact, base 2); noise whose power is even in every octave has every band alike;
// what is said of all bands together is the power of the whole.
func TestThirdOctaves(t *testing.T) {
	for n, nominal := range []float64{25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000, 10_000, 12_500, 16_000, 20_000} {
		require.InEpsilon(t, nominal, ThirdHz(n), .02)
		got := Thirds(sine(1, ThirdHz(n), -20, 0), 48_000)
		require.InDelta(t, -23.01, got[n], .05, "RMS of a sine, %g Hz", nominal)
		for k, db := range got {
			if k < n-1 || k > n+1 {
				require.Less(t, db, -70., "%g Hz in the band of %.0f", nominal, ThirdHz(k))
			}
		}
	}
	require.Equal(t, Silence, Thirds(sine(1, 1000, -20, 0), 32_000)[29], "above half of the rate")
	require.Len(t, Thirds(nil, 48_000), ThirdBands)

	random := rand.New(rand.NewPCG(5, 6))
	pink := make([]float64, 1<<18)
	for hz := 20.; hz < 24_000; hz *= 1.004 { // as many tones in every octave
		phase, step := random.Float64()*2*math.Pi, 2*math.Pi*hz/48_000
		sin, cos := math.Sincos(phase)
		ds, dc := math.Sincos(step)
		for n := range pink {
			pink[n] += 1e-3 * sin
			sin, cos = sin*dc+cos*ds, cos*dc-sin*ds
		}
	}
	got := Thirds(pink, 48_000)
	sum := 0.0
	for n, db := range got {
		off := .6
		if n < 8 {
			off = 2 // fewer than a dozen of its tones can be told apart
		}
		require.InDelta(t, got[20], db, off, "%.0f Hz", ThirdHz(n))
		sum += math.Pow(10, db/10)
	}
	require.InDelta(t, 10*math.Log10(sum), LevelOf(pink).RMS, .2)
}
