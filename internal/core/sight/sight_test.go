package sight_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/sight"
	"fanfold/internal/core/template"
)

func seen(t *template.Template, s *template.Sightline) []template.ID {
	s.ID = "sight"
	l, f := sight.NewLooker(t, []*template.Sightline{s}), fan.New(t)
	var out []template.ID
	for _, i := range t.Instruments {
		var stems []template.ID
		for _, b := range f.Stems(i, t.Folds[0].ID) {
			stems = append(stems, b.ID)
		}
		if len(l.Showing(i, stems)) > 0 {
			out = append(out, i.ID)
		}
	}
	return out
}

// A live sightline shows what meets every condition; a new row that meets them
// enters it, and enters no fixed one. Pinned rows are seen along all.
func TestWhatASightlineShows(t *testing.T) {
	base := coretest.Orchestra(32, 2)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	var winds template.ID
	for _, s := range base.Sections {
		if s.Name == "Winds" {
			winds = s.ID
		}
	}
	count := func(m template.Match) int { return len(seen(base, &template.Sightline{Match: m})) }
	require.Equal(t, 32, count(template.Match{}))
	require.Equal(t, 8, count(template.Match{Sections: []template.ID{winds}}), "with all below it")
	require.Equal(t, 1, count(template.Match{Sections: []template.ID{winds}, Text: "winds 12"}))
	require.Equal(t, 32, count(template.Match{Text: "LONG"}))
	require.Equal(t, 8, count(template.Match{Libraries: []template.ID{base.Libraries[1].ID}}))
	require.Zero(t, count(template.Match{Kinds: []template.Kind{template.Guide}}))
	require.Empty(t, seen(base, &template.Sightline{Buses: []template.BusKind{template.Group}}), "one of buses shows no rows")
	fine, outer := base.StemsOf("fold-fine")[0], base.StemsOf("fold-sections")[0]
	require.Equal(t, 2, count(template.Match{Stems: []template.ID{fine.ID}}))
	require.Equal(t, 8, count(template.Match{Stems: []template.ID{outer.ID}}), "those of the fine stems that feed it")
	on := base.Instruments[0].Seat.Machine
	var there int
	for _, i := range base.Instruments {
		if i.Seat.Machine == on {
			there++
		}
	}
	require.Equal(t, there, count(template.Match{Machines: []template.ID{on}}))

	picked := []template.ID{base.Instruments[3].ID, "gone"}
	require.Equal(t, picked[:1], seen(base, &template.Sightline{Fixed: true, Rows: picked}))
	fresh := base.Instruments[0].Clone()
	fresh.ID, fresh.Seat, fresh.Name = "fresh", nil, "Fresh"
	pinned := true
	after := coretest.Must(base, change.Add{Instruments: []change.Placed{{At: -1, Instrument: fresh}}}, change.Edit{Edits: []change.Fields{{ID: base.Instruments[1].ID, Pinned: &pinned}}})
	require.Contains(t, seen(after, &template.Sightline{Match: template.Match{Sections: []template.ID{winds}}}), template.ID("fresh"))
	fixed := seen(after, &template.Sightline{Fixed: true, Rows: picked})
	require.Equal(t, []template.ID{base.Instruments[1].ID, picked[0]}, fixed)
}

// Sets are made in one go, with digits as keys as long as there are some, and
// not a second time.
func TestSetsOfSightlines(t *testing.T) {
	base := coretest.Orchestra(32, 1)
	var all []*template.Sightline
	for _, set := range sight.Sets {
		all = append(all, sight.Make(base, set, "", coretest.Mint())...)
		base = coretest.Must(base, change.SetSightlines{Sightlines: all})
	}
	names := []string{}
	for _, s := range all {
		names = append(names, s.Name)
	}
	require.Equal(t, []string{"All", "Winds", "Brass", "Percussion", "Strings", "Ready only", "Groups and returns", "Winds stem 1"}, names[:8])
	require.Len(t, names, 7+16)
	require.Equal(t, []int{1, 2, 9, 0}, []int{all[0].Key, all[1].Key, all[8].Key, all[9].Key})
	require.Empty(t, sight.Make(base, sight.Sections, "", coretest.Mint()))
}

func BenchmarkLook10000(b *testing.B) {
	t := coretest.Large(10_000, 200)
	list := sight.Make(t, sight.Sections, "", coretest.Mint())
	for b.Loop() {
		l := sight.NewLooker(t, list)
		for _, i := range t.Instruments {
			l.Showing(i, nil)
		}
	}
}
