package catalogue

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Measured is a patch as a scan measured it.
type Measured struct {
	Name    string
	Folder  string // where its file lies, to tell patches of one name apart
	Measure patch.Measure
}

// Taken says what a scan meant for the catalogue.
type Taken struct {
	Added   int
	Updated int
	Same    int
	Unsure  *intake.Doubt // a size of a list that may be read in two ways; nil for none
}

// Scanned is the change that takes measured patches into a library of the
// catalogue, made when it is not there. What people said of a patch stays:
// only what was measured is set. A new one is given the instrument its name or
// folder speaks of, and a map of the key switches found.
func Scanned(cat *template.Template, library string, list []Measured, mint Mint) (change.Change, Taken, error) {
	named := intake.NewNamed(cat, mint)
	l, err := named.Library(library)
	if err != nil {
		return nil, Taken{}, &change.Refused{Reason: fmt.Sprintf("the library can not be named so: %s", err)}
	}
	player := named.Player()
	put := named.Put()
	k := newKnown(cat)
	var sum Taken
	for _, m := range unique(list) {
		there := k.patches[[2]string{string(l.ID), template.FoldName(m.Name)}]
		if there == nil {
			put.Patches = append(put.Patches, change.Append(fresh(m, l.ID, player.ID, mint)))
			sum.Added++
			continue
		}
		now := *there
		measured(&now, m.Measure)
		if differs(&now, there) {
			put.Patches = append(put.Patches, change.Append(&now))
			sum.Updated++
		} else {
			sum.Same++
		}
	}
	return change.Batch{Label: fmt.Sprintf("Take in %d scanned patches of %s", len(list), l.Name), Changes: []change.Change{put}}, sum, nil
}

// unique gives patches of one name their folder's name, and a number where
// that is not enough.
func unique(list []Measured) []Measured {
	count := map[string]int{}
	for _, m := range list {
		count[template.FoldName(m.Name)]++
	}
	out, taken := slices.Clone(list), map[string]bool{}
	for n, m := range out {
		if count[template.FoldName(m.Name)] > 1 && m.Folder != "" {
			m.Name = m.Folder + " " + m.Name
		}
		name := m.Name
		for k := 2; taken[template.FoldName(name)]; k++ {
			name = fmt.Sprintf("%s %d", m.Name, k)
		}
		taken[template.FoldName(name)] = true
		out[n].Name = shortened(name)
	}
	return out
}

func shortened(name string) string {
	if letters := []rune(name); len(letters) > template.MaxName {
		return string(letters[:template.MaxName])
	}
	return name
}

// measured sets what a scan measures.
func measured(p *template.Patch, m patch.Measure) {
	p.Measured = true
	p.PreloadMiB, p.FullMiB = m.PreloadMiB, m.FullMiB
	p.KeyLow, p.KeyHigh, p.RoundRobins = m.KeyLow, m.KeyHigh, m.RoundRobins
	if len(m.Switches) > 0 {
		p.SwitchZone = &template.KeyZone{Low: m.Switches[0], High: m.Switches[len(m.Switches)-1]}
	}
}

// fresh makes a patch of what a scan found. Samples answer to velocity unless
// their format says otherwise: in SFZ by amp_veltrack, in SoundFont 2.04 by
// the default modulator of section 8.4.1.
func fresh(m Measured, library, player template.ID, mint Mint) *template.Patch {
	p := &template.Patch{ID: mint("patch"), Library: library, Player: player, Name: m.Name, Dynamics: template.DynamicsVelocity}
	measured(p, m.Measure)
	for _, text := range []string{m.Name, m.Folder} {
		if s := sound.ByName(text); s != nil {
			p.Sound, p.Roles = s.ID, slices.Clone(s.Roles)
			break
		}
	}
	for n, key := range m.Measure.Switches {
		if n == template.MaxMappings {
			break
		}
		p.Map = append(p.Map, template.Mapping{
			Articulation: cmp.Or(m.Measure.Labels[key], fmt.Sprintf("switch %d", n+1)),
			Switches:     []template.Switch{{Kind: template.ByKey, Number: key}},
		})
	}
	return p
}
