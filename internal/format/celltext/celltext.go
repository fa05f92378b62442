// Package celltext reads what all lists have in common: CSV as in RFC 4180,
// UTF-8, with comma, semicolon or tab. Bytes go in; plain text, its delimiter,
// and reasons in plain words come out.
package celltext

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
)

// Unreadable is the error of a file that is no list at all.
type Unreadable struct {
	Line   int
	Reason string
}

func (e *Unreadable) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Plain returns the text of a file without its byte order mark. The error is an
// *Unreadable.
func Plain(data []byte) ([]byte, error) {
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

// Delimiter picks, of comma, semicolon and tab, the one seen most often in
// the first line outside quotes.
func Delimiter(data []byte) rune {
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

// Reason puts the CSV reader's errors into plain words.
func Reason(err error) string {
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
