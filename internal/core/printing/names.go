package printing

import (
	"fmt"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Naming is what the names of files are made of.
type Naming struct {
	Pattern string // DefaultPattern when empty
	Cue     string // its number
	Title   string
	Version string
	Start   string // timecode
	RateHz  int
}

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

// CheckPattern refuses a pattern with fields that are not there, or with one name for all.
func CheckPattern(pattern string) error {
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
		return fmt.Errorf("a name without {stem} is the same for all files; add it")
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

// Names are the names of the files of a plan, with an ending (".wav"): safe on every file
// system, at most 255 bytes, and no two the same, whatever letters are told apart.
func (p *Plan) Names(n Naming, ending string) []string {
	pattern := n.Pattern
	if pattern == "" {
		pattern = DefaultPattern
	}
	taken := map[string]bool{}
	var out []string
	files := map[string]int{}
	for _, w := range p.Files {
		files[strings.ToLower(w.File)]++
	}
	for _, w := range p.Files {
		stem := w.File
		if fold := p.foldsOf(w); files[strings.ToLower(stem)] > 1 && fold != "" {
			stem += " " + fold // two folds may have stems of one name
		}
		number := ""
		if w.Number > 0 {
			number = fmt.Sprintf("%02d", w.Number)
		}
		rate := ""
		if n.RateHz > 0 {
			rate = strings.TrimSuffix(fmt.Sprintf("%.1f", float64(n.RateHz)/1000), ".0") + "k"
		}
		values := map[string]string{"cue": n.Cue, "title": n.Title, "version": n.Version, "stem": stem, "number": number, "start": n.Start, "rate": rate}
		name := field.ReplaceAllStringFunc(pattern, func(f string) string { return values[f[1:len(f)-1]] })
		out = append(out, unique(SafeName(name, "file"), ending, taken))
	}
	return out
}

// unique makes a name another than those that are taken, within the length that names have.
func unique(name, ending string, taken map[string]bool) string {
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

// SafeName makes a name safe on every file system: no signs that some of them do not take, no
// space or point at its ends, no name of a device; gaps of empty fields close. What is left
// empty is called otherwise.
func SafeName(name, otherwise string) string {
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
	switch {
	case name == "":
		return otherwise
	case reserved.MatchString(name):
		return "_" + name
	}
	return name
}
