package printing

import (
	"fmt"
	"strings"

	"fanfold/internal/core/filename"
)

// Naming is what the names of files are made of.
type Naming struct {
	Pattern string // filename.DefaultPattern when empty
	Cue     string // its number
	Title   string
	Version string
	Start   string // timecode
	RateHz  int
}

// Names are the names of the files of a plan, with an ending (".wav"): safe on every file
// system, at most 255 bytes, and no two the same, whatever letters are told apart.
func (p *Plan) Names(n Naming, ending string) []string {
	taken := map[string]bool{}
	var out []string
	files := map[string]int{}
	for _, w := range p.Files {
		files[strings.ToLower(w.File)]++
	}
	for _, w := range p.Files {
		stem := w.File
		if fold := p.foldsOf(w); files[strings.ToLower(stem)] > 1 && fold != "" {
			stem += " " + fold // two folds may have stems of one name
		}
		number := ""
		if w.Number > 0 {
			number = fmt.Sprintf("%02d", w.Number)
		}
		rate := ""
		if n.RateHz > 0 {
			rate = strings.TrimSuffix(fmt.Sprintf("%.1f", float64(n.RateHz)/1000), ".0") + "k"
		}
		values := map[string]string{"cue": n.Cue, "title": n.Title, "version": n.Version, "stem": stem, "number": number, "start": n.Start, "rate": rate}
		name := filename.Fill(n.Pattern, values)
		out = append(out, filename.Unique(filename.Safe(name, "file"), ending, taken))
	}
	return out
}
