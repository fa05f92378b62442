package deliver_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

func asJSON(t require.TestingT, x any) string {
	data, err := json.Marshal(x)
	require.NoError(t, err)
	return string(data)
}

// outline writes a list back, with an indent of two for each fold.
func outline(list []*deliver.Wanted, depth int) string {
	out := ""
	for _, w := range list {
		out += strings.Repeat("  ", depth) + w.Name
		if w.Carries != "" {
			out += " (" + string(w.Carries) + ")"
		}
		if w.Mono {
			out += " (mono)"
		}
		out += "\n" + outline(w.Children, depth+1)
	}
	return out
}

func TestReadList(t *testing.T) {
	for name, tc := range map[string]struct{ in, want string }{
		"flat":     {"Flutes\nOboes\n", "Flutes\nOboes\n"},
		"indented": {"Winds\n\tFlutes\n\tOboes\nBrass\n    Horns\n", "Winds\n  Flutes\n  Oboes\nBrass\n  Horns\n"},
		"deeper":   {"All\n Winds\n  Flutes\n Brass", "All\n  Winds\n    Flutes\n  Brass\n"},
		"colon":    {"Winds: Flutes, Oboes; Reeds", "Winds\n  Flutes\n  Oboes\n  Reeds\n"},
		"path":     {"Winds / Flutes\nWinds / Oboes\nBrass / Horns", "Winds\n  Flutes\n  Oboes\nBrass\n  Horns\n"},
		"bullets":  {"- Winds\n  1. Flutes\n  2) Oboes\n* Brass", "Winds\n  Flutes\n  Oboes\nBrass\n"},
		"remarks":  {"Strings dry (dry)\nStrings wet (WET)\nBass (mono) [dry]", "Strings dry (dry)\nStrings wet (wet)\nBass (dry) (mono)\n"},
		"windows":  {"\ufeffWinds\r\n  Flutes\r\n", "Winds\n  Flutes\n"},
	} {
		t.Run(name, func(t *testing.T) {
			list, err := deliver.ReadList(strings.NewReader(tc.in))
			require.NoError(t, err)
			require.Equal(t, tc.want, outline(list, 0))
		})
	}
	for name, tc := range map[string]struct{ in, says string }{
		"nothing":   {" \n\n", "line 1: there is no stem"},
		"twice":     {"Winds\n  Flutes\nBrass\n  flutes", `line 4: "flutes" is on line 2 already`},
		"too deep":  {"a\n b\n  c\n   d\n    e\n     f\n      g", "7 deep; 6 folds"},
		"no name":   {"Winds\n: Flutes", "line 2"},
		"not UTF-8": {"Winds\n\xff\xfe", "line 2: it is not UTF-8"},
		"control":   {"Win\x01ds", "control character"},
		"too long":  {strings.Repeat("x", 201), "longer than 200"},
		"too many":  {strings.Repeat("S%\n", 1), ""},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := deliver.ReadList(strings.NewReader(tc.in))
			if tc.says == "" {
				require.NoError(t, err)
				return
			}
			require.ErrorContains(t, err, tc.says)
		})
	}
}

func FuzzReadList(f *testing.F) {
	f.Add("Winds\n  Flutes (dry)\nStrings: High, Low\nLive / Room [mono]\n")
	f.Add("a\n\tb\n        c: d,,e\n")
	f.Fuzz(func(t *testing.T, text string) {
		list, err := deliver.ReadList(strings.NewReader(text))
		if err != nil {
			return
		}
		if deliver.Depth(list) > deliver.MaxFolds {
			t.Fatal("deeper than folds go")
		}
		c, _, err := deliver.Establish(template.New("t", "T"), list, true, coretest.Mint())
		if err != nil {
			t.Fatalf("what was read can be made: %s", err)
		}
		after, _, err := change.Apply(template.New("t", "T"), c)
		if err != nil {
			t.Fatal(err)
		}
		if got := len(after.StemsOf(after.Folds[0].ID)); got == 0 || got > deliver.MaxStems {
			t.Fatalf("%d stems of the finest fold", got)
		}
	})
}

func establish(t testing.TB, now *template.Template, text string, takeAway bool) (*template.Template, deliver.Report) {
	t.Helper()
	list, err := deliver.ReadList(strings.NewReader(text))
	require.NoError(t, err)
	var report deliver.Report
	after := apply(t, now, func(x *template.Template) (change.Change, error) {
		c, r, err := deliver.Establish(x, list, takeAway, coretest.Mint())
		report = r
		return c, err
	})
	return after, report
}

