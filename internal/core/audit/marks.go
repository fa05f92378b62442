package audit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/dsp"
)

// Mark is something about the sound that a person should look at.
type Mark struct {
	Code    string  `json:"code"`
	Note    bool    `json:"note,omitempty"` // it may well be meant so
	File    int     `json:"file"`           // among the files; -1 for none
	Name    string  `json:"name"`           // of the stem, fold or file
	Fold    string  `json:"fold,omitempty"` // by its ID
	From    float64 `json:"from"`           // s from the start
	To      float64 `json:"to"`
	Figure  float64 `json:"figure"` // in the code's unit; 0 when there is none
	Message string  `json:"message"`
	Remedy  string  `json:"remedy"`
}

// Code is a kind of mark.
type Code struct {
	Code   string
	About  string // what it means
	Unit   string // of the figure; empty for none
	Remedy string // what a person can do
}

// Codes is the table of all marks, in the order in which they are told.
var Codes = []Code{
	{"null", "the stems of a fold do not add up to the mix", "dBFS", "Look at the marks beside it. What no stem explains is in the mix alone: record stems and mix again with the same routing."},
	{"null-gain", "a stem is louder or softer than it is in the mix", "dB", "Set the stem's fader back to where it was when the mix was made, and record it again."},
	{"null-doubled", "a stem has twice what the mix has of it", "dB", "It reaches its recording by two paths; remove one and record it again."},
	{"null-missing", "a stem is not in the mix, or the mix has what no stem has", "", "Route it to the mix, or record what is missing."},
	{"null-late", "a stem is late or early against the mix", "samples", "Move it by that many samples, or turn on delay compensation and record it again."},
	{"null-inverted", "a stem has its polarity inverted", "", "Invert it back."},
	{"null-guide", "what is left is a guide", "dB", "Mute the guide, or route it to the speakers alone, and record again."},
	{"null-wet", "what is left lies in the wet sound alone, which never repeats exactly", "dBFS", "A modulated reverb differs each time; record stems and mix in one pass to have it the same."},
	{"missing", "a stem that is delivered has no file", "", "Record it, or match a file to it by hand."},
	{"extra", "a file is not a stem of this template", "", "Match it to a stem by hand, or leave it out of the delivery."},
	{"rate", "a file has another rate", "Hz", "Record it at the rate of the others."},
	{"bits", "a file has other samples", "bits", "Record all files with the same bit depth."},
	{"channels", "a file has other channels", "", "Record it in the channels that are delivered."},
	{"length", "a file has another length", "s", "Record all from the same start to the same end."},
	{"start", "a file begins at another time", "s", "Stamp it with the cue's start, or record it from there."},
	{"no-start", "a file has no time stamp", "", "Save it as a broadcast WAV file, which is stamped with its start."},
	{"cut-off", "a file is shorter than its header says", "bytes", "It was cut off while it was written or copied; copy or record it again."},
	{"silent", "a file is silent from end to end", "", "Look whether its rows were loaded and its stem was routed."},
	{"dropout", "the sound drops out", "s", "Record that place again; the sampler or the disk may have fallen behind."},
	{"clipping", "three or more samples in a row are at full scale", "samples", "Lower the level and record it again."},
	{"true-peak", "the true peak is above the limit", "dBTP", "Lower the level by as much."},
	{"loudness", "the mix is not as loud as asked for", "LUFS", "Raise or lower everything by the difference."},
	{"dc", "the sound has a DC offset", "dBFS", "High-pass it at 10 Hz, and look for the plug-in that causes it."},
	{"dead-side", "one channel is silent", "", "Look for a hard pan, a mono bus or a missing cable."},
	{"both-same", "both channels are identical", "", "If it is meant to be mono, deliver one channel."},
	{"start-click", "the sound begins abruptly", "dBFS", "Start recording a moment earlier."},
	{"cut-tail", "the sound is cut off before it has died away", "dBFS", "Record longer."},
	{"guide-leak", "the guide is heard in a stem", "dB", "Mute the guide, or route it past the stem, and record it again."},
	{"same-sound", "the same sound is in two stems", "dB", "Find the row that reaches both: what is in two stems cannot be balanced in either."},
	{"wet-in-dry", "wet sound is in a dry stem", "dB", "Route the return past the dry stem and record it again."},
}

