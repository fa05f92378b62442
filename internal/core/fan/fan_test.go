package fan_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

func wire(from, to template.ID, db float64, tap template.Tap) change.Connect {
	return change.Connect{Wires: []change.Wire{{From: from, To: to, Level: &change.WireSetting{GainDB: db, Tap: tap}}}}
}

func gainAt(f *fan.Fan, i *template.Instrument, bus template.ID, chain string) float64 {
	for _, r := range f.FromInstrument(i) {
		if f.Bus(r).ID == bus && f.ChainName(r.Chain) == chain {
			return r.Gain
		}
	}
	return 0
}

// Decibel sums. The first two figures follow from the definition of the
// decibel (20 log10 2 = 6.0206, IEC 60027-3).
func TestDecibels(t *testing.T) {
	require.InDelta(t, 6.0206, template.Decibels(2), 1e-4)
	require.InDelta(t, 0.5, template.Gain(-6.0206), 1e-5)
	require.InDelta(t, -3.0103, template.Decibels(math.Cos(math.Pi/4)), 1e-4) // constant-power centre
	require.Equal(t, "-14 dB", fan.FormatDB(-14))
	require.Equal(t, "+6.02 dB", fan.FormatDB(6.0206))
	require.Equal(t, "0 dB", fan.FormatDB(-0.001))
}

// Two identical routes raise the level by 6.02 dB (4-reference: mono sum of
// two identical signals), and the extra one is named.
func TestDoubledPath(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	i := base.Instruments[0]
	stem := base.Index().Buses[base.Index().Buses[i.Routes[0].To].Routes[0].To]
	doubled := coretest.Must(base, wire(i.ID, stem.ID, 0, template.Post))
	f := fan.New(doubled)
	d, found := f.DoubledFrom(i.ID, doubled.Instrument(i.ID).Routes, 0)
	require.True(t, found)
	require.Equal(t, stem.ID, d.To.ID)
	require.Equal(t, stem.ID, d.Extra, "the direct way, which skips the group, is the extra one")
	require.InDelta(t, 6.0206, d.RiseDB, 1e-4)
	_, found = fan.New(base).DoubledFrom(i.ID, i.Routes, 0)
	require.False(t, found)
}

// A pre-fader send ignores the fader, a post-fader send follows it, and sound
// over a return is another chain than the dry one.
func TestTapsAndChains(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	i := base.Instruments[0]
	stem := base.StemsOf(base.Folds[0].ID)[0]
	fader := -10.0
	hall := func(id template.ID, name string) change.Change {
		return change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{ID: id, Kind: template.Return, Name: name, Routes: []template.Route{{To: stem.ID, Tap: template.Post}}})}}
	}
	wired := coretest.Must(base, hall("pre", "Hall"), hall("post", "Delay"), wire(i.ID, "pre", -14, template.Pre), wire(i.ID, "post", -14, template.Post),
		change.Edit{Edits: []change.Fields{{ID: i.ID, GainDB: &fader}}})
	f := fan.New(wired)
	i = wired.Instrument(i.ID)
	require.InDelta(t, template.Gain(-10), gainAt(f, i, stem.ID, "dry"), 1e-12)
	require.InDelta(t, template.Gain(-14), gainAt(f, i, stem.ID, "Hall"), 1e-12)
	require.InDelta(t, template.Gain(-24), gainAt(f, i, stem.ID, "Delay"), 1e-12)
	_, found := f.DoubledFrom(i.ID, i.Routes, i.GainDB)
	require.False(t, found, "other chains are no doubled path")
	require.True(t, f.Sum(wired.Folds[0]).AddsUp())
}

// The gain at the mix, chains added up, against matrix algebra by gonum: with
// A the bus-to-bus gains and b an instrument's own, the inputs of all buses
// are (I-Aᵀ)⁻¹ b.
func TestMatrixAgainstLinearAlgebra(t *testing.T) {
	base := coretest.Large(48, 50)
	rapid.Check(t, func(r *rapid.T) {
		now := base
		for range rapid.IntRange(0, 12).Draw(r, "edits") {
			c := coretest.Any(now).Draw(r, "change")
			if _, deletes := c.(change.Delete); deletes {
				continue
			}
			if after, _, err := change.Apply(now, c); err == nil && len(fan.New(after).Cycles()) == 0 {
				now = after
			}
		}
		f := fan.New(now)
		for _, i := range now.Instruments[:8] {
			inputs := solve(r, now, i)
			for n, b := range now.Buses {
				want := inputs.AtVec(n)
				if b.Kind != template.Mix && b.Kind != template.Speakers {
					want *= template.Gain(b.GainDB)
				}
				got := 0.0
				for _, x := range f.FromInstrument(i) {
					if f.Bus(x) == b {
						got += x.Gain
					}
				}
				require.InDelta(r, want, got, 1e-9, "%s to %s", i.Name, b.Name)
			}
		}
	})
}

