package intake_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
)

func take(t *testing.T, into *template.Template, rows ...intake.Row) (*template.Template, intake.Report) {
	t.Helper()
	for n := range rows {
		rows[n].Line = n + 2
	}
	batch, report, problems := intake.Plan(into, rows, minter(into), intake.StandardDefaults())
	require.Empty(t, problems)
	after, _, err := change.Apply(into, batch)
	require.NoError(t, err)
	return after, report
}

// minter counts on from what is there.
func minter(t *template.Template) intake.Mint {
	next := intake.Sequence()
	return func(kind string) template.ID {
		return template.ID(t.Name) + "-" + next(kind)
	}
}

func figure(x float64) *float64 { return &x }
func key(n int) *int            { return &n }

func TestEveryProblemNamesItsColumn(t *testing.T) {
	known, _ := take(t, template.New("t", "T"), intake.Row{Section: "Winds", Instrument: "Flute", Library: "Millrace Winds", PreloadMiB: figure(300)})
	for name, tc := range map[string]struct {
		row          intake.Row
		column, says string
	}{
		"no section":      {intake.Row{Instrument: "Flute"}, "section", "write a path such as Winds / Flutes"},
		"empty in path":   {intake.Row{Section: "Winds / / Flutes", Instrument: "Flute"}, "section", "the name is empty"},
		"too deep":        {intake.Row{Section: strings.Repeat("a/", 32) + "a", Instrument: "Flute"}, "section", "at most 32 deep"},
		"no name":         {intake.Row{Section: "Winds"}, "instrument", "the name is empty"},
		"unknown kind":    {intake.Row{Section: "Winds", Instrument: "Flute", Kind: "midi"}, "kind", "use sampled, input, guide or spare"},
		"unknown colour":  {intake.Row{Section: "Winds", Instrument: "Flute", Colour: "pink"}, "colour", "use one of moss"},
		"guide in a stem": {intake.Row{Section: "Guides", Instrument: "Dialogue", Kind: "guide", Stem: "Winds"}, "stem", "leave the stem empty"},
		"group, no stem":  {intake.Row{Section: "Winds", Instrument: "Flute", Group: "Flutes"}, "stem", "needs a stem to feed"},
		"keys upside":     {intake.Row{Section: "Winds", Instrument: "Flute", KeyLow: key(80), KeyHigh: key(60)}, "key_high", "lies below the lowest 80"},
		"another size":    {intake.Row{Section: "Winds", Instrument: "Flute", Library: "millrace winds", PreloadMiB: figure(301)}, "preload_mib", "takes 300 MiB elsewhere, 301 here"},
	} {
		t.Run(name, func(t *testing.T) {
			tc.row.Line = 7
			batch, report, problems := intake.Plan(known, []intake.Row{tc.row}, minter(known), intake.StandardDefaults())
			require.Len(t, problems, 1)
			require.Equal(t, 7, problems[0].Line)
			require.Equal(t, tc.column, problems[0].Column)
			require.Contains(t, problems[0].Reason, tc.says)
			require.Zero(t, report.Instruments)
			after, _, err := change.Apply(known, batch)
			require.NoError(t, err)
			require.Len(t, after.Instruments, 1, "a bad row leaves nothing behind")
			require.Len(t, after.Sections, 1)
		})
	}
}

// A second list finds what the first has made, whatever its case and spaces.
func TestASecondListFindsWhatIsThere(t *testing.T) {
	row := intake.Row{
		Section: "Winds / Flutes", Instrument: "Flute 1", Library: "Millrace Winds", Player: "Lamp player", Patch: "Flute",
		Stem: "High winds", Group: "Flutes", Machine: "Birch", PreloadMiB: figure(300),
	}
	first, made := take(t, template.New("t", "A"), row)
	require.Equal(t, []string{"Winds", "Winds / Flutes"}, made.Sections)
	require.Equal(t, []string{"Winds", "High winds"}, made.Stems, "a stem for the top section, and its own")
	require.Equal(t, []string{"Birch"}, made.Machines)

	row.Section, row.Stem, row.Group, row.Machine = "winds/FLUTES", " high WINDS", "flutes ", "birch"
	row.Instrument, row.Library, row.Player, row.Patch = "Flute 2", "MILLRACE winds", "lamp PLAYER", "flute"
	first.Name = "B"
	second, made := take(t, first, row)
	require.Empty(t, made.Sections)
	require.Empty(t, made.Stems)
	require.Empty(t, made.Groups)
	require.Empty(t, made.Libraries)
	require.Empty(t, made.Players)
	require.Empty(t, made.Machines)
	require.Zero(t, made.Patches)
	require.Equal(t, second.Instruments[0].Routes, second.Instruments[1].Routes)
	require.Equal(t, second.Instruments[0].Patches, second.Instruments[1].Patches)
	require.Equal(t, template.ID("A-machine-1"), second.Instruments[1].Style.Machine)
}

