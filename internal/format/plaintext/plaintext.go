// Package plaintext turns the many kinds of text that files come in into one.
// Bytes go in; UTF-8 with lines ended by LF comes out.
package plaintext

import (
	"bytes"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// Decode returns the text of a file: UTF-8 or UTF-16, with or without a byte
// order mark, else Windows-1252; with lines ended by LF, CR or both. UTF-16
// without a mark is known by zero bytes in its first letters. It is as long as
// three times the data at most.
func Decode(data []byte) string {
	text := decoded(data)
	if !strings.Contains(text, "\r") {
		return text
	}
	return strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
}

func decoded(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte{0xEF, 0xBB, 0xBF}):
		data = data[3:]
	case bytes.HasPrefix(data, []byte{0xFF, 0xFE}), len(data) > 3 && data[1] == 0 && data[3] == 0:
		return by(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), data)
	case bytes.HasPrefix(data, []byte{0xFE, 0xFF}), len(data) > 3 && data[0] == 0 && data[2] == 0:
		return by(unicode.UTF16(unicode.BigEndian, unicode.UseBOM), data)
	}
	if utf8.Valid(data) {
		return string(data)
	}
	return by(charmap.Windows1252, data)
}

func by(e encoding.Encoding, data []byte) string {
	out, err := e.NewDecoder().Bytes(data)
	if err != nil {
		return strings.ToValidUTF8(string(data), "\uFFFD") // decoders put in U+FFFD: they do not fail
	}
	return string(out)
}
