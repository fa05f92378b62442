package articulation_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// What an assistant would take where a patch lacks what is asked for: written down first,
// common practice, no source.
func TestWhatStandsIn(t *testing.T) {
	v := articulation.NewVocabulary(nil)
	for _, c := range []struct {
		wanted string
		has    []string
		plays  string
		exact  bool
	}{
		{"spiccato", []string{"long", "staccato"}, "staccato", false},
		{"staccato", []string{"long", "stac", "spiccato"}, "stac", true},
		{"legato", []string{"staccato", "long"}, "long", false},
		{"pizzicato", []string{"long", "spiccato"}, "spiccato", false},
		{"tremolo", []string{"hit", "roll"}, "roll", false},
		{"con sordino", []string{"long", "cup mute"}, "cup mute", false},
		{"trill minor second", []string{"trill", "long"}, "trill", false},
		{"rip", []string{"long", "staccato"}, "", false},
		{"key clicks", []string{"long"}, "", false},
		{"double tongue", []string{"marcato"}, "marcato", false},
		{"long", nil, "", false},
	} {
		plays, exact, found := v.Instead(c.wanted, c.has)
		require.Equal(t, c.plays, plays, "%s of %v", c.wanted, c.has)
		require.Equal(t, c.exact, exact, c.wanted)
		require.Equal(t, c.plays != "", found, c.wanted)
	}
}

// Every name that stands in for another is an articulation of the vocabulary.
func TestStandInsAreArticulations(t *testing.T) {
	v := articulation.NewVocabulary(nil)
	articulation.EachStandIn(func(name string) { require.NotNil(t, v.Find(name), name) })
}

// steady is 120 quarters a minute.
func steady() *tempo.Map {
	m, err := tempo.New(480)
	if err != nil {
		panic(err)
	}
	return m
}

func hand() []template.Mapping {
	return []template.Mapping{
		onKey("long", 0), onKey("legato", 1), onKey("staccato", 2), onKey("spiccato", 3), onKey("pizzicato", 4), onKey("rip", 5),
		{Articulation: "tremolo", Switches: []template.Switch{{Kind: template.ByController, Number: 32, Low: 40, High: 49}}},
	}
}

// A part played with one hand comes out on two libraries, each with its own switches, and
// without the hand's.
func TestOneHandForTwoLibraries(t *testing.T) {
	v := articulation.NewVocabulary(nil)
	clock := steady()
	played := articulation.Part{
		Notes: []articulation.Note{
			{Start: 0, End: 10, Key: 3, Velocity: 100}, {Start: 480, End: 900, Key: 60, Velocity: 90},
			{Start: 950, End: 960, Key: 4, Velocity: 100}, {Start: 960, End: 1400, Key: 62, Velocity: 80},
			{Start: 1900, End: 1910, Key: 5, Velocity: 1}, {Start: 1920, End: 2400, Key: 64, Velocity: 80},
		},
		Controls: []articulation.Control{{Tick: 0, Number: 1, Value: 64}, {Tick: 0, Number: 32, Value: 45}},
	}
	one := articulation.Target{Channel: 1, KeyHigh: 127, Map: []template.Mapping{onKey("long", 24), onKey("spic", 25), onKey("pizz", 26)}}
	other := articulation.Target{Channel: 5, KeyHigh: 127, Map: []template.Mapping{
		{Articulation: "long", Switches: []template.Switch{{Kind: template.ByProgramme, Number: 1}}},
		{Articulation: "staccato", Switches: []template.Switch{{Kind: template.ByProgramme, Number: 2}}},
	}}
	got, err := articulation.Translate(v, articulation.Played(hand(), played), one, clock, articulation.Options{})
	require.NoError(t, err)
	var on, controllers []int
	for _, m := range got.Messages {
		switch m.Status {
		case articulation.NoteOn:
			on = append(on, m.Data1)
		case articulation.Controller:
			controllers = append(controllers, m.Data1)
		}
	}
	require.Equal(t, []int{25, 60, 26, 62, 64}, on, "its own switches, and no key of the hand")
	require.Equal(t, []int{1}, controllers, "the hand's controller is left out")
	require.Equal(t, []articulation.Reach{{Wanted: "rip"}}, got.Instead, "nothing is like a rip")
	require.Equal(t, []string{"rip"}, got.Missing)

	got, err = articulation.Translate(v, articulation.Played(hand(), played), other, clock, articulation.Options{})
	require.NoError(t, err)
	programmes := []int{}
	for _, m := range got.Messages {
		if m.Status == articulation.Programme {
			programmes = append(programmes, m.Data1)
		}
	}
	require.Equal(t, []int{2}, programmes, "spiccato and pizzicato are its staccato")
	require.Equal(t, []articulation.Reach{{Wanted: "spiccato", Plays: "staccato"}, {Wanted: "pizzicato", Plays: "staccato"}, {Wanted: "rip"}}, got.Instead)
}

