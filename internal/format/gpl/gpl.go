// Package gpl reads and writes palettes in the GIMP palette format: a text file
// of colours, each with a name. Text goes in, named colours come out, and back.
package gpl

import (
	"bufio"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// Palette is a palette file.
type Palette struct {
	Name    string
	Colours []Colour
}

// Colour is one line: red, green and blue, 0..255, and a name.
type Colour struct {
	RGB  [3]int
	Name string
}

// Bad is the error of a file that cannot be read: where, and why.
type Bad struct {
	Line   int
	Reason string
}

func (e *Bad) Error() string { return fmt.Sprintf("palette file, line %d: %s", e.Line, e.Reason) }

// The limits of a file.
const (
	maxBytes   = 1 << 20
	maxColours = 4096
)

// head is the first line of every file.
const head = "GIMP Palette"

// Read reads a palette. The error is a *Bad, or one of r.
func Read(r io.Reader) (Palette, error) {
	var p Palette
	lines := bufio.NewScanner(io.LimitReader(r, maxBytes))
	n := 0
	for lines.Scan() {
		n++
		text := strings.TrimSpace(strings.TrimPrefix(lines.Text(), "\ufeff"))
		name, value, field := strings.Cut(text, ":")
		switch {
		case n == 1 && text != head:
			return p, &Bad{n, fmt.Sprintf("it begins with %q, not with %q; this is not a palette", limited(text), head)}
		case n == 1, text == "", strings.HasPrefix(text, "#"):
		case len(p.Colours) == 0 && field && name == "Name":
			p.Name = strings.TrimSpace(value)
		case len(p.Colours) == 0 && field && name == "Columns":
		default:
			c, err := colour(text)
			if err != nil {
				return p, &Bad{n, err.Error()}
			}
			if p.Colours = append(p.Colours, c); len(p.Colours) > maxColours {
				return p, &Bad{n, fmt.Sprintf("more than %d colours", maxColours)}
			}
		}
	}
	if err := lines.Err(); err != nil {
		return p, &Bad{n + 1, err.Error()}
	}
	if n == 0 {
		return p, &Bad{1, "the file is empty"}
	}
	return p, nil
}

func limited(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

func colour(text string) (Colour, error) {
	var c Colour
	words := strings.Fields(text)
	if len(words) < 3 {
		return c, fmt.Errorf("%q is not a colour; write red, green and blue, 0 to 255, and a name", limited(text))
	}
	for n := range c.RGB {
		x, err := strconv.Atoi(words[n])
		if err != nil || x < 0 || x > 255 {
			return c, fmt.Errorf("%q is not a number from 0 to 255", limited(words[n]))
		}
		c.RGB[n] = x
	}
	c.Name = strings.Join(words[3:], " ")
	return c, nil
}

// Write writes a palette. Line breaks in names become spaces.
func Write(w io.Writer, p Palette) error {
	plain := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	var b strings.Builder
	fmt.Fprintf(&b, "%s\nName: %s\nColumns: 0\n#\n", head, plain(p.Name))
	for _, c := range p.Colours {
		fmt.Fprintf(&b, "%3d %3d %3d\t%s\n", c.RGB[0], c.RGB[1], c.RGB[2], plain(c.Name))
	}
	_, err := io.WriteString(w, b.String())
	return err
}
