// Package rows reads row lists: CSV as in RFC 4180, UTF-8, with comma,
// semicolon or tab. A file goes in; typed rows come out, with the columns as
// they were matched, and every problem by line and column. A bad row never
// hides the good ones.
package rows

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/format/celltext"
)

// MaxBytes bounds a list; one more byte and it is refused.
const MaxBytes = 32 << 20

// maxProblems bounds the report of a hopeless file.
const maxProblems = 1000

// Options say how to read a list.
type Options struct {
	// Mapping assigns headings to canonical columns, "" to leave one out. A
	// heading not in it is matched by name.
	Mapping map[string]string
	// MiddleC is the octave number that the list writes for note 60: 4 as in
	// scientific pitch, or 3. Defaults to 4.
	MiddleC int
	// Decimal is the mark that sizes are written with; Unsaid finds out.
	Decimal intake.Decimal

	unit string // of the column that is read
}

// List is what was read.
type List struct {
	Delimiter rune              `json:"-"`
	Headings  []string          `json:"headings"`
	Mapping   map[string]string `json:"mapping"`   // heading → column; unmatched ones are missing
	Unmatched []string          `json:"unmatched"` // headings nobody reads yet
	Rows      []intake.Row      `json:"-"`
	Problems  []intake.Problem  `json:"problems"`
	// Unsure is a size that may be read in two ways, such as 1,024, where nothing in the
	// list tells which; nil where it is known. Somebody has to say Options.Decimal:
	// Rows are none until then.
	Unsure *intake.Doubt `json:"-"`

	reads []int // the positions of the columns that are read
}

// ErrTooLarge is returned for a list larger than MaxBytes.
var ErrTooLarge = fmt.Errorf("the list is larger than %d MiB; split it", MaxBytes>>20)

// Unreadable is the error of a file that is not a row list at all.
type Unreadable = celltext.Unreadable

// Read reads a row list. The error is ErrTooLarge, *Unreadable, or one of r.
func Read(r io.Reader, o Options) (*List, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read row list: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, ErrTooLarge
	}
	data, delimiter, err := celltext.Open(data)
	if err != nil {
		return nil, err
	}
	list := &List{Delimiter: delimiter, Mapping: map[string]string{}, Unmatched: []string{}, Problems: []intake.Problem{}}
	reader := csv.NewReader(bytes.NewReader(data))
	reader.Comma, reader.FieldsPerRecord, reader.ReuseRecord = list.Delimiter, -1, true
	head, err := reader.Read()
	if err != nil {
		return nil, &Unreadable{Line: 1, Reason: "the headings cannot be read: " + celltext.Reason(err)}
	}
	if err := list.matchHeadings(head, o.Mapping); err != nil {
		return nil, err
	}
	list.readRows(reader, o)
	slices.SortStableFunc(list.Problems, func(a, b intake.Problem) int { return cmp.Compare(a.Line, b.Line) })
	return list, nil
}

func (l *List) matchHeadings(head []string, mapping map[string]string) error {
	taken, headed := map[string]string{}, map[string]bool{}
	matched := 0
	for n, h := range head {
		h = strings.TrimSpace(h)
		if h == "" {
			h = fmt.Sprintf("column %d", n+1)
		}
		if headed[h] {
			return &Unreadable{Line: 1, Reason: fmt.Sprintf("two columns are headed %q; name each once", h)}
		}
		headed[h] = true
		l.Headings = append(l.Headings, h)
		column, given := mapping[h]
		if !given {
			column = Match(h)
		}
		if column == "" {
			l.Unmatched = append(l.Unmatched, h)
			continue
		}
		if !slices.Contains(intake.Columns, column) {
			return &Unreadable{Line: 1, Reason: fmt.Sprintf("%q is not a column of row lists; columns are %s", column, strings.Join(intake.Columns, ", "))}
		}
		if other, ok := taken[column]; ok {
			return &Unreadable{Line: 1, Reason: fmt.Sprintf("both %q and %q are read as %s; leave one out", other, h, column)}
		}
		taken[column] = h
		l.Mapping[h] = column
		l.reads = append(l.reads, n)
		matched++
	}
	if matched == 0 && len(mapping) == 0 {
		return &Unreadable{Line: 1, Reason: fmt.Sprintf("no heading is known (%s); the first line must name the columns, at least section and instrument", strings.Join(l.Headings[:min(4, len(l.Headings))], ", "))}
	}
	for _, needed := range []string{"section", "instrument"} {
		if _, ok := taken[needed]; !ok {
			l.problem(1, needed, "no column is read as "+needed+"; choose the one that holds it")
		}
	}
	return nil
}

