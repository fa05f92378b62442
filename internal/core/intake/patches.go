package intake

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// figure is a column of what a patch takes or plays: how a row says it, how a
// patch has it, and which of two statements is taken.
type figure struct {
	column string
	said   func(Row) (float64, bool)
	has    func(*template.Patch) (float64, bool) // false where nobody said it
	set    func(*template.Patch, float64)
	takes  func(a, b float64) bool // a rather than b
	taken  string                  // which that is, in words
}

func larger(a, b float64) bool  { return a > b }
func smaller(a, b float64) bool { return a < b }

func saidSize(x *float64) (float64, bool) {
	if x == nil {
		return 0, false
	}
	return *x, true
}

func saidWhole(x *int) (float64, bool) {
	if x == nil {
		return 0, false
	}
	return float64(*x), true
}

// figures of a patch that several rows may say. A patch that nobody gave a range
// plays all keys.
var figures = []figure{
	{
		"preload_mib", func(r Row) (float64, bool) { return saidSize(r.PreloadMiB) },
		func(p *template.Patch) (float64, bool) { return p.PreloadMiB, !p.Guessed },
		func(p *template.Patch, x float64) { p.PreloadMiB, p.Guessed = x, false },
		larger, "the larger",
	},
	{
		"full_mib", func(r Row) (float64, bool) { return saidSize(r.FullMiB) },
		func(p *template.Patch) (float64, bool) { return p.FullMiB, p.FullMiB > 0 },
		func(p *template.Patch, x float64) { p.FullMiB = x },
		larger, "the larger",
	},
	{
		"voices", func(r Row) (float64, bool) { return saidWhole(r.Voices) },
		func(p *template.Patch) (float64, bool) { return float64(p.Voices), p.Voices > 0 },
		func(p *template.Patch, x float64) { p.Voices = int(x) },
		larger, "the larger",
	},
	{
		"key_low", func(r Row) (float64, bool) { return saidWhole(r.KeyLow) },
		func(p *template.Patch) (float64, bool) { return float64(p.KeyLow), p.KeyLow > 0 || p.KeyHigh < 127 },
		func(p *template.Patch, x float64) { p.KeyLow = int(x) },
		smaller, "the lower",
	},
	{
		"key_high", func(r Row) (float64, bool) { return saidWhole(r.KeyHigh) },
		func(p *template.Patch) (float64, bool) { return float64(p.KeyHigh), p.KeyLow > 0 || p.KeyHigh < 127 },
		func(p *template.Patch, x float64) { p.KeyHigh = int(x) },
		larger, "the higher",
	},
}

// mention is a patch that rows name, and what they say of it.
type mention struct {
	patch *template.Patch // as it will be
	was   *template.Patch // as the template has it; nil for a new one
	rows  []Row
}

// source is the file a row names, nil for none.
func (r Row) source() *template.Source {
	if r.File == "" {
		return nil
	}
	s := &template.Source{File: r.File}
	if r.Bank != nil {
		s.Bank = *r.Bank
	}
	if r.Programme != nil {
		s.Programme = *r.Programme
	}
	return s
}

// patch finds or makes the patch a row plays: the one of that source in the
// library, else the one of that name, unless that comes from another source.
func (p *planner) patch(row Row) template.ID {
	l, source := p.libraryNamed(row.libraryName(p.def)), row.source()
	x := p.patches.Find(l.ID, row.patchName(), source)
	if x == nil {
		x = &template.Patch{
			ID: p.mint("patch"), Library: l.ID, PreloadMiB: p.def.PreloadMiB, Guessed: true, KeyHigh: 127, Source: source,
			Name: p.patches.Free(l.ID, strings.TrimSpace(row.patchName()), source),
		}
		p.mentions[x.ID] = &mention{patch: x}
		p.named = append(p.named, x.ID)
		p.report.Patches++
	}
	m := p.mentions[x.ID]
	if m == nil {
		now := *x
		m = &mention{patch: &now, was: x}
		p.mentions[x.ID] = m
		p.named = append(p.named, x.ID)
	}
	if m.patch.Source == nil {
		m.patch.Source = source
	}
	p.patches.Know(m.patch)
	m.rows = append(m.rows, row)
	return m.patch.ID
}

// settle gives each patch what its rows say of it: what is stated beats what
// is guessed, and of several statements one is taken and told.
func (p *planner) settle() {
	for _, id := range p.named {
		m := p.mentions[id]
		for _, f := range figures {
			p.settleFigure(m, f)
		}
		if m.patch.KeyLow > m.patch.KeyHigh { // each from another row
			m.patch.KeyLow, m.patch.KeyHigh = m.patch.KeyHigh, m.patch.KeyLow
			p.report.Told = append(p.report.Told, Problem{Line: m.rows[0].Line, Column: "key_high", Reason: fmt.Sprintf(
				"the lines of %s put its highest key below its lowest; they are exchanged", m.patch.Name)})
		}
		p.settlePlayer(m)
		if m.patch.Guessed && m.was == nil {
			p.blanks["preload_mib"]++
		}
		if m.was == nil || !sameFigures(m.was, m.patch) {
			p.put.Patches = append(p.put.Patches, change.Append(m.patch))
		}
	}
}

func sameFigures(a, b *template.Patch) bool {
	return a.Player == b.Player && a.Guessed == b.Guessed && a.Source.Is(b.Source) &&
		!slices.ContainsFunc(figures, func(f figure) bool {
			x, _ := f.has(a)
			y, _ := f.has(b)
			return x != y
		})
}

