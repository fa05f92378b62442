package note_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/note"
)

// What is read as a key of MIDI is written as a name that is read as the same key.
func FuzzParse(f *testing.F) {
	for _, text := range []string{"60", "C4", "f#-1", "B♭3", "E♭♭2", "C99999999999999999999", "-9223372036854775808", "H1", "c4 "} {
		f.Add(text, 4)
	}
	f.Fuzz(func(t *testing.T, text string, middleC int) {
		if middleC < -10 || middleC > 10 {
			return
		}
		key, err := note.Parse(text, middleC)
		if err != nil || key < 0 || key > 127 {
			return
		}
		again, err := note.Parse(note.Name(key, middleC), middleC)
		require.NoError(t, err)
		require.Equal(t, key, again)
	})
}
