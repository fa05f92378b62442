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
	Headings []string
	Lines    []catalogue.Line
	Problems []intake.Problem
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
	if data, err = celltext.Plain(data); err != nil {
		return nil, err
	}
	in := csv.NewReader(bytes.NewReader(data))
	in.Comma, in.FieldsPerRecord = celltext.Delimiter(data), -1
	list := &List{Problems: []intake.Problem{}}
	if list.Headings, err = in.Read(); err != nil {
		return nil, &celltext.Unreadable{Line: 1, Reason: "the headings can not be read: " + celltext.Reason(err)}
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
	return list, nil
}

func (l *List) take(line int, cells []string) {
	for n, c := range cells {
		if !utf8.ValidString(c) {
			column := ""
			if n < len(l.Headings) {
				column = l.Headings[n]
			}
			l.Problems = append(l.Problems, intake.Problem{Line: line, Column: column, Reason: "the text is not UTF-8; save the whole file as UTF-8"})
			return
		}
	}
	l.Lines = append(l.Lines, catalogue.Line{Number: line, Cells: cells})
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
