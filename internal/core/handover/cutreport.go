package handover

import (
	"fmt"
	"strconv"
	"strings"

	"fanfold/internal/core/cue"
)

// CutReport says for people what a new cut does to the cues of a production: what moves, by how
// much, what is to be rewritten, and how much music that is. The first page is for all cues, the
// second for those that change inside.
func CutReport(p *cue.Production, next *cue.Cut, x cue.Conforming) []Page {
	rate := p.FrameRate()
	was := "no cut"
	if c := p.CutOf(p.Cut); c != nil {
		was = c.Name
	}
	all := Page{Title: fmt.Sprintf("%s: %s to %s", p.Name, was, next.Name), Table: CutTable(p, x)}
	inside := Page{Title: "To be rewritten", Table: Table{Headings: []string{"cue", "at", "bar", "frames", "what is proposed", "hits, frames late"}}}
	seconds, count := 0.0, 0
	for n, v := range x.Verdicts {
		c := p.Cue(v.Cue)
		if v.Kind != cue.Changed {
			continue
		}
		count++
		seconds += cue.Seconds(rate, c.End-c.Start)
		best := x.Proposals[n][0]
		for k, s := range v.Seams {
			row := []string{"", rate.Format(s.Frame), fmt.Sprintf("%d.%g", s.Place.Bar, s.Place.Beat), fmt.Sprintf("%+d", s.By), "", ""}
			if k == 0 {
				row[0], row[4], row[5] = c.Called(), best.Text, missed(best.Errors)
			}
			inside.Rows = append(inside.Rows, row)
		}
	}
	all.Note = fmt.Sprintf("%s frames a second. %d of %d cues change inside, %s of music.", rate, count, len(x.Verdicts), minutes(seconds))
	if len(inside.Rows) == 0 {
		return []Page{all}
	}
	return []Page{all, inside}
}

// minutes writes seconds: "2:05".
func minutes(seconds float64) string {
	s := int(seconds + .5)
	return fmt.Sprintf("%d:%02d", s/60, s%60)
}

// missed says how late hits come.
func missed(list []cue.Missed) string {
	var out []string
	for _, m := range list {
		if m.Weight > 0 {
			out = append(out, fmt.Sprintf("%s %+.1f", m.Name, m.Frames))
		}
	}
	return strings.Join(out, "; ")
}

// CutTable is a line for each cue: what becomes of it, and how it follows.
func CutTable(p *cue.Production, x cue.Conforming) Table {
	rate := p.FrameRate()
	t := Table{Headings: []string{"cue", "title", "reel", "start before", "start after", "moves by, frames", "what becomes of it", "how it follows", "worst, frames", "look at"}}
	for n, v := range x.Verdicts {
		c, best := p.Cue(v.Cue), x.Proposals[n][0]
		worst := ""
		if len(best.Errors) > 0 {
			worst = strconv.FormatFloat(best.Worst, 'f', 1, 64)
		}
		t.Rows = append(t.Rows, []string{
			c.Number, c.Title, p.Reel(c.Reel).Name, rate.Format(c.Start), rate.Format(v.Start), fmt.Sprintf("%+d", v.By), string(v.Kind), best.Text, worst,
			strings.Join(append(append([]string{}, v.Look...), best.Lost...), "; "),
		})
	}
	return t
}
