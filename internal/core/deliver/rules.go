package deliver

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/note"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Traits are what stem rules look at in one instrument.
type Traits struct {
	Family    template.Family   // of its first articulation; empty without one
	Also      []template.Family // families of the others
	Register  template.Register // empty when its range is not known
	Usual     string            // the instrument that is usually in this register; empty where its range decides
	Low       int               // its range, MIDI notes
	High      int
	Libraries []template.ID // of all its patches
	Roles     []string
}

// Verdict is what the stem rules say of one instrument.
type Verdict struct {
	Instrument *template.Instrument
	Now        []*template.Bus // stems of the finest fold it reaches
	Stem       *template.Bus   // the rules' stem; nil when no rule matches
	Rule       int             // position of the rule; -1 when none matches
	Exception  bool            // its stem was set by hand: the rules pass it by
	Also       []template.Family

	sorter *Sorter
}

// Why tells which conditions of its rule the instrument met, and how.
func (v Verdict) Why() string {
	if v.Rule < 0 {
		return ""
	}
	return v.sorter.why(v.Rule, v.Instrument)
}

// Moves tells whether applying the rules gives the instrument another stem. One
// that sits with another goes that one's way.
func (v Verdict) Moves() bool {
	return v.Stem != nil && v.Instrument.With == "" && !v.Exception && (len(v.Now) != 1 || v.Now[0] != v.Stem)
}

// Sorter applies stem rules to instruments. It is for one goroutine.
type Sorter struct {
	t        *template.Template
	words    *articulation.Vocabulary
	rules    []*template.StemRule
	patterns []*regexp.Regexp
	lines    map[template.ID]map[template.ID]bool // section → itself and its parents
	families map[string]template.Family           // of articulations met
}

// NewSorter takes rules, which may be others than the template's own.
func NewSorter(t *template.Template, rules []*template.StemRule) *Sorter {
	s := &Sorter{t: t, words: articulation.NewVocabulary(t.Vocabulary), rules: rules, lines: map[template.ID]map[template.ID]bool{}, families: map[string]template.Family{}}
	for _, r := range rules {
		s.patterns = append(s.patterns, pattern(r.Name))
	}
	for _, section := range t.Sections {
		line := map[template.ID]bool{}
		for _, above := range t.Ancestry(section.ID) {
			line[above.ID] = true
		}
		s.lines[section.ID] = line
	}
	return s
}

// pattern reads a name pattern: * stands for any letters, ? for one, and case
// does not matter. A pattern without either is a part of the name.
func pattern(text string) *regexp.Regexp {
	if text == "" {
		return nil
	}
	if !strings.ContainsAny(text, "*?") {
		text = "*" + text + "*"
	}
	quoted := regexp.QuoteMeta(text)
	quoted = strings.ReplaceAll(strings.ReplaceAll(quoted, `\*`, ".*"), `\?`, ".")
	return regexp.MustCompile(`(?is)^` + quoted + `$`)
}

// Traits looks at one instrument.
func (s *Sorter) Traits(i *template.Instrument) Traits {
	var tr Traits
	patches := s.t.PatchesOf(i)
	if len(i.Articulations) > 0 {
		tr.Family = s.familyOf(i.Articulations[0])
		for _, a := range i.Articulations[1:] {
			if f := s.familyOf(a); plainFamily(f) != plainFamily(tr.Family) && f != template.Effect && !slices.Contains(tr.Also, f) {
				tr.Also = append(tr.Also, f)
			}
		}
	}
	for _, p := range patches {
		tr.Libraries = append(tr.Libraries, p.Library)
		for _, role := range p.Roles {
			tr.Roles = append(tr.Roles, template.FoldName(role))
		}
	}
	if len(patches) > 0 {
		tr.Low, tr.High = rangeOf(patches[0])
	}
	of := ""
	if len(patches) > 0 && s.t.Settings.Deliver.SplitKey == 0 {
		of = sound.Register(patches[0].Sound)
	}
	switch middle := tr.Low + tr.High; {
	case of != "":
		tr.Register, tr.Usual = template.Register(of), strings.ToLower(sound.ByID(patches[0].Sound).Name)
	case tr.High == 0:
	case middle < 2*s.t.SplitKey():
		tr.Register = template.Low
	default:
		tr.Register = template.High
	}
	return tr
}

func (s *Sorter) familyOf(name string) template.Family {
	f, known := s.families[name]
	if !known {
		f = s.words.FamilyOf(name)
		s.families[name] = f
	}
	return f
}

