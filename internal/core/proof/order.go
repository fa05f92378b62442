package proof

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

var orderRules = []Rule{
	{Code: "duplicate-name", About: "two instruments of one section, or two buses, have the same name or nearly the same", reads: rows | names | buses, find: duplicates, within: duplicateRows},
	{Code: "empty-section", About: "a section holds no instrument", reads: rows | gone | sections, find: emptySections},
}

type nameKey struct {
	where template.ID
	name  string
}

func duplicates(s *subject) []Mark { return append(duplicateRows(s, nil), duplicateBuses(s)...) }

// duplicateRows looks into some sections; nil into all.
func duplicateRows(s *subject, within map[template.ID]bool) []Mark {
	var out []Mark
	size := len(s.t.Instruments)
	if within != nil {
		size = 0
	}
	count := make(map[nameKey]int, size)
	alike := make(map[nameKey]*template.Instrument, size) // the first of a name, nearly
	key := func(i *template.Instrument, name string) nameKey { return nameKey{i.Section, strings.ToLower(name)} }
	for _, i := range s.t.Instruments {
		if within != nil && !within[i.Section] || i.Kind == template.Divider {
			continue
		}
		k, near := key(i, i.Name), nameKey{i.Section, nearly(i.Name)}
		first := alike[near]
		if first == nil {
			alike[near] = i
		}
		if count[k]++; first == nil || i.Kind == template.Spare {
			continue
		}
		message := fmt.Sprintf("%s is twice in %s", i.Name, s.t.SectionPath(i.Section))
		if count[k] == 1 {
			message = fmt.Sprintf("%s and %s are nearly one name, in %s", first.Name, i.Name, s.t.SectionPath(i.Section))
		}
		free := func() string {
			return template.FreeName(i.Name, func(name string) bool {
				return count[key(i, name)] == 0 && alike[nameKey{i.Section, nearly(name)}] == nil
			})
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name, Message: message,
			Remedies: []Remedy{{Label: "Give it a number of its own", Build: func() (change.Change, error) {
				name := free()
				return change.Edit{Edits: []change.Fields{{ID: i.ID, Name: &name}}}, nil
			}}},
		})
	}
	return out
}

// nearly is what names that are nearly one have in common: their letters and
// digits, without regard to case and to the s of a plural.
func nearly(name string) string {
	var b strings.Builder
	word := 0
	end := func() {
		if s := b.String(); word > 3 && strings.HasSuffix(s, "s") {
			b.Reset()
			b.WriteString(s[:len(s)-1])
		}
		word = 0
	}
	for _, r := range strings.ToLower(name) {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			b.WriteRune(r)
			word++
		} else {
			end()
		}
	}
	end()
	return b.String()
}

func duplicateBuses(s *subject) []Mark {
	var out []Mark
	names := map[nameKey]bool{}
	key := func(b *template.Bus, name string) nameKey {
		return nameKey{template.ID(b.Kind) + "/" + b.Fold, strings.ToLower(name)}
	}
	for _, b := range s.t.Buses {
		if !names[key(b, b.Name)] {
			names[key(b, b.Name)] = true
			continue
		}
		c := b.Clone()
		c.Name = template.FreeName(b.Name, func(name string) bool { return !names[key(b, name)] })
		out = append(out, Mark{
			Subject: b.ID, Name: b.Name, Message: fmt.Sprintf("Two buses of one kind are named %s", b.Name),
			Remedies: []Remedy{{Label: "Name it " + c.Name, Build: always(change.Put{Buses: []change.Entry[template.Bus]{change.Append(c)}})}},
		})
	}
	return out
}

func emptySections(s *subject) []Mark {
	held := map[template.ID]bool{}
	for _, i := range s.t.Instruments {
		held[i.Section] = true
	}
	for _, sec := range s.t.Sections {
		if held[sec.ID] {
			for _, above := range s.t.Ancestry(sec.ID) {
				held[above.ID] = true
			}
		}
	}
	var out []Mark
	for _, sec := range s.t.Sections {
		if held[sec.ID] {
			continue
		}
		drop := []template.ID{sec.ID}
		for _, below := range s.t.Sections {
			for _, above := range s.t.Ancestry(below.ID)[1:] {
				if above == sec {
					drop = append(drop, below.ID)
				}
			}
		}
		out = append(out, Mark{
			Subject: sec.ID, Name: sec.Name, Message: s.t.SectionPath(sec.ID) + " holds no instrument",
			Remedies: []Remedy{{Label: "Remove the section", Build: always(s.withoutSections(drop, sec.Parent))}},
		})
	}
	return out
}

// withoutSections takes empty sections away: buses in their colour take that of the
// section above, and stem rules that speak of them, which send nobody anywhere, go too.
func (s *subject) withoutSections(drop []template.ID, above template.ID) change.Change {
	var puts change.Put
	for _, b := range s.t.Buses {
		if slices.Contains(drop, b.Section) {
			b = b.Clone()
			b.Section = above
			puts.Buses = append(puts.Buses, change.Append(b))
		}
	}
	out := change.Batch{Changes: []change.Change{puts}}
	rules := slices.DeleteFunc(slices.Clone(s.t.Rules), func(r *template.StemRule) bool { return slices.Contains(drop, r.Section) })
	if len(rules) < len(s.t.Rules) {
		out.Changes = append(out.Changes, change.SetRules{Rules: rules})
	}
	out.Changes = append(out.Changes, change.Drop{Sections: drop})
	return out
}