func codeOf(code string) *Code {
	for n := range Codes {
		if Codes[n].Code == code {
			return &Codes[n]
		}
	}
	panic("there is no mark " + code) // every mark is made with a code of the table
}

// mark adds a mark about a file, or about nothing where file is nil.
func (r *run) mark(code string, f *File, figure, from, to float64, message string, args ...any) *Mark {
	m := Mark{Code: code, File: -1, Figure: figure, From: from, To: to, Message: fmt.Sprintf(message, args...), Remedy: codeOf(code).Remedy}
	if f != nil {
		m.Name = f.Called()
		m.File = slices.IndexFunc(r.ask.Files, func(o File) bool { return o.Name == f.Name && o.Role == f.Role })
	}
	r.marks = append(r.marks, m)
	return &r.marks[len(r.marks)-1]
}

// finish turns what was measured into figures and marks.
func (r *run) finish() {
	for _, t := range r.tracks {
		r.report.Files = append(r.report.Files, t.meter.figures(r, t))
		r.report.Frames = max(r.report.Frames, t.read)
	}
	for _, n := range r.nulls {
		r.report.Folds = append(r.report.Folds, n.finish(r))
	}
	r.rightlySilent()
	r.loudness()
	order := map[string]int{}
	for n, c := range Codes {
		order[c.Code] = n
	}
	slices.SortStableFunc(r.marks, func(a, b Mark) int {
		return cmp.Or(cmp.Compare(btoi(a.Note), btoi(b.Note)), cmp.Compare(order[a.Code], order[b.Code]), cmp.Compare(a.From, b.From))
	})
	r.report.Marks = r.marks
	if r.report.Marks == nil {
		r.report.Marks = []Mark{}
	}
	r.report.Matched = true
	for _, f := range r.report.Folds {
		r.report.Matched = r.report.Matched && (f.Why != "" || f.AddsUp)
	}
	r.report.Line = r.line()
}

// rightlySilent turns marks of silent stems into notes where what they are part of adds up, or
// would but for what is told of others: then nobody plays in them. So are stems without a file
// where all the rest add up.
func (r *run) rightlySilent() {
	for n := range r.marks {
		m := &r.marks[n]
		if m.Code == "missing" {
			for _, n := range r.nulls {
				m.Note = m.Note || n.fold.ID == m.Fold && n.why == "" && len(n.failed) == 0
			}
			continue
		}
		if m.Code != "silent" || m.File < 0 || r.ask.Files[m.File].Role != Stem {
			continue
		}
		adds, tested := true, false
		for _, n := range r.nulls {
			if slices.Contains(r.ask.Files[m.File].Folds, n.fold.ID) && n.why == "" {
				tested, adds = true, adds && !n.unexplained
			}
		}
		m.Note = tested && adds
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// line tells the whole in one line: what is wrong first, or that the stems add up.
func (r *run) line() string {
	tested, stems, worst := 0, 0, dsp.Silence
	why := ""
	for _, f := range r.report.Folds {
		switch {
		case f.Why != "":
			why = f.Why
		default:
			tested++
			stems += f.Stems
			worst = max(worst, f.PeakDB)
		}
	}
	faults := slices.DeleteFunc(slices.Clone(r.marks), func(m Mark) bool { return m.Note })
	named := slices.ContainsFunc(faults, func(m Mark) bool { return strings.HasPrefix(m.Code, "null-") })
	for _, m := range faults {
		if m.Code == "null" && named {
			continue // what explains it says more
		}
		text := m.Message
		if more := len(faults) - 1 - btoi(named); more > 0 {
			text = fmt.Sprintf("%s; %d more", text, more)
		}
		return text
	}
	switch {
	case tested == 0 && why != "":
		return fmt.Sprintf("%s: %s", count(len(r.tracks), "file"), why)
	case tested == 0:
		return count(len(r.tracks), "file") + ": nothing wrong was found"
	}
	return fmt.Sprintf("%s add up to the mix, residual %s", count(stems, "stem"), decibels(worst))
}

// decibels writes a level against full scale.
func decibels(db float64) string {
	if db <= dsp.Silence {
		return "none at all"
	}
	return fmt.Sprintf("%.0f dBFS", db)
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
