// Package rows reads row lists: CSV as in RFC 4180, UTF-8, with comma,
// semicolon or tab. A file goes in; typed rows come out, with the columns as
// they were matched, and every problem by line and column. A bad row never
// hides the good ones.
package rows

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
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
}

// List is what was read.
type List struct {
	Delimiter rune              `json:"-"`
	Headings  []string          `json:"headings"`
	Mapping   map[string]string `json:"mapping"`   // heading → column; unmatched ones are missing
	Unmatched []string          `json:"unmatched"` // headings nobody reads yet
	Rows      []intake.Row      `json:"-"`
	Problems  []intake.Problem  `json:"problems"`
}

// ErrTooLarge is returned for a list beyond MaxBytes.
var ErrTooLarge = fmt.Errorf("the list is larger than %d MiB; split it", MaxBytes>>20)

// Unreadable is the error of a file that is no row list at all.
type Unreadable struct {
	Line   int
	Reason string
}

func (e *Unreadable) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Read reads a row list. The error is ErrTooLarge, *Unreadable, or one of r.
func Read(r io.Reader, o Options) (*List, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read row list: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, ErrTooLarge
	}
	data, err = plainText(data)
	if err != nil {
		return nil, err
	}
	list := &List{Delimiter: delimiter(data), Mapping: map[string]string{}, Unmatched: []string{}, Problems: []intake.Problem{}}
	reader := csv.NewReader(bytes.NewReader(data))
	reader.Comma, reader.FieldsPerRecord = list.Delimiter, -1
	head, err := reader.Read()
	if err != nil {
		return nil, &Unreadable{Line: 1, Reason: "the headings can not be read: " + quoteReason(err)}
	}
	if err := list.matchHeadings(head, o.Mapping); err != nil {
		return nil, err
	}
	list.readRows(reader, o)
	return list, nil
}

func plainText(data []byte) ([]byte, error) {
	switch {
	case bytes.HasPrefix(data, []byte{0xFF, 0xFE}) || bytes.HasPrefix(data, []byte{0xFE, 0xFF}):
		return nil, &Unreadable{Line: 1, Reason: "the file is UTF-16; save it as UTF-8"}
	case bytes.IndexByte(data, 0) >= 0:
		line := 1 + bytes.Count(data[:bytes.IndexByte(data, 0)], []byte("\n"))
		return nil, &Unreadable{Line: line, Reason: "a zero byte; this is not a text file"}
	}
	data = bytes.TrimPrefix(data, []byte{0xEF, 0xBB, 0xBF})
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, &Unreadable{Line: 1, Reason: "the file is empty"}
	}
	return data, nil
}

// delimiter picks, of comma, semicolon and tab, the one seen most often in
// the first line outside quotes.
func delimiter(data []byte) rune {
	counts := map[rune]int{}
	quoted := false
	for _, c := range string(data) {
		if c == '"' {
			quoted = !quoted
		}
		if c == '\n' && !quoted {
			break
		}
		if !quoted {
			counts[c]++
		}
	}
	best := ','
	for _, c := range []rune{';', '\t'} {
		if counts[c] > counts[best] {
			best = c
		}
	}
	return best
}

func (l *List) matchHeadings(head []string, mapping map[string]string) error {
	taken := map[string]string{}
	matched := 0
	for n, h := range head {
		h = strings.TrimSpace(h)
		if h == "" {
			h = fmt.Sprintf("column %d", n+1)
		}
		if slices.Contains(l.Headings, h) {
			return &Unreadable{Line: 1, Reason: fmt.Sprintf("two columns are headed %q; name each once", h)}
		}
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
	for {
		cells, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return
		}
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			l.problem(parse.StartLine, "", quoteReason(err))
			continue
		}
		if err != nil {
			l.problem(0, "", err.Error())
			return
		}
		line, _ := reader.FieldPos(0)
		if blank(cells) {
			continue
		}
		l.readRow(line, cells, o)
		if len(l.Rows) > template.MaxInstruments {
			l.problem(line, "", fmt.Sprintf("a list holds at most %d rows; the rest is left out", template.MaxInstruments))
			return
		}
	}
}

func blank(cells []string) bool {
	return !slices.ContainsFunc(cells, func(c string) bool { return strings.TrimSpace(c) != "" })
}

func (l *List) readRow(line int, cells []string, o Options) {
	before := len(l.Problems)
	if len(cells) > len(l.Headings) {
		l.problem(line, "", fmt.Sprintf("%d cells under %d headings; is a text with the delimiter in it not quoted?", len(cells), len(l.Headings)))
		return
	}
	row := intake.Row{Line: line}
	for n, cell := range cells {
		column, ok := l.Mapping[l.Headings[n]]
		if !ok {
			continue
		}
		if !utf8.ValidString(cell) {
			l.problem(line, column, "the text is not UTF-8; save the whole file as UTF-8")
			continue
		}
		if err := set(&row, column, strings.TrimSpace(cell), o); err != nil {
			l.problem(line, column, err.Error())
		}
	}
	if len(l.Problems) == before && before < maxProblems {
		l.Rows = append(l.Rows, row)
	}
}

// quoteReason puts the CSV reader's errors into plain words.
func quoteReason(err error) string {
	var parse *csv.ParseError
	if !errors.As(err, &parse) {
		return err.Error()
	}
	switch {
	case errors.Is(parse.Err, csv.ErrBareQuote):
		return fmt.Sprintf("a quote stands inside an unquoted cell at character %d; quote the whole cell and double the quotes within", parse.Column)
	case errors.Is(parse.Err, csv.ErrQuote):
		return fmt.Sprintf("a quoted cell is not closed, or text follows its closing quote, at line %d, character %d", parse.Line, parse.Column)
	}
	return parse.Err.Error()
}
