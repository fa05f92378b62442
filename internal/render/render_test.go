package render_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
	"fanfold/internal/effect"
	"fanfold/internal/render"
	"fanfold/internal/sampler"
)

const rate = 48_000.0

var options = effect.Options{RateHz: rate}

func graphTo(t require.TestingT, f *fan.Fan, bus template.ID) *render.Graph {
	g, silent, err := render.NewGraph(f, bus, nil, options)
	require.NoError(t, err)
	require.Empty(t, silent)
	return g
}

// sound plays noise of rows into the graph, block by block, and gives what is heard.
func sound(g *render.Graph, rows map[*template.Instrument]int64, blocks int) (out [2][]float64) {
	for n := range blocks {
		lanes := make([]*render.Block, g.Lanes())
		for i, seed := range rows {
			random := rand.New(rand.NewPCG(uint64(seed), uint64(n)))
			var own render.Block
			if n < blocks/2 {
				for k := range own[0] {
					own[0][k], own[1][k] = random.NormFloat64(), random.NormFloat64()
				}
			}
			for _, w := range g.Ways(i) {
				if lanes[w.Lane] == nil {
					lanes[w.Lane] = &render.Block{}
				}
				for k := range own[0] {
					lanes[w.Lane][0][k] += w.Left * own[0][k]
					lanes[w.Lane][1][k] += w.Right * own[1][k]
				}
			}
		}
		b := g.Run(lanes)
		for c := range out {
			out[c] = append(out[c], b[c][:]...)
		}
	}
	return out
}

// Without effects, what is heard at any bus is what the matrix says: the sum over all chains
// of the gain with which a row reaches it, on each side as its pan has it.
func TestTheGraphIsTheMatrix(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x := coretest.Large(60, rapid.IntRange(12, 70).Draw(t, "buses"))
		x = x.Clone()
		i := x.Instruments[rapid.IntRange(0, len(x.Instruments)-1).Draw(t, "row")]
		i.Pan = rapid.Float64Range(-1, 1).Draw(t, "pan")
		for _, b := range x.Buses {
			b.GainDB = rapid.Float64Range(-12, 6).Draw(t, "fader")
			for n := range b.Routes {
				b.Routes[n].GainDB = rapid.Float64Range(-12, 6).Draw(t, "gain")
				b.Routes[n].Tap = rapid.SampledFrom([]template.Tap{template.Pre, template.Post}).Draw(t, "tap")
			}
		}
		f := fan.New(x)
		bus := x.Buses[rapid.IntRange(0, len(x.Buses)-1).Draw(t, "bus")]
		want := 0.0
		for _, r := range f.FromInstrument(i) {
			if f.Bus(r) == bus {
				want += r.Gain
			}
		}
		if bus.AtInput() {
			want *= template.Gain(bus.GainDB) // the matrix has it at its input
		}
		g := graphTo(t, f, bus.ID)
		left, right := fan.Sides(i.Pan)
		one := render.Block{{1}, {1}}
		lanes := make([]*render.Block, g.Lanes())
		for _, w := range g.Ways(i) {
			lanes[w.Lane] = &render.Block{}
			lanes[w.Lane][0][0], lanes[w.Lane][1][0] = w.Left*one[0][0], w.Right*one[1][0]
		}
		out := g.Run(lanes)
		require.InDelta(t, want*left, out[0][0], 1e-12*(1+want))
		require.InDelta(t, want*right, out[1][0], 1e-12*(1+want))
	})
}

// The stems of every fold add up to the mix, with their halls, delays and filters.
func TestStemsAddUpToTheMix(t *testing.T) {
	x := coretest.Folds(coretest.Large(60, 60), 2).Clone()
	kinds := [][]template.BusEffect{
		{{Kind: template.EffectHall, Set: map[string]float64{template.SetDecay: .8}}},
		{{Kind: template.EffectDelay, Set: map[string]float64{template.SetTime: 30, template.SetCross: 1}}},
		{{Kind: template.EffectFilter, Set: map[string]float64{template.SetBellDB: -6}}, {Kind: template.EffectPlate, Set: map[string]float64{template.SetWet: 40}}},
	}
	ran := 0
	for n, b := range x.Buses {
		if is := b.Kind.Is(); !is.Beyond && (is.Wet() || n%4 == 0) {
			b.Runs = kinds[n%len(kinds)]
			ran++
		}
	}
	require.Greater(t, ran, 3)
	require.NoError(t, x.Validate())
	f := fan.New(x)
	rows := map[*template.Instrument]int64{}
	for n, i := range x.Instruments {
		if n%4 == 0 && len(i.Routes) > 0 && i.Played() {
			rows[i] = int64(n)
		}
	}
	mix := sound(graphTo(t, f, ""), rows, 120)
	checked := 0
	for _, fold := range x.Folds {
		if !f.Sum(fold).AddsUp() {
			continue
		}
		checked++
		var sum [2][]float64
		for c := range sum {
			sum[c] = make([]float64, len(mix[0]))
		}
		for _, stem := range x.Delivered(fold.ID) {
			gain := 0.0 // of the stem's way into the mix
			for _, r := range f.FromBus(stem.ID) {
				if f.Bus(r) == x.TheMix() {
					gain += r.Gain
				}
			}
			if stem.GainDB != 0 {
				gain /= template.Gain(stem.GainDB)
			}
			out := sound(graphTo(t, f, stem.ID), rows, 120)
			for c := range sum {
				for n, v := range out[c] {
					sum[c][n] += gain * v
				}
			}
		}
		loud := 0.0
		for c := range sum {
			for n, v := range mix[c] {
				loud = max(loud, math.Abs(v))
				require.InDelta(t, v, sum[c][n], 1e-9, "%s, frame %d", fold.Name, n)
			}
		}
		require.Greater(t, loud, .1)
	}
	require.NotZero(t, checked)
}

