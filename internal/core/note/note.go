// Package note reads the names of keys. A name goes in, a MIDI note comes out;
// which octave middle C has is said by whoever asks, since makers differ.
package note

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Scientific is the octave of middle C, MIDI note 60, in scientific pitch, in
// MusicXML and in SFZ.
const Scientific = 4

var (
	name  = regexp.MustCompile(`^([a-gA-G])([#♯]*|[b♭]*)(-?\d{1,2})$`)
	steps = map[string]int{"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
)

// mostOctave bounds an octave, so that no key overflows into those of MIDI.
const mostOctave = 1000

// Parse reads a number, or a letter with sharps or flats and an octave, with
// note 60 as C of the octave middleC. The result may lie outside MIDI's 0 to
// 127; the error says that the text names no key.
func Parse(text string, middleC int) (int, error) {
	if n, err := strconv.Atoi(text); err == nil {
		return n, nil
	}
	m := name.FindStringSubmatch(text)
	if m == nil {
		return 0, fmt.Errorf("%q is not a key", text)
	}
	octave, err := strconv.Atoi(m[3])
	if err != nil || octave < -mostOctave || octave > mostOctave || len(m[2]) > 64 {
		return 0, fmt.Errorf("%q is not a key", text)
	}
	alter := len([]rune(m[2]))
	if strings.ContainsAny(m[2], "b♭") {
		alter = -alter
	}
	return 60 + 12*(octave-middleC) + steps[strings.ToLower(m[1])] + alter, nil
}

var letters = []string{"C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"}

// Name names a MIDI note, with note 60 as C of the octave middleC.
func Name(key, middleC int) string {
	return fmt.Sprintf("%s%d", letters[(key%12+12)%12], middleC+(key-60-(key%12+12)%12)/12)
}
