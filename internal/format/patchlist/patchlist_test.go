package patchlist_test

import (
	"bytes"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/patchlist"
)

func mint() catalogue.Mint {
	next := intake.Sequence()
	return func(kind string) template.ID { return "new-" + next(kind) }
}

// The demo's catalogue goes out and comes back as it was: into itself nothing
// changes, into an empty one every patch is made alike.
func TestOutAndBack(t *testing.T) {
	cat, err := demo.Template()
	require.NoError(t, err)
	p := *cat.Patches[0]
	p.Mics = []template.Mic{{Name: "close", PreloadMiB: 1.5, FullMiB: 20}, {Name: "far hall", PreloadMiB: 2, FullMiB: 30, Off: true}}
	*cat.Patches[0] = p
	var out bytes.Buffer
	require.NoError(t, patchlist.Write(&out, cat))
	list, err := patchlist.Read(bytes.NewReader(out.Bytes()))
	require.NoError(t, err)
	require.Empty(t, list.Problems)
	_, sum, problems := catalogue.Listed(cat, list.Headings, list.Lines, intake.Reading{}, mint())
	require.Empty(t, problems)
	require.Equal(t, catalogue.Taken{Same: len(cat.Patches)}, sum)

	c, sum, problems := catalogue.Listed(template.New("c", "C"), list.Headings, list.Lines, intake.Reading{}, mint())
	require.Empty(t, problems)
	require.Equal(t, len(cat.Patches), sum.Added)
	again := coretest.Must(template.New("c", "C"), c)
	var twice bytes.Buffer
	require.NoError(t, patchlist.Write(&twice, again))
	require.Equal(t, out.String(), twice.String())
}

func TestGoodLinesAreTakenAndBadOnesTold(t *testing.T) {
	list, err := patchlist.Read(strings.NewReader("Library;Patch;Key low;Key high;Preload MiB;Articulations;Mood\n" +
		"Millrace Winds;Flute;C4;C7;310,5;long: key C1 | stacc.: key 25;sunny\n" +
		"Millrace Winds;Oboe;H4;;;;\n" +
		"Millrace Winds;;;;;;\n" +
		"Millrace Winds;Bassoon;96;36;;;\n" +
		"Millrace Winds;Clarinet;;;;long: pedal;\n" +
		"Millrace Winds;flute;;;;;\n"))
	require.NoError(t, err)
	c, sum, problems := catalogue.Listed(template.New("c", "C"), list.Headings, list.Lines, intake.Reading{}, mint())
	require.Equal(t, 1, sum.Added)
	said := map[int]string{}
	for _, p := range problems {
		said[p.Line] = p.Column + ": " + p.Reason
	}
	require.Contains(t, said[3], `key_low: "H4" is not a key`)
	require.Contains(t, said[4], "patch: the name is empty")
	require.Contains(t, said[5], "36 is outside 96 to 127")
	require.Contains(t, said[6], `articulations: long: "pedal" is not a switch`)
	require.Empty(t, said[7], "a patch named again, otherwise in nothing")
	require.Empty(t, sum.Told)
	p := coretest.Must(template.New("c", "C"), c).Patches[0]
	require.Equal(t, []int{60, 96, 24}, []int{p.KeyLow, p.KeyHigh, p.Map[0].Switches[0].Number})
	require.Equal(t, 310.5, p.PreloadMiB)
}

// What a list says of a library or a player holds for all of its patches.
func TestLibrariesAndPlayersAreSet(t *testing.T) {
	cat, err := demo.Template()
	require.NoError(t, err)
	list, err := patchlist.Read(strings.NewReader("library,room,machines,player,player_sounds,player_wake_ms,patch\n" +
		"Tallow Brass,dry,Alder; Cedar,Lamp player,8,900,Horn 1 long\nTallow Brass,,,Lamp player,,,Horn 2 long\n"))
	require.NoError(t, err)
	c, _, problems := catalogue.Listed(cat, list.Headings, list.Lines, intake.Reading{}, mint())
	require.Empty(t, problems)
	after := coretest.Must(cat, c)
	for _, p := range after.Players {
		if p.Name == "Lamp player" {
			require.Equal(t, []int{8, 900, 16}, []int{p.Sounds, p.WakeMs, p.Outputs})
		}
	}
	for _, l := range after.Libraries {
		if l.Name == "Tallow Brass" {
			require.Equal(t, template.Dry, l.Room)
			require.Equal(t, []string{"Alder", "Cedar"}, l.Machines)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("library,patch,articulations\nA,B,long: key 1"))
	f.Fuzz(func(_ *testing.T, data []byte) {
		list, err := patchlist.Read(bytes.NewReader(data))
		if err != nil {
			return
		}
		c, _, _ := catalogue.Listed(template.New("c", "C"), list.Headings, list.Lines, intake.Reading{}, mint())
		coretest.Must(template.New("c", "C"), c)
	})
}

// Sizes like 1,024 are a thousand or one: nothing is taken until somebody says which,
// and units of headings and cells are understood.
func TestSizesInDoubtAreAskedAbout(t *testing.T) {
	read := func(text string, decimal intake.Decimal) (catalogue.Taken, *template.Template) {
		list, err := patchlist.Read(strings.NewReader(text))
		require.NoError(t, err)
		c, sum, problems := catalogue.Listed(template.New("c", "C"), list.Headings, list.Lines, intake.Reading{Decimal: decimal}, mint())
		require.Empty(t, problems)
		return sum, coretest.Must(template.New("c", "C"), c)
	}
	list := "library,patch,preload_mib,full_mib\nMillrace Winds,Flute,\"1,024\",\"2,048\"\n"
	sum, cat := read(list, intake.Unsaid)
	require.Equal(t, &intake.Doubt{Cell: "1,024", Point: 1024, Comma: 1.024}, sum.Unsure)
	require.Empty(t, cat.Patches)
	sum, cat = read(list, intake.Point)
	require.Nil(t, sum.Unsure)
	require.Equal(t, []float64{1024, 2048}, []float64{cat.Patches[0].PreloadMiB, cat.Patches[0].FullMiB})
	_, cat = read(list, intake.Comma)
	require.InDelta(t, 1.024, cat.Patches[0].PreloadMiB, 1e-9)
	_, cat = read("library;patch;preload (GB);full_mib\nMillrace Winds;Flute;1,5;3 GB\n", intake.Unsaid)
	require.Equal(t, []float64{1536, 3072}, []float64{cat.Patches[0].PreloadMiB, cat.Patches[0].FullMiB})
}

// What a list takes in memory is bounded by what it says, not by its commas.
func TestEmptyCellsTakeNoMemory(t *testing.T) {
	wide := "library,patch" + strings.Repeat(",", 997) + "\n"
	text := wide + strings.Repeat(strings.Repeat(",", 999)+"\n", 8000)
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	list, err := patchlist.Read(strings.NewReader(text))
	require.NoError(t, err)
	runtime.GC()
	runtime.ReadMemStats(&after)
	require.Empty(t, list.Lines)
	require.Equal(t, 2, list.Problems[0].Line)
	require.Less(t, int64(after.HeapAlloc)-int64(before.HeapAlloc), int64(len(text)))
	_, err = patchlist.Read(strings.NewReader(strings.Repeat(",", 8<<20)))
	require.ErrorContains(t, err, "more than 1000 columns")
	runtime.KeepAlive(list)
}
