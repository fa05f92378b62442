package audit

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/dsp"
)

// tell marks what does not add up, and why.
func (n *null) tell(r *run) {
	worst, from, to := 0.0, n.failed[0].second, 0
	for _, f := range n.failed {
		worst, to = max(worst, f.peak), max(to, f.second+1)
	}
	places := n.places(func(failure) bool { return true })
	m := r.mark("null", nil, dsp.DB(worst), float64(from), float64(to), "the stems of %s do not add up to the mix: %s is left %s", n.fold.Name, decibels(dsp.DB(worst)), places)
	m.Name, m.Fold = n.fold.Name, n.fold.ID
	type key struct {
		stem *track
		kind string
		late int
	}
	groups := map[key][]int{} // by the failures
	var order []key
	for k, f := range n.failed {
		for _, c := range f.causes {
			x := key{c.stem, c.kind(), c.late}
			if groups[x] == nil {
				order = append(order, x)
			}
			groups[x] = append(groups[x], k)
		}
	}
	for _, x := range order {
		// A second or two in which a stem looks different from many others is where its fault
		// begins or ends: what it is was not known yet there.
		if slices.ContainsFunc(order, func(o key) bool {
			return o.stem == x.stem && len(groups[x]) <= fewSeconds && len(groups[o]) >= manyMore*len(groups[x]) && o != x
		}) {
			continue
		}
		n.tellCause(r, x.stem, x.kind, x.late, groups[x])
	}
	n.tellClipped(m)
	n.tellOpen(r)
}

// tellClipped says of a mark that what is left comes of clipping, where all of it does.
func (n *null) tellClipped(m *Mark) {
	var names []string
	for _, f := range n.failed {
		if len(f.clipped) == 0 {
			return
		}
		for _, t := range f.clipped {
			if !slices.Contains(names, t.Called()) {
				names = append(names, t.Called())
			}
		}
	}
	m.Message += ", where " + and(names) + " clip"
	m.Remedy = "Print or record everything softer by as much, or as floating point: what is beyond full scale is lost in these files."
}

