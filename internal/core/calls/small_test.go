package calls_test

import (
	"fmt"
	"math/bits"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// library is a template of rows without seats, each with a player of its own
// that takes no memory.
func library(rows ...struct {
	name string
	mib  float64
	ways []string
}) *template.Template {
	t := template.New("t", "T")
	t.Sections = []*template.Section{{ID: "w", Name: "Winds"}, {ID: "p", Name: "Percussion"}}
	t.Libraries = []*template.Library{{ID: "l", Name: "Millrace Winds", Code: "MW"}}
	t.Players = []*template.Player{{ID: "one", Name: "Tide player", Sounds: 1, Outputs: 4}}
	for n, r := range rows {
		id := template.ID(fmt.Sprint("i", n))
		section := template.ID("w")
		if r.name == "Frame drum" {
			section = "p"
		}
		t.Patches = append(t.Patches, &template.Patch{ID: id + "p", Library: "l", Player: "one", Name: r.name, PreloadMiB: r.mib, KeyHigh: 127})
		t.Instruments = append(t.Instruments, &template.Instrument{ID: id, Name: r.name, Section: section, Kind: template.Sampled, Patches: []template.ID{id + "p"}, Articulations: r.ways})
	}
	t.Normalise()
	if err := t.Validate(); err != nil {
		panic(err)
	}
	return t
}

type row = struct {
	name string
	mib  float64
	ways []string
}

func names(list []*template.Instrument) []string {
	out := []string{}
	for _, i := range list {
		out = append(out, i.Name)
	}
	return out
}

func TestSketch(t *testing.T) {
	l := library(
		row{"Flutes long", 300, []string{"long"}}, row{"Flutes short", 200, []string{"staccato"}},
		row{"Winds in one", 450, []string{"long", "staccato", "legato"}}, row{"Solo flute", 100, []string{"legato"}},
		row{"Frame drum", 100, []string{"hit"}},
	)
	roles := calls.UsualRoles(l)
	var said []string
	for _, r := range roles {
		said = append(said, r.Name)
	}
	require.Equal(t, []string{"Winds long", "Winds short", "Winds legato", "Percussion long", "Percussion short", "Percussion legato", "One solo", "One drone", "One percussion"}, said)

	s := calls.Sketch(l, 1000, roles, nil)
	require.Equal(t, []string{"Winds in one", "Solo flute", "Frame drum"}, names(s.Instruments), "the ready-made one plays three roles for less than three rows")
	require.InDelta(t, 650, s.MiB, 1e-9)
	require.Equal(t, template.ID("i3"), s.Plays[6])
	require.Equal(t, "nobody in the template plays it", s.Why[7])

	s = calls.Sketch(l, 210, roles, nil)
	require.Equal(t, []string{"Solo flute", "Frame drum"}, names(s.Instruments))
	require.Equal(t, "takes 300 MiB, and 10 MiB are left", s.Why[0], "a soloist is not the section")
	require.Equal(t, "takes 450 MiB, and 10 MiB are left", s.Why[2])
	require.Empty(t, calls.Sketch(l, 50, roles, nil).Instruments)
	require.Empty(t, calls.Sketch(l, 1000, nil, nil).Instruments)
}

// No choice of instruments within the budget plays more roles, nor as many in
// less memory: every choice is tried.
func TestNoSketchIsBetter(t *testing.T) {
	ways := []string{"long", "staccato", "legato", "trill"}
	rapid.Check(t, func(rt *rapid.T) {
		var rows []row
		for n := range rapid.IntRange(1, 9).Draw(rt, "rows") {
			rows = append(rows, row{fmt.Sprint("Row ", n), float64(rapid.IntRange(1, 20).Draw(rt, "mib")), rapid.SliceOfNDistinct(rapid.SampledFrom(ways), 1, 3, rapid.ID[string]).Draw(rt, "ways")})
		}
		l := library(rows...)
		roles := []calls.Role{{Name: "long", Family: template.Long}, {Name: "short", Family: template.Short}, {Name: "legato", Family: template.Legato}, {Name: "one", Word: "row 1"}, {Name: "two", Word: "row 2"}, {Name: "three", Word: "row 3"}}
		budget := float64(rapid.IntRange(0, 60).Draw(rt, "budget"))
		s := calls.Sketch(l, budget, roles, nil)
		require.LessOrEqual(rt, s.MiB, budget)
		plays := make([]uint64, len(rows)) // families, each row alone
		for n := range rows {
			for k, id := range calls.Sketch(library(rows[n]), 1e9, roles[:3], nil).Plays {
				if id != "" {
					plays[n] |= 1 << k
				}
			}
			if n >= 1 && n <= 3 {
				plays[n] |= 1 << (2 + n)
			}
		}
		for set := range 1 << len(rows) {
			mib, covered := 0.0, uint64(0)
			for n, r := range rows {
				if set>>n&1 == 0 {
					continue
				}
				mib += r.mib
				covered |= plays[n]
			}
			if mib > budget {
				continue
			}
			require.LessOrEqual(rt, bits.OnesCount64(covered), s.Covered(), "set %b of %v", set, rows)
			if bits.OnesCount64(covered) == s.Covered() {
				require.LessOrEqual(rt, s.MiB, mib+1e-9, "set %b of %v", set, rows)
			}
		}
	})
}

// A sketch of a large template keeps within its budget and reports its memory
// as calls reckon it.
func TestASketchIsACallThatFits(t *testing.T) {
	base := coretest.Orchestra(400, 4)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	roles := calls.UsualRoles(base)
	require.NotEmpty(t, roles)
	for _, budget := range []float64{500, 2000, 8000} {
		s := calls.Sketch(base, budget, roles, nil)
		ids := []template.ID{}
		for _, i := range s.Instruments {
			ids = append(ids, i.ID)
		}
		sum := 0.0
		for _, mib := range calls.ReadyMiB(base, ids) {
			sum += mib
		}
		require.InDelta(t, sum, s.MiB, 1e-6)
		require.LessOrEqual(t, s.MiB, budget)
	}
}
