package naming_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/naming"
	"fanfold/internal/core/template"
)

func winds(t *testing.T) *template.Template {
	t.Helper()
	var rows []intake.Row
	for n, name := range []string{"Flute 1 long", "Flute 1 short", "Bass clarinet long", "English horn sul tasto", "Oboe"} {
		row := intake.Row{Line: n + 2, Section: "Winds / Woods", Instrument: name, Library: "Millrace Winds", Articulations: []string{"staccato", "long"}}
		low, high := 59, 98
		row.KeyLow, row.KeyHigh = &low, &high
		rows = append(rows, row)
	}
	batch, _, problems := intake.Plan(template.New("t", "T"), rows, intake.Sequence(), intake.StandardDefaults())
	require.Empty(t, problems)
	return coretest.Must(template.New("t", "T"), batch)
}

func all(t *template.Template) []template.ID {
	var ids []template.ID
	for _, i := range t.Instruments {
		ids = append(ids, i.ID)
	}
	return ids
}

func TestPatternsSayWhatARowIs(t *testing.T) {
	base := winds(t)
	for pattern, want := range map[string]string{
		"{desk} {articulation}":             "Flute 1 staccato",
		"{desk:short} {articulation:short}": "Fl 1 stac",
		"{parent} · {section} {number:3}":   "Winds · Woods 001",
		"{code} {name}":                     "MW Flute 1 long",
		"{library}, {register} {family}":    "Millrace Winds, high short",
		"{role} - {desk}":                   "Flute 1", // what is not known leaves no gap
	} {
		list, err := naming.Name(base, naming.Ask{Rows: all(base)[:1], Pattern: pattern})
		require.NoError(t, err, pattern)
		require.Equal(t, want, list[0].Name, pattern)
	}
	for pattern, says := range map[string]string{
		"{foo}":          "the pattern has {foo}; in braces you can use name, desk",
		"{number:short}": "{number:short} is not understood",
		"{desk":          "a brace that is not closed",
		"  ":             "the pattern is empty",
		"{desk:2}":       "{desk:2} is not understood",
	} {
		_, err := naming.ParsePattern(pattern)
		require.ErrorContains(t, err, says)
	}
}

// Numbers are padded, so that names sort as rows stand; what was named by hand
// stays and is shown as such.
func TestNamingARun(t *testing.T) {
	base := winds(t)
	hand, name := true, "Ada's flute"
	base = coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: base.Instruments[1].ID, Name: &name, NameByHand: &hand}}})
	ask := naming.Ask{Rows: all(base), Pattern: "Wood {number:2}", Shorten: true, Limit: 7}
	list, err := naming.Name(base, ask)
	require.NoError(t, err)
	got := []string{}
	for _, x := range list {
		got = append(got, x.Name+"|"+x.Short)
	}
	require.Equal(t, []string{"Wood 01|Wood 01", "Ada's flute|Ada'sFl", "Wood 03|Wood 03", "Wood 04|Wood 04", "Wood 05|Wood 05"}, got)
	require.True(t, list[1].Kept)
	after := coretest.Must(base, naming.Change(list))
	again, err := naming.Name(after, ask)
	require.NoError(t, err)
	require.Nil(t, naming.Change(again))
	ask.ByHand = true
	list, err = naming.Name(after, ask)
	require.NoError(t, err)
	require.Equal(t, "Wood 02", list[1].Name)
	list, err = naming.Name(base, naming.Ask{Rows: all(base)[:2], Pattern: "Oboe", ByHand: true})
	require.NoError(t, err)
	require.True(t, list[0].Twice && list[1].Twice, "it stands three times then")
}

