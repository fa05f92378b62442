package articulation

import (
	"fmt"
	"strconv"
	"strings"

	"fanfold/internal/core/note"
)

// MaxStrip bounds the notes of a try-out strip.
const MaxStrip = 2000

// Strip reads notes written by hand, one after another, between semicolons:
// "C4 1/4 stacc.; D4; E4 1/2 pizz. + con sord.; - 1/4". A key by name or
// number, or - for a rest, then its length as a part of a whole note (that of
// the note before when it is left out, at first a quarter), then its
// articulations with + between. middleC is the octave of key 60. The error
// names the note.
func Strip(text string, middleC, ticksPerQuarter int) ([]Note, error) {
	var out []Note
	at, length := int64(0), int64(ticksPerQuarter)
	for n, item := range strings.Split(text, ";") {
		item = strings.TrimSpace(item)
		if item == "" {
			continue
		}
		if len(out) == MaxStrip {
			return nil, fmt.Errorf("more than %d notes", MaxStrip)
		}
		head, rest, _ := strings.Cut(item, " ")
		rest = strings.TrimSpace(rest)
		if first, more, _ := strings.Cut(rest, " "); strings.Contains(first, "/") {
			ticks, err := fraction(first, ticksPerQuarter)
			if err != nil {
				return nil, fmt.Errorf("note %d, %q: %w", n+1, item, err)
			}
			length, rest = ticks, more
		}
		if head != "-" {
			key, err := note.Parse(head, middleC)
			if err != nil || key < 0 || key > 127 {
				return nil, fmt.Errorf("note %d, %q: begin with a key such as C4, or - for a rest", n+1, item)
			}
			out = append(out, Note{Start: at, End: at + length, Key: key, Velocity: 90, Articulations: listed(rest)})
		}
		at += length
	}
	return out, nil
}

func listed(text string) []string {
	var out []string
	for _, a := range strings.Split(text, "+") {
		if a = strings.TrimSpace(a); a != "" {
			out = append(out, a)
		}
	}
	return out
}

// fraction reads "3/8" as ticks.
func fraction(text string, ticksPerQuarter int) (int64, error) {
	above, below, _ := strings.Cut(text, "/")
	a, errA := strconv.Atoi(above)
	b, errB := strconv.Atoi(below)
	if errA != nil || errB != nil || a < 1 || b < 1 || a > 64 || b > 128 {
		return 0, fmt.Errorf("%q is not a length; write a part of a whole note, as 1/4", text)
	}
	return max(1, int64(a)*4*int64(ticksPerQuarter)/int64(b)), nil
}

// Text says what a message is: "key 24 on, velocity 100".
func (m Message) Text() string {
	switch m.Status {
	case NoteOn:
		return fmt.Sprintf("key %d on, velocity %d", m.Data1, m.Data2)
	case NoteOff:
		return fmt.Sprintf("key %d off", m.Data1)
	case Controller:
		return fmt.Sprintf("controller %d = %d", m.Data1, m.Data2)
	}
	return fmt.Sprintf("programme %d", m.Data1)
}
