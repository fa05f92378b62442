package effect

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

const rate = 48_000.0

func made(t testing.TB, kind template.EffectKind, set map[string]float64) Effect {
	e, err := New([]template.BusEffect{{Kind: kind, Set: set}}, Options{RateHz: rate})
	require.NoError(t, err)
	return e
}

// play runs sound through an effect, and as much silence as seconds say.
func play(e Effect, in [2][]float64, seconds float64) (out [2][]float64) {
	total := max(len(in[0]), len(in[1])) + int(seconds*rate)
	for from := 0; from < total; from += Frames {
		var b Block
		for c := range b {
			if from < len(in[c]) {
				copy(b[c][:], in[c][from:])
			}
		}
		e.Run(&b)
		for c := range b {
			out[c] = append(out[c], b[c][:]...)
		}
	}
	return out
}

func impulse() [2][]float64 { return [2][]float64{{1}, {0}} }

func filtered(x []float64, c dsp.Coefficients, times int) []float64 {
	y := slices.Clone(x)
	for range times {
		f := dsp.Biquad{Coefficients: c}
		f.Run(y)
	}
	return y
}

// Halls and plates decay as long as they are set to: T30 by Schroeder's integration (ISO
// 3382-1), the mean of what both sides give back of each, in the third octaves around 125 Hz,
// 1 kHz and 8 kHz, within 5 %. In a narrow low band a short decay is a chance of few modes
// (ISO 3382-1, annex on uncertainty): there within 12 %.
func TestDecaysAsSet(t *testing.T) {
	for _, kind := range []template.EffectKind{template.EffectHall, template.EffectPlate} {
		for _, decay := range []float64{.6, 1.2, 2, 4.5} {
			for _, times := range [][2]float64{{1, 1}, {1.3, .5}, {.7, .8}} {
				var sums [3]float64
				for _, in := range [][2][]float64{{{1}, {0}}, {{0}, {1}}} {
					e := made(t, kind, map[string]float64{
						template.SetDecay: decay, template.SetLow: times[0], template.SetHigh: times[1], template.SetPreDelay: 0,
						template.SetLowCut: template.NoLowCutHz, template.SetHighCut: template.NoHighCutHz,
					})
					for _, out := range play(e, in, 1.2*decay*max(1, times[0])) {
						for n, hz := range []float64{lowAt, middleAt, highAt} {
							got, ok := dsp.Decay(filtered(out, dsp.BandPass(hz, 4.32, rate), 2), rate, -5, -35)
							require.True(t, ok)
							sums[n] += got / 4
						}
					}
				}
				low := .05
				if decay*times[0] < 1 {
					low = .12
				}
				require.InEpsilon(t, decay*times[0], sums[0], low, "%s, low of %g s", kind, decay)
				require.InEpsilon(t, decay, sums[1], .05, "%s, %g s", kind, decay)
				require.InEpsilon(t, decay*times[1], sums[2], .05, "%s, high of %g s", kind, decay)
			}
		}
	}
}

// Before its pre-delay a hall is silent, and its sides are as strong as each other and have
// nothing to do with each other.
func TestAHallsSides(t *testing.T) {
	e := made(t, template.EffectHall, map[string]float64{template.SetPreDelay: 80})
	out := play(e, impulse(), 2)
	quiet := int(.080 * rate)
	var sums [3]float64
	for n := range out[0] {
		if n < quiet {
			require.Zero(t, out[0][n])
			require.Zero(t, out[1][n])
		}
		sums[0] += out[0][n] * out[0][n]
		sums[1] += out[1][n] * out[1][n]
		sums[2] += out[0][n] * out[1][n]
	}
	require.InDelta(t, 0, dsp.PowerDB(sums[0]/sums[1]), 1)
	require.Less(t, math.Abs(sums[2])/math.Sqrt(sums[0]*sums[1]), .15)
}