// and writes some names as people say them.
func and(names []string) string {
	switch n := len(names); {
	case n == 1:
		return names[0]
	case n > 3:
		return fmt.Sprintf("%s, %s and %d others", names[0], names[1], n-2)
	default:
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
}

func (c cause) kind() string {
	switch {
	case c.drop:
		return "drop"
	case c.stem.Role == Guide && c.gain < 1:
		return "leaked"
	case c.stem.Role == Guide:
		return "guide"
	case c.late != 0:
		return "late"
	case math.Abs(c.gain) < absent:
		return "missing"
	case c.gain < 0:
		return "inverted"
	}
	return "gain"
}

// absent is the share of a stem below which the mix does not have it, and doubledDB how near
// a gain must be to 6.02 dB to be a doubled path.
const absent, doubledDB = .03, .15

func (n *null) tellCause(r *run, stem *track, kind string, late int, at []int) {
	gain, weight := 0.0, 0.0
	for _, k := range at {
		for _, c := range n.failed[k].causes {
			if c.stem == stem && c.kind() == kind && c.late == late {
				w := n.failed[k].energy
				gain, weight = gain+w*c.gain, weight+w
			}
		}
	}
	if weight > 0 {
		gain /= weight
	}
	from, to := float64(n.failed[at[0]].second), float64(n.failed[at[len(at)-1]].second+1)
	places := n.places(func(f failure) bool {
		return slices.ContainsFunc(f.causes, func(c cause) bool { return c.stem == stem && c.kind() == kind && c.late == late })
	})
	f, name := &r.ask.Files[stem.at], stem.Called()
	db := -dsp.DB(gain) // of the stem against the mix
	switch kind {
	case "leaked", "guide":
		where := "in a stem and not in the mix"
		if kind == "guide" {
			where = "in the mix and in no stem"
		}
		level := dsp.DB(gain - 1)
		r.mark("null-guide", f, level, from, to, "the guide %s is %s, at %.0f dB, %s", name, where, level, places)
	case "drop":
		r.mark("null-missing", f, 0, from, to, "%s is silent %s while the mix has it", name, places)
	case "missing":
		r.mark("null-missing", f, 0, from, to, "%s is not in the mix %s", name, places)
	case "inverted":
		text := "%s is inverted %s"
		if math.Abs(db) > .05 {
			text += fmt.Sprintf(", and %+.1f dB against the mix", db)
		}
		r.mark("null-inverted", f, db, from, to, text, name, places)
	case "late":
		word := "late"
		if late < 0 {
			word = "early"
		}
		by := late
		if by < 0 {
			by = -by
		}
		text := fmt.Sprintf("%s is %s %s (%.2f ms) %s", name, count(by, "sample"), word, 1000*float64(by)/float64(r.report.RateHz), places)
		if math.Abs(db) > .05 {
			text += fmt.Sprintf(", and %+.1f dB against the mix", db)
		}
		r.mark("null-late", f, float64(late), from, to, "%s", text)
	default:
		code, word := "null-gain", "louder"
		if db < 0 {
			word = "softer"
		}
		text := fmt.Sprintf("%s is %s dB %s than in the mix %s", name, dBText(math.Abs(db)), word, places)
		if math.Abs(db-6.02) < doubledDB {
			code, text = "null-doubled", fmt.Sprintf("%s is doubled: it is %.2f dB louder than in the mix %s", name, db, places)
		} else if math.Abs(db+6.02) < doubledDB {
			code, text = "null-doubled", fmt.Sprintf("%s is doubled in the mix: it is %.2f dB louder there %s", name, -db, places)
		}
		r.mark(code, f, db, from, to, "%s", text)
	}
}

// dBText writes a difference so that its first digits show.
func dBText(db float64) string {
	switch {
	case db >= 1:
		return fmt.Sprintf("%.1f", db)
	case db >= .01:
		return fmt.Sprintf("%.2f", db)
	}
	return fmt.Sprintf("%.4f", db)
}

// fewSeconds is how many seconds at the edge of a fault may look otherwise, and manyMore how many
// times as many must be clear.
const fewSeconds, manyMore = 2, 3

// hardlyAny is the share of what is left over all that needs no explanation of its own.
const hardlyAny = .02

// tellOpen tells what no stem explains: that it is of the wet sound, where only that is as
// strong, or what stem it may be that is silent.
func (n *null) tellOpen(r *run) {
	var open []failure
	for _, f := range n.failed {
		if f.open {
			open = append(open, f)
		}
	}
	if len(open) == 0 {
		return
	}
	from, to := float64(open[0].second), float64(open[len(open)-1].second+1)
	places := n.places(func(f failure) bool { return f.open })
	worst, unexplained, all := 0.0, 0.0, 0.0
	for _, f := range open {
		worst, unexplained = max(worst, f.peak), unexplained+f.energy
	}
	for _, f := range n.failed {
		all += f.energy
	}
	if unexplained < hardlyAny*all || len(open) <= fewSeconds && len(n.failed) >= manyMore*len(open)+len(open) {
		return // what explains the rest is there, and begins or ends in these seconds
	}
	var silent []string
	for _, s := range n.fold.Stems {
		t := slices.IndexFunc(n.stems, func(t *track) bool { return t.Stem == s })
		if t < 0 || maxOf(n.stems[t].meter.peak) < silentPeak && !n.stems[t].Silent {
			silent = append(silent, s)
		}
	}
	if n.wetLike == len(open) {
		m := r.mark("null-wet", nil, dsp.DB(worst), from, to, "the stems of %s differ from the mix in the wet sound alone, by %s %s", n.fold.Name, decibels(dsp.DB(worst)), places)
		m.Name, m.Fold, m.Note = n.fold.Name, n.fold.ID, true
		return
	}
	n.unexplained = true
	m := r.mark("null-missing", nil, dsp.DB(worst), from, to, "the mix has what no stem of %s has, %s at most, %s", n.fold.Name, decibels(dsp.DB(worst)), places)
	m.Name, m.Fold = n.fold.Name, n.fold.ID
	if len(silent) > 0 {
		m.Message += fmt.Sprintf("; that may be %s", list(silent))
	}
}

func maxOf(list []float64) (most float64) {
	for _, x := range list {
		most = max(most, x)
	}
	return most
}

func list(names []string) string {
	if len(names) == 1 {
		return names[0]
	}
	return fmt.Sprintf("%s or %d others", names[0], len(names)-1)
}

// places writes the seconds of failures: "at 0:12", "from 0:10 to 0:25", "throughout".
func (n *null) places(which func(failure) bool) string {
	var runs [][2]int
	total := 0
	for _, f := range n.failed {
		if !which(f) {
			continue
		}
		total++
		if k := len(runs) - 1; k >= 0 && f.second <= runs[k][1]+2 {
			runs[k][1] = f.second + 1
			continue
		}
		runs = append(runs, [2]int{f.second, f.second + 1})
	}
	slices.SortStableFunc(runs, func(a, b [2]int) int { return cmp.Compare(b[1]-b[0], a[1]-a[0]) })
	at := func(s int) string { return fmt.Sprintf("%d:%02d", s/60, s%60) }
	switch {
	case len(runs) == 0:
		return ""
	case len(runs) == 1 && total >= len(n.seconds)-1 && total > 2:
		return "throughout"
	}
	text := fmt.Sprintf("from %s to %s", at(runs[0][0]), at(runs[0][1]))
	if runs[0][1]-runs[0][0] == 1 {
		text = "at " + at(runs[0][0])
	}
	if len(runs) > 1 {
		text += fmt.Sprintf(" and in %s more", count(len(runs)-1, "place"))
	}
	return text
}
