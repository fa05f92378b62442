// Package spotting reads and writes lists of cues, of hits and of changes: CSV as in RFC 4180, UTF-8, with
// comma, semicolon or tab. A file goes in; cues, hits or changes come out, with how its columns were
// matched and every problem by its line; and back.
package spotting

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/celltext"
)

// The bounds of a list.
const (
	MaxBytes    = 8 << 20
	MaxLines    = 5_000
	maxProblems = 200
)

// Kind is a kind of list.
type Kind int

// The kinds of list.
const (
	OfCues Kind = 1 << iota
	OfHits
	OfChanges
)

// Columns are those that are read, in which kinds of list, and what lists call them.
var Columns = []struct {
	Name  string
	In    Kind
	Words []string
}{
	{"number", OfCues, []string{"no", "nr", "#", "cue", "cue no", "cue number", "cue id", "m no", "m number"}},
	{"title", OfCues | OfHits | OfChanges, []string{"name", "cue title", "cue name"}},
	{"reel", OfCues, []string{"reel no", "reel number", "part"}},
	{"start", OfCues, []string{"in", "tc in", "start tc", "timecode in", "start time", "start timecode", "tc start", "time in"}},
	{"end", OfCues, []string{"out", "tc out", "end tc", "timecode out", "end time", "end timecode", "tc end", "time out"}},
	{"length", OfCues, []string{"duration", "dur", "len", "timing"}},
	{"status", OfCues, []string{"state"}},
	{"who", OfCues, []string{"writer", "composer", "assigned", "assigned to", "person"}},
	{"notes", OfCues, []string{"note", "comment", "comments", "description", "remarks"}},
	{"tempo", OfCues, []string{"bpm"}},
	{"at", OfHits | OfChanges, []string{"time", "timecode", "tc", "frame", "hit", "start"}},
	{"weight", OfHits, []string{"importance"}},
	{"tolerance", OfHits, []string{"frames"}},
	{"gone", OfChanges, []string{"removed", "remove", "taken out", "deleted", "lost"}},
	{"added", OfChanges, []string{"add", "inserted", "insert", "new"}},
	{"change", OfChanges, []string{"difference", "diff", "by"}},
}

// Match is the column of a kind of list that a heading means; empty for none.
func Match(heading string, in Kind) string {
	h := strings.Join(strings.FieldsFunc(strings.ToLower(heading), func(r rune) bool { return strings.ContainsRune(" _-./", r) }), " ")
	for _, c := range Columns {
		if c.In&in != 0 && (h == c.Name || slices.Contains(c.Words, h)) {
			return c.Name
		}
	}
	return ""
}

// List is how a list was read.
type List struct {
	Headings  []string          `json:"headings"`
	Mapping   map[string]string `json:"mapping"`   // heading to column
	Unmatched []string          `json:"unmatched"` // headings that nobody reads
	Problems  []cue.Problem     `json:"problems"`
}

type line struct {
	number int
	cells  map[string]string
}

