package handover

import (
	"fmt"
	"slices"

	"fanfold/internal/core/template"
)

// tally counts what a format does not hold, and says it in words.
type tally map[string]int

func (t tally) words() []string {
	var out []string
	for what, n := range t {
		if n > 0 {
			out = append(out, fmt.Sprintf("%s (%d)", what, n))
		}
	}
	slices.Sort(out)
	return out
}

// LeftOfSong is what a MIDI file of the template does not hold, in words.
func LeftOfSong(t *template.Template) []string {
	left := tally{}
	for _, x := range NewSong(t).Tracks {
		if x.Device != "" && x.Port < 0 {
			left[fmt.Sprintf("ports beyond %d", 128)]++
		}
	}
	for _, i := range t.Instruments {
		switch i.Kind {
		case template.Sampled, template.Spare:
		case template.Divider:
			left["dividers"]++
			continue
		default:
			left["guides and live inputs"]++
			continue
		}
		if i.GainDB != 0 || i.Pan != 0 || i.LevelTrimDB != 0 {
			left["levels, trims and pans of rows"]++
		}
		if len(i.Routes) > 0 {
			left["routes of rows"]++
		}
	}
	left["sections"] = len(t.Sections)
	left["buses"] = len(t.Buses)
	return left.words()
}

// LeftOfScore is what an empty score of the template does not hold, in words.
func LeftOfScore(t *template.Template) []string {
	left := tally{}
	played := 0
	for _, i := range t.Instruments {
		switch i.Kind {
		case template.Sampled:
			played++
		case template.Divider:
			left["dividers"]++
		default:
			left["guides, live inputs and spare rows"]++
		}
	}
	parts := ScoreParts(t)
	left["rows for further articulations of a part"] = max(0, played-len(parts))
	for _, p := range parts {
		if p.Sound == "" {
			left["parts without a known standard sound"]++
		}
	}
	left["buses, levels and seats"] = len(t.Buses)
	return left.words()
}
