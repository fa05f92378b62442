package intake

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Mint makes a new ID for a thing of a kind: "instrument", "section", ...
type Mint = template.Mint

// Sequence returns a Mint that counts, so that the same list always gives the
// same template: "instrument-1", "instrument-2".
func Sequence() Mint {
	counts := map[string]int{}
	return func(kind string) template.ID {
		counts[kind]++
		return template.ID(fmt.Sprintf("%s-%d", kind, counts[kind]))
	}
}

// Plan makes the change that takes the good rows into a template. Rows with a
// problem are left out whole.
func Plan(t *template.Template, rows []Row, mint Mint, def Defaults) (change.Batch, Report, []Problem) {
	p := newPlanner(t, mint, def)
	var problems []Problem
	var add change.Add
	if def.Free {
		rows = slices.Clone(rows)
		for n, r := range rows {
			if r.Kind == "" && r.Library == "" && r.Patch == "" && r.File == "" && r.PreloadMiB == nil && r.Layer < 2 {
				rows[n].Kind = string(template.Spare)
			}
		}
	}
	var above *template.Instrument // nil when there is none, or it had a problem
	for _, row := range rows {
		found := p.check(row)
		if row.Layer > 1 {
			found = append(found, p.checkLayer(row, above)...)
		}
		if len(found) > 0 {
			problems = append(problems, found...)
			if row.Layer < 2 {
				above = nil
			}
			continue
		}
		if row.Layer > 1 {
			above.Patches = append(above.Patches, p.patch(row))
			continue
		}
		above = p.instrument(row)
		add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: above})
	}
	p.report.Instruments = len(add.Instruments)
	p.settle()
	p.state()
	label := fmt.Sprintf("Bring in %d rows", len(add.Instruments))
	return change.Batch{Label: label, Changes: []change.Change{p.put, add}}, p.report, problems
}

// planner finds or makes the things that rows name.
type planner struct {
	t        *template.Template
	mint     Mint
	def      Defaults
	put      change.Put
	report   Report
	sections map[string]*template.Section // by lower-case path
	stems    map[string]*template.Bus     // of the finest fold, by lower-case name
	coarse   map[string]*template.Bus     // of the next fold
	groups   map[[2]string]*template.Bus  // by lower-case name and stem ID
	names    map[string]bool              // names of groups
	library  map[string]*template.Library
	player   map[string]*template.Player
	machine  map[string]*template.Machine
	patches  *Patches
	mentions map[template.ID]*mention
	named    []template.ID // patches, in the order they are mentioned
	speakers template.ID
	blanks   map[string]int // rows that used a default, by column
}

func newPlanner(t *template.Template, mint Mint, def Defaults) *planner {
	p := &planner{
		t: t, mint: mint, def: def, blanks: map[string]int{},
		sections: map[string]*template.Section{}, stems: map[string]*template.Bus{}, coarse: map[string]*template.Bus{},
		groups: map[[2]string]*template.Bus{}, names: map[string]bool{},
		library: map[string]*template.Library{}, player: map[string]*template.Player{}, machine: map[string]*template.Machine{},
		patches: NewPatches(t.Patches), mentions: map[template.ID]*mention{},
		report: Report{Told: []Problem{}, Sections: []string{}, Stems: []string{}, Groups: []string{}, Libraries: []string{}, Players: []string{}, Machines: []string{}, Stated: []string{}},
	}
	for _, s := range t.Sections {
		p.sections[template.FoldName(t.SectionPath(s.ID))] = s
	}
	for _, b := range t.Buses {
		p.know(b)
	}
	for _, l := range t.Libraries {
		p.library[template.FoldName(l.Name)] = l
	}
	for _, x := range t.Players {
		p.player[template.FoldName(x.Name)] = x
	}
	for _, m := range t.Machines {
		p.machine[template.FoldName(m.Name)] = m
	}
	return p
}

func (p *planner) know(b *template.Bus) {
	switch {
	case b.Kind.Is().Last:
		p.speakers = b.ID
	case b.Kind.Is().Stem && len(p.t.Folds) > 0 && b.Fold == p.t.Folds[0].ID:
		p.stems[template.FoldName(b.Name)] = b
	case b.Kind.Is().Stem && len(p.t.Folds) > 1 && b.Fold == p.t.Folds[1].ID:
		p.coarse[template.FoldName(b.Name)] = b
	case b.Kind.Is().Sums:
		p.names[template.FoldName(b.Name)] = true
		for _, r := range b.Routes {
			p.groups[[2]string{template.FoldName(b.Name), string(r.To)}] = b
		}
	}
}

