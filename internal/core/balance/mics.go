package balance

import (
	"cmp"
	"math"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

// Mics are some microphone positions of a row, and how near they bring it to the rows of its
// kind.
type Mics struct {
	Names   []string
	Now     bool // they are those it plays
	Heard   *template.Heard
	ToneDB  float64 // how far its tone lies from the mean of the others
	ApartDB float64 // tone and room together
}

// roomDB is how much a decay twice as long counts beside a tone that is off, dB (common
// practice, no source: about as much as a hall's send of that much more is heard).
const roomDB = 3.0

// MicsOf lists what a row may be heard through: each position of its patches alone, and those
// it plays now, the first. None for a row without a choice.
func MicsOf(t *template.Template, i *template.Instrument) [][]string {
	var all, now []string
	for _, p := range t.PatchesOf(i) {
		for _, m := range p.Mics {
			if !slices.Contains(all, m.Name) {
				all = append(all, m.Name)
			}
		}
		for _, m := range i.MicsOf(p) {
			if !slices.Contains(now, m.Name) {
				now = append(now, m.Name)
			}
		}
	}
	if len(all) < 2 {
		return nil
	}
	out := [][]string{now}
	for _, name := range all {
		if len(now) != 1 || now[0] != name {
			out = append(out, []string{name})
		}
	}
	return out
}

// Alike are the other rows that were heard and stand for the same instrument as a row.
func Alike(t *template.Template, i *template.Instrument) []*template.Instrument {
	words := articulation.NewVocabulary(t.Vocabulary)
	kind := stands(t, words, i)
	var out []*template.Instrument
	for _, o := range t.ScoreOrder() {
		if o != i && kind != "" && o.Loads() && len(t.PatchesOf(o)) > 0 && o.Heard.Sounds() && stands(t, words, o) == kind {
			out = append(out, o)
		}
	}
	return out
}

// Nearest puts microphone positions of a row in order, the nearest to the others of its kind
// first, by tone and decay. Those that sound nothing are left out.
func Nearest(list []Mics, others []*template.Instrument) []Mics {
	var tones [][]float64
	decay, decays := 0.0, 0
	for _, o := range others {
		if x := profile(o.Heard); x != nil {
			tones = append(tones, x)
		}
		if o.Heard.DecayS > 0 {
			decay += math.Log2(o.Heard.DecayS)
			decays++
		}
	}
	all := mean(tones)
	var out []Mics
	for _, m := range list {
		if !m.Heard.Sounds() {
			continue
		}
		m.ToneDB = away(profile(m.Heard), all)
		m.ApartDB = m.ToneDB
		if decays > 0 && m.Heard.DecayS > 0 {
			room := roomDB * (math.Log2(m.Heard.DecayS) - decay/float64(decays))
			m.ApartDB = tenth(math.Hypot(m.ToneDB, room))
		}
		out = append(out, m)
	}
	slices.SortStableFunc(out, func(a, b Mics) int { return cmp.Compare(a.ApartDB, b.ApartDB) })
	return out
}