func TestEstablish(t *testing.T) {
	now, report := establish(t, template.New("t", "T"), "Winds\n  Flutes\n  Oboes\nLive", false)
	require.Equal(t, []string{"Winds", "Live", "Flutes", "Oboes", "Live"}, report.Made, "one without finer ones stands for itself in the finer fold")
	require.Len(t, now.StemsOf("fold-fine"), 3)
	require.Equal(t, "Winds", now.ParentStem(now.StemsOf("fold-fine")[0]).Name)

	again, report := establish(t, now, "Winds\n  Flutes\n  Oboes\nLive", false)
	require.Empty(t, report.Made)
	require.Equal(t, asJSON(t, now.Buses), asJSON(t, again.Buses))

	three, report := establish(t, now, "Winds\n  High winds\n    Flutes\n    Oboes\n  Low winds\n    Bassoons", false)
	require.Equal(t, []string{"split"}, report.Folds, "a fold between the two")
	require.Equal(t, []string{"fine", "split", "sections"}, []string{three.Folds[0].Name, three.Folds[1].Name, three.Folds[2].Name})
	require.ElementsMatch(t, []string{"Flutes", "Oboes"}, report.Moved)
	flutes := three.FindBus(template.Stem, "Flutes")
	require.Equal(t, "High winds", three.ParentStem(flutes).Name)
	require.Equal(t, "Winds", three.ParentStem(three.ParentStem(flutes)).Name)

	less, report := establish(t, now, "Winds\n  Flutes", true)
	require.ElementsMatch(t, []string{"Oboes", "Live", "Live"}, report.Removed)
	require.Equal(t, 2, count(less, template.Stem))
}

// A flat list hangs each stem below the stem of the section its name speaks of.
func TestAFlatListFindsItsSections(t *testing.T) {
	now := coretest.Must(template.New("t", "T"), change.Put{Sections: []change.Entry[template.Section]{
		change.Append(&template.Section{ID: "w", Name: "Winds"}), change.Append(&template.Section{ID: "f", Parent: "w", Name: "Flutes"}),
	}})
	now, _ = establish(t, now, "Flutes\nLow winds\nSomething else", false)
	for name, parent := range map[string]string{"Flutes": "Winds", "Low winds": "Winds"} {
		require.Equal(t, parent, now.ParentStem(now.FindBus(template.Stem, name)).Name)
	}
}

// Every starting point can be made in an empty template and in a full one,
// where its rules send every instrument of a known section to one stem, and
// all folds add up.
func TestStartingPoints(t *testing.T) {
	for _, start := range deliver.Starts() {
		t.Run(start.Name, func(t *testing.T) {
			for _, now := range []*template.Template{template.New("t", "T"), coretest.Orchestra(64, 1)} {
				after := apply(t, now, func(x *template.Template) (change.Change, error) {
					c, _, err := deliver.Establish(x, start.Stems, false, coretest.Mint())
					return c, err
				})
				after = apply(t, after, func(x *template.Template) (change.Change, error) { return deliver.ApplyRules(x, coretest.Mint()) })
				f := fan.New(after)
				for _, fold := range after.Folds {
					require.True(t, f.Sum(fold).AddsUp(), fold.Name)
				}
				for _, v := range deliver.NewSorter(after, after.Rules).Sort(f) {
					require.GreaterOrEqual(t, v.Rule, 0, v.Instrument.Name)
					require.Equal(t, []*template.Bus{v.Stem}, v.Now, v.Instrument.Name)
				}
			}
		})
	}
	list := deliver.FromSections(coretest.Orchestra(32, 1))
	require.Equal(t, 2, deliver.Depth(list))
}

// Nesting, and folds that come and go, change no instrument's level at the mix,
// and every fold goes on adding up.
func TestFoldsComeAndGo(t *testing.T) {
	now := coretest.Large(48, 40)
	before := dryAtMix(now)
	check := func(after *template.Template) *template.Template {
		t.Helper()
		require.InDeltaMapValues(t, before, dryAtMix(after), 1e-12)
		f := fan.New(after)
		for _, fold := range after.Folds {
			require.True(t, f.Sum(fold).AddsUp(), fold.Name)
		}
		return after
	}
	fine := now.StemsOf("fold-fine")
	other := now.StemsOf("fold-sections")[3]
	nested := check(apply(t, now, func(x *template.Template) (change.Change, error) {
		return deliver.Nest(x, []template.ID{fine[0].ID, fine[1].ID}, other.ID, coretest.Mint())
	}))
	require.Equal(t, other.ID, nested.ParentStem(nested.Index().Buses[fine[0].ID]).ID)
	_, err := deliver.Nest(now, []template.ID{fine[0].ID}, fine[1].ID, coretest.Mint())
	require.ErrorContains(t, err, "next coarser fold")

	for at := range 3 {
		more := check(apply(t, now, func(x *template.Template) (change.Change, error) {
			return deliver.AddFold(x, "split", at, coretest.Mint())
		}))
		require.Equal(t, "split", more.Folds[at].Name)
		require.NotEmpty(t, more.StemsOf(more.Folds[at].ID))
		check(apply(t, more, func(x *template.Template) (change.Change, error) {
			return deliver.RemoveFold(x, more.Folds[at].ID, coretest.Mint())
		}))
	}
	less := check(apply(t, now, func(x *template.Template) (change.Change, error) {
		return deliver.RemoveFold(x, "fold-fine", coretest.Mint())
	}))
	require.Len(t, less.Folds, 1)
	_, err = deliver.RemoveFold(less, less.Folds[0].ID, coretest.Mint())
	require.ErrorContains(t, err, "one fold at least")
}