// read reads the lines of a list. mapping assigns headings to columns, "" to leave one out; a
// heading that is not in it is matched by its words.
func read(r io.Reader, in Kind, mapping map[string]string) (List, []line, error) {
	out := List{Mapping: map[string]string{}, Headings: []string{}, Unmatched: []string{}, Problems: []cue.Problem{}}
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return out, nil, fmt.Errorf("read list: %w", err)
	}
	if len(data) > MaxBytes {
		return out, nil, &celltext.Unreadable{Line: 1, Reason: fmt.Sprintf("the list is larger than %d MiB", MaxBytes>>20)}
	}
	data, delimiter, err := celltext.Open(data)
	if err != nil {
		return out, nil, err
	}
	cells := csv.NewReader(bytes.NewReader(data))
	cells.Comma, cells.FieldsPerRecord = delimiter, -1
	head, err := cells.Read()
	if err != nil {
		return out, nil, &celltext.Unreadable{Line: 1, Reason: "the headings cannot be read: " + celltext.Reason(err)}
	}
	columns := make([]string, len(head))
	for n, h := range head {
		h = strings.TrimSpace(strings.ToValidUTF8(h, "\uFFFD"))
		out.Headings = append(out.Headings, h)
		to, said := mapping[h]
		if !said {
			to = Match(h, in)
		}
		switch {
		case to == "":
			out.Unmatched = append(out.Unmatched, h)
		case slices.Contains(columns[:n], to):
			return out, nil, &celltext.Unreadable{Line: 1, Reason: fmt.Sprintf("two columns are read as %s; leave one of them out", to)}
		default:
			columns[n], out.Mapping[h] = to, to
		}
	}
	var lines []line
	for len(out.Problems) < maxProblems {
		row, err := cells.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			out.Problems = append(out.Problems, cue.Problem{Line: parse.StartLine, Reason: celltext.Reason(err)})
			continue
		}
		at, _ := cells.FieldPos(0)
		x := line{at, map[string]string{}}
		for n, cell := range row {
			if n < len(columns) && columns[n] != "" {
				if cell = strings.TrimSpace(strings.ToValidUTF8(cell, "\uFFFD")); cell != "" {
					x.cells[columns[n]] = cell
				}
			}
		}
		if len(x.cells) == 0 {
			continue
		}
		if lines = append(lines, x); len(lines) > MaxLines {
			return out, nil, &celltext.Unreadable{Line: at, Reason: fmt.Sprintf("more than %d lines; split the list", MaxLines)}
		}
	}
	return out, lines, nil
}

// Cues reads a list of cues at a frame rate. Times are timecodes, or whole frames. The error is
// a *celltext.Unreadable, or one of r.
func Cues(r io.Reader, rate timecode.Rate, mapping map[string]string) (List, []cue.Spotted, error) {
	list, lines, err := read(r, OfCues, mapping)
	if err != nil {
		return list, nil, err
	}
	has := slices.Collect(maps.Values(list.Mapping))
	if !slices.Contains(has, "start") || !slices.Contains(has, "end") && !slices.Contains(has, "length") {
		return list, nil, &celltext.Unreadable{Line: 1, Reason: "no column says where cues begin, or none where they end or how long they are; name them start, end and length, or say which columns they are"}
	}
	var out []cue.Spotted
	for _, l := range lines {
		s, err := spotted(l, rate)
		if err != nil {
			list.Problems = append(list.Problems, cue.Problem{Line: l.number, Reason: err.Error()})
			continue
		}
		out = append(out, s)
	}
	if len(out) == 0 && len(list.Problems) == 0 {
		list.Problems = append(list.Problems, cue.Problem{Line: 2, Reason: "there are headings and no lines below them"})
	}
	return list, out, nil
}

func spotted(l line, rate timecode.Rate) (s cue.Spotted, err error) {
	s = cue.Spotted{Line: l.number, Number: l.cells["number"], Title: l.cells["title"], Reel: l.cells["reel"], Status: l.cells["status"], Who: l.cells["who"], Notes: l.cells["notes"]}
	if s.Start, err = frame(l.cells["start"], rate); err != nil {
		return s, fmt.Errorf("its start: %w", err)
	}
	switch {
	case l.cells["end"] != "":
		if s.End, err = frame(l.cells["end"], rate); err != nil {
			return s, fmt.Errorf("its end: %w", err)
		}
	case l.cells["length"] != "":
		long, err := Length(l.cells["length"], rate)
		if err != nil {
			return s, fmt.Errorf("its length: %w", err)
		}
		s.End = s.Start + long
	default:
		return s, errors.New("it says neither where it ends nor how long it is")
	}
	if text := l.cells["tempo"]; text != "" {
		if s.BPM, err = figure(text); err != nil || s.BPM < 5 || s.BPM > 999 {
			return s, fmt.Errorf("its tempo: %q is not one; use 5 to 999", text)
		}
	}
	return s, nil
}