// rangeOf is the range of a patch; one that claims every key takes that of the
// instrument it is.
func rangeOf(p *template.Patch) (low, high int) {
	if p.KeyLow > 0 || p.KeyHigh < 127 {
		return p.KeyLow, p.KeyHigh
	}
	if card := sound.ByID(p.Sound); p.Sound != "" && card != nil {
		return card.Low, card.High
	}
	return 0, 0
}

// plainFamily takes legato for the long playing it is.
func plainFamily(f template.Family) template.Family {
	if f == template.Legato {
		return template.Long
	}
	return f
}

// Match finds the first rule that an instrument meets; -1 when none does.
func (s *Sorter) Match(i *template.Instrument) (int, Traits) {
	tr, within := s.Traits(i), s.lines[i.Section]
	for n, r := range s.rules {
		if (r.Section == "" || within[r.Section]) && s.meets(i, tr, r) && (s.patterns[n] == nil || s.patterns[n].MatchString(i.Name)) {
			return n, tr
		}
	}
	return -1, tr
}

func (s *Sorter) meets(i *template.Instrument, tr Traits, r *template.StemRule) bool {
	return (r.Kind == "" || r.Kind == i.Kind) &&
		(r.Library == "" || slices.Contains(tr.Libraries, r.Library)) &&
		(r.Family == "" || r.Family == tr.Family || r.Family == plainFamily(tr.Family)) &&
		(r.Register == "" || r.Register == tr.Register) &&
		(r.Role == "" || slices.Contains(tr.Roles, template.FoldName(r.Role)))
}

func (s *Sorter) why(rule int, i *template.Instrument) string {
	r, tr := s.rules[rule], s.Traits(i)
	var met []string
	say := func(is bool, text string, args ...any) {
		if is {
			met = append(met, fmt.Sprintf(text, args...))
		}
	}
	if r.Section != "" {
		say(true, "stands in %s", s.t.SectionPath(r.Section))
	}
	say(r.Kind != "", "is %s", r.Kind)
	if r.Library != "" {
		say(true, "plays %s", s.t.Index().Libraries[r.Library].Name)
	}
	if r.Family != "" {
		say(true, "%s, as %s is", r.Family, i.Articulations[0])
	}
	say(r.Register != "" && tr.Usual != "", "%s, as is usual for %s", r.Register, tr.Usual)
	say(r.Register != "" && tr.Usual == "", "%s: %s to %s", r.Register, note.Name(tr.Low, s.t.MiddleC()), note.Name(tr.High, s.t.MiddleC()))
	say(r.Role != "", "has the role %s", r.Role)
	say(r.Name != "", "its name matches %q", r.Name)
	if len(met) == 0 {
		return "the rule takes everything"
	}
	return strings.Join(met, "; ")
}

// Sort tells what the rules say of every instrument that can go to a stem, in
// list order. Guides never can.
func (s *Sorter) Sort(f *fan.Fan) []Verdict {
	out := make([]Verdict, 0, len(s.t.Instruments))
	for n, i := range s.t.Instruments {
		if !i.FeedsStems() {
			continue
		}
		v := Verdict{Instrument: i, Exception: i.StemByHand, sorter: s}
		if len(s.t.Folds) > 0 {
			v.Now = f.StemsIn(f.FromRow(n), s.t.Folds[0].ID)
		}
		rule, tr := s.Match(i)
		v.Rule, v.Also = rule, tr.Also
		if v.Rule >= 0 {
			v.Stem = s.t.Index().Buses[s.rules[v.Rule].Stem]
		}
		out = append(out, v)
	}
	return out
}

// Text tells a rule in words: "within Strings, register low, short".
func Text(t *template.Template, r *template.StemRule) string {
	var parts []string
	x := t.Index()
	if s := x.Sections[r.Section]; s != nil {
		parts = append(parts, "within "+t.SectionPath(s.ID))
	}
	if r.Register != "" {
		parts = append(parts, "register "+string(r.Register))
	}
	if r.Family != "" {
		parts = append(parts, string(r.Family))
	}
	if l := x.Libraries[r.Library]; l != nil {
		parts = append(parts, "of "+l.Name)
	}
	if r.Kind != "" {
		parts = append(parts, string(r.Kind))
	}
	if r.Role != "" {
		parts = append(parts, "role "+r.Role)
	}
	if r.Name != "" {
		parts = append(parts, fmt.Sprintf("named %q", r.Name))
	}
	if len(parts) == 0 {
		return "everything else"
	}
	return strings.Join(parts, ", ")
}
