// Package filename makes names of files: by a pattern with fields, safe on every file system, and
// no two the same.
package filename

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// DefaultPattern names files: fields that are empty leave no gap.
const DefaultPattern = "{cue} {title} {version} {stem}"

// Fields are those of a pattern, with what each is.
var Fields = []struct{ Name, About string }{
	{"cue", "the cue's number"},
	{"title", "its title"},
	{"version", "which print it is"},
	{"stem", "the stem or the mix"},
	{"number", "where the stem stands in the list, two digits"},
	{"start", "the timecode on which it begins"},
	{"rate", "its sample rate, kHz"},
}

var field = regexp.MustCompile(`\{([a-z]*)\}`)

// mostPattern is how long a pattern may be, letters.
const mostPattern = 200

// CheckPattern refuses a pattern with fields that are not there, or with one name for all.
func CheckPattern(pattern string) error {
	if utf8.RuneCountInString(pattern) > mostPattern {
		return fmt.Errorf("a pattern of names has %d letters at most", mostPattern)
	}
	stem := false
	for _, m := range field.FindAllStringSubmatch(pattern, -1) {
		known := false
		for _, f := range Fields {
			known = known || f.Name == m[1]
		}
		if !known {
			return fmt.Errorf("there is no field {%s}; %s are", m[1], fieldList())
		}
		stem = stem || m[1] == "stem" || m[1] == "number"
	}
	if !stem {
		return errors.New("a name without {stem} is the same for all files; add it")
	}
	return nil
}

func fieldList() string {
	var list []string
	for _, f := range Fields {
		list = append(list, "{"+f.Name+"}")
	}
	return strings.Join(list, ", ")
}

// mostNameBytes is how long a name may be on every file system, with its ending.
const mostNameBytes = 255

// Fill writes a pattern with the values of its fields; an empty pattern is DefaultPattern.
func Fill(pattern string, values map[string]string) string {
	if pattern == "" {
		pattern = DefaultPattern
	}
	return field.ReplaceAllStringFunc(pattern, func(f string) string { return values[f[1:len(f)-1]] })
}

// Unique makes a name with an ending (".wav") another than those that are taken, whatever letters
// are told apart, and of at most 255 bytes. It is then taken.
func Unique(name, ending string, taken map[string]bool) string {
	for n := 1; ; n++ {
		tail := ending
		if n > 1 {
			tail = fmt.Sprintf(" %d%s", n, ending)
		}
		whole := strings.TrimRight(cutTo(name, mostNameBytes-len(tail)), " .") + tail
		if key := strings.ToLower(whole); !taken[key] {
			taken[key] = true
			return whole
		}
	}
}

// cutTo is the beginning of a text, of at most so many bytes, and of whole letters.
func cutTo(s string, most int) string {
	if len(s) <= most {
		return s
	}
	for most > 0 && !utf8.RuneStart(s[most]) {
		most--
	}
	return s[:most]
}

// reserved are names that a system keeps for devices (Microsoft, Naming Files, Paths, and
// Namespaces).
var reserved = regexp.MustCompile(`(?i)^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\.|$)`)

// Safe makes a name safe on every file system: no signs that some of them do not take, no
// space or point at its ends, no name of a device, at most 255 bytes; gaps of empty fields close.
// What is left empty is called otherwise.
func Safe(name, otherwise string) string {
	name = strings.Map(func(r rune) rune {
		switch {
		case strings.ContainsRune(`/\:*?"<>|`, r):
			return '-'
		case unicode.IsControl(r) || r == utf8.RuneError || unicode.Is(unicode.Cf, r):
			return -1
		case unicode.IsSpace(r):
			return ' '
		}
		return r
	}, name)
	name = strings.Trim(strings.Join(strings.Fields(name), " "), " .")
	name = strings.TrimRight(cutTo(name, mostNameBytes-1), " .")
	switch {
	case name == "":
		return otherwise
	case reserved.MatchString(name):
		return "_" + name
	}
	return name
}
