// Package celltext reads what all lists have in common: CSV as in RFC 4180,
// UTF-8, with comma, semicolon or tab. Bytes go in; plain text, its delimiter,
// and reasons in plain words come out.
package celltext

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"strings"
)

// Unreadable is the error of a file that is not a list at all.
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

// MaxColumns bounds the columns of a list.
const MaxColumns = 1000

// Open returns the text of a list, and its delimiter: the one a first line
// "sep=;" names, which is then left out, else the one seen most often in the
// headings. The error is an *Unreadable: of a file that is not text, or has more
// than MaxColumns columns.
func Open(data []byte) ([]byte, rune, error) {
	data, err := Plain(data)
	if err != nil {
		return nil, 0, err
	}
	delimiter, rest := named(data)
	if delimiter == 0 {
		delimiter = Delimiter(data)
	} else if len(bytes.TrimSpace(rest)) == 0 {
		return nil, 0, &Unreadable{Line: 2, Reason: "the file is empty"}
	}
	if line := wide(rest, byte(delimiter)); line > 0 {
		return nil, 0, &Unreadable{Line: line, Reason: fmt.Sprintf("more than %d columns; a list names each thing in a row of its own", MaxColumns)}
	}
	return rest, delimiter, nil
}

// named is the delimiter that the first line names, and the text without that line
// but for its end, so that lines keep their numbers; 0 for none.
func named(data []byte) (rune, []byte) {
	line, rest, _ := bytes.Cut(data, []byte("\n"))
	text := strings.Trim(strings.TrimRight(string(line[:min(len(line), 16)]), "\r"), `"`)
	if len(text) != len("sep=;") || !strings.EqualFold(text[:4], "sep=") || !strings.ContainsRune(",;\t", rune(text[4])) {
		return 0, data
	}
	return rune(text[4]), data[len(data)-len(rest)-min(1, len(data)-len(line)):]
}

// wide is the first line with more cells than columns may be; 0 for none.
func wide(data []byte, delimiter byte) int {
	line, cells, begins, quoted := 1, 1, true, false
	for n := 0; n < len(data); n++ {
		c := data[n]
		if c == '\n' {
			line++
		}
		switch {
		case quoted:
			if c == '"' && n+1 < len(data) && data[n+1] == '"' {
				n++
			} else if c == '"' {
				quoted = false
			}
			continue
		case c == '"' && begins:
			quoted = true
		case c == delimiter:
			if cells++; cells > MaxColumns {
				return line
			}
			begins = true
			continue
		case c == '\n':
			cells, begins = 1, true
			continue
		}
		begins = false
	}
	return 0
}

// Delimiter picks, of comma, semicolon and tab, the one seen most often in
// the first line outside quotes.
func Delimiter(data []byte) rune {
	counts := [256]int{}
	quoted := false
	for _, c := range bytes.TrimLeft(data, "\r\n") {
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
