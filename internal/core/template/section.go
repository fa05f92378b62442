package template

import (
	"fmt"
	"slices"
	"strings"
)

// Section is a node of the tree that instruments stand in.
type Section struct {
	ID     ID     `json:"id"`
	Parent ID     `json:"parent,omitempty"` // empty at the top
	Name   string `json:"name"`
	Tint   string `json:"tint,omitempty"`  // one of the palette's; empty takes the parent's
	Depth  Depth  `json:"depth,omitempty"` // how far back it sits; empty takes the parent's
	Sends  []Send `json:"sends,omitempty"` // its own amounts, instead of its parent's or those by depth
}

// PathSeparator stands between the names of a section path: "Winds / Flutes".
const PathSeparator = " / "

// MaxSectionDepth bounds the section tree, so that no walk is unbounded.
const MaxSectionDepth = 32

// Tints are the names of the muted section colours that every palette has.
var Tints = []string{"moss", "plum", "clay", "stone", "rose", "petrol", "heather", "grey"}

// TintFor proposes a tint for a top section by its name: what the section
// usually holds, or grey when the name says nothing.
func TintFor(name string) string {
	lower := strings.ToLower(name)
	for _, rule := range []struct {
		tint  string
		words []string
	}{
		{"moss", []string{"wind", "reed", "flute"}},
		{"plum", []string{"brass", "horn"}},
		{"clay", []string{"perc", "drum", "timp"}},
		{"stone", []string{"key", "harp", "piano", "organ"}},
		{"rose", []string{"voice", "choir", "vocal"}},
		{"petrol", []string{"string", "violin", "cello"}},
		{"heather", []string{"hybrid", "synth", "texture"}},
	} {
		if slices.ContainsFunc(rule.words, func(w string) bool { return strings.Contains(lower, w) }) {
			return rule.tint
		}
	}
	return "grey"
}

// SectionsInOrder returns the sections depth first: a parent before its
// children, siblings in list order. Sections on a parent cycle are left out;
// Validate refuses such a template.
func (t *Template) SectionsInOrder() []*Section {
	children := make(map[ID][]*Section, len(t.Sections))
	for _, s := range t.Sections {
		children[s.Parent] = append(children[s.Parent], s)
	}
	out := make([]*Section, 0, len(t.Sections))
	var walk func(parent ID, depth int)
	walk = func(parent ID, depth int) {
		if depth > MaxSectionDepth {
			return
		}
		for _, s := range children[parent] {
			out = append(out, s)
			walk(s.ID, depth+1)
		}
	}
	walk("", 0)
	return out
}

// Ancestry returns the section and its parents, innermost first.
func (t *Template) Ancestry(section ID) []*Section {
	var out []*Section
	sections := t.Index().Sections
	for s := sections[section]; s != nil && len(out) < MaxSectionDepth; s = sections[s.Parent] {
		out = append(out, s)
	}
	return out
}

// SectionPath returns the names from the top to the section: "Winds / Flutes".
func (t *Template) SectionPath(section ID) string {
	var names []string
	for _, s := range t.Ancestry(section) {
		names = append(names, s.Name)
	}
	slices.Reverse(names)
	return strings.Join(names, PathSeparator)
}

// InstrumentPath names an instrument by its section's path and its own name: "Winds /
// Flutes / Flute 1".
func (t *Template) InstrumentPath(i *Instrument) string {
	return t.SectionPath(i.Section) + PathSeparator + i.Name
}

// TopSection returns the outermost section above (or equal to) the given one,
// or nil if there is none.
func (t *Template) TopSection(section ID) *Section {
	if line := t.Ancestry(section); len(line) > 0 {
		return line[len(line)-1]
	}
	return nil
}

func equalFold(a, b string) bool {
	return strings.EqualFold(strings.TrimSpace(a), strings.TrimSpace(b))
}

// FoldName is what two names have in common that are equal without regard to
// case.
func FoldName(s string) string { return strings.ToLower(strings.TrimSpace(s)) }

// FreeName counts up until the name is free: "Flute 2", "Flute 3". A name that is
// as long as one may be is cut to make room.
func FreeName(name string, free func(string) bool) string {
	for n := 2; ; n++ {
		count := fmt.Sprintf(" %d", n)
		runes := []rune(name)
		if candidate := string(runes[:min(len(runes), MaxName-len(count))]) + count; free(candidate) {
			return candidate
		}
	}
}
