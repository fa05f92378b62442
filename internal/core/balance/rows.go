package balance

import (
	"fmt"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

// Row is a row that was measured.
type Row struct {
	Row                       *template.Instrument
	LevelDB, SoftDB, StrongDB float64 // of its middle, soft and strong note with its level trim, dBFS RMS
	Off                       bool    // farther than OffDB from the working level
	Before                    bool    // it was heard before what it plays changed
	Stands                    string  // rows with the same stand for the same instrument; empty for none
	ToneDB                    float64 // how far its tone lies from the mean of those it stands with; 0 for one alone
	Fault                     string  // why it has no level; empty when it has
}

// Rows are the rows of a template as they sound.
type Rows struct {
	Rows    []Row // in score order
	Unheard int   // that could be measured and were not
}

// Of looks at all rows of a template that can be measured.
func Of(t *template.Template) Rows {
	words := articulation.NewVocabulary(t.Vocabulary)
	out := Rows{Rows: []Row{}}
	for _, i := range t.ScoreOrder() {
		if !i.Loads() || len(t.PatchesOf(i)) == 0 {
			continue
		}
		h := i.Heard
		if h == nil {
			out.Unheard++
			continue
		}
		x := Row{Row: i, Stands: stands(t, words, i), Before: t.HeardBefore(i)}
		switch {
		case h.Fault != "":
			x.Fault = h.Fault
		case h.Silent:
			x.Fault = "it makes no sound"
		default:
			x.SoftDB, x.LevelDB, x.StrongDB = h.Levels[0]+i.LevelTrimDB, h.Levels[1]+i.LevelTrimDB, h.Levels[2]+i.LevelTrimDB
			off := x.LevelDB - WorkingDB
			x.Off = off > OffDB || off < -OffDB
		}
		out.Rows = append(out.Rows, x)
	}
	alike := map[string][]*Row{}
	for n := range out.Rows {
		if x := &out.Rows[n]; x.Fault == "" && x.Stands != "" {
			alike[x.Stands] = append(alike[x.Stands], x)
		}
	}
	for _, rows := range alike {
		tones(rows)
	}
	return out
}

// stands is what a row stands for: its instrument, alone or several, and how it is played in
// the main. A phrase can move between rows of one.
func stands(t *template.Template, words *articulation.Vocabulary, i *template.Instrument) string {
	p := t.PatchOf(i)
	if p.Sound == "" || len(i.Articulations) == 0 {
		return ""
	}
	how := words.FamilyOf(i.Articulations[0])
	several := "one"
	if !slices.Contains(p.Roles, "solo") {
		several = "several"
	}
	return fmt.Sprintf("%s %s %v", p.Sound, several, how)
}