// Rooms give back as much as goes in, whatever their decay: so a send says how much there is.
func TestRoomsGiveBackAsMuchAsGoesIn(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	noise := func(seconds float64) []float64 {
		out := make([]float64, int(seconds*rate))
		for n := range out {
			out[n] = random.NormFloat64()
		}
		return out
	}
	middle := func(x []float64) float64 {
		return dsp.LevelOf(filtered(x, dsp.BandPass(middleHz, middleQ, rate), 1)).RMS
	}
	room := [][]float64{noise(1.5), noise(1.5)}
	for c := range room {
		for n := range room[c] {
			room[c][n] *= 3 * math.Exp(-6.9*float64(n)/rate)
		}
	}
	for name, e := range map[string]Effect{
		"hall": made(t, template.EffectHall, nil), "long hall": made(t, template.EffectHall, map[string]float64{template.SetDecay: 5}),
		"dark hall": made(t, template.EffectHall, map[string]float64{template.SetHigh: .2, template.SetHighCut: 4000}),
		"plate":     made(t, template.EffectPlate, nil), "small": made(t, template.EffectPlate, map[string]float64{template.SetDecay: .3}),
		"room": func() Effect {
			x, err := New([]template.BusEffect{{Kind: template.EffectConvolution, Audio: "x"}}, Options{RateHz: rate, Audio: func(string) ([][]float64, float64, error) { return room, rate, nil }})
			require.NoError(t, err)
			return x
		}(),
	} {
		in := [2][]float64{noise(12), noise(12)}
		out := play(e, in, 0)
		from := len(in[0]) / 2
		require.InDelta(t, middle(in[0][from:]), middle(out[0][from:len(in[0])]), 1, name)
	}
}

// Everything but the limiter is linear and the same at all times.
func TestEffectsAreLinear(t *testing.T) {
	room := [][]float64{{.5, 0, .2, .1}, {.4, .1}}
	for len(room[0]) < 3*longBlock {
		room[0] = append(room[0], math.Sin(float64(len(room[0])))*math.Exp(-float64(len(room[0]))/4000))
	}
	rapid.Check(t, func(t *rapid.T) {
		kind := rapid.SampledFrom([]template.EffectKind{template.EffectHall, template.EffectPlate, template.EffectDelay, template.EffectFilter, template.EffectConvolution}).Draw(t, "kind")
		set := map[string]float64{}
		for _, p := range kind.Is().Parameters {
			if rapid.Bool().Draw(t, p.Name) {
				set[p.Name] = rapid.Float64Range(p.Low, min(p.High, p.Usual*2+1)).Draw(t, p.Name)
			}
		}
		fresh := func() Effect {
			e, err := New([]template.BusEffect{{Kind: kind, Set: set, Audio: "x"}}, Options{RateHz: rate, Audio: func(string) ([][]float64, float64, error) { return room, rate, nil }})
			require.NoError(t, err)
			return e
		}
		random := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		sound := func() (x [2][]float64) {
			for c := range x {
				x[c] = make([]float64, 12*Frames)
				for n := range 1500 {
					x[c][n] = random.NormFloat64()
				}
			}
			return x
		}
		a, b := sound(), sound()
		var both [2][]float64
		late := rapid.IntRange(0, 5).Draw(t, "late") * Frames
		for c := range both {
			both[c] = make([]float64, len(a[c]))
			for n := range both[c] {
				if both[c][n] = 2 * a[c][n]; n >= late {
					both[c][n] += b[c][n-late]
				}
			}
		}
		x, y, z := play(fresh(), a, 0), play(fresh(), b, 0), play(fresh(), both, 0)
		for c := range z {
			for n := range z[c] {
				want := 2 * x[c][n]
				if n >= late {
					want += y[c][n-late]
				}
				require.InDelta(t, want, z[c][n], 1e-9)
			}
		}
	})
}

// Convolution in parts is what the plain sum says.
func TestConvolutionIsTheSum(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for _, length := range []int{1, 100, Frames, 2 * longBlock, 2*longBlock + 1, 5*longBlock + 77} {
		h, x := make([]float64, length), make([]float64, 7*longBlock)
		for n := range h {
			h[n] = random.NormFloat64()
		}
		for n := range x {
			if n%997 < 3 { // few, so that the plain sum ends
				x[n] = random.NormFloat64()
			}
		}
		want := make([]float64, len(x))
		for n, v := range x {
			if v != 0 {
				for k := 0; k < length && n+k < len(want); k++ {
					want[n+k] += v * h[k]
				}
			}
		}
		c := newConvolved(h)
		for from := 0; from < len(x); from += Frames {
			c.run(x[from : from+Frames])
		}
		for n := range x {
			require.InDelta(t, want[n], x[n], 1e-9, "an impulse of %d, at %d", length, n)
		}
	}
}

