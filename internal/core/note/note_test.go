package note_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/note"
)

// Note 60 is C4 in scientific pitch, MusicXML and SFZ (4-reference, MIDI).
func TestNotes(t *testing.T) {
	for text, want := range map[string]int{"c4": 60, "C#4": 61, "db4": 61, "b3": 59, "c-1": 0, "g9": 127, "60": 60, "-1": -1, "cb4": 59, "C♯4": 61, "d♭4": 61, "Fbb4": 63, "g##4": 69} {
		got, err := note.Parse(text, note.Scientific)
		require.NoError(t, err, text)
		require.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "h4", "c", "c#", "4c", "c444", "c#b4"} {
		_, err := note.Parse(text, note.Scientific)
		require.Error(t, err, text)
	}
	for text, want := range map[string]int{"C3": 60, "C-2": 0, "G8": 127} { // as some makers count
		got, err := note.Parse(text, 3)
		require.NoError(t, err, text)
		require.Equal(t, want, got, text)
	}
}