func figure(text string) (float64, error) {
	return strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64)
}

// frame reads a timecode, or a whole number of frames.
func frame(text string, rate timecode.Rate) (int64, error) {
	if text == "" {
		return 0, errors.New("it is not said")
	}
	if n, err := strconv.ParseInt(text, 10, 64); err == nil {
		if n < 0 || n > rate.Day() {
			return 0, fmt.Errorf("frame %d lies outside of a day of timecode", n)
		}
		return n, nil
	}
	return rate.Parse(text)
}

// Length reads how long something is: as a timecode, as minutes and seconds (1:30, 1:30.5), as
// seconds (90 s), or as whole frames.
func Length(text string, rate timecode.Rate) (int64, error) {
	if strings.Count(text, ":")+strings.Count(text, ";") == 3 {
		plain := rate
		plain.Drop = false // a length has no numbers left out
		return plain.Parse(text)
	}
	fps := float64(rate.Num) / float64(rate.Den)
	if s, ok := strings.CutSuffix(strings.TrimSpace(text), "s"); ok {
		seconds, err := figure(strings.TrimSpace(s))
		if err == nil && seconds >= 0 && seconds < 86_400 {
			return int64(seconds*fps + .5), nil
		}
	}
	if m, s, ok := strings.Cut(text, ":"); ok && strings.Count(text, ":") == 1 {
		minutes, err := strconv.Atoi(strings.TrimSpace(m))
		seconds, other := figure(strings.TrimSpace(s))
		if err == nil && other == nil && minutes >= 0 && minutes < 1440 && seconds >= 0 && seconds < 60 {
			return int64((float64(minutes)*60+seconds)*fps + .5), nil
		}
	}
	if strings.Count(text, ":") == 2 {
		if m, s, _ := strings.Cut(text, ":"); m != "" {
			hours, err := strconv.Atoi(strings.TrimSpace(m))
			rest, other := Length(s, rate)
			if err == nil && other == nil && hours >= 0 && hours < 24 && strings.Contains(s, ":") {
				return int64(float64(hours)*3600*fps+.5) + rest, nil
			}
		}
	}
	if n, err := strconv.ParseInt(text, 10, 64); err == nil && n >= 0 && n <= rate.Day() {
		return n, nil
	}
	return 0, fmt.Errorf("%q is not a length; it is written as 00:01:30:00, 1:30, 90 s or in frames", text)
}

// Hits reads a list of hits at a frame rate.
func Hits(r io.Reader, rate timecode.Rate, mapping map[string]string) (List, []cue.Hit, error) {
	list, lines, err := read(r, OfHits, mapping)
	if err != nil {
		return list, nil, err
	}
	if !slices.Contains(slices.Collect(maps.Values(list.Mapping)), "at") {
		return list, nil, &celltext.Unreadable{Line: 1, Reason: "no column says where the hits are; name it time"}
	}
	var out []cue.Hit
	for _, l := range lines {
		h := cue.Hit{Name: l.cells["title"], Weight: 1, Tolerance: cue.UsualTolerance}
		if h.Frame, err = frame(l.cells["at"], rate); err == nil && l.cells["weight"] != "" {
			h.Weight, err = figure(l.cells["weight"])
		}
		if err == nil && l.cells["tolerance"] != "" {
			h.Tolerance, err = figure(l.cells["tolerance"])
		}
		if err == nil && (!(h.Weight >= 0 && h.Weight <= 100) || !(h.Tolerance >= 0 && h.Tolerance <= 48)) {
			err = errors.New("a weight is 0 to 100, a tolerance 0 to 48 frames")
		}
		if err != nil {
			list.Problems = append(list.Problems, cue.Problem{Line: l.number, Reason: err.Error()})
			continue
		}
		out = append(out, h)
	}
	return list, out, nil
}

