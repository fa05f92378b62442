package intake

import (
	"fmt"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Named finds what people name, without regard to case, or makes it just as
// bringing in a row list does. What was made is in Put.
type Named struct{ p *planner }

// NewNamed finds and makes things of a template.
func NewNamed(t *template.Template, mint Mint) *Named {
	return &Named{newPlanner(t, mint, StandardDefaults())}
}

// Put is the change that makes what was missing.
func (n *Named) Put() change.Put { return n.p.put }

// Section finds or makes the section of a path: "Winds / Flutes".
func (n *Named) Section(path string) (*template.Section, error) {
	if problems := n.p.checkSection(Row{Section: path}); len(problems) > 0 {
		return nil, fmt.Errorf("%s", problems[0].Reason)
	}
	return n.p.section(path), nil
}

// Stem finds or makes a stem of the finest fold, for instruments of a section
// of the template. A new one feeds the stem of its top section in the next
// fold, which is made too if it is not there.
func (n *Named) Stem(name string, section template.ID) (*template.Bus, error) {
	return n.StemOf(name, n.p.t.SectionPath(section), section)
}

// StemOf is Stem for a section that may only just have been made, by its path.
func (n *Named) StemOf(name, path string, section template.ID) (*template.Bus, error) {
	if err := template.CheckName(name); err != nil {
		return nil, err
	}
	return n.p.stem(Row{Stem: name, Section: path}, section), nil
}

// Library finds a library by name or code, or makes it.
func (n *Named) Library(name string) (*template.Library, error) {
	if err := template.CheckName(name); err != nil {
		return nil, err
	}
	for _, l := range n.p.t.Libraries {
		if strings.EqualFold(l.Code, strings.TrimSpace(name)) {
			return l, nil
		}
	}
	return n.p.libraryNamed(name), nil
}

// PlayerNamed finds a player by name, or makes it with the standard figures.
func (n *Named) PlayerNamed(name string) *template.Player { return n.p.playerNamed(name) }

// Player finds or makes the player that plays what says no player: the
// template's first, else the standard one.
func (n *Named) Player() *template.Player {
	if len(n.p.t.Players) > 0 {
		return n.p.t.Players[0]
	}
	return n.p.playerNamed("")
}
