package fan_test

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/graph"
	"gonum.org/v1/gonum/graph/simple"
	"gonum.org/v1/gonum/graph/topo"
	"gonum.org/v1/gonum/graph/traverse"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

func position(at template.At) change.Change { return change.SetPosition{Position: at} }

// atSpeakers is what every instrument gives to the speakers, chains added up.
func atSpeakers(t *template.Template) map[template.ID]float64 {
	f, out := fan.New(t), map[template.ID]float64{}
	for n, i := range t.Instruments {
		for _, r := range f.FromRow(n) {
			if f.Bus(r).Kind == template.Speakers {
				out[i.ID] += r.Gain
			}
		}
	}
	return out
}

// However often one switches between listen and print, and whatever the faders
// say, every sound reaches the speakers exactly as loud: switching alone can
// not build the doubled path.
func TestSwitchingNeverDoubles(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		now := coretest.Large(24, 30)
		fader := rapid.Float64Range(-12, 6).Draw(r, "fader")
		b := rapid.SampledFrom(now.StemsOf("fold-sections")).Draw(r, "stem").Clone()
		b.GainDB = fader
		now = coretest.Must(now, change.Put{Buses: []change.Entry[template.Bus]{change.Append(b)}})
		want := atSpeakers(now)
		for range rapid.IntRange(1, 6).Draw(r, "switches") {
			now = coretest.Must(now, position(rapid.SampledFrom([]template.At{template.AtListen, template.AtPrint}).Draw(r, "position")))
			require.NoError(r, now.Validate())
			require.InDeltaMapValues(r, want, atSpeakers(now), 1e-12)
			for _, at := range []template.At{template.AtListen, template.AtPrint} {
				h := fan.New(now).Heard(at)
				require.Empty(r, h.Twice)
				if at == now.Position() {
					require.Empty(r, h.Missing)
				}
			}
		}
	})
}

// The case of practice: a monitor path and a print path, wired by hand so that
// both are open, read +6.02 dB (20 log10 2).
func TestMonitorAndPrintTogether(t *testing.T) {
	now := coretest.Must(coretest.Orchestra(8, 1), position(template.AtPrint))
	mix := now.TheMix()
	doubled := coretest.Must(now, change.Connect{Wires: []change.Wire{{From: mix.ID, To: "bus-speakers", Level: &change.WireSetting{Tap: template.Post}}}})
	h := fan.New(doubled).Heard(template.AtPrint)
	require.Len(t, h.Twice, len(doubled.Instruments))
	require.InDelta(t, 6.0206, h.RiseDB, 1e-4)
	require.Empty(t, fan.New(doubled).Heard(template.AtListen).Twice, "in listen the print way is closed")
	for id, gain := range atSpeakers(doubled) {
		require.InDelta(t, 2, gain, 1e-12, id)
	}
	require.Empty(t, fan.New(coretest.Must(doubled, position(template.AtPrint))).Heard(template.AtPrint).Twice, "switching mends it")
	_, _, err := change.Apply(now, position("loud"))
	require.ErrorContains(t, err, "neither listen nor print")
}

// Loops and reachability against gonum's graph package, on random graphs.
func TestLoopsAndReachAgainstGonum(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		now := coretest.Large(12, 24)
		n := rapid.IntRange(1, 20).Draw(r, "wires")
		for range n {
			from, to := rapid.SampledFrom(now.Buses).Draw(r, "from"), rapid.SampledFrom(now.Buses).Draw(r, "to")
			if from != to {
				now = coretest.Must(now, wire(from.ID, to.ID, 0, template.Post))
			}
		}
		g := simple.NewDirectedGraph()
		place := map[template.ID]int64{}
		for n, b := range now.Buses {
			place[b.ID] = int64(n)
			g.AddNode(simple.Node(n))
		}
		for _, b := range now.Buses {
			for _, route := range b.Routes {
				g.SetEdge(g.NewEdge(simple.Node(place[b.ID]), simple.Node(place[route.To])))
			}
		}
		f := fan.New(now)
		loops := map[template.ID]bool{}
		for _, loop := range f.Cycles() {
			for _, id := range loop {
				loops[id] = true
			}
		}
		number := 0
		for _, component := range topo.TarjanSCC(g) {
			if len(component) > 1 {
				number++
			}
			for _, node := range component {
				require.Equal(r, len(component) > 1, loops[now.Buses[node.ID()].ID], now.Buses[node.ID()].Name)
			}
		}
		require.Len(r, f.Cycles(), number)
		if number > 0 {
			return // routes within a loop carry nothing, so reach is less than what is wired
		}
		for _, b := range now.Buses {
			want := map[int64]bool{}
			walk := traverse.BreadthFirst{Visit: func(n graph.Node) { want[n.ID()] = true }}
			walk.Walk(g, simple.Node(place[b.ID]), nil)
			got := map[int64]bool{}
			for _, x := range f.FromBus(b.ID) {
				got[int64(x.Bus)] = true
			}
			require.Equal(r, want, got, b.Name)
		}
	})
}

// The sentence of a bus tells what comes to it and where it goes.
func TestBusTrace(t *testing.T) {
	now := coretest.Orchestra(8, 1)
	stem := now.StemsOf("fold-fine")[0]
	require.Equal(t, "Winds stem 1 · 1 instrument dry, none wet; from Winds group 1; on to Winds · Mix", fan.New(now).BusTrace(stem).String())
}

// The gain matrix from cold, and after one edit, at 10,000 instruments, 500
// buses and 4 folds. The goals are 150 ms and 10 ms.
func BenchmarkGainMatrix500(b *testing.B) {
	t := coretest.Folds(coretest.Large(10_000, 500), 4)
	b.Run("cold", func(b *testing.B) {
		for b.Loop() {
			fan.New(t.Clone())
		}
	})
	i := t.Instruments[77]
	edited := coretest.Must(t, wire(i.ID, i.Routes[0].To, -3, template.Post))
	b.Run("after one edit", func(b *testing.B) {
		before := fan.New(t)
		for b.Loop() {
			fan.Next(before, edited)
		}
	})
	group := t.Index().Buses[i.Routes[0].To]
	wired := coretest.Must(t, wire(group.ID, group.Routes[0].To, -3, template.Post))
	b.Run("after one bus", func(b *testing.B) {
		before := fan.New(t)
		for b.Loop() {
			fan.Next(before, wired)
		}
	})
}

// The cost of the matrix for each connection, from 1,000 to 100,000 of them:
// the figure should stay the same.
func BenchmarkPerConnection(b *testing.B) {
	for _, ways := range []int{1_000, 10_000, 100_000} {
		t := coretest.Connected(ways)
		b.Run(strconv.Itoa(ways), func(b *testing.B) {
			for b.Loop() {
				fan.New(t)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(ways), "ns/connection")
		})
	}
}
