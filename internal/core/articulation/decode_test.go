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

var decodeMap = []template.Mapping{
	{Articulation: "long", Switches: []template.Switch{{Kind: template.ByKey, Number: 12}}},
	{Articulation: "staccato", Switches: []template.Switch{{Kind: template.ByKey, Number: 13}}},
	{Articulation: "trill", Switches: []template.Switch{{Kind: template.ByKey, Number: 14, Hold: true}}},
	{Articulation: "marcato", Switches: []template.Switch{{Kind: template.ByKey, Number: 13}, {Kind: template.ByVelocity, Low: 120, High: 127}}},
	{Articulation: "flutter", Switches: []template.Switch{{Kind: template.ByController, Number: 58, Low: 10, High: 19}}},
}

func TestDecode(t *testing.T) {
	note := func(start int64, key, velocity int) articulation.Note {
		return articulation.Note{Start: start, End: start + 100, Key: key, Velocity: velocity}
	}
	for name, tc := range map[string]struct {
		notes    []articulation.Note
		controls []articulation.Control
		want     []string // of the notes that sound; empty where nothing says
	}{
		"nothing stands yet":             {[]articulation.Note{note(0, 60, 80)}, nil, []string{""}},
		"a key stands":                   {[]articulation.Note{note(0, 12, 1), note(10, 60, 80), note(500, 62, 80)}, nil, []string{"long", "long"}},
		"the last key stands":            {[]articulation.Note{note(0, 12, 1), note(10, 60, 80), note(400, 13, 1), note(500, 62, 80)}, nil, []string{"long", "staccato"}},
		"a key at the note's own time":   {[]articulation.Note{note(0, 60, 80), note(0, 13, 1)}, nil, []string{"staccato"}},
		"a held key only while it lasts": {[]articulation.Note{note(0, 14, 1), note(50, 60, 80), note(100, 62, 80)}, nil, []string{"trill", ""}},
		"velocity decides as well":       {[]articulation.Note{note(0, 13, 1), note(1, 60, 119), note(2, 60, 120)}, nil, []string{"staccato", "marcato"}},
		"a controller":                   {[]articulation.Note{note(5, 60, 80), note(10, 61, 80)}, []articulation.Control{{Tick: 7, Number: 58, Value: 12}}, []string{"", "flutter"}},
		"another value of it":            {[]articulation.Note{note(10, 61, 80)}, []articulation.Control{{Tick: 7, Number: 58, Value: 20}}, []string{""}},
	} {
		t.Run(name, func(t *testing.T) {
			var got []string
			for _, n := range articulation.Decode(decodeMap, articulation.Part{Notes: tc.notes, Controls: tc.controls}) {
				got = append(got, append(n.Articulations, "")[0])
			}
			require.Equal(t, tc.want, got)
		})
	}
	said := note(10, 60, 80)
	said.Articulations = []string{"legato"}
	require.Equal(t, []articulation.Note{said}, articulation.Decode(decodeMap, articulation.Part{Notes: []articulation.Note{said}}))
}

// What was compiled for a patch with key switches is understood again: the same
// notes, each played as it was written.
func TestDecodeUndoesCompile(t *testing.T) {
	words := articulation.NewVocabulary(nil)
	clock, err := tempo.New(480)
	require.NoError(t, err)
	keyed := decodeMap[:2]
	rapid.Check(t, func(rt *rapid.T) {
		var part articulation.Part
		at := int64(960)
		for range rapid.IntRange(1, 12).Draw(rt, "notes") {
			at += rapid.Int64Range(480, 960).Draw(rt, "wait")
			part.Notes = append(part.Notes, articulation.Note{
				Start: at, End: at + 240, Key: rapid.IntRange(40, 90).Draw(rt, "key"), Velocity: rapid.IntRange(1, 127).Draw(rt, "velocity"),
				Articulations: []string{rapid.SampledFrom([]string{"long", "staccato"}).Draw(rt, "way")},
			})
		}
		done, err := articulation.Compile(words, part, articulation.Target{Map: keyed, Channel: 1, KeyHigh: 127}, clock, articulation.Options{})
		require.NoError(rt, err)
		var played articulation.Part
		open := map[int]int{}
		for _, m := range done.Messages {
			switch {
			case m.Status == articulation.NoteOn && m.Data2 > 0:
				open[m.Data1] = len(played.Notes)
				played.Notes = append(played.Notes, articulation.Note{Start: m.Tick, Key: m.Data1, Velocity: m.Data2})
			case m.Status == articulation.NoteOff || m.Status == articulation.NoteOn:
				played.Notes[open[m.Data1]].End = m.Tick
			}
		}
		got := articulation.Decode(keyed, played)
		slices.SortStableFunc(got, func(a, b articulation.Note) int { return int(a.Start - b.Start) })
		require.Equal(rt, part.Notes, got)
	})
}
