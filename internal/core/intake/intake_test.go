package intake_test

import (
	"fmt"
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
		"unknown kind":    {intake.Row{Section: "Winds", Instrument: "Flute", Kind: "midi"}, "kind", "kinds are sampled, input, guide, spare and divider"},
		"unknown colour":  {intake.Row{Section: "Winds", Instrument: "Flute", Colour: "pink"}, "colour", "use one of moss"},
		"guide in a stem": {intake.Row{Section: "Guides", Instrument: "Dialogue", Kind: "guide", Stem: "Winds"}, "stem", "leave the stem empty"},
		"group, no stem":  {intake.Row{Section: "Winds", Instrument: "Flute", Group: "Flutes"}, "stem", "needs a stem to feed"},
		"keys upside":     {intake.Row{Section: "Winds", Instrument: "Flute", KeyLow: key(80), KeyHigh: key(60)}, "key_high", "lies below the lowest 80"},
		"bank, no file":   {intake.Row{Section: "Winds", Instrument: "Flute", Bank: key(1)}, "file", "belongs to a file; name the file"},
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

// Rows of one patch come in whatever they say of it: the same figures in whatever
// order, what is stated before what is guessed, the larger of two, told once.
func TestRowsOfOnePatchAreSettled(t *testing.T) {
	row := func(line int, preload, full *float64, player string, low, high *int) intake.Row {
		return intake.Row{Line: line, Section: "Winds", Instrument: fmt.Sprintf("Flute %d", line), Library: "Millrace Winds", Patch: "Flute", PreloadMiB: preload, FullMiB: full, Player: player, KeyLow: low, KeyHigh: high}
	}
	rows := []intake.Row{
		row(2, nil, nil, "", nil, nil), row(3, figure(80), figure(900), "Lamp player", key(60), nil),
		row(4, figure(90), nil, "lamp player", key(59), key(96)), row(5, figure(80), figure(900), "", nil, key(96)),
	}
	for _, order := range [][]int{{0, 1, 2, 3}, {3, 2, 1, 0}, {2, 0, 3, 1}} {
		var list []intake.Row
		for _, n := range order {
			list = append(list, rows[n])
		}
		after, report := take(t, template.New("t", "T"), list...)
		require.Len(t, after.Instruments, 4)
		require.Len(t, after.Patches, 1)
		p := after.Patches[0]
		require.Equal(t, []any{90.0, 900.0, 59, 96, false}, []any{p.PreloadMiB, p.FullMiB, p.KeyLow, p.KeyHigh, p.Guessed})
		require.Equal(t, "Lamp player", strings.Replace(after.Players[0].Name, "lamp", "Lamp", 1))
		var told []string
		for _, x := range report.Told {
			told = append(told, x.Column)
		}
		require.Equal(t, []string{"preload_mib", "key_low"}, told, "each once")
	}
	_, report := take(t, template.New("t", "T"), rows...)
	require.Equal(t, intake.Problem{Line: 3, Column: "preload_mib", Reason: "Flute is 80 in lines 3 and 5, 90 in line 4; the larger is taken"}, report.Told[0])

	// A second list: what was guessed gives way, what is there and measured stays.
	guessed, _ := take(t, template.New("t", "T"), rows[0])
	require.True(t, guessed.Patches[0].Guessed)
	guessed.Name = "then"
	then, report := take(t, guessed, rows[1])
	require.Empty(t, report.Told)
	require.Equal(t, []any{80.0, false, 60}, []any{then.Patches[0].PreloadMiB, then.Patches[0].Guessed, then.Patches[0].KeyLow})
	measured := *then.Patches[0]
	measured.Measured = true
	then.Name = "last"
	then, report = take(t, coretest.Must(then, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&measured)}}), rows[2])
	require.Equal(t, 80.0, then.Patches[0].PreloadMiB)
	require.Equal(t, "Flute is 80 so far, 90 in line 2; what was measured stays", report.Told[0].Reason)
}

// Patches of one name out of two files are two patches.
func TestPatchesAreToldApartByTheirFiles(t *testing.T) {
	row := func(name, file string, programme int) intake.Row {
		return intake.Row{Section: "Scanned", Instrument: name, Library: "Font", Patch: "Pad", File: file, Programme: &programme}
	}
	after, report := take(t, template.New("t", "T"), row("a", "x.sf2", 1), row("b", "x.sf2", 2), row("c", "low/y.sf2", 1), row("d", "x.sf2", 1))
	require.Equal(t, 3, report.Patches)
	var names []string
	for _, p := range after.Patches {
		names = append(names, p.Name)
	}
	require.Equal(t, []string{"Pad", "Pad (x)", "low Pad"}, names)
	require.Equal(t, after.Instruments[0].Patches, after.Instruments[3].Patches)
	after.Name = "again"
	again, report := take(t, after, row("e", "low/y.sf2", 1))
	require.Zero(t, report.Patches)
	require.Equal(t, after.Instruments[2].Patches, again.Instruments[4].Patches)
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
		"1 patch says no preload size and is taken as 200 MiB.",
		"1 patch says no player and is played by Sampler.",
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

// A line with a layer gives the row above a patch more, and says what is wrong where it
// cannot.
func TestLayersOfARow(t *testing.T) {
	row := func(line int, name, patch string, layer int) intake.Row {
		return intake.Row{Line: line, Section: "Strings", Instrument: name, Library: "Wren & Vale Strings", Patch: patch, Layer: layer}
	}
	batch, _, problems := intake.Plan(template.New("t", "T"), []intake.Row{
		row(2, "Nobody", "Drone", 2), row(3, "Violins", "Violins long", 0), row(4, "violins", "Drone", 2), row(5, "Violins", "Violins long", 3), row(6, "Violas", "Drone", 2), row(7, "Violins", "Choir", 3),
	}, intake.Sequence(), intake.StandardDefaults())
	said := []string{}
	for _, p := range problems {
		said = append(said, fmt.Sprint(p.Line, " ", p.Column, ": ", p.Reason))
	}
	require.Equal(t, []string{
		"2 layer: layer 2 plays beside the row above, and there is none, or it has a problem",
		"5 layer: Violins plays Violins long already",
		`6 layer: layer 2 is of "Violas", and the row above is "Violins"; put it below its row`,
	}, said)
	after := coretest.Must(template.New("t", "T"), batch)
	require.Len(t, after.Instruments, 1)
	names := []string{}
	for _, p := range after.PatchesOf(after.Instruments[0]) {
		names = append(names, p.Name)
	}
	require.Equal(t, []string{"Violins long", "Drone", "Choir"}, names)
}
