package handover

import (
	"fmt"
	"strconv"
	"strings"

	"fanfold/internal/core/audit"
)

// DeliverySheet says for people what a package of stems holds: every file with its format,
// length, start, loudness and peak; how the stems of each fold add up; what runs on the mix; and
// what is wrong. Start writes samples since midnight as timecode.
func DeliverySheet(title string, r *audit.Report, onMix []string, start func(samples int64) string) []Page {
	files := Page{Title: title, Note: r.Line, Table: Table{Headings: []string{"file", "what it is", "format", "length, s", "start", "LUFS", "range, LU", "dBTP"}}}
	for _, f := range r.Files {
		what := f.Stem
		if f.Role != audit.Stem {
			what = string(f.Role)
		}
		begin := "not said"
		if f.Begin != audit.NotSaid {
			begin = start(f.Begin)
		}
		channels := map[int]string{1: "mono", 2: "stereo"}[f.Channels]
		if channels == "" {
			channels = strconv.Itoa(f.Channels) + " channels"
		}
		files.Rows = append(files.Rows, []string{
			f.Name, what, fmt.Sprintf("%s, %s kHz, %s", channels, strconv.FormatFloat(float64(f.RateHz)/1000, 'f', -1, 64), f.Samples),
			fmt.Sprintf("%.3f", f.Seconds), begin, level(f.LUFS), span(f), level(f.TruePeak),
		})
	}
	sums := Page{Title: "How the stems add up", Table: Table{Headings: []string{"fold", "stems", "residual, dBFS", "rounding alone, dBFS", "outcome"}}}
	for _, f := range r.Folds {
		outcome := "add up to the mix"
		switch {
		case f.Why != "":
			outcome = "not tested: " + f.Why
		case !f.AddsUp:
			outcome = "do not add up"
		}
		sums.Rows = append(sums.Rows, []string{f.Name, strconv.Itoa(f.Stems), level(f.PeakDB), level(f.NoiseDB), outcome})
	}
	if len(onMix) > 0 {
		sums.Note = "On the mix alone, and in no stem: " + strings.Join(onMix, ", ") + "."
	}
	out := []Page{files, sums}
	marks := Page{Title: "What to look at", Table: Table{Headings: []string{"mark", "what", "what to do"}}}
	for _, m := range r.Marks {
		if !m.Note {
			marks.Rows = append(marks.Rows, []string{m.Code, m.Message, m.Remedy})
		}
	}
	if len(marks.Rows) > 0 {
		out = append(out, marks)
	}
	return out
}

// level writes decibels; silence is a dash.
func level(db float64) string {
	if db < -190 {
		return "–"
	}
	return fmt.Sprintf("%.1f", db)
}

// span writes the loudness range of a file; that of silence is a dash.
func span(f audit.Figures) string {
	if f.LUFS < -190 {
		return "–"
	}
	return fmt.Sprintf("%.1f", f.Range)
}
