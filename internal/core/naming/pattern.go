// Package naming names rows: by a pattern from what a row is, shortened for
// small displays and unique all the same, and by finding and replacing text.
// Rows and a pattern go in; what each would be called, and the one change that
// does it, come out.
package naming

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/template"
)

// Parts are what a pattern may hold in braces. Each may be followed by :short,
// for its abbreviation; {number:2} is written with at least two digits.
var Parts = []string{"name", "desk", "section", "parent", "articulation", "family", "register", "role", "library", "code", "number"}

// maxPattern bounds a pattern, letters.
const maxPattern = 200

// Pattern makes names.
type Pattern struct {
	pieces []piece
}

type piece struct {
	text   string // as it is, when part is empty
	part   string
	short  bool
	digits int
}

var braces = regexp.MustCompile(`\{([^{}]*)\}`)

// ParsePattern reads a pattern such as "{section:short} {number:2}". The error
// is a *change.Refused that says what is wrong and what there is.
func ParsePattern(text string) (*Pattern, error) {
	if strings.TrimSpace(text) == "" {
		return nil, &change.Refused{Reason: "the pattern is empty; write what names are made of, such as {desk} {articulation}"}
	}
	if len([]rune(text)) > maxPattern {
		return nil, &change.Refused{Reason: fmt.Sprintf("the pattern is longer than %d letters", maxPattern)}
	}
	p, at := &Pattern{}, 0
	for _, m := range braces.FindAllStringSubmatchIndex(text, -1) {
		if err := p.plain(text[at:m[0]]); err != nil {
			return nil, err
		}
		inner := text[m[2]:m[3]]
		name, how, _ := strings.Cut(inner, ":")
		x := piece{part: strings.ToLower(strings.TrimSpace(name))}
		if !slices.Contains(Parts, x.part) {
			return nil, &change.Refused{Reason: fmt.Sprintf("the pattern has {%s}; in braces you can use %s", inner, strings.Join(Parts, ", "))}
		}
		digits, err := strconv.Atoi(how)
		switch {
		case how == "":
		case how == "short" && x.part != "number":
			x.short = true
		case x.part == "number" && err == nil && digits >= 1 && digits <= 6:
			x.digits = digits
		default:
			return nil, &change.Refused{Reason: fmt.Sprintf("{%s} is not understood; write {%s}, {section:short} or {number:2}", inner, x.part)}
		}
		p.pieces, at = append(p.pieces, x), m[1]
	}
	return p, p.plain(text[at:])
}

func (p *Pattern) plain(text string) error {
	if strings.ContainsAny(text, "{}") {
		return &change.Refused{Reason: "the pattern has a brace that is not closed or not opened"}
	}
	if text != "" {
		p.pieces = append(p.pieces, piece{text: text})
	}
	return nil
}

// Namer names rows of one template. It is for one goroutine.
type Namer struct {
	t      *template.Template
	words  *articulation.Vocabulary
	traits *deliver.Sorter
	table  *Table
}

// NewNamer takes the abbreviations to use; nil takes the standard ones.
func NewNamer(t *template.Template, table *Table) *Namer {
	if table == nil {
		table = NewTable(nil)
	}
	return &Namer{t: t, words: articulation.NewVocabulary(t.Vocabulary), traits: deliver.NewSorter(t, nil), table: table}
}

var manySpaces = regexp.MustCompile(`\s+`)

// Name is what a row is called by a pattern; number counts it among the rows of
// its section that are named together. What is not known leaves no gap.
func (n *Namer) Name(i *template.Instrument, p *Pattern, number int) string {
	var b strings.Builder
	for _, x := range p.pieces {
		switch {
		case x.part == "":
			b.WriteString(x.text)
		case x.part == "number":
			fmt.Fprintf(&b, "%0*d", x.digits, number)
		case x.short:
			b.WriteString(n.table.Short(n.part(i, x.part)))
		default:
			b.WriteString(n.part(i, x.part))
		}
	}
	return strings.Trim(manySpaces.ReplaceAllString(b.String(), " "), " ·-_/,")
}

func (n *Namer) part(i *template.Instrument, part string) string {
	line := n.t.Ancestry(i.Section)
	switch part {
	case "name":
		return i.Name
	case "desk":
		return articulation.Desk(n.words, i.Name)
	case "section":
		return line[0].Name
	case "parent":
		if len(line) > 1 {
			return line[1].Name
		}
	case "articulation":
		if len(i.Articulations) > 0 {
			return i.Articulations[0]
		}
	case "family":
		if len(i.Articulations) > 0 {
			return string(n.traits.Traits(i).Family)
		}
	case "register":
		return string(n.traits.Traits(i).Register)
	case "role":
		if roles := n.traits.Traits(i).Roles; len(roles) > 0 {
			return roles[0]
		}
	case "library", "code":
		var names []string
		for _, l := range n.t.LibrariesOf(i) {
			if part == "code" {
				names = append(names, l.Code)
			} else {
				names = append(names, l.Name)
			}
		}
		return strings.Join(names, " + ")
	}
	return ""
}
