package sound_test

import (
	"encoding/csv"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/sound"
)

// Names of parts as scores and templates write them in English, Italian, German, French
// and Spanish, with the instrument and the desks that are meant: at least 97 in a hundred
// are read right. Written down from memory of scores; common practice, no source.
func TestPartNamesInFiveLanguages(t *testing.T) {
	file, err := os.Open("testdata/partnames.csv")
	require.NoError(t, err)
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	require.NoError(t, err)
	right := 0
	for _, r := range rows[1:] {
		got := ""
		if s := sound.ByName(r[0]); s != nil {
			got = s.ID
		}
		var desks []string
		for _, n := range sound.Desks(r[0]) {
			desks = append(desks, strconv.Itoa(n))
		}
		if got == r[1] && strings.Join(desks, " ") == r[2] {
			right++
		} else {
			t.Logf("%s: %s %v, not %s %s", r[0], got, desks, r[1], r[2])
		}
	}
	t.Logf("%d of %d right", right, len(rows)-1)
	require.GreaterOrEqual(t, len(rows), 300)
	require.GreaterOrEqual(t, float64(right), 0.97*float64(len(rows)-1))
}

// What a name does not say is not guessed.
func TestNamesThatSayNothing(t *testing.T) {
	for _, name := range []string{
		"Tutti", "Soli", "Conductor", "Click", "Staff 3", "Part 12", "Instrument 4", "Track 7", "Continuo", "Basso continuo", "Untitled", "Ensemble", "Low Brass", "Woodwinds", "Trio", "Drums", "", "1", "II", "a 2", "/", "()",
	} {
		require.Nil(t, sound.ByName(name), name)
	}
}

func FuzzNames(f *testing.F) {
	f.Add("3rd Trombone (Bass) / Tuba 1-4")
	f.Add("Clarinette en Mi♭ 1.2")
	f.Fuzz(func(t *testing.T, name string) {
		if len(name) > 2000 {
			return
		}
		sound.ByName(name)
		for _, n := range sound.Desks(name) {
			require.Positive(t, n)
			require.Less(t, n, 100)
		}
	})
}

// What a name says of those who play: how many, whether as one, and whether it is a
// special kind of the instrument.
func TestWhatANameSaysOfItsPlayers(t *testing.T) {
	for name, want := range map[string]struct {
		players int
		several bool
		special bool
	}{
		"Flute 1": {}, "Flutes a 3": {3, true, false}, "4 Horns": {4, true, false}, "Horns": {0, true, false}, "Sopranos": {0, true, false}, "Women a 16": {16, true, false},
		"Taiko ensemble": {0, true, false}, "Piccolo": {}, "Piccolo snare": {0, false, true}, "Piccolo trumpet": {}, "Felt upright": {0, false, true}, "Gut harp": {0, false, true},
		"Harp 1": {}, "Contrabass": {}, "Tuba": {}, "Hörner": {0, true, false}, "Corni in Fa": {0, true, false}, "Horn in F": {}, "Finger cymbals": {}, "Brass ensemble": {0, true, false}, "Toy piano": {},
	} {
		require.Equal(t, want.players, sound.Players(name), name)
		require.Equal(t, want.several, sound.Several(name), name)
		require.Equal(t, want.special, sound.Special(name), name)
	}
	require.Greater(t, sound.Usual("drum.group", "drum.bass-drum"), sound.Usual("drum.group", "metal.triangle"))
	require.Zero(t, sound.Usual("drum.group", "metal.bells.agogo"))
}