func TestADelayRepeats(t *testing.T) {
	flat := map[string]float64{template.SetLowCut: template.NoLowCutHz, template.SetHighCut: template.NoHighCutHz}
	with := func(more map[string]float64) map[string]float64 {
		out := map[string]float64{}
		for k, v := range flat {
			out[k] = v
		}
		for k, v := range more {
			out[k] = v
		}
		return out
	}
	e, err := New([]template.BusEffect{{Kind: template.EffectDelay, Set: with(map[string]float64{template.SetQuarters: .75, template.SetFeedback: 50})}}, Options{RateHz: rate, QuarterS: 60. / 90})
	require.NoError(t, err)
	out := play(e, impulse(), 3)
	for n, v := range out[0] {
		want := 0.0
		if n > 0 && n%24_000 == 0 { // a dotted eighth at 90 to the minute is half a second
			want = math.Pow(.5, float64(n/24_000-1))
		}
		require.InDelta(t, want, v, 1e-12)
		require.Zero(t, out[1][n])
	}
	require.InDelta(t, 5.5, e.Tail(), .01, "ten repeats until it is 60 dB softer, and the first")
	crossed := play(made(t, template.EffectDelay, with(map[string]float64{template.SetTime: 100, template.SetCross: 1, template.SetFeedback: 50})), [2][]float64{{1}, {1}}, 1)
	require.InDelta(t, math.Sqrt2, crossed[0][4800], 1e-12)
	require.Zero(t, crossed[1][4800])
	require.InDelta(t, math.Sqrt2/2, crossed[1][9600], 1e-12)
}

// The filter does at each tone what it says.
func TestAFilterDoesWhatItSays(t *testing.T) {
	e := made(t, template.EffectFilter, map[string]float64{
		template.SetLowCut: 40, template.SetHighCut: 14_000, template.SetLowDB: 6, template.SetLowHz: 100, template.SetBellDB: -9, template.SetBellHz: 1000, template.SetBellQ: 2, template.SetHighDB: 3, template.SetHighHz: 5000,
	})
	for hz, want := range map[float64]float64{10: -18, 1000: -9, 400: 0, 9000: 2.4} {
		in := make([]float64, int(rate))
		for n := range in {
			in[n] = math.Sin(2 * math.Pi * hz * float64(n) / rate)
		}
		out := play(e, [2][]float64{in, in}, 0)
		got := dsp.LevelOf(out[1][len(in)/2:len(in)]).RMS - dsp.LevelOf(in[len(in)/2:]).RMS
		require.InDelta(t, want, got, 1, "%g Hz", hz)
	}
}

// The limiter keeps its ceiling, leaves alone what lies below, and is as late as it says.
func TestTheLimiter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ceiling := rapid.Float64Range(-12, 0).Draw(t, "ceiling")
		e, err := New([]template.BusEffect{{Kind: template.EffectLimiter, Set: map[string]float64{template.SetCeiling: ceiling}}}, Options{RateHz: rate})
		require.NoError(t, err)
		random := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		in := [2][]float64{make([]float64, 6000), make([]float64, 6000)}
		hz := rapid.Float64Range(30, 9000).Draw(t, "hz")
		for n := range in[0] {
			in[0][n] = 1.5*math.Sin(hz*float64(n)*2*math.Pi/rate) + .2*random.NormFloat64()
			in[1][n] = in[0][n] * .5
			if random.IntN(1000) == 0 {
				in[1][n] += 3
			}
		}
		out := play(e, in, .1)
		for c := range out {
			var p dsp.TruePeak
			p.Add(out[c])
			require.Less(t, p.DBTP(), ceiling+.3)
		}
	})
	soft := make([]float64, 9000)
	for n := range soft {
		soft[n] = .5 * math.Sin(float64(n)/9)
	}
	e := made(t, template.EffectLimiter, nil)
	out := play(e, [2][]float64{soft, soft}, .1)
	for n, v := range soft {
		require.InDelta(t, v, out[0][n+e.Late()], 1e-9)
	}
}