// Changes reads a list of changes of a cut at a frame rate: where each is in the film as it was;
// how much goes there, how much is added. A change in one column is added, or goes with a minus.
// If any line is wrong, all that are wrong are reported and nothing is taken.
func Changes(r io.Reader, rate timecode.Rate) ([]cut.Edit, error) {
	list, lines, err := read(r, OfChanges, nil)
	if err != nil {
		return nil, err
	}
	if !Changing(list.Headings) {
		return nil, &celltext.Unreadable{Line: 1, Reason: "a list of changes has a column that says where each is (at), and one that says how much goes (gone), is added (added), or both with its sign (change)"}
	}
	var out []cut.Edit
	var bad cut.BadEdits
	for _, p := range list.Problems {
		bad = append(bad, cut.BadEdit{Line: p.Line, Reason: p.Reason})
	}
	for _, l := range lines {
		e, err := change(l, rate)
		if err != nil {
			bad = append(bad, cut.BadEdit{Line: l.number, Reason: err.Error()})
			continue
		}
		out = append(out, e)
	}
	switch {
	case len(bad) > 0:
		return nil, bad
	case len(out) == 0:
		return nil, &celltext.Unreadable{Line: 2, Reason: "there are headings and no lines below them"}
	}
	return out, nil
}

// Changing tells whether headings are those of a list of changes.
func Changing(headings []string) bool {
	has := map[string]bool{}
	for _, h := range headings {
		has[Match(h, OfChanges)] = true
	}
	return has["at"] && (has["gone"] || has["added"] || has["change"])
}

// IsChanges tells whether a file begins as a list of changes does.
func IsChanges(data []byte) bool {
	list, _, err := read(bytes.NewReader(data), OfChanges, nil)
	return err == nil && Changing(list.Headings)
}

func change(l line, rate timecode.Rate) (cut.Edit, error) {
	out := cut.Edit{Line: l.number, Name: l.cells["title"]}
	var err error
	if out.At, err = frame(l.cells["at"], rate); err != nil {
		return out, fmt.Errorf("where it is: %w", err)
	}
	for _, x := range []struct {
		column string
		to     *int64
	}{{"gone", &out.Gone}, {"added", &out.Added}} {
		if text := l.cells[x.column]; text != "" {
			if *x.to, err = Length(text, rate); err != nil {
				return out, fmt.Errorf("what is %s: %w", x.column, err)
			}
		}
	}
	if text := l.cells["change"]; text != "" {
		to := &out.Added
		for _, minus := range []string{"-", "\u2212"} {
			if rest, is := strings.CutPrefix(text, minus); is {
				text, to = rest, &out.Gone
			}
		}
		n, err := Length(strings.TrimPrefix(text, "+"), rate)
		if err != nil {
			return out, fmt.Errorf("its change: %w", err)
		}
		*to += n
	}
	if out.Gone == 0 && out.Added == 0 {
		return out, errors.New("it says neither what goes nor what is added")
	}
	return out, nil
}

// WriteCues writes the cues of a reel, or of the whole production where reel is empty, in their order. Cells that a spreadsheet would take
// for a formula are written with an apostrophe before them.
func WriteCues(w io.Writer, p *cue.Production, reel cue.ID) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	rate := p.FrameRate()
	lines := [][]string{{"number", "title", "reel", "start", "end", "length", "status", "who", "notes", "tempo"}}
	plain := rate
	plain.Drop = false
	for _, c := range p.InOrder() {
		if reel != "" && c.Reel != reel {
			continue
		}
		bpm := strconv.FormatFloat(c.MustTime().Curve.BPM(0), 'f', -1, 64)
		lines = append(lines, []string{c.Number, c.Title, p.Reel(c.Reel).Name, rate.Format(c.Start), rate.Format(c.End), plain.Format(c.End - c.Start), c.Status, c.Who, c.Notes, bpm})
	}
	for _, cells := range lines {
		for n, cell := range cells {
			if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
				cells[n] = "'" + cell
			}
		}
	}
	if err := out.WriteAll(lines); err != nil {
		return fmt.Errorf("write list of cues: %w", err)
	}
	return nil
}
