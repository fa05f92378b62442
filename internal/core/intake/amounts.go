package intake

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// Decimal is the mark before the fraction of a number.
type Decimal string

// The marks. The other one, a space and an apostrophe group thousands.
const (
	Unsaid Decimal = ""
	Point  Decimal = "point" // 1,024.5
	Comma  Decimal = "comma" // 1.024,5
)

// Doubt is an amount that may be read in two ways.
type Doubt struct {
	Cell  string  `json:"cell"`
	Point float64 `json:"point"` // what it is with either mark, MiB
	Comma float64 `json:"comma"`
}

// NewDoubt is nil for no cell.
func NewDoubt(cell string) *Doubt {
	if cell == "" {
		return nil
	}
	d := &Doubt{Cell: cell}
	d.Point, _ = MiB(cell, Point, "", math.Inf(1)) // it is an amount either way
	d.Comma, _ = MiB(cell, Comma, "", math.Inf(1))
	return d
}

// Reading says how the figures of a list are to be read.
type Reading struct {
	MiddleC int     // the octave that the list writes for key 60; 0 is 4
	Decimal Decimal // Unsaid finds out
}

// Amounts finds how the amounts of a list are written: by those that can be read in
// one way alone, such as 1.024,5 or 12,25 or 1,024,000. A point is taken for the mark
// unless something speaks against it. Where all that is there is like 1,024 it is not
// known: unsure is the first of these, and somebody has to say.
func Amounts(cells []string) (mark Decimal, unsure string) {
	for _, cell := range cells {
		said, doubt := written(cell)
		switch {
		case said != Unsaid && mark == Unsaid:
			mark = said
		case doubt && unsure == "":
			unsure = strings.TrimSpace(cell)
		}
	}
	if mark != Unsaid {
		return mark, ""
	}
	if unsure == "" {
		return Point, ""
	}
	return Unsaid, unsure
}

var (
	amount   = regexp.MustCompile(`^([0-9][0-9.,]*)([a-z]*)$`)
	thousand = regexp.MustCompile(`^[1-9][0-9]{0,2}[.,][0-9]{3}$`)
)

// split takes an amount apart: its digits and marks, and its unit in lower case.
func split(cell string) (digits, unit string, ok bool) {
	plain := strings.Map(func(r rune) rune {
		switch r {
		case ' ', '\t', '\'', '’', '\u00a0', '\u2009', '\u202f': // between thousands, or before the unit
			return -1
		}
		return r
	}, strings.ToLower(cell))
	parts := amount.FindStringSubmatch(plain)
	if parts == nil {
		return "", "", false
	}
	return parts[1], parts[2], true
}

// written tells which mark an amount is certainly written with, or that it may be
// either: 1,024. A point with three digits behind it, 1.024, says nothing.
func written(cell string) (mark Decimal, doubt bool) {
	digits, _, ok := split(cell)
	point, comma := strings.Count(digits, "."), strings.Count(digits, ",")
	switch {
	case !ok || point+comma == 0:
		return Unsaid, false
	case point > 0 && comma > 0: // the later one
		if strings.LastIndex(digits, ".") > strings.LastIndex(digits, ",") {
			return Point, false
		}
		return Comma, false
	case comma > 1:
		return Point, false
	case point > 1:
		return Comma, false
	case thousand.MatchString(digits):
		return Unsaid, comma == 1
	case comma == 1:
		return Comma, false
	}
	return Point, false
}

// units are the sizes of memory in MiB. People write MB and GB for what a program
// counts in powers of two: common practice, no source.
var units = map[string]float64{
	"": 1, "m": 1, "mb": 1, "mib": 1,
	"k": 1.0 / 1024, "kb": 1.0 / 1024, "kib": 1.0 / 1024,
	"g": 1024, "gb": 1024, "gib": 1024,
	"t": 1024 * 1024, "tb": 1024 * 1024, "tib": 1024 * 1024,
	"b": 1.0 / (1024 * 1024), "byte": 1.0 / (1024 * 1024), "bytes": 1.0 / (1024 * 1024),
}

// MiB reads an amount of memory with the given mark, MiB, 0 to most. unit is that of its
// column, where the cell names none; empty is MiB.
func MiB(cell string, mark Decimal, unit string, most float64) (float64, error) {
	digits, own, ok := split(cell)
	if own == "" {
		own = strings.ToLower(unit)
	}
	times, known := units[own]
	group, fraction := ",", "."
	if mark == Comma {
		group, fraction = ".", ","
	}
	whole, part, _ := strings.Cut(digits, fraction)
	if !ok || !known || strings.Contains(part, group) || !grouped(whole, group) {
		return 0, fmt.Errorf("%q is not a size; write MiB, or a unit such as 1.5 GiB", strings.TrimSpace(cell))
	}
	x, err := strconv.ParseFloat(strings.ReplaceAll(whole, group, "")+"."+part, 64)
	if x *= times; err != nil || math.IsNaN(x) || x < 0 || x > most {
		return 0, fmt.Errorf("%q is not a size from 0 to %g MiB", strings.TrimSpace(cell), most)
	}
	return x, nil
}

// grouped tells whether marks stand between thousands alone.
func grouped(whole, mark string) bool {
	groups := strings.Split(whole, mark)
	for n, g := range groups {
		if n > 0 && len(g) != 3 || len(groups) > 1 && len(g) == 0 {
			return false
		}
	}
	return len(groups[0]) > 0 && (len(groups) == 1 || len(groups[0]) <= 3)
}

var inHeading = regexp.MustCompile(`(?i)(?:[\s_]+|[\s_]*[(\[]\s*)([kmgt]i?b)\s*[)\]]?\s*$`)

// Unit takes the unit off a heading: "Size (GB)" is "Size" in GB. unit is empty
// where it names none.
func Unit(heading string) (name, unit string) {
	at := inHeading.FindStringSubmatchIndex(heading)
	if at == nil || at[0] == 0 {
		return heading, ""
	}
	return strings.TrimSpace(heading[:at[0]]), heading[at[2]:at[3]]
}