func TestRenumber(t *testing.T) {
	now := apply(t, coretest.Large(48, 40), func(x *template.Template) (change.Change, error) { return deliver.Renumber(x, 101, 3) })
	last := 0
	var before *template.Bus
	for _, b := range deliver.InOrder(now) {
		step := 1
		switch {
		case before == nil:
			last, step = 100, 1
		case before.Kind != b.Kind || before.Fold != b.Fold || now.TopSection(before.Section) != now.TopSection(b.Section):
			step = 4
		}
		require.Equal(t, last+step, b.Number, b.Name)
		last, before = b.Number, b
	}
	names := map[template.ID]string{}
	for _, b := range now.Buses {
		names[b.ID] = b.Name
	}
	again := apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.Renumber(x, 1, 0) })
	for _, b := range again.Buses {
		require.Equal(t, names[b.ID], b.Name, "labels stay")
	}
	require.Equal(t, len(again.Buses), maxNumber(again), "without gaps")
	_, err := deliver.Renumber(now, 9990, 3)
	require.ErrorContains(t, err, "9999 is the last")

	// a new stem takes the first number that its section kept free
	with, _ := establish(t, now, "Winds\n  New winds", false)
	stem := with.FindBus(template.Stem, "New winds")
	require.Greater(t, stem.Number, 0)
	require.Less(t, stem.Number, maxNumber(now), "in the gap, not at the end")
}

func maxNumber(t *template.Template) int {
	most := 0
	for _, b := range t.Buses {
		most = max(most, b.Number)
	}
	return most
}

// 24-bit stereo at 48 kHz: 288,000 B/s, 17.28 MB a minute; 32 stems of 46
// minutes: 25.4 GB (arithmetic of the PCM format, ITU-R BS.646 for 24 bits at
// 48 kHz; from memory).
func TestEstimate(t *testing.T) {
	require.Equal(t, 17_280_000.0, deliver.FileBytes(false, 1))
	require.Equal(t, 288_000.0, deliver.FileBytes(false, 1)/60)
	require.InDelta(t, 25.4e9, 32*deliver.FileBytes(false, 46), 0.05e9)
	require.Equal(t, deliver.FileBytes(false, 1)/2, deliver.FileBytes(true, 1))

	now := coretest.Large(48, 60)
	c := deliver.Estimate(now, 46)
	require.Equal(t, c.Stems+1, c.Files, "every stem of every fold, and the mix")
	require.InDelta(t, float64(c.Files)*17.28e6*46, c.Bytes, 1)
	require.Equal(t, 16, c.Pairs, "nobody is seated: one for each of the sixteen groups")
	stems := 0
	for _, f := range c.Folds {
		stems += f.Stems
	}
	require.Equal(t, c.Stems, stems)
	// what a fold is said to add in returns is what its removal and a new
	// wiring saves
	hallway := settle(t, settle(t, coretest.Orchestra(16, 1), hall()), change.Batch{})
	hallway = settle(t, hallway, inHall(hallway, template.CarriesBoth, hallway.StemsOf("fold-fine")...))
	hallway = settle(t, hallway, inHall(hallway, template.CarriesBoth, hallway.StemsOf("fold-sections")...))
	said := deliver.Estimate(hallway, 1)
	less := apply(t, hallway, func(x *template.Template) (change.Change, error) {
		return deliver.RemoveFold(x, "fold-fine", coretest.Mint())
	})
	require.Equal(t, said.Folds[0].Returns, said.Returns-deliver.Estimate(less, 1).Returns)
	require.Positive(t, said.Folds[0].Returns)
}

// What removing a bus would do is told beforehand, and what is offered keeps
// every level.
func TestDependants(t *testing.T) {
	now := withRules(coretest.Orchestra(16, 1), template.StemRule{Stem: coretest.Orchestra(16, 1).StemsOf("fold-fine")[0].ID})
	stem := now.StemsOf("fold-fine")[0]
	d, err := deliver.DependOn(now, fan.New(now), stem.ID)
	require.NoError(t, err)
	require.Len(t, d.Buses, 1)
	require.Equal(t, 1, d.Rules)
	require.NotEmpty(t, d.Orphaned)
	require.Equal(t, now.ParentStem(stem), d.Offers[0], "what it feeds comes first")
	for _, offer := range d.Offers {
		after := coretest.Must(now, change.RemoveBus{ID: stem.ID, Onward: offer.ID})
		require.Empty(t, fan.New(after).Cycles(), offer.Name)
		require.InDeltaMapValues(t, dryAtMix(now), dryAtMix(after), 1e-12)
	}
	after := coretest.Must(now, change.RemoveBus{ID: stem.ID})
	require.Len(t, dryAtMix(after), len(dryAtMix(now))-len(d.Orphaned))
	_, err = deliver.DependOn(now, fan.New(now), now.TheMix().ID)
	require.ErrorContains(t, err, "every template has one")
}