// Rows of every kind are wired as their kind asks: a guide straight to the
// speakers, an input to its stem, a spare row nowhere.
func TestKindsAreWired(t *testing.T) {
	after, report := take(t, template.New("t", "T"),
		intake.Row{Section: "Guides", Instrument: "Dialogue", Kind: "guide"},
		intake.Row{Section: "Live", Instrument: "Booth", Kind: "input", Stem: "Live"},
		intake.Row{Section: "Winds", Kind: "spare"},
		intake.Row{Section: "Winds", Instrument: "Flute", Stem: "High winds"})
	require.Equal(t, 4, report.Instruments)
	f := fan.New(after)
	reaches := func(n int) []string {
		var names []string
		for _, r := range f.FromRow(n) {
			names = append(names, f.Bus(r).Name)
		}
		return names
	}
	require.Equal(t, []string{"Speakers"}, reaches(0))
	require.Contains(t, reaches(1), "Mix")
	require.Empty(t, reaches(2))
	require.Equal(t, "Spare", after.Instruments[2].Name)
	require.Empty(t, after.Instruments[1].Patches, "an input plays no patch")
	require.Len(t, after.Instruments[3].Patches, 1)
	require.True(t, f.Sum(after.Folds[0]).AddsUp())
	require.True(t, f.Sum(after.Folds[1]).AddsUp())
}

// What a list does not say is filled in, and said.
func TestDefaultsAreStated(t *testing.T) {
	after, report := take(t, template.New("t", "T"),
		intake.Row{Section: "Winds", Instrument: "Flute", Machine: "Alder"},
		intake.Row{Section: "Winds", Instrument: "Oboe", PreloadMiB: figure(120), Player: "Lamp player"})
	require.Equal(t, []string{
		"New players hold 16 sounds, have 16 output pairs, take 64 MiB of their own and wake in 2 s, then 0.5 s.",
		"New machines have 64 GiB with 8 GiB kept back, 16 cores and a disk of 500 MiB/s.",
		"1 patches say no preload size and are taken as 200 MiB.",
		"1 patches say no player and are played by Sampler.",
	}, report.Stated)
	require.Equal(t, []string{"Unnamed library"}, report.Libraries)
	require.InDelta(t, 200, after.Patches[0].PreloadMiB, 0)
	require.InDelta(t, 120, after.Patches[1].PreloadMiB, 0)
	require.Equal(t, 127, after.Patches[0].KeyHigh)
	require.Equal(t, []int{1, 2}, []int{after.Players[0].Order, after.Players[1].Order}, "players load in the order they are named")
}

func TestCodesOfLibraries(t *testing.T) {
	for name, want := range map[string]string{
		"Millrace Winds": "MW", "Tallow Brass": "TB", "Keys": "KEY", "Wren & Vale Strings": "WVS",
		"A b c d e f": "ABCD", "Österreich": "ÖST", "!!!": "",
	} {
		require.Equal(t, want, intake.Code(name), name)
	}
}

// A list of rows all of which are good makes just as many instruments, in the
// order of the list.
func TestRowsStandAsInTheList(t *testing.T) {
	big := coretest.Orchestra(120, 1)
	require.Len(t, big.Instruments, 120)
	for n, i := range big.Instruments {
		require.Contains(t, i.Name, big.TopSection(i.Section).Name, "row %d", n)
	}
}