func (l *List) problem(line int, column, reason string) {
	if len(l.Problems) < maxProblems {
		l.Problems = append(l.Problems, intake.Problem{Line: line, Column: column, Reason: reason})
	}
}

func (l *List) readRows(reader *csv.Reader, o Options) {
	if len(l.Problems) > 0 {
		return // a needed column is missing: every row would be bad
	}
	lines := l.readLines(reader)
	if len(lines) == 0 && len(l.Problems) == 0 {
		l.problem(2, "", "there are headings and no rows below them")
	}
	if o.Decimal == intake.Unsaid {
		mark, unsure := intake.Amounts(l.sizesIn(lines))
		if l.Unsure = intake.NewDoubt(unsure); l.Unsure != nil {
			return
		}
		o.Decimal = mark
	}
	for _, x := range lines {
		l.readRow(x, o)
		if len(l.Rows) > template.MaxInstruments {
			l.problem(x.number, "", fmt.Sprintf("a list holds at most %d rows; the rest is left out", template.MaxInstruments))
			return
		}
	}
}

// textLine is a line with the cells of the columns that are read, in their order.
type textLine struct {
	number int
	of     int // cells it has in all
	cells  []string
}

// sizesIn are the cells of the columns of sizes.
func (l *List) sizesIn(lines []textLine) []string {
	var out []string
	for n, at := range l.reads {
		if !slices.Contains(sizes, l.Mapping[l.Headings[at]]) {
			continue
		}
		for _, x := range lines {
			if n < len(x.cells) {
				out = append(out, x.cells[n])
			}
		}
	}
	return out
}

func (l *List) readLines(reader *csv.Reader) (out []textLine) {
	for len(out) <= template.MaxInstruments {
		cells, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return out
		}
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			l.problem(parse.StartLine, "", celltext.Reason(err))
			continue
		}
		if err != nil {
			l.problem(0, "", err.Error())
			return out
		}
		line, _ := reader.FieldPos(0)
		if !blank(cells) {
			out = append(out, textLine{line, len(cells), l.read(cells)})
		}
	}
	return out
}

// read keeps of a line's cells those that are read.
func (l *List) read(cells []string) []string {
	kept := make([]string, 0, len(l.reads))
	for _, at := range l.reads {
		if at >= len(cells) {
			break
		}
		kept = append(kept, strings.Clone(cells[at])) // not the whole line with it
	}
	return kept
}

func blank(cells []string) bool {
	return !slices.ContainsFunc(cells, func(c string) bool { return strings.TrimSpace(c) != "" })
}

func (l *List) readRow(x textLine, o Options) {
	before := len(l.Problems)
	if x.of > len(l.Headings) {
		l.problem(x.number, "", fmt.Sprintf("%d cells under %d headings; is a text with the delimiter in it not quoted?", x.of, len(l.Headings)))
		return
	}
	row := intake.Row{Line: x.number}
	for n, cell := range x.cells {
		heading := l.Headings[l.reads[n]]
		column := l.Mapping[heading]
		if !utf8.ValidString(cell) {
			l.problem(x.number, column, "the text is not UTF-8; save the whole file as UTF-8")
			continue
		}
		_, o.unit = intake.Unit(heading)
		if err := set(&row, column, strings.TrimSpace(cell), o); err != nil {
			l.problem(x.number, column, err.Error())
		}
	}
	if len(l.Problems) == before && before < maxProblems {
		l.Rows = append(l.Rows, row)
	}
}