// settleFigure takes one figure of a patch from its rows.
func (p *planner) settleFigure(m *mention, f figure) {
	var said statements
	best, known := 0.0, false
	if m.was != nil {
		if best, known = f.has(m.was); known {
			said.add(figureText(best), 0)
		}
	}
	measured := known && m.was.Measured
	for _, row := range m.rows {
		x, ok := f.said(row)
		if !ok {
			continue
		}
		said.add(figureText(x), row.Line)
		if !known || !measured && f.takes(x, best) {
			best, known = x, true
		}
	}
	if known {
		f.set(m.patch, best)
	}
	taken := f.taken + " is taken"
	if measured {
		taken = "what was measured stays"
	}
	p.differ(m, f.column, said, taken)
}

// settlePlayer gives a patch that nobody said the player of the first its rows state.
func (p *planner) settlePlayer(m *mention) {
	var said statements
	known := m.was != nil && template.FoldName(p.playerName(m.was.Player)) != template.FoldName(p.def.Player.Name)
	if known {
		said.add(p.playerName(m.was.Player), 0)
	}
	first := ""
	for _, row := range m.rows {
		if name := strings.TrimSpace(row.Player); name != "" {
			if first == "" {
				first = name
			}
			said.add(name, row.Line)
		}
	}
	if m.was == nil || !known && first != "" {
		m.patch.Player = p.playerNamed(first).ID
	}
	p.differ(m, "player", said, "the first stays")
}

func (p *planner) playerName(id template.ID) string {
	for _, x := range p.player {
		if x.ID == id {
			return x.Name
		}
	}
	return ""
}

func figureText(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// statement is what one or several lines say; line 0 is the template itself.
type statement struct {
	text  string
	lines []int
}

type statements []statement

func (s *statements) add(text string, line int) {
	for n := range *s {
		if template.FoldName((*s)[n].text) == template.FoldName(text) {
			(*s)[n].lines = append((*s)[n].lines, line)
			return
		}
	}
	*s = append(*s, statement{text, []int{line}})
}

// mostStatements bounds how many are quoted.
const mostStatements = 4

// differ tells once that what is said of a patch differs.
func (p *planner) differ(m *mention, column string, said statements, taken string) {
	if len(said) < 2 {
		return
	}
	var parts []string
	line := 0
	for n, s := range said {
		if s.lines[0] > 0 && line == 0 {
			line = s.lines[0]
		}
		if n < mostStatements {
			parts = append(parts, s.String())
		}
	}
	if more := len(said) - mostStatements; more > 0 {
		parts = append(parts, fmt.Sprintf("%d more", more))
	}
	p.report.Told = append(p.report.Told, Problem{Line: line, Column: column, Reason: fmt.Sprintf(
		"%s is %s; %s", m.patch.Name, strings.Join(parts, ", "), taken)})
}

func (s statement) String() string {
	switch {
	case s.lines[0] == 0:
		return s.text + " so far"
	case len(s.lines) == 1:
		return fmt.Sprintf("%s in line %d", s.text, s.lines[0])
	case len(s.lines) == 2:
		return fmt.Sprintf("%s in lines %d and %d", s.text, s.lines[0], s.lines[1])
	}
	return fmt.Sprintf("%s in line %d and %d more", s.text, s.lines[0], len(s.lines)-1)
}

// Apart is a name that is not taken: the name itself, else with what tells its
// source apart - the folder before it, then the file, then bank and programme
// after it - else with a number. No name is longer than template.MaxName.
func Apart(name string, source *template.Source, taken func(string) bool) string {
	name = Nameable(name)
	if !taken(name) {
		return name
	}
	for _, try := range Qualified(name, source) {
		if !taken(try) {
			return try
		}
	}
	for n := 2; ; n++ {
		if try := ended(name, fmt.Sprintf(" %d", n)); !taken(try) {
			return try
		}
	}
}

// Qualified are the names a patch may have instead of its own, by what tells
// its source apart, the shortest first.
func Qualified(name string, source *template.Source) []string {
	if source == nil {
		return nil
	}
	var out []string
	if folder := source.Folder(); folder != "" {
		out = append(out, Nameable(folder+" "+name))
	}
	base := path.Base(source.File)
	base = strings.TrimSuffix(base, path.Ext(base))
	if template.FoldName(base) != template.FoldName(name) {
		out = append(out, ended(name, fmt.Sprintf(" (%s)", base)))
	}
	out = append(out, ended(name, fmt.Sprintf(" (%d:%d)", source.Bank, source.Programme)))
	return append(out, ended(name, fmt.Sprintf(" (%s %d:%d)", base, source.Bank, source.Programme)))
}

// Nameable makes a name of any text: without what template.CheckName refuses.
func Nameable(text string) string {
	clean := strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(text, "\uFFFD")))
	if clean == "" {
		clean = "Unnamed"
	}
	return ended(clean, "")
}

// ended is a name with an ending, shortened before it to be no longer than a name may be.
func ended(name, ending string) string {
	letters, end := []rune(name), []rune(ending)
	if len(end) > template.MaxName/2 {
		end = end[len(end)-template.MaxName/2:]
	}
	return strings.TrimSpace(string(letters[:min(len(letters), template.MaxName-len(end))])) + string(end)
}
