package intake

import (
	"fmt"
	"strings"
	"unicode"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// section finds or makes the section at the end of a path.
func (p *planner) section(path string) *template.Section {
	var parent *template.Section
	key := ""
	for n, name := range splitPath(path) {
		if n > 0 {
			key += template.PathSeparator
		}
		key += template.FoldName(name)
		s := p.sections[key]
		if s == nil {
			s = &template.Section{ID: p.mint("section"), Name: name}
			if parent == nil {
				s.Tint = template.TintFor(name)
			} else {
				s.Parent = parent.ID
			}
			p.sections[key] = s
			p.put.Sections = append(p.put.Sections, change.Append(s))
			p.report.Sections = append(p.report.Sections, strings.Join(splitPath(path)[:n+1], template.PathSeparator))
		}
		parent = s
	}
	return parent
}

// destination finds or makes the group, or without one the stem, a row feeds.
func (p *planner) destination(row Row, section template.ID) template.ID {
	stem := p.stem(row, section)
	if row.Group == "" {
		return stem.ID
	}
	key := [2]string{template.FoldName(row.Group), string(stem.ID)}
	g := p.groups[key]
	if g == nil {
		name := strings.TrimSpace(row.Group)
		if p.names[template.FoldName(name)] { // the same name already feeds another stem
			name += " (" + stem.Name + ")"
		}
		g = &template.Bus{
			ID: p.mint("bus"), Kind: template.Group, Name: name, Section: section,
			Routes: []template.Route{{To: stem.ID, Tap: template.Post}},
		}
		p.groups[key], p.names[template.FoldName(name)] = g, true
		p.put.Buses = append(p.put.Buses, change.Append(g))
		p.report.Groups = append(p.report.Groups, name)
	}
	return g.ID
}

// stem finds or makes a stem of the finest fold. A new one feeds the stem of
// its top section in the next fold, which feeds the mix.
func (p *planner) stem(row Row, section template.ID) *template.Bus {
	s := p.stems[template.FoldName(row.Stem)]
	if s != nil {
		return s
	}
	to := p.t.TheMix().ID
	if len(p.t.Folds) > 1 {
		to = p.coarseStem(splitPath(row.Section)[0]).ID
	}
	s = &template.Bus{
		ID: p.mint("bus"), Kind: template.Stem, Name: strings.TrimSpace(row.Stem), Fold: p.t.Folds[0].ID, Section: section,
		Routes: []template.Route{{To: to, Tap: template.Post}},
	}
	p.stems[template.FoldName(row.Stem)] = s
	p.put.Buses = append(p.put.Buses, change.Append(s))
	p.report.Stems = append(p.report.Stems, s.Name)
	return s
}

func (p *planner) coarseStem(name string) *template.Bus {
	b := p.coarse[template.FoldName(name)]
	if b == nil {
		b = &template.Bus{
			ID: p.mint("bus"), Kind: template.Stem, Name: name, Fold: p.t.Folds[1].ID, Section: p.section(name).ID,
			Routes: []template.Route{{To: p.t.TheMix().ID, Tap: template.Post}},
		}
		p.coarse[template.FoldName(name)] = b
		p.put.Buses = append(p.put.Buses, change.Append(b))
		p.report.Stems = append(p.report.Stems, name)
	}
	return b
}

func (p *planner) libraryNamed(name string) *template.Library {
	l := p.library[template.FoldName(name)]
	if l == nil {
		l = &template.Library{ID: p.mint("library"), Name: strings.TrimSpace(name), Code: Code(name)}
		p.library[template.FoldName(name)] = l
		p.put.Libraries = append(p.put.Libraries, change.Append(l))
		p.report.Libraries = append(p.report.Libraries, l.Name)
	}
	return l
}

func (p *planner) playerNamed(name string) *template.Player {
	if name == "" {
		name = p.def.Player.Name
		p.blanks["player"]++
	}
	x := p.player[template.FoldName(name)]
	if x == nil {
		made := p.def.Player
		made.ID, made.Name, made.Order = p.mint("player"), strings.TrimSpace(name), len(p.player)+1
		x = &made
		p.player[template.FoldName(name)] = x
		p.put.Players = append(p.put.Players, change.Append(x))
		p.report.Players = append(p.report.Players, x.Name)
	}
	return x
}

func (p *planner) machineNamed(name string) *template.Machine {
	m := p.machine[template.FoldName(name)]
	if m == nil {
		made := p.def.Machine
		made.ID, made.Name = p.mint("machine"), strings.TrimSpace(name)
		m = &made
		p.machine[template.FoldName(name)] = m
		p.put.Machines = append(p.put.Machines, change.Append(m))
		p.report.Machines = append(p.report.Machines, m.Name)
	}
	return m
}

// state writes down which defaults were used.
func (p *planner) state() {
	say := func(text string, args ...any) { p.report.Stated = append(p.report.Stated, fmt.Sprintf(text, args...)) }
	if len(p.report.Players) > 0 {
		d := p.def.Player
		say("New players hold %d sounds, have %d output pairs, take %g MiB of their own and wake in %g s, then %g s.",
			d.Sounds, d.Outputs, d.OwnMiB, float64(d.WakeMs)/1000, float64(d.WakeAgainMs)/1000)
	}
	if len(p.report.Machines) > 0 {
		d := p.def.Machine
		say("New machines have %g GiB with %g GiB kept back, %d cores and a disk of %g MiB/s.", d.MemoryMiB/1024, d.ReserveMiB/1024, d.Cores, d.DiskMiBs)
	}
	if n := p.blanks["preload_mib"]; n > 0 {
		say("%s no preload size and %s taken as %g MiB.", patchesSay(n), isOrAre(n), p.def.PreloadMiB)
	}
	if n := p.blanks["player"]; n > 0 {
		say("%s no player and %s played by %s.", patchesSay(n), isOrAre(n), p.def.Player.Name)
	}
}

func patchesSay(n int) string {
	if n == 1 {
		return "1 patch says"
	}
	return fmt.Sprintf("%d patches say", n)
}

func isOrAre(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

// Code makes a short code of a library's name: the first letters of its
// words, or the first three letters of a single one.
func Code(name string) string {
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	code := ""
	for _, w := range words {
		code += string([]rune(w)[:1])
	}
	if len(words) == 1 {
		code = string([]rune(words[0])[:min(3, len([]rune(words[0])))])
	}
	runes := []rune(strings.ToUpper(code))
	return string(runes[:min(4, len(runes))])
}
