package compare

import (
	"fmt"
	"strings"

	"fanfold/internal/core/template"
)

// NameOf is what a thing is called, with what it is where that does not go without
// saying; empty when it is not in the template.
func NameOf(t *template.Template, id template.ID) string {
	for _, n := range nouns {
		if x := n.look(t, id); x != nil {
			return n.called(t, id)
		}
	}
	return ""
}

// mostSaid is how many fields of a thing are said at once.
const mostSaid = 3

// Differ says in what a thing differs between two templates, where it has one ID
// in both: its fields in words, and their values in each. A field that is named is
// said alone. ok is false when one of them has it not.
func Differ(a, b *template.Template, id template.ID, field string) (what, here, there string, ok bool) {
	p := &pairs{here: a, there: b, hereWords: &words{t: a}, thereWords: &words{t: b}}
	for _, n := range nouns {
		x, y := n.look(a, id), n.look(b, id)
		if x == nil || y == nil {
			continue
		}
		fields := p.fields(x, y)
		if field != "" {
			name := called(field)
			return name, orNothing(p.hereWords.of(x)[field]), orNothing(p.thereWords.of(y)[field]), true
		}
		var names, mine, theirs []string
		for n, f := range fields {
			if n == mostSaid {
				names = append(names, fmt.Sprintf("%d more", len(fields)-n))
				break
			}
			names, mine, theirs = append(names, f.Name), append(mine, f.Name+" "+orNothing(f.Here)), append(theirs, f.Name+" "+orNothing(f.There))
		}
		return strings.Join(names, ", "), strings.Join(mine, "; "), strings.Join(theirs, "; "), true
	}
	return "", "", "", false
}

// ValueOf says what a field of a thing stands at, in words.
func ValueOf(t *template.Template, id template.ID, field string) string {
	for _, n := range nouns {
		if x := n.look(t, id); x != nil {
			return orNothing((&words{t: t}).of(x)[field])
		}
	}
	return "nothing"
}

// orNothing is what a field says in words, where it says nothing.
func orNothing(text string) string {
	if text == "" {
		return "nothing"
	}
	return text
}

func (n of[T]) look(t *template.Template, id template.ID) any {
	if x := n.find(t, id); x != nil {
		return x
	}
	return nil
}

// called is the name of a thing, and what it is unless it is a row.
func (n of[T]) called(t *template.Template, id template.ID) string {
	name := n.thing(t, n.find(t, id)).name
	if n.noun == Row {
		return name
	}
	is := strings.ReplaceAll(string(n.noun), "-", " ")
	if strings.EqualFold(name, is) {
		return name
	}
	return "the " + is + " " + name
}