func TestTheLeastOfALast(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		over := rapid.IntRange(1, 9).Draw(t, "over")
		list := rapid.SliceOf(rapid.Float64Range(0, 1)).Draw(t, "list")
		l := least{over: over}
		for n, x := range list {
			require.InDelta(t, slices.Min(list[max(0, n+1-over):n+1]), l.next(x), 0)
		}
	})
}

// Of a part of the mix the limiter changes the level alone: it is not late, and limits nothing.
func TestTheLimiterAndParts(t *testing.T) {
	e, err := New([]template.BusEffect{{Kind: template.EffectLimiter, Set: map[string]float64{template.SetLevel: -6}}}, Options{RateHz: rate, Parts: true})
	require.NoError(t, err)
	b := Block{{8}, {-8}}
	e.Run(&b)
	require.InDelta(t, 8*dsp.Amplitude(-6), b[0][0], 1e-12)
	require.Zero(t, e.Late())
}

func TestEffectsThatCanNotBe(t *testing.T) {
	silent := func(string) ([][]float64, float64, error) { return [][]float64{make([]float64, 100)}, rate, nil }
	for _, c := range []struct {
		e    template.BusEffect
		o    Options
		says string
	}{
		{template.BusEffect{Kind: template.EffectConvolution}, Options{RateHz: rate}, "choose a recording"},
		{template.BusEffect{Kind: template.EffectConvolution, Audio: "x", File: "a.wav"}, Options{RateHz: rate, Audio: silent}, "a.wav is silent"},
		{template.BusEffect{Kind: "fog"}, Options{RateHz: rate}, "no effect"},
	} {
		_, err := New([]template.BusEffect{c.e}, c.o)
		require.ErrorContains(t, err, c.says)
	}
	e, err := New([]template.BusEffect{{Kind: template.EffectHall, Off: true}}, Options{RateHz: rate})
	require.NoError(t, err)
	require.Nil(t, e)
}

// With parameters at their ends nothing grows without end.
func TestEffectsDieAway(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	for n := range 40 {
		is := template.EffectTypes[n%4]
		set := map[string]float64{}
		for _, p := range is.Parameters {
			set[p.Name] = []float64{p.Low, p.Usual, p.High}[random.IntN(3)]
		}
		hz := []float64{44_100, 48_000, 88_200, 96_000}[n/4%4]
		e, err := New([]template.BusEffect{{Kind: is.Kind, Set: set}}, Options{RateHz: hz})
		require.NoError(t, err)
		b := Block{{1}, {-1}}
		top, last := 0.0, 0.0
		for n := range 2000 {
			e.Run(&b)
			now := 0.0
			for c := range b {
				for _, x := range b[c] {
					now = max(now, math.Abs(x))
				}
			}
			if top = max(top, now); n >= 1500 {
				last = max(last, now)
			}
			b = Block{}
		}
		require.LessOrEqual(t, last, top, "%s at %g Hz: %v", is.Kind, hz, set)
		require.Less(t, top, 1000.0)
	}
}

func BenchmarkEffects(b *testing.B) {
	room := make([]float64, int(3*rate))
	for n := range room {
		room[n] = math.Sin(float64(n*n)) * math.Exp(-float64(n)/20_000)
	}
	for _, kind := range []template.EffectKind{template.EffectHall, template.EffectDelay, template.EffectFilter, template.EffectConvolution, template.EffectLimiter} {
		e, err := New([]template.BusEffect{{Kind: kind, Audio: "x", Set: map[string]float64{}}}, Options{RateHz: rate, Audio: func(string) ([][]float64, float64, error) { return [][]float64{room, room}, rate, nil }})
		require.NoError(b, err)
		b.Run(string(kind), func(b *testing.B) {
			b.ReportAllocs()
			var x Block
			x[0][0] = 1
			for b.Loop() {
				e.Run(&x)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/Frames, "ns/frame")
			b.ReportMetric(Frames/rate*1e9/(float64(b.Elapsed().Nanoseconds())/float64(b.N)), "times-real-time")
		})
	}
}
