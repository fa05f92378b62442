package deliver

import (
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode/utf8"

	"fanfold/internal/core/template"
)

// Wanted is one stem of a list, with the stems of the next finer fold that
// belong to it.
type Wanted struct {
	Name     string
	Carries  template.Carries
	Mono     bool
	Line     int // in the list, from 1
	Children []*Wanted
	Rules    []Ask // which instruments go there
}

// Bad is one line of a stem list that cannot be taken, and why.
type Bad struct {
	Line   int
	Reason string
}

func (e *Bad) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Bounds of a stem list.
const (
	MaxListBytes = 1 << 20
	MaxStems     = 500 // of one fold
	MaxFolds     = 6
)

var (
	bullet = regexp.MustCompile(`^(?:[-*•–]|\d{1,3}[.)])\s+`)
	remark = regexp.MustCompile(`(?i)\s*[(\[](dry|wet|mono|stereo)[)\]]\s*$`)
)

// ReadList reads the stems that somebody wrote down, one a line: what is
// indented belongs to the line above it that is indented less. A line such as
// "Winds / Flutes" or "Winds: Flutes, Oboes" says the same in one. After a name,
// (dry), (wet) and (mono) say how it is delivered. Bullets and numbers before a
// name are left out. The error is a *Bad, or one of r.
func ReadList(r io.Reader) ([]*Wanted, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxListBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read stem list: %w", err)
	}
	if len(data) > MaxListBytes {
		return nil, &Bad{1, fmt.Sprintf("the list is larger than %d KiB", MaxListBytes>>10)}
	}
	l := &lister{}
	for n, line := range strings.Split(strings.TrimPrefix(string(data), "\ufeff"), "\n") {
		if err := l.line(n+1, strings.TrimRight(line, " \t\r")); err != nil {
			return nil, err
		}
	}
	if len(l.top) == 0 {
		return nil, &Bad{1, "there is no stem on the list; write one per line"}
	}
	return l.top, l.check()
}

type lister struct {
	top  []*Wanted
	open []opened // the lines that later ones may belong to, outermost first
}

type opened struct {
	indent int
	stem   *Wanted
}

func (l *lister) line(n int, text string) error {
	if strings.TrimSpace(text) == "" {
		return nil
	}
	if !utf8.ValidString(text) {
		return &Bad{n, "it is not UTF-8"}
	}
	indent := indentOf(text)
	for len(l.open) > 0 && l.open[len(l.open)-1].indent >= indent {
		l.open = l.open[:len(l.open)-1]
	}
	var parent *Wanted
	if len(l.open) > 0 {
		parent = l.open[len(l.open)-1].stem
	}
	text = bullet.ReplaceAllString(strings.TrimSpace(text), "")
	path, children, several := strings.Cut(text, ":")
	names := strings.FieldsFunc(strings.ReplaceAll(path, template.PathSeparator, "\t"), func(r rune) bool { return r == '\t' })
	if len(names) == 0 {
		return &Bad{n, "there is no name before the colon"}
	}
	for _, name := range names {
		made, err := l.stem(n, parent, name, len(names) > 1)
		if err != nil {
			return err
		}
		parent = made
	}
	l.open = append(l.open, opened{indent, parent})
	if !several {
		return nil
	}
	for _, name := range strings.FieldsFunc(children, func(r rune) bool { return r == ',' || r == ';' }) {
		if _, err := l.stem(n, parent, name, false); err != nil {
			return err
		}
	}
	return nil
}

// indentOf counts columns; a tab goes to the next of eight.
func indentOf(text string) int {
	n := 0
	for _, r := range text {
		switch r {
		case ' ':
			n++
		case '\t':
			n += 8 - n%8
		default:
			return n
		}
	}
	return n
}

// stem adds a stem below a parent. On a path, one that is there is taken.
func (l *lister) stem(line int, parent *Wanted, name string, path bool) (*Wanted, error) {
	w := &Wanted{Line: line}
	for {
		m := remark.FindStringSubmatchIndex(name)
		if m == nil {
			break
		}
		switch strings.ToLower(name[m[2]:m[3]]) {
		case "dry":
			w.Carries = template.CarriesDry
		case "wet":
			w.Carries = template.CarriesWet
		case "mono":
			w.Mono = true
		}
		name = name[:m[0]]
	}
	w.Name = strings.TrimSpace(name)
	if err := template.CheckName(w.Name); err != nil {
		return nil, &Bad{line, err.Error()}
	}
	list := &l.top
	if parent != nil {
		list = &parent.Children
	}
	for _, o := range *list {
		if path && template.FoldName(o.Name) == template.FoldName(w.Name) {
			return o, nil
		}
	}
	*list = append(*list, w)
	return w, nil
}

// check looks for what no template can hold.
func (l *lister) check() error {
	depth := Depth(l.top)
	if depth > MaxFolds {
		return &Bad{1, fmt.Sprintf("the list is nested %d deep; %d folds are the most", depth, MaxFolds)}
	}
	for level := range depth {
		seen := map[string]int{}
		count := 0
		var wrong error
		walk(l.top, depth, level, func(w, _ *Wanted) {
			key := template.FoldName(w.Name)
			if first, twice := seen[key]; twice && wrong == nil {
				wrong = &Bad{w.Line, fmt.Sprintf("%q is on line %d already", w.Name, first)}
			}
			seen[key] = w.Line
			count++
		})
		if count > MaxStems {
			return &Bad{1, fmt.Sprintf("%d stems in one fold; the most is %d", count, MaxStems)}
		}
		if wrong != nil {
			return wrong
		}
	}
	return nil
}

// Depth is the number of folds a list needs.
func Depth(list []*Wanted) int {
	most := 0
	for _, w := range list {
		most = max(most, 1+Depth(w.Children))
	}
	return most
}

// walk visits the stems of one level, 0 the coarsest, with their parents. A
// stem that has none below it stands for itself in every finer fold.
func walk(list []*Wanted, depth, level int, visit func(w, parent *Wanted)) {
	var down func(w, parent *Wanted, at int)
	down = func(w, parent *Wanted, at int) {
		switch {
		case at == level:
			visit(w, parent)
		case len(w.Children) == 0:
			down(w, w, at+1)
		default:
			for _, c := range w.Children {
				down(c, w, at+1)
			}
		}
	}
	if level < depth {
		for _, w := range list {
			down(w, nil, 0)
		}
	}
}