// A hand that is proposed has a key for each articulation, no two alike, and none that a
// piano sounds; played with it, a part comes out as if it had named its articulations.
func TestAProposedHandPlaysAsNamed(t *testing.T) {
	v := articulation.NewVocabulary(nil)
	var all []string
	for _, term := range v.Terms() {
		all = append(all, term.Name)
	}
	rapid.Check(t, func(r *rapid.T) {
		names := rapid.SliceOfNDistinct(rapid.SampledFrom(all), 1, 30, rapid.ID[string]).Draw(r, "names")
		hand := articulation.ProposeHand(v, names)
		require.Len(r, hand, len(names))
		require.Empty(r, articulation.Clashes(hand))
		require.Empty(r, articulation.InRange(hand, 21, 108))
		target := articulation.Target{Channel: 1, KeyHigh: 127}
		for n, name := range names {
			if n%2 == 0 {
				target.Map = append(target.Map, template.Mapping{Articulation: name, Switches: []template.Switch{{Kind: template.ByProgramme, Number: n}}})
			}
		}
		var played, named articulation.Part
		for n := range rapid.IntRange(1, 20).Draw(r, "notes") {
			name := names[2*rapid.IntRange(0, (len(names)-1)/2).Draw(r, "which")]
			at := int64(n+1) * 480
			key := hand[slices.IndexFunc(hand, func(m template.Mapping) bool { return m.Articulation == name })].Switches[0].Number
			note := articulation.Note{Start: at, End: at + 200, Key: rapid.IntRange(21, 108).Draw(r, "key"), Velocity: 90}
			played.Notes = append(played.Notes, articulation.Note{Start: at - 20, End: at - 10, Key: key, Velocity: 90}, note)
			note.Articulations = []string{name}
			named.Notes = append(named.Notes, note)
		}
		clock := steady()
		got, err := articulation.Translate(v, articulation.Played(hand, played), target, clock, articulation.Options{})
		require.NoError(r, err)
		want, err := articulation.Compile(v, named, target, clock, articulation.Options{})
		require.NoError(r, err)
		require.Equal(r, want.Messages, got.Messages)
		require.Empty(r, got.Instead)
	})
}

// A part that two rows play between them, such as one for long and one for short notes,
// goes note by note to the row that has what is asked for.
func TestNotesGoToTheRowThatPlaysThem(t *testing.T) {
	note := func(key int, a ...string) articulation.Note {
		return articulation.Note{Start: int64(key), End: int64(key) + 1, Key: key, Velocity: 80, Articulations: a}
	}
	notes := []articulation.Note{note(60, "long"), note(61, "staccato"), note(62, "spiccato"), note(63, "rip"), note(64), note(65, "legato")}
	got := articulation.Share(articulation.NewVocabulary(nil), notes, [][]template.Mapping{{onKey("long", 24)}, {onKey("staccato", 24)}, {onKey("legato", 24), onKey("spiccato", 25)}})
	require.Equal(t, [][]articulation.Note{{notes[0], notes[3], notes[4]}, {notes[1]}, {notes[2], notes[5]}}, got)
}