// Abbreviations of scores (from memory: the lists in handbooks of
// orchestration), and the studio's own before them.
func TestAbbreviations(t *testing.T) {
	table := naming.NewTable([]template.Abbreviation{{Long: "Flute", Short: "Flt"}, {Long: "sul tasto long", Short: "stl"}})
	for long, short := range map[string]string{
		"Bass clarinet short": "BCl sh", "English horn": "EH", "Flute 2": "Flt 2", "Violins 1 sul tasto long": "Vns 1 stl",
		"Contrabassoon": "Cbn", "Double bass": "Db", "Snare drum roll": "SD roll", "Unknown thing": "Unknown thing",
	} {
		require.Equal(t, short, table.Short(long))
	}
	require.Equal(t, []string{"Oboe", "BCl lg", "EHSlowT", "Violin1", "VnsL12b"},
		naming.NewTable(nil).Shorten([]string{"Oboe", "Bass clarinet long", "English horn slow test", "Violin1", "Violins long 12"}, 7, map[string]bool{"VnsLg12": true}),
	)
}

// Whatever the names and the limit: short names fit, differ, and are the same
// again when asked again.
func TestShortNamesFitAndDiffer(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		word := rapid.SampledFrom([]string{"Flute", "Violins", "Bass clarinet", "long", "short", "1", "2", "12", "sul tasto", "ä", "x"})
		var names []string
		for range rapid.IntRange(1, 60).Draw(r, "names") {
			names = append(names, strings.Join(rapid.SliceOfN(word, 1, 5).Draw(r, "words"), " "))
		}
		limit := rapid.SampledFrom([]int{3, 5, 7, 12, 0}).Draw(r, "limit")
		taken := map[string]bool{"Fl": true, "Vns1": true}
		out := naming.NewTable(nil).Shorten(names, limit, taken)
		seen := map[string]bool{"fl": true, "vns1": true}
		for n, x := range out {
			require.NotEmpty(r, x)
			if limit > 0 {
				require.LessOrEqual(r, len([]rune(x)), limit, names[n])
			}
			require.False(r, seen[strings.ToLower(x)], "%q of %q", x, names[n])
			seen[strings.ToLower(x)] = true
		}
		require.Equal(r, out, naming.NewTable(nil).Shorten(names, limit, taken))
	})
}

func TestFindAndReplace(t *testing.T) {
	base := winds(t)
	found, c, err := naming.Replace(base, naming.Search{Field: naming.RowNames, Find: `(\w+) 1 (\w+)$`, With: "$2 $1", Expression: true})
	require.NoError(t, err)
	require.Len(t, found, 2)
	require.Equal(t, []string{"Flute 1 long", "long Flute"}, []string{found[0].Before, found[0].After})
	after := coretest.Must(base, c)
	require.Equal(t, "short Flute", after.Instruments[1].Name)

	found, _, err = naming.Replace(base, naming.Search{Field: naming.RowNames, Find: "LONG", With: "$1", Rows: all(base)[:1]})
	require.NoError(t, err)
	require.Len(t, found, 1)
	require.Equal(t, "Flute 1 $1", found[0].After, "without an expression, $ is a $")
	none, c, err := naming.Replace(base, naming.Search{Field: naming.RowNames, Find: "LONG", With: "x", Case: true})
	require.NoError(t, err)
	require.Empty(t, none)
	require.Nil(t, c)

	_, c, err = naming.Replace(base, naming.Search{Field: naming.Articulations, Find: "^sta.*", With: "short", Expression: true})
	require.NoError(t, err)
	require.Equal(t, []string{"short", "long"}, coretest.Must(base, c).Instruments[0].Articulations)
	_, c, err = naming.Replace(base, naming.Search{Field: naming.SectionNames, Find: "woods", With: "Reeds"})
	require.NoError(t, err)
	require.Equal(t, "Winds / Reeds", coretest.Must(base, c).SectionPath(base.Instruments[0].Section))
	_, _, err = naming.Replace(base, naming.Search{Field: naming.Notes, Find: "(", Expression: true})
	require.ErrorContains(t, err, "the expression is not understood: missing closing )")
	_, _, err = naming.Replace(base, naming.Search{Field: "keys", Find: "x"})
	require.ErrorContains(t, err, `"keys" cannot be searched`)
}

func FuzzPattern(f *testing.F) {
	f.Add("{desk} {number:2}")
	f.Fuzz(func(_ *testing.T, text string) {
		p, err := naming.ParsePattern(text)
		if err == nil {
			base := coretest.Orchestra(1, 1)
			_ = naming.NewNamer(base, nil).Name(base.Instruments[0], p, 1)
		}
	})
}
