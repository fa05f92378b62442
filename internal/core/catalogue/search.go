package catalogue

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Finder finds patches of a catalogue by what people type.
type Finder struct {
	cat   *template.Template
	words *articulation.Vocabulary
	lines []string // what can be found of each patch: " word word"
	from  map[*template.Patch]int
}

// NewFinder reads a catalogue, taking over from an earlier finder what did not
// change; that may be nil.
func NewFinder(earlier *Finder, cat *template.Template) *Finder {
	f := &Finder{cat: cat, lines: make([]string, len(cat.Patches)), from: make(map[*template.Patch]int, len(cat.Patches))}
	same := earlier != nil && slices.Equal(earlier.cat.Libraries, cat.Libraries) && slices.Equal(earlier.cat.Vocabulary, cat.Vocabulary)
	if same {
		f.words = earlier.words
	} else {
		f.words = articulation.NewVocabulary(cat.Vocabulary)
	}
	for n, p := range cat.Patches {
		f.from[p] = n
		if same {
			if old, ok := earlier.from[p]; ok {
				f.lines[n] = earlier.lines[old]
				continue
			}
		}
		f.lines[n] = f.line(p)
	}
	return f
}

func (f *Finder) line(p *template.Patch) string {
	var b strings.Builder
	add := func(texts ...string) {
		for _, t := range texts {
			for _, w := range words(t) {
				b.WriteByte(' ')
				b.WriteString(w)
			}
		}
	}
	add(p.Name)
	if l := f.cat.Index().Libraries[p.Library]; l != nil {
		add(l.Name, l.Code, l.Family, string(l.Room))
	}
	if s := sound.ByID(p.Sound); p.Sound != "" && s != nil {
		add(s.Name, s.Section)
		add(s.Names...)
	}
	add(p.Roles...)
	for _, m := range p.Map {
		add(m.Articulation)
		if t := f.words.Find(m.Articulation); t != nil {
			add(t.Name, t.Short, string(t.Family))
			add(t.Synonyms...)
		}
	}
	return b.String()
}

func words(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// Query asks for patches.
type Query struct {
	Text    string      // every word must begin a word of the patch
	Library template.ID // empty for all
	Sound   string      // of this kind; empty for all
	Sort    string      // "name", "memory", "library" or empty: as they stand
}

// Find lists the patches that match.
func (f *Finder) Find(q Query) []*template.Patch {
	asked := words(q.Text)
	for n := range asked {
		asked[n] = " " + asked[n]
	}
	out := []*template.Patch{}
	for n, p := range f.cat.Patches {
		if q.Library != "" && p.Library != q.Library || q.Sound != "" && !sound.Akin(p.Sound, q.Sound) {
			continue
		}
		if !slices.ContainsFunc(asked, func(w string) bool { return !strings.Contains(f.lines[n], w) }) {
			out = append(out, p)
		}
	}
	f.sort(out, q.Sort)
	return out
}

func (f *Finder) sort(list []*template.Patch, by string) {
	switch by {
	case "name":
		slices.SortStableFunc(list, func(a, b *template.Patch) int {
			return strings.Compare(template.FoldName(a.Name), template.FoldName(b.Name))
		})
	case "memory":
		slices.SortStableFunc(list, func(a, b *template.Patch) int { return cmp.Compare(b.PreloadMiB, a.PreloadMiB) })
	case "library":
		x := f.cat.Index().Libraries
		slices.SortStableFunc(list, func(a, b *template.Patch) int {
			return strings.Compare(template.FoldName(x[a.Library].Name), template.FoldName(x[b.Library].Name))
		})
	}
}