// check finds what is wrong with a row before anything is made for it.
func (p *planner) check(row Row) []Problem {
	var out []Problem
	say := func(column, reason string, args ...any) {
		out = append(out, Problem{Line: row.Line, Column: column, Reason: fmt.Sprintf(reason, args...)})
	}
	kind := template.Kind(row.Kind)
	if kind == "" {
		kind = template.Sampled
	}
	if !slices.Contains(template.Kinds, kind) {
		say("kind", "%q is not a kind; kinds are %s", row.Kind, template.KindsInWords())
	}
	for _, n := range []struct {
		column, name string
		needed       bool
	}{
		{"instrument", row.Instrument, kind != template.Spare && kind != template.Divider}, {"library", row.Library, false}, {"patch", row.Patch, false},
		{"stem", row.Stem, false}, {"group", row.Group, false}, {"machine", row.Machine, false}, {"player", row.Player, false},
	} {
		if err := template.CheckName(n.name); err != nil && (n.needed || n.name != "") {
			say(n.column, "%s", err)
		}
	}
	if kind == template.Divider && (row.Library != "" || row.Patch != "" || row.Stem != "" || row.Group != "" || len(row.Articulations) > 0) {
		say("kind", "a divider plays nothing; leave library, patch, articulations, stem and group empty")
	}
	out = append(out, p.checkSection(row)...)
	if colours := p.t.ThePalette(); row.Colour != "" && !colours.Has(row.Colour) {
		say("colour", "%q is not a tint; use one of %s", row.Colour, strings.Join(colours.Names(), ", "))
	}
	if kind == template.Guide && row.Stem != "" {
		say("stem", "a guide goes straight to the speakers and is in no stem; leave the stem empty")
	}
	if row.Group != "" && row.Stem == "" && kind != template.Guide {
		say("stem", "the group %q needs a stem to feed", row.Group)
	}
	if row.KeyLow != nil && row.KeyHigh != nil && *row.KeyLow > *row.KeyHigh {
		say("key_high", "the highest key %d lies below the lowest %d", *row.KeyHigh, *row.KeyLow)
	}
	if len(row.Notes) > template.MaxNotes {
		say("notes", "notes hold at most %d bytes", template.MaxNotes)
	}
	if row.File == "" && (row.Bank != nil || row.Programme != nil) {
		say("file", "a bank or programme belongs to a file; name the file")
	}
	if len(row.File) > template.MaxFile {
		say("file", "the path is longer than %d bytes", template.MaxFile)
	}
	return out
}

// checkLayer finds what is wrong with a line that gives the row above a patch more.
func (p *planner) checkLayer(row Row, above *template.Instrument) []Problem {
	say := func(reason string, args ...any) []Problem {
		return []Problem{{Line: row.Line, Column: "layer", Reason: fmt.Sprintf(reason, args...)}}
	}
	switch {
	case above == nil:
		return say("layer %d plays beside the row above, and there is none, or it has a problem", row.Layer)
	case template.FoldName(above.Name) != template.FoldName(strings.TrimSpace(row.Instrument)):
		return say("layer %d is of %q, and the row above is %q; put it below its row", row.Layer, row.Instrument, above.Name)
	case above.Kind != template.Sampled:
		return say("the row above is %s and plays no patches", above.Kind)
	case len(above.Patches) >= MaxLayers:
		return say("a row plays at most %d patches", MaxLayers)
	}
	if x := p.patches.Find(p.libraryNamed(row.libraryName(p.def)).ID, row.patchName(), row.source()); x != nil && slices.Contains(above.Patches, x.ID) {
		return say("%s plays %s already", above.Name, x.Name)
	}
	return nil
}

func (p *planner) checkSection(row Row) []Problem {
	if strings.TrimSpace(row.Section) == "" {
		return []Problem{{Line: row.Line, Column: "section", Reason: "the section is empty; write a path such as Winds / Flutes"}}
	}
	names := splitPath(row.Section)
	if len(names) > template.MaxSectionDepth {
		return []Problem{{Line: row.Line, Column: "section", Reason: fmt.Sprintf("sections nest at most %d deep", template.MaxSectionDepth)}}
	}
	for _, n := range names {
		if err := template.CheckName(n); err != nil {
			return []Problem{{Line: row.Line, Column: "section", Reason: fmt.Sprintf("in the path %q %s", row.Section, err)}}
		}
	}
	return nil
}

func (r Row) libraryName(def Defaults) string {
	if r.Library == "" {
		return def.Library
	}
	return r.Library
}

func (r Row) patchName() string {
	if r.Patch != "" {
		return r.Patch
	}
	return r.Instrument
}

func splitPath(path string) []string {
	parts := strings.Split(path, "/")
	for i := range parts {
		parts[i] = strings.TrimSpace(parts[i])
	}
	return parts
}

// instrument makes the instrument of a row that has no problem.
func (p *planner) instrument(row Row) *template.Instrument {
	i := &template.Instrument{
		ID: p.mint("instrument"), Name: strings.TrimSpace(row.Instrument), Kind: template.Kind(row.Kind),
		Section: p.section(row.Section).ID, Articulations: append([]string{}, row.Articulations...),
		Patches: []template.ID{}, Colour: row.Colour, Notes: row.Notes, Routes: []template.Route{},
	}
	if i.Kind == "" {
		i.Kind = template.Sampled
	}
	if i.Name == "" && i.Kind != template.Divider {
		i.Name = "Spare"
	}
	if i.Kind == template.Sampled {
		i.Patches = []template.ID{p.patch(row)}
	}
	if row.Machine != "" {
		i.Style.Machine = p.machineNamed(row.Machine).ID
	}
	switch {
	case i.Kind == template.Guide && p.speakers != "":
		i.Routes = []template.Route{{To: p.speakers, Tap: template.Post}}
	case row.Stem != "":
		i.Routes = []template.Route{{To: p.destination(row, i.Section), Tap: template.Post}}
	}
	return i
}
