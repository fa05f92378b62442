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
	Source  template.Source
	Measure patch.Measure
}

// Taken says what a scan meant for the catalogue.
type Taken struct {
	Added   int
	Updated int
	Same    int
	Told    []intake.Problem // where lines of a list disagree about a patch; they are taken
	Unsure  *intake.Doubt    // a size of a list that may be read in two ways; nil for none
}

// Scanned is the change that takes measured patches into a library of the
// catalogue, made when it is not there. What people said of a patch stays:
// only what was measured is set. A new one is given the instrument its name or
// folder speaks of, and a map of the key switches found.
func Scanned(cat *template.Template, library string, list []Measured, mint Mint) (change.Change, Taken, error) {
	named := intake.NewNamed(cat, mint)
	l, err := named.Library(library)
	if err != nil {
		return nil, Taken{}, &change.Refused{Reason: fmt.Sprintf("the library cannot have that name: %s", err)}
	}
	player := named.Player()
	put := named.Put()
	k := newKnown(cat)
	var sum Taken
	for _, m := range Distinct(list) {
		there := k.patches.Find(l.ID, m.Name, &m.Source)
		if there == nil {
			m.Name = k.patches.Free(l.ID, m.Name, &m.Source)
			p := fresh(m, l.ID, player.ID, mint)
			k.patches.Know(p)
			put.Patches = append(put.Patches, change.Append(p))
			sum.Added++
			continue
		}
		now := *there
		measured(&now, m)
		k.patches.Know(&now)
		if differs(&now, there) {
			put.Patches = append(put.Patches, change.Append(&now))
			sum.Updated++
		} else {
			sum.Same++
		}
	}
	return change.Batch{Label: fmt.Sprintf("Take in %d scanned patches of %s", len(list), l.Name), Changes: []change.Change{put}}, sum, nil
}

// Distinct gives patches of one name names by what tells their files apart, the
// shortest way that tells all of them apart, and makes every name one that a patch may
// have.
func Distinct(list []Measured) []Measured {
	out, same := slices.Clone(list), map[string][]int{}
	for n := range out {
		out[n].Name = intake.Nameable(out[n].Name)
		same[template.FoldName(out[n].Name)] = append(same[template.FoldName(out[n].Name)], n)
	}
	taken := map[string]bool{}
	for name, group := range same {
		taken[name] = len(group) == 1
	}
	for n := range out {
		name := template.FoldName(out[n].Name)
		if group := same[name]; len(group) > 1 && group[0] == n {
			tellApart(out, group, taken)
		}
	}
	return out
}

// tellApart names the patches of one name.
func tellApart(list []Measured, group []int, taken map[string]bool) {
	ways := map[int][]string{} // by position: the ways to name it
	most := 0
	for _, n := range group {
		ways[n] = intake.Qualified(list[n].Name, &list[n].Source)
		most = max(most, len(ways[n]))
	}
	for way := range most {
		names := map[string]bool{}
		for _, n := range group {
			if way < len(ways[n]) && !taken[template.FoldName(ways[n][way])] {
				names[template.FoldName(ways[n][way])] = true
			}
		}
		if len(names) < len(group) {
			continue
		}
		for _, n := range group {
			list[n].Name = ways[n][way]
			taken[template.FoldName(list[n].Name)] = true
		}
		return
	}
	for _, n := range group { // no one way tells them all apart: one after another
		list[n].Name = intake.Apart(list[n].Name, &list[n].Source, func(name string) bool { return taken[template.FoldName(name)] })
		taken[template.FoldName(list[n].Name)] = true
	}
}

// measured sets what a scan measures.
func measured(p *template.Patch, found Measured) {
	m, source := found.Measure, found.Source
	p.Measured, p.Guessed, p.Source = true, false, &source
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
	measured(p, m)
	for _, text := range []string{m.Name, m.Source.Folder()} {
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
