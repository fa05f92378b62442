package naming

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Field is a text that can be searched.
type Field string

// The fields. The first four are of rows, the others the names of other things.
const (
	RowNames      Field = "names"
	ShortNames    Field = "short names"
	Notes         Field = "notes"
	Articulations Field = "articulations"
	SectionNames  Field = "section names"
	BusNames      Field = "bus names"
	CallNames     Field = "call names"
)

// Fields lists every field.
var Fields = []Field{RowNames, ShortNames, Notes, Articulations, SectionNames, BusNames, CallNames}

// Search is what to find, and what to put in its place.
type Search struct {
	Field      Field
	Find       string
	With       string        // $1 and so on are what the first brackets found, with Expression
	Expression bool          // Find is a regular expression, as Go's package regexp has them
	Case       bool          // capitals and small letters differ
	Rows       []template.ID // only in these; empty searches all
}

// maxFind bounds an expression, letters.
const maxFind = 500

// Found is one text that changes.
type Found struct {
	ID            template.ID
	Name          string // of the thing
	Before, After string
}

// Replace finds texts and returns what they would become, and the change that
// does it; the change is nil when nothing would become anything else. The error
// is a *change.Refused for a bad expression or field.
func Replace(t *template.Template, s Search) ([]Found, change.Change, error) {
	expr, with, err := s.compile()
	if err != nil {
		return nil, nil, err
	}
	r := &replacer{t: t, s: s, expr: expr, with: with}
	switch s.Field {
	case RowNames, ShortNames, Notes, Articulations:
		r.rows()
	case SectionNames:
		replaceNames(r, t.Sections, func(x *template.Section) (template.ID, *string) { return x.ID, &x.Name }, func(x *template.Section) *template.Section { c := *x; return &c }, &r.put.Sections)
	case BusNames:
		replaceNames(r, t.Buses, func(x *template.Bus) (template.ID, *string) { return x.ID, &x.Name }, (*template.Bus).Clone, &r.put.Buses)
	case CallNames:
		replaceNames(r, t.Calls, func(x *template.Call) (template.ID, *string) { return x.ID, &x.Name }, func(x *template.Call) *template.Call { c := *x; return &c }, &r.put.Calls)
	default:
		return nil, nil, &change.Refused{Reason: fmt.Sprintf("%q cannot be searched", s.Field)}
	}
	if len(r.found) == 0 {
		return nil, nil, nil
	}
	return r.found, change.Batch{Label: fmt.Sprintf("Replace in %d %s", len(r.found), s.Field), Changes: []change.Change{r.put, r.edit}}, nil
}

func (s Search) compile() (*regexp.Regexp, string, error) {
	if s.Find == "" || len([]rune(s.Find)) > maxFind {
		return nil, "", &change.Refused{Reason: fmt.Sprintf("write what to find, at most %d letters", maxFind)}
	}
	find, with := s.Find, s.With
	if !s.Expression {
		find, with = regexp.QuoteMeta(find), strings.ReplaceAll(with, "$", "$$")
	}
	if !s.Case {
		find = "(?i)" + find
	}
	expr, err := regexp.Compile(find)
	if err != nil {
		return nil, "", &change.Refused{Reason: "the expression is not understood: " + strings.TrimPrefix(err.Error(), "error parsing regexp: ")}
	}
	return expr, with, nil
}

type replacer struct {
	t     *template.Template
	s     Search
	expr  *regexp.Regexp
	with  string
	found []Found
	put   change.Put
	edit  change.Edit
}

// text replaces in one text, and keeps what it was; false when it stays.
func (r *replacer) text(id template.ID, name, before string) (string, bool) {
	after := r.expr.ReplaceAllString(before, r.with)
	if after == before {
		return "", false
	}
	r.found = append(r.found, Found{id, name, before, after})
	return after, true
}

func (r *replacer) rows() {
	only := map[template.ID]bool{}
	for _, id := range r.s.Rows {
		only[id] = true
	}
	for _, i := range r.t.ScoreOrder() {
		if len(only) > 0 && !only[i.ID] {
			continue
		}
		f := change.Fields{ID: i.ID}
		switch r.s.Field {
		case RowNames:
			if after, ok := r.text(i.ID, i.Name, i.Name); ok {
				f.Name = &after
			}
		case ShortNames:
			if after, ok := r.text(i.ID, i.Name, i.Short); ok {
				f.Short = &after
			}
		case Notes:
			if after, ok := r.text(i.ID, i.Name, i.Notes); ok {
				f.Notes = &after
			}
		case Articulations:
			f.Articulations = r.articulations(i)
		}
		if f != (change.Fields{ID: i.ID}) {
			r.edit.Edits = append(r.edit.Edits, f)
		}
	}
}

// articulations replaces in each by itself; one that is empty then goes.
func (r *replacer) articulations(i *template.Instrument) *[]string {
	before := strings.Join(i.Articulations, "; ")
	list := slices.Clone(i.Articulations)
	for n, a := range list {
		list[n] = strings.TrimSpace(r.expr.ReplaceAllString(a, r.with))
	}
	list = slices.DeleteFunc(list, func(a string) bool { return a == "" })
	if slices.Equal(list, i.Articulations) {
		return nil
	}
	r.found = append(r.found, Found{i.ID, i.Name, before, strings.Join(list, "; ")})
	return &list
}

func replaceNames[T any](r *replacer, list []*T, of func(*T) (template.ID, *string), clone func(*T) *T, put *[]change.Entry[T]) {
	for _, x := range list {
		id, name := of(x)
		after, ok := r.text(id, *name, *name)
		if !ok {
			continue
		}
		c := clone(x)
		_, to := of(c)
		*to = after
		*put = append(*put, change.Append(c))
	}
}
