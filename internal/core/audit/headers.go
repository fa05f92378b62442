package audit

import (
	"fmt"
	"math"
	"slices"
)

// most is the value that most files have; the first of those that as many have.
func most[T comparable](files []File, of func(*File) (T, bool)) (best T) {
	counts := map[T]int{}
	for n := range files {
		if v, ok := of(&files[n]); ok {
			counts[v]++
		}
	}
	for n := range files {
		if v, ok := of(&files[n]); ok && counts[v] > counts[best] {
			best = v
		}
	}
	return best
}

// headers holds what files say against each other and against what is asked for.
func (r *run) headers() {
	a, files := r.ask, r.ask.Files
	delivered := slices.DeleteFunc(slices.Clone(files), func(f File) bool { return f.Role == Guide || f.Role == Other })
	if len(delivered) == 0 {
		delivered = files
	}
	rate, begin, frames := a.RateHz, a.Begin, a.Frames
	if rate == 0 {
		rate = most(delivered, func(f *File) (int, bool) { return f.RateHz, true })
	}
	if begin == NotSaid {
		begin = most(delivered, func(f *File) (int64, bool) { return f.Begin + 1, f.Begin != NotSaid }) - 1 // 0 is nobody's
	}
	if frames == 0 {
		frames = most(delivered, func(f *File) (int64, bool) { return f.Frames, f.RateHz == rate })
	}
	bits := most(delivered, func(f *File) (string, bool) { return f.Samples(), true })
	r.report.RateHz, r.report.Begin = rate, begin
	if !slices.ContainsFunc(files, func(f File) bool { return f.RateHz == rate }) {
		r.report.RateHz = files[0].RateHz // nothing is at the rate that is asked for; what is there is added up still
	}
	for n := range files {
		r.header(&files[n], rate, begin, frames, bits)
	}
	for _, f := range a.Folds {
		r.missing(f)
	}
	r.cue(rate, begin)
}

// cue holds the start of the files against the cue's. Files that begin earlier have a count-in,
// which is probably intended.
func (r *run) cue(rate int, begin int64) {
	if r.ask.CueAt == 0 {
		return
	}
	if begin == NotSaid {
		r.mark("no-start", nil, 0, 0, 0, "no file has a time stamp, so nobody sees that they begin with the cue").Note = true
		return
	}
	late := float64(begin)/float64(rate) - r.ask.CueAt
	switch {
	case math.Abs(late) < 1/float64(rate):
	case late < 0:
		r.mark("start", nil, late, 0, -late, "the files are stamped %s earlier than the cue begins", span(-late, rate)).Note = true
	default:
		r.mark("start", nil, late, 0, late, "the files are stamped %s later than the cue begins", span(late, rate))
	}
}

// missing tells the stems of a fold that have no file, where others of it have.
func (r *run) missing(f Fold) {
	var names []string
	for _, s := range f.Stems {
		if !slices.ContainsFunc(r.ask.Files, func(x File) bool { return x.Role == Stem && x.Stem == s && slices.Contains(x.Folds, f.ID) }) {
			names = append(names, s)
		}
	}
	if len(names) == 0 || len(names) == len(f.Stems) {
		return
	}
	has := "have"
	name := f.Name
	if len(names) == 1 {
		has, name = "has", names[0]
	}
	m := r.mark("missing", nil, 0, 0, 0, "%s %s no file", and(names), has)
	m.Name, m.Fold = name, f.ID
}

// Samples tells how samples are kept: "24 bits" or "32 bits, floating point".
func (f *File) Samples() string {
	if f.Floating {
		return fmt.Sprintf("%d bits, floating point", f.Bits)
	}
	return fmt.Sprintf("%d bits", f.Bits)
}

func (r *run) header(f *File, rate int, begin, frames int64, bits string) {
	if f.Lost > 0 {
		lost := float64(f.Lost) / float64(max(1, f.Channels*((f.Bits+7)/8)*f.RateHz))
		end := float64(f.Frames) / float64(f.RateHz)
		r.mark("cut-off", f, float64(f.Lost), end, end, "%s is cut off: %.1f s are missing at its end", f.Name, lost)
	}
	switch f.Role {
	case Other:
		r.mark("extra", f, 0, 0, 0, "%s is not a stem of this template", f.Name).Note = true
		return
	case Guide:
		return
	}
	if f.RateHz != rate {
		r.mark("rate", f, float64(f.RateHz), 0, 0, "%s is at %d Hz, not at %d", f.Name, f.RateHz, rate)
		return // its length and start count other samples
	}
	if s := f.Samples(); s != bits {
		r.mark("bits", f, float64(f.Bits), 0, 0, "%s has samples of %s, not of %s", f.Name, s, bits)
	}
	if f.Channels != 2 && (!f.Mono || f.Channels != 1) {
		r.mark("channels", f, 0, 0, 0, "%s has %s", f.Name, count(f.Channels, "channel"))
	}
	if f.Frames != frames {
		by := float64(f.Frames-frames) / float64(rate)
		end := float64(f.Frames) / float64(rate)
		word := "longer"
		if by < 0 {
			word = "shorter"
		}
		r.mark("length", f, by, min(end, end-by), max(end, end-by), "%s is %s %s than the others", f.Name, span(math.Abs(by), rate), word)
	}
	switch late := f.Begin - begin; {
	case begin == NotSaid:
	case f.Begin == NotSaid:
		r.mark("no-start", f, 0, 0, 0, "%s has no time stamp", f.Name)
	case late != 0:
		word := "later"
		if late < 0 {
			word = "earlier"
		}
		seconds := float64(late) / float64(rate)
		r.mark("start", f, seconds, 0, math.Abs(seconds), "%s is stamped %s %s than the others", f.Name, span(math.Abs(seconds), rate), word)
	}
}

// span writes a time: in samples where it is short.
func span(seconds float64, rate int) string {
	if seconds < .01 {
		return count(int(math.Round(seconds*float64(rate))), "sample")
	}
	return fmt.Sprintf("%.2f s", seconds)
}
