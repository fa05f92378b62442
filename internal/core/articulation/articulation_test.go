package articulation_test

import (
	"encoding/json"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

func key(n int) []template.Switch { return []template.Switch{{Kind: template.ByKey, Number: n}} }

func TestVocabularyKnowsWhatScoresSay(t *testing.T) {
	v := articulation.NewVocabulary(nil)
	for text, name := range map[string]string{ // usual abbreviations; common practice, no source
		"stacc.": "staccato", "Spicc": "spiccato", "PIZZ.": "pizzicato", "con sord.": "con sordino", "trem.": "tremolo",
		"sul pont.": "sul ponticello", "flz.": "flutter", "tr min2": "trill minor second", "snap-pizzicato": "snap pizzicato",
		"via sord.": "senza sordino", "flutter-tonguing": "flutter", "sustain": "long", "+": "stopped",
	} {
		require.NotNil(t, v.Find(text), text)
		require.Equal(t, name, v.Find(text).Name, text)
	}
	require.Nil(t, v.Find("barking"))
	require.Nil(t, v.Find(" . "))
}

func TestEveryGroupHasOneNaturalWay(t *testing.T) {
	natural, all := map[string]int{}, map[string]bool{}
	for _, term := range articulation.NewVocabulary(nil).Terms() {
		all[term.Group] = true
		if term.Natural {
			natural[term.Group]++
		}
	}
	for group := range all {
		if group != "" {
			require.Equal(t, 1, natural[group], group)
		}
	}
}

func TestNoNameIsTakenTwice(t *testing.T) {
	v := articulation.NewVocabulary(nil)
	for _, term := range v.Terms() {
		for _, name := range append([]string{term.Name, term.Short}, term.Synonyms...) {
			require.Same(t, term, v.Find(name), "%q of %q", name, term.Name)
		}
	}
}

func TestOwnTermsGoBeforeStandardOnes(t *testing.T) {
	own := &template.Term{ID: "t", Name: "Staccato", Short: "st", Synonyms: []string{"pecked"}, Family: template.Effect}
	v := articulation.NewVocabulary([]*template.Term{own})
	require.Same(t, own, v.Find("staccato"))
	require.Same(t, own, v.Find("pecked"))
	require.Equal(t, template.Effect, v.FamilyOf("Pecked"))
	require.Equal(t, template.Effect, v.FamilyOf("unheard of"))
}

func TestClashes(t *testing.T) {
	band := func(cc, low, high int) template.Switch {
		return template.Switch{Kind: template.ByController, Number: cc, Low: low, High: high}
	}
	vel := func(low, high int) template.Switch {
		return template.Switch{Kind: template.ByVelocity, Low: low, High: high}
	}
	bank := func(n int) *int { return &n }
	for name, tc := range map[string]struct {
		a, b  []template.Switch
		clash bool
	}{
		"same key":              {key(24), key(24), true},
		"other key":             {key(24), key(25), false},
		"bands that overlap":    {[]template.Switch{band(32, 0, 20)}, []template.Switch{band(32, 20, 40)}, true},
		"bands apart":           {[]template.Switch{band(32, 0, 20)}, []template.Switch{band(32, 21, 40)}, false},
		"other controllers":     {[]template.Switch{band(32, 0, 20)}, []template.Switch{band(33, 0, 20)}, false},
		"key and band":          {key(24), []template.Switch{band(32, 0, 20)}, false},
		"one key, two bands":    {append(key(24), vel(1, 60)), append(key(24), vel(61, 127)), false},
		"one key, and any":      {key(24), append(key(24), vel(61, 127)), true},
		"no switch at all":      {nil, key(24), false},
		"programmes, two banks": {[]template.Switch{{Kind: template.ByProgramme, Number: 3, Bank: bank(1)}}, []template.Switch{{Kind: template.ByProgramme, Number: 3, Bank: bank(2)}}, false},
		"programme, any bank":   {[]template.Switch{{Kind: template.ByProgramme, Number: 3, Bank: bank(1)}}, []template.Switch{{Kind: template.ByProgramme, Number: 3}}, true},
		"relative and absolute": {[]template.Switch{{Kind: template.ByChannel, Number: 3, Relative: true}}, []template.Switch{{Kind: template.ByChannel, Number: 3}}, false},
	} {
		t.Run(name, func(t *testing.T) {
			got := articulation.Clashes([]template.Mapping{{Articulation: "a", Switches: tc.a}, {Articulation: "b", Switches: tc.b}})
			require.Equal(t, tc.clash, len(got) == 1, "%v", got)
		})
	}
}

func TestFreeKeys(t *testing.T) {
	mappings := []template.Mapping{{Articulation: "a", Switches: key(24)}, {Articulation: "b", Switches: key(26)}}
	free := articulation.FreeKeys(mappings, &template.KeyZone{Low: 24, High: 28}, 36, 96)
	require.Equal(t, []int{25, 27, 28, 35, 34}, free[:5])
	require.NotContains(t, free, 60)
	require.Empty(t, articulation.FreeKeys(nil, nil, 0, 127))
}

func TestDifferenceKnowsSynonyms(t *testing.T) {
	lost, gained := articulation.NewVocabulary(nil).Difference([]string{"pizz.", "long", "swell"}, []string{"sustain", "pizzicato", "runs"})
	require.Equal(t, []string{"swell"}, lost)
	require.Equal(t, []string{"runs"}, gained)
}

// How switches are written is held by a table that the browser's tests read
// too.
func TestSwitchesAsWritten(t *testing.T) {
	var table struct {
		Read []struct {
			Text string
			Is   template.Switch
		}
		Refused []string
	}
	data, err := os.ReadFile("testdata/switches.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &table))
	for _, x := range table.Read {
		got, err := articulation.ReadSwitch(x.Text, 4)
		require.NoError(t, err, x.Text)
		require.Equal(t, x.Is, got, x.Text)
		again, err := articulation.ReadSwitch(articulation.WriteSwitch(got), 4)
		require.NoError(t, err)
		require.Equal(t, got, again)
	}
	for _, text := range table.Refused {
		_, err := articulation.ReadSwitch(text, 4)
		require.Error(t, err, text)
	}
}

func TestMapsAsWritten(t *testing.T) {
	text := "long: key 24, lead 20 | legato: key 25 held, late 90 | always:"
	m, err := articulation.ReadMap(text, 4)
	require.NoError(t, err)
	require.Equal(t, text, articulation.WriteMap(m))
	for says, text := range map[string]string{
		`long: "pedal" is not a switch`: "long: pedal", `"long" is mapped twice`: "long: key 1 | long: key 2", "a controller is 0 to 119": "x: cc 200 1-2 | y: key 1", "the lead is 0 to 1000": "x: lead 99999999999",
	} {
		_, err := articulation.ReadMap(text, 4)
		require.ErrorContains(t, err, says)
	}
}

// Words stand until another of their group; what is written at a note goes
// before them; of loudness they say nothing.
func TestWordsStand(t *testing.T) {
	s := articulation.NewStanding(articulation.NewVocabulary(nil))
	for _, step := range []struct {
		words string
		at    []string
		want  []string
	}{
		{"Allegro, cresc. molto", nil, nil},
		{"pizz., con sord.", nil, []string{"pizzicato", "con sordino"}},
		{"", []string{"snap pizzicato"}, []string{"snap pizzicato", "con sordino"}},
		{"arco", []string{"staccato"}, []string{"staccato", "con sordino"}},
		{"sul pont. trem.", nil, []string{"con sordino", "sul ponticello", "tremolo"}},
		{"ord. / via sord.", nil, []string{"sul ponticello"}},
		{"pos. ord.", nil, nil},
	} {
		s.Read(step.words)
		require.Equal(t, step.want, s.With(step.at), step.words)
	}
}

func TestStripsAreReadByHand(t *testing.T) {
	notes, err := articulation.Strip("C4 1/8 stacc.; D4; - 3/8; 67 1/2 pizz. + con sord.;", 4, 480)
	require.NoError(t, err)
	require.Equal(t, []articulation.Note{
		{Start: 0, End: 240, Key: 60, Velocity: 90, Articulations: []string{"stacc."}},
		{Start: 240, End: 480, Key: 62, Velocity: 90},
		{Start: 1200, End: 2160, Key: 67, Velocity: 90, Articulations: []string{"pizz.", "con sord."}},
	}, notes)
	low, err := articulation.Strip("C3", 3, 480)
	require.NoError(t, err)
	require.Equal(t, 60, low[0].Key, "where middle C is called C3")
	for says, text := range map[string]string{
		`note 2, "X4"`: "C4; X4", `"1/0" is not a length`: "C4 1/0", `"a/4" is not a length`: "C4 a/4", "begin with a key": "128",
		"more than 2000 notes": strings.Repeat("C4;", articulation.MaxStrip+1),
	} {
		_, err := articulation.Strip(text, 4, 480)
		require.ErrorContains(t, err, says)
	}
}

func FuzzStrip(f *testing.F) {
	f.Add("C4 1/4 stacc.; D4; - 1/4; E4 pizz. + con sord.")
	f.Fuzz(func(t *testing.T, text string) {
		notes, err := articulation.Strip(text, 4, 480)
		for _, n := range notes {
			require.True(t, err == nil && n.End > n.Start && n.Key >= 0 && n.Key < 128)
		}
	})
}

func FuzzReadMap(f *testing.F) {
	f.Add("long: key 24, lead 20 | legato: key 25 held, late 90 | fx: cc 32 0-20, prog 7 bank 2, chan +2, vel 1-64")
	f.Fuzz(func(t *testing.T, text string) {
		m, err := articulation.ReadMap(text, 4)
		if err != nil {
			return
		}
		require.NoError(t, template.CheckMap(m))
		articulation.Clashes(m)
		require.NotPanics(t, func() { articulation.WriteMap(m) })
	})
}

// A switch that is read is written so that it is read again as itself, unless no map may
// hold it.
func FuzzReadSwitch(f *testing.F) {
	for _, text := range []string{"key C1", "key 24 held", "cc 32 0-20", "prog 7 bank 2", "chan +2", "vel 1-64", "key 99999999999999999999", "cc 1 20-0", "chan -3"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		s, err := articulation.ReadSwitch(text, 4)
		if err != nil || template.CheckMap([]template.Mapping{{Articulation: "long", Switches: []template.Switch{s}}}) != nil {
			return
		}
		again, err := articulation.ReadSwitch(articulation.WriteSwitch(s), 4)
		require.NoError(t, err, articulation.WriteSwitch(s))
		require.Equal(t, s, again)
	})
}

// Free keys are keys of MIDI, whatever is asked.
func TestFreeKeysAreKeys(t *testing.T) {
	for _, ends := range [][2]int{{math.MinInt, math.MaxInt}, {math.MaxInt, math.MinInt}, {math.MinInt, math.MinInt}, {200, 300}, {-5, 3}} {
		for _, zone := range []*template.KeyZone{nil, {Low: math.MinInt, High: math.MaxInt}, {Low: 120, High: 500}} {
			for _, key := range articulation.FreeKeys(nil, zone, ends[0], ends[1]) {
				require.True(t, key >= 0 && key <= 127, "%d of %v", key, ends)
			}
		}
	}
}

// Switches as people write them: by a controller's number with or without spaces, with
// "=" or not.
func TestSwitchesAsPeopleWriteThem(t *testing.T) {
	for text, want := range map[string]string{
		"cc32=5": "cc 32 5-5", "CC 32 = 5": "cc 32 5-5", "cc32 0-20": "cc 32 0-20", "cc #32 0 to 20": "cc 32 0-20", "controller 1 64-127": "cc 1 64-127",
		"key=24": "key 24", "key C1 held": "key 24 held", "pc 7": "prog 7", "prog=7 bank=2": "prog 7 bank 2", "program 7": "prog 7",
	} {
		s, err := articulation.ReadSwitch(text, 4)
		require.NoError(t, err, text)
		require.Equal(t, want, articulation.WriteSwitch(s), text)
	}
	for _, text := range []string{"cc325", "cc=5", "key", "cc32=", "prog"} {
		_, err := articulation.ReadSwitch(text, 4)
		require.Error(t, err, text)
	}
}