// A delay longer than a block comes out after silence, and again after more of it.
func TestADelayComesOutAfterSilence(t *testing.T) {
	x := coretest.Large(60, 60).Clone()
	i := x.Instruments[0]
	i.GainDB, i.Routes = 0, []template.Route{{To: x.TheMix().ID, Tap: template.Post}}
	x.TheMix().Runs = []template.BusEffect{{Kind: template.EffectDelay, Set: map[string]float64{
		template.SetTime: 500, template.SetFeedback: 10, template.SetLowCut: template.NoLowCutHz, template.SetHighCut: template.NoHighCutHz,
	}}}
	g := graphTo(t, fan.New(x), "")
	var out []float64
	for n := range 800 {
		lanes := make([]*render.Block, g.Lanes())
		if n%500 == 0 {
			lanes[g.Ways(i)[0].Lane] = &render.Block{{1}, {1}}
		}
		b := g.Run(lanes)
		out = append(out, b[0][:]...)
	}
	for n, v := range out {
		want := 0.0
		for from := range 2 {
			if late := n - from*500*render.Frames; late > 0 && late%24_000 == 0 {
				want += math.Pow(.1, float64(late/24_000-1))
			}
		}
		require.InDelta(t, want, v, 1.1e-3, "frame %d", n)
	}
}

// An effect that cannot run gives nothing, and is told.
func TestAnEffectThatCanNotRun(t *testing.T) {
	x := coretest.Large(60, 60).Clone()
	b := x.FirstBus(func(is *template.BusType) bool { return is.Wet() })
	b.Runs = []template.BusEffect{{Kind: template.EffectConvolution}}
	g, silent, err := render.NewGraph(fan.New(x), b.ID, nil, options)
	require.NoError(t, err)
	require.Len(t, silent, 1)
	require.Contains(t, silent[0].Reason, "choose a recording")
	for _, i := range x.Instruments {
		if len(g.Ways(i)) > 0 {
			out := sound(g, map[*template.Instrument]int64{i: 1}, 4)
			require.Zero(t, out[0][0])
			return
		}
	}
	t.Fatal("nobody feeds the return")
}

// tone is a patch of a sine.
func tone(t testing.TB, tune int) *sampler.Patch {
	store := sampler.NewStore(1 << 20)
	t.Cleanup(store.Close)
	text := fmt.Sprintf("<region> sample=*sine loop_mode=loop_continuous ampeg_release=0.05 tune=%d lorand=0 hirand=0.8", tune)
	p, err := sampler.Open(store, sampler.File{Folder: fstest.MapFS{"a.sfz": {Data: []byte(text)}}, Source: template.Source{File: "a.sfz"}})
	require.NoError(t, err)
	return p
}

func messages(seed int, blocks int) (out []sampler.Message) {
	random := rand.New(rand.NewPCG(uint64(seed), 9))
	for at := int64(random.IntN(4000)); at < int64(blocks*render.Frames); at += int64(1 + random.IntN(9000)) {
		key := 48 + random.IntN(30)
		out = append(out, sampler.Message{At: at, Kind: sampler.NoteOn, Key: key, Value: 1 + random.IntN(127)},
			sampler.Message{At: at + int64(random.IntN(6000)), Kind: sampler.NoteOff, Key: key})
	}
	return out
}

// The same music gives the same bits in whatever pieces it is rendered, and on however many
// cores.
func TestAnEnsembleIsTheSameInAnyPieces(t *testing.T) {
	var patches []*sampler.Patch
	for n := range 12 {
		patches = append(patches, tone(t, 7*n))
	}
	ensemble := func() *render.Ensemble {
		var rows []render.Seat
		for n := range 12 {
			p := render.NewPlayer(fmt.Sprint("row ", n), []render.Layer{{Patch: patches[n], Trim: .3}}, sampler.Options{RateHz: rate})
			for _, m := range messages(n, 300) {
				p.Send(m)
			}
			rows = append(rows, render.Seat{Playing: p, Ways: []render.Way{{Lane: n % 3, Left: .5, Right: .7}, {Lane: 3, Left: .1, Right: .1}}})
		}
		return render.NewEnsemble(rows, 5)
	}
	whole := ensemble().Render(300)
	pieces := ensemble()
	sounded := false
	for from := 0; from < 300; {
		size := min(300-from, 1+from%7)
		for k, lanes := range pieces.Render(size) {
			require.Equal(t, whole[from+k], lanes, "block %d", from+k)
			require.Nil(t, lanes[4], "nobody feeds it")
			sounded = sounded || lanes[0] != nil
		}
		from += size
	}
	require.True(t, sounded)
}
