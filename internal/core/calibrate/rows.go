package calibrate

import (
	"fmt"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// RowsOf are the rows of a template that can be calibrated, with the output pair each is
// recorded from: every one that sits and plays patches. names says what each pair is:
// "Alder, riser 1, outputs 3-4". With together, all are in one recording.
func RowsOf(t *template.Template, together bool) (rows []Row, names []string) {
	words := articulation.NewVocabulary(t.Vocabulary)
	type place struct {
		machine     template.ID
		riser, pair int
	}
	pairs := map[place]int{}
	for _, i := range t.ScoreOrder() {
		if !i.Loads() || len(t.PatchesOf(i)) == 0 {
			continue
		}
		at := place{i.Seat.Machine, i.Seat.Riser, i.Seat.Pair}
		if together {
			at = place{}
		}
		pair, known := pairs[at]
		if !known {
			pair = len(pairs)
			pairs[at] = pair
			name := "everything"
			if !together {
				name = fmt.Sprintf("%s, riser %d, outputs %s", t.Index().Machines[i.Seat.Machine].Name, i.Seat.Riser, i.Seat.Outputs())
			}
			names = append(names, name)
		}
		rows = append(rows, rowOf(t, words, i, pair))
	}
	return rows, names
}

func rowOf(t *template.Template, words *articulation.Vocabulary, i *template.Instrument, pair int) Row {
	target := articulation.TargetOf(t, i)
	r := Row{ID: i.ID, Name: i.Name, Pair: pair, Low: target.KeyLow, High: target.KeyHigh, Ways: []string{}, Plays: t.Plays(i)}
	p := t.PatchOf(i)
	if card := sound.ByID(p.Sound); p.Sound != "" && card != nil {
		if low, high := max(r.Low, card.Low), min(r.High, card.High); low < high {
			r.Low, r.High = low, high
		}
		r.Percussed = !sound.Sustains(card.ID)
	}
	for _, m := range target.Map {
		if len(m.Switches) == 0 {
			continue
		}
		r.Ways = append(r.Ways, m.Articulation)
		if n := len(r.Ways) - 1; n > 0 && plainer(words, m.Articulation, r.Ways[0]) {
			copy(r.Ways[1:], r.Ways[:n])
			r.Ways[0] = m.Articulation
		}
	}
	if len(r.Ways) > 0 && words.FamilyOf(r.Ways[0]) == template.Short {
		r.Percussed = true
	}
	return r
}

// TargetOf is a row's patch as the test plays it: its notes are sent when they stand there,
// however late the map says that they speak, since that is what is measured.
func TargetOf(t *template.Template, i *template.Instrument) articulation.Target {
	target := articulation.TargetOf(t, i)
	target.Map = template.CloneMap(target.Map)
	for n := range target.Map {
		target.Map[n].DelayMs = 0
	}
	return target
}

// Plain is the articulation of a row that says most of its patch, by which it is measured;
// empty when none is reached by a switch.
func Plain(words *articulation.Vocabulary, list []template.Mapping) string {
	best := ""
	for _, m := range list {
		if best == "" || plainer(words, m.Articulation, best) {
			best = m.Articulation
		}
	}
	return best
}

// Pitched tells whether what an articulation sounds has the pitch of its key: harmonics are
// written in several ways, and effects slide.
func Pitched(words *articulation.Vocabulary, name string) bool { return rank(words, name) < effects }

// plainer tells whether an articulation says more of the patch as a whole than another:
// long notes before legato, these before short ones, and effects last.
func plainer(words *articulation.Vocabulary, a, b string) bool {
	return rank(words, a) < rank(words, b)
}

// unsteady are long ways of playing whose pitch or level is not that of the note.
var unsteady = []string{"harmonics", "flutter", "tremolo", "trill"}

// effects is the rank of what says least of a patch.
const effects = 4

func rank(words *articulation.Vocabulary, name string) int {
	if words.Same(name, "long") {
		return 0
	}
	if slices.ContainsFunc(unsteady, func(x string) bool { return words.Same(name, x) }) {
		return effects
	}
	switch words.FamilyOf(name) {
	case template.Long:
		return 1
	case template.Legato:
		return 2
	case template.Short:
		return 3
	}
	return effects
}
