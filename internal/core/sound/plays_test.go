package sound_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/sound"
)

// What instruments can be asked for, and what not: nobody plucks a flute or bounces a
// bow on a trombone, a piano has no long and short desk, and only horns are stopped.
// Common practice, no source.
func TestWhatInstrumentsPlay(t *testing.T) {
	for _, c := range []struct {
		id, name string
		can      bool
	}{
		{"wind.flutes.flute", "flutter", true}, {"wind.flutes.flute", "pizzicato", false}, {"wind.flutes.flute", "spiccato", false}, {"wind.flutes.flute.piccolo", "tremolo", false},
		{"brass.trombone", "glissando", true}, {"brass.trombone", "spiccato", false}, {"brass.trombone.bass", "tremolo", false},
		{"brass.french-horn", "stopped", true}, {"brass.trumpet", "stopped", false}, {"brass.trumpet.bass", "harmon mute", true},
		{"drum.timpani", "roll", true}, {"drum.timpani", "legato", false}, {"drum.timpani", "pizzicato", false}, {"drum.bass-drum", "hit", true},
		{"keyboard.piano", "tremolo", false}, {"keyboard.piano", "staccato", true}, {"keyboard.celesta", "spiccato", false}, {"pluck.harp", "glissando", true}, {"pluck.harp", "spiccato", false},
		{"strings.violin", "spiccato", true}, {"strings.contrabass", "sul ponticello", true}, {"strings.cello", "flutter", false},
		{"voice.soprano", "legato", true}, {"voice.soprano", "pizzicato", false}, {"metal.cymbal.suspended", "swell", true}, {"metal.triangle", "legato", false},
		{"pitched-percussion.vibraphone", "bowed", true}, {"wind.reed.bassoon", "staccato", true}, {"wind.reed.bassoon", "col legno", false},
	} {
		require.Equal(t, c.can, sound.How(c.id).Can(c.name), "%s: %s", c.id, c.name)
	}
	require.Len(t, sound.How("keyboard.piano").Desks, 1)
	require.Len(t, sound.How("strings.viola").Desks, 2)
	require.Equal(t, []string{"roll"}, sound.How("drum.timpani").Desks[0].Articulations)
	require.Equal(t, sound.How(""), sound.How("nothing.known"))
	for _, s := range sound.All() {
		require.NotEmpty(t, sound.How(s.ID).Desks, s.ID)
		if len(sound.How(s.ID).Desks) == 1 {
			continue
		}
		require.Equal(t, "long", sound.How(s.ID).Desks[0].Suffix, s.ID)
		require.Equal(t, "short", sound.How(s.ID).Desks[1].Suffix, s.ID)
	}
}

// High and low halves of the families, as scoring sessions split them into stems: common
// practice, no source.
func TestRegisters(t *testing.T) {
	for name, want := range map[string]string{
		"Violins 1": "high", "Violas": "high", "Cellos": "low", "Basses": "low", "Horn 3": "high", "Trumpet 1": "high", "Bass trombone": "low", "Tuba": "low", "Cimbasso": "low",
		"Piccolo": "high", "English horn": "high", "Bass clarinet": "low", "Contrabassoon": "low", "Snare drum": "high", "Bass drum": "low", "Taiko": "low", "Triangle": "high", "Tam-tam": "low",
		"Suspended cymbal": "high", "Sopranos": "high", "Altos of the choir": "high", "Tenors": "low", "Glockenspiel": "high", "Timpani": "low", "Piano": "", "Harp": "",
	} {
		is := sound.ByName(name)
		require.NotNil(t, is, name)
		require.Equal(t, want, sound.Register(is.ID), name)
	}
}
