// Package patchlist reads and writes the patches of a catalogue as a list:
// CSV as in RFC 4180, UTF-8, with comma, semicolon or tab. A file goes in,
// headings and lines come out; what they mean, package catalogue knows.
package patchlist

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/format/celltext"
)

// The bounds of a list.
const (
	MaxBytes    = 64 << 20
	MaxLines    = 200_000
	maxProblems = 1000
)

// List is what was read.
type List struct {
	Headings []string // of the columns that are read
	Lines    []catalogue.Line
	Problems []intake.Problem

	reads []int // their positions in the file
}

// Read reads a list. The error is a *celltext.Unreadable, or one of r.
func Read(r io.Reader) (*List, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read patch list: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, &celltext.Unreadable{Line: 1, Reason: fmt.Sprintf("the list is larger than %d MiB; split it", MaxBytes>>20)}
	}
	data, delimiter, err := celltext.Open(data)
	if err != nil {
		return nil, err
	}
	in := csv.NewReader(bytes.NewReader(data))
	in.Comma, in.FieldsPerRecord, in.ReuseRecord = delimiter, -1, true
	list := &List{Problems: []intake.Problem{}}
	head, err := in.Read()
	if err != nil {
		return nil, &celltext.Unreadable{Line: 1, Reason: "the headings cannot be read: " + celltext.Reason(err)}
	}
	for n, h := range head {
		if catalogue.IsColumn(h) {
			list.reads = append(list.reads, n)
			list.Headings = append(list.Headings, h)
		}
	}
	for len(list.Lines) < MaxLines && len(list.Problems) < maxProblems {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			list.Problems = append(list.Problems, intake.Problem{Line: parse.StartLine, Reason: celltext.Reason(err)})
			continue
		}
		line, _ := in.FieldPos(0)
		list.take(line, cells)
	}
	if len(list.Lines) == 0 && len(list.Problems) == 0 {
		list.Problems = append(list.Problems, intake.Problem{Line: 2, Reason: "there are headings and no lines below them"})
	}
	return list, nil
}

func (l *List) take(line int, cells []string) {
	kept, blank := make([]string, 0, len(l.reads)), true
	for n, at := range l.reads {
		if at >= len(cells) {
			break
		}
		cell := strings.Clone(cells[at]) // not the whole line with it
		if !utf8.ValidString(cell) {
			l.Problems = append(l.Problems, intake.Problem{Line: line, Column: l.Headings[n], Reason: "the text is not UTF-8; save the whole file as UTF-8"})
			return
		}
		kept = append(kept, cell)
		blank = blank && strings.TrimSpace(cell) == ""
	}
	if !blank {
		l.Lines = append(l.Lines, catalogue.Line{Number: line, Cells: kept})
	}
}

// Write writes the patches of a catalogue.
func Write(w io.Writer, cat *template.Template) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	if err := out.Write(catalogue.Columns()); err != nil {
		return fmt.Errorf("write patch list: %w", err)
	}
	if err := out.WriteAll(catalogue.Rows(cat)); err != nil {
		return fmt.Errorf("write patch list: %w", err)
	}
	return nil
}
