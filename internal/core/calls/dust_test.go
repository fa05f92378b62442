package calls_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

var pieces = []calls.Piece{
	{Name: "1M01", On: "2026-03-01", Rows: []template.ID{"a", "b", "a"}},
	{Name: "1M02", On: "2026-05-01", Rows: []template.ID{"a"}},
}

// Worked by hand. The drone takes 100 MiB and its player 48; the row of both 400 and players of 96
// and 48: 692 together. The drone waits 1.8 s for its player and 1 s for the disk; the other 0.4 and
// 0.25 s for players of kinds that are awake, and 4 s for the disk: 7.45 s.
func TestDust(t *testing.T) {
	x := stage()
	got := calls.FindDust(x, calls.DustAsk{Pieces: pieces})
	require.Equal(t, 2, got.Pieces)
	require.Equal(t, []calls.DustyRow{{ID: "c", MiB: 100}, {ID: "e", MiB: 400}}, got.Rows, "the one without a seat takes nothing")
	require.Equal(t, []calls.DustyMachine{{Machine: "m", MiB: 692, Seconds: 7.45}}, got.Machines)

	later := calls.FindDust(x, calls.DustAsk{Pieces: pieces, Since: "2026-04-01"})
	require.Equal(t, 1, later.Pieces)
	require.Equal(t, []calls.DustyRow{{ID: "b", MiB: 200, Before: "1M01"}, {ID: "c", MiB: 100}, {ID: "e", MiB: 400}}, later.Rows)
	require.Empty(t, calls.FindDust(x, calls.DustAsk{Pieces: pieces, Since: "2027-01-01"}).Rows, "without music, nothing is known")

	x.Instruments[2].Keep = true
	x.Calls = []*template.Call{{ID: "k", Name: "Opening", Opening: true, Instruments: []template.ID{"e"}}}
	require.Empty(t, calls.FindDust(x, calls.DustAsk{Pieces: pieces}).Rows, "they stand ready beside every call")
}

// A row that is set aside is told as such, and where it is missed; one that sits with another goes
// with it.
func TestWhatIsSetAside(t *testing.T) {
	x := stage()
	x.Instruments[0].Aside, x.Instruments[4].Aside = true, true
	x.Instruments = append(x.Instruments, &template.Instrument{ID: "c2", Name: "Drone low", Section: "s", Kind: template.Sampled, Patches: []template.ID{"p3"}, With: "c"})
	x = x.Clone()
	got := calls.FindDust(x, calls.DustAsk{Pieces: pieces})
	require.Equal(t, []template.ID{"a", "e"}, got.Aside)
	require.Equal(t, []template.ID{"a"}, got.Missed)
	require.Equal(t, []calls.DustyRow{{ID: "c", MiB: 100}, {ID: "c2"}}, got.Rows)
	played := calls.FindDust(x, calls.DustAsk{Pieces: []calls.Piece{{Name: "x", Rows: []template.ID{"c2"}}}})
	require.Equal(t, []calls.DustyRow{{ID: "b", MiB: 200}}, played.Rows, "whoever plays by its sound keeps it")
}

// Rows that play in the same pieces are offered as a call, unless it is one.
func TestWhatIsAlwaysCalledTogether(t *testing.T) {
	x := stage()
	ask := calls.DustAsk{Pieces: []calls.Piece{
		{Name: "1", Rows: []template.ID{"a", "b", "c"}}, {Name: "2", Rows: []template.ID{"e"}}, {Name: "3", Rows: []template.ID{"c", "b", "a", "e"}},
	}}
	got := calls.FindDust(x, ask)
	require.Equal(t, []calls.Together{{Name: "Winds", Rows: []template.ID{"a", "b", "c"}, Pieces: 2, MiB: 744}}, got.Together)
	x.Calls = []*template.Call{{ID: "k", Name: "Three", Instruments: []template.ID{"b", "c", "a"}}}
	require.Empty(t, calls.FindDust(x, ask).Together)
}

// Whatever was played: every row that loads was played, stands ready, or gathers dust, just one of
// them; setting the dust aside frees what was said, and after that there is none.
func TestDustIsWhatNobodyPlays(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		x := stage()
		var ask calls.DustAsk
		heard := map[template.ID]bool{}
		for range rapid.IntRange(1, 6).Draw(r, "pieces") {
			p := calls.Piece{On: rapid.SampledFrom([]string{"2026-01-01", "2026-02-01"}).Draw(r, "on")}
			p.Rows = rapid.SliceOf(rapid.SampledFrom([]template.ID{"a", "b", "c", "d", "e"})).Draw(r, "rows")
			ask.Pieces = append(ask.Pieces, p)
			for _, id := range p.Rows {
				heard[id] = true
			}
		}
		x.Instruments[1].Keep = rapid.Bool().Draw(r, "keep")
		got := calls.FindDust(x, ask)
		all := calls.EverythingMiB(x)["m"]
		var dust []template.ID
		for _, row := range got.Rows {
			dust = append(dust, row.ID)
		}
		for _, i := range x.Instruments {
			if is, want := slices.Contains(dust, i.ID), i.Loads() && !heard[i.ID] && !i.Keep; is != want {
				r.Fatalf("%s gathers dust: %v, not %v", i.Name, is, want)
			}
		}
		for _, id := range dust {
			x.Instrument(id).Aside = true
		}
		free := all - calls.EverythingMiB(x)["m"]
		told := 0.0
		for _, m := range got.Machines {
			told += m.MiB
		}
		if told != free {
			r.Fatalf("%g MiB are told, %g freed", told, free)
		}
		if again := calls.FindDust(x, ask); len(again.Rows) > 0 || !slices.Equal(again.Aside, dust) {
			r.Fatalf("%v are left", again.Rows)
		}
	})
}
