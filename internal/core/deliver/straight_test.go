package deliver_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// knot wires a template at random: anything into anything, faders and processes
// anywhere, stems delivered in any way, ways open in one position alone.
func knot(r *rapid.T) *template.Template {
	t := coretest.Folds(coretest.Orchestra(24, 1), rapid.IntRange(2, 3).Draw(r, "folds"))
	var puts change.Put
	for n := range rapid.IntRange(0, 4).Draw(r, "buses") {
		kind := rapid.SampledFrom([]template.BusKind{template.Return, template.Return, template.Group}).Draw(r, "kind")
		puts.Buses = append(puts.Buses, change.Append(&template.Bus{ID: template.ID(fmt.Sprintf("x-%d", n)), Kind: kind, Name: fmt.Sprintf("X %d", n)}))
	}
	t = coretest.Must(t, puts)
	var buses, sources []template.ID
	for _, b := range t.Buses {
		buses = append(buses, b.ID)
	}
	for _, i := range t.Instruments {
		sources = append(sources, i.ID)
	}
	sources = append(sources, buses...)
	for range rapid.IntRange(1, 12).Draw(r, "wires") {
		w := change.Wire{From: rapid.SampledFrom(sources).Draw(r, "from"), To: rapid.SampledFrom(buses).Draw(r, "to")}
		if rapid.IntRange(0, 3).Draw(r, "cut") > 0 {
			w.Level = &change.WireSetting{
				GainDB: rapid.SampledFrom([]float64{0, 0, -6, 3}).Draw(r, "gain"),
				Tap:    rapid.SampledFrom([]template.Tap{template.Post, template.Pre}).Draw(r, "tap"),
				At:     rapid.SampledFrom([]template.At{"", "", template.AtListen, template.AtPrint}).Draw(r, "at"),
			}
		}
		if after, _, err := change.Apply(t, change.Connect{Wires: []change.Wire{w}}); err == nil {
			t = after
		}
	}
	for range rapid.IntRange(0, 5).Draw(r, "settings") {
		b := t.Buses[rapid.IntRange(0, len(t.Buses)-1).Draw(r, "bus")].Clone()
		switch rapid.IntRange(0, 2).Draw(r, "what") {
		case 0:
			b.GainDB = -4
		case 1:
			b.Process = "limiter"
		default:
			b.Carries = rapid.SampledFrom([]template.Carries{template.CarriesDry, template.CarriesWet, template.CarriesBoth}).Draw(r, "carries")
		}
		if after, _, err := change.Apply(t, change.Put{Buses: []change.Entry[template.Bus]{change.Append(b)}}); err == nil {
			t = after
		}
	}
	return t
}

// However a template is wired, one step makes every fold add up; nothing that
// reached a stem is lost, and there is nothing left to straighten.
func TestStraightenMakesEveryFoldAddUp(t *testing.T) {
	mended := 0
	rapid.Check(t, func(r *rapid.T) {
		before := knot(r)
		c, err := deliver.Straighten(before)
		require.NoError(r, err)
		if c == nil {
			return
		}
		mended++
		after, undo, err := change.Apply(before, c)
		require.NoError(r, err)
		f, was := fan.New(after), fan.New(before)
		for _, fold := range after.Folds {
			for _, m := range f.Sum(fold).Mismatches {
				r.Fatalf("%s: %s over %s: stems %g, mix %g", fold.Name, m.Instrument.Name, f.ChainName(m.Chain), m.Stems, m.Mix)
			}
		}
		for n, i := range after.Instruments {
			if len(was.Stems(before.Instruments[n], after.Folds[0].ID)) > 0 {
				require.NotEmpty(r, f.Stems(i, after.Folds[0].ID), "%s is heard still", i.Name)
			}
		}
		again, err := deliver.Straighten(after)
		require.NoError(r, err)
		require.Nil(r, again)
		back, _, err := change.Apply(after, undo)
		require.NoError(r, err)
		require.Equal(r, before.Buses, back.Buses)
		require.Equal(r, before.Instruments, back.Instruments)
	})
	require.Positive(t, mended)
}

// A template that adds up is left alone.
func TestStraightenLeavesWhatAddsUp(t *testing.T) {
	c, err := deliver.Straighten(coretest.Folds(coretest.Orchestra(24, 1), 4))
	require.NoError(t, err)
	require.Nil(t, c)
}