func solve(r require.TestingT, t *template.Template, i *template.Instrument) *mat.VecDense {
	place := map[template.ID]int{}
	for n, b := range t.Buses {
		place[b.ID] = n
	}
	gain := func(route template.Route, fader float64) float64 {
		if route.Tap == template.Post {
			return template.Gain(route.GainDB + fader)
		}
		return template.Gain(route.GainDB)
	}
	n := len(t.Buses)
	a := mat.NewDense(n, n, nil)
	for from, b := range t.Buses {
		a.Set(from, from, 1)
		for _, route := range b.Routes {
			a.Set(place[route.To], from, a.At(place[route.To], from)-gain(route, b.GainDB))
		}
	}
	own := mat.NewVecDense(n, nil)
	for _, route := range i.Routes {
		own.SetVec(place[route.To], gain(route, i.GainDB))
	}
	var out mat.VecDense
	require.NoError(r, out.SolveVec(a, own))
	return &out
}

func TestFoldsAddUpAndMismatchIsFound(t *testing.T) {
	base := coretest.Orchestra(32, 1)
	for _, fold := range base.Folds {
		sum := fan.New(base).Sum(fold)
		require.True(t, sum.AddsUp())
		require.Zero(t, sum.Largest)
	}
	i := base.Instruments[3]
	loud := coretest.Must(base, wire(base.StemsOf("fold-fine")[0].ID, base.StemsOf("fold-sections")[0].ID, -3, template.Post))
	require.True(t, fan.New(loud).Sum(loud.Folds[1]).AddsUp(), "the sections still add up")
	require.False(t, fan.New(loud).Sum(loud.Folds[0]).AddsUp())
	stray := coretest.Must(base, wire(i.ID, base.TheMix().ID, 0, template.Post))
	sum := fan.New(stray).Sum(stray.Folds[0])
	require.Len(t, sum.Mismatches, 1)
	require.Equal(t, i.ID, sum.Mismatches[0].Instrument.ID)
	require.InDelta(t, 1, sum.Mismatches[0].Mix-sum.Mismatches[0].Stems, 1e-12)
}

func TestCyclesStayFinite(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	stem := base.StemsOf("fold-fine")[0]
	group := base.Index().Buses[base.Instruments[0].Routes[0].To]
	looped := coretest.Must(base, wire(stem.ID, group.ID, 0, template.Post))
	f := fan.New(looped)
	require.Len(t, f.Cycles(), 1)
	require.ElementsMatch(t, []template.ID{group.ID, group.Routes[0].To}, f.Cycles()[0])
	for _, r := range f.FromInstrument(looped.Instruments[0]) {
		require.False(t, math.IsInf(r.Gain, 0) || math.IsNaN(r.Gain))
	}
}

func TestTraceSentence(t *testing.T) {
	base := coretest.Orchestra(4, 1)
	i := base.Instruments[0]
	stem := base.StemsOf("fold-fine")[0]
	one := []string{"short"}
	now := coretest.Must(base,
		change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{ID: "hall", Kind: template.Return, Name: "Hall W", Routes: []template.Route{{To: stem.ID, Tap: template.Post}}})}},
		wire(i.ID, "hall", -14, template.Post),
		change.Edit{Edits: []change.Fields{{ID: i.ID, Articulations: &one}}},
		change.Seat{Seats: []change.Seating{{ID: i.ID, Seat: &template.Seat{Machine: "machine-1", Riser: 2, Port: 3, Channel: 7, Pair: 6}}}})
	require.Equal(t, "Winds 0, short · Winds library · Machine 1, riser 2, port 3, channel 7 · outputs 11-12 · Winds group 1 · Winds stem 1 · Winds · Mix; send Hall W -14 dB · Winds stem 1",
		fan.New(now).Trace(now.Instrument(i.ID)).String())
}

func BenchmarkGainMatrix(b *testing.B) {
	t := coretest.Large(10_000, 200)
	for b.Loop() {
		f := fan.New(t)
		for _, i := range t.Instruments {
			f.FromInstrument(i)
		}
	}
}
