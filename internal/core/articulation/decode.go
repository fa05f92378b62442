package articulation

import (
	"cmp"
	"slices"

	"fanfold/internal/core/template"
)

// Decode works out how each note of recorded MIDI is played: by the keys and
// controllers of a map that stand at its time, and by its velocity. Notes that
// are only key switches are left out. A note that says itself how it is played
// keeps that. Programmes and channels are not looked at: what is recorded of a
// part holds none.
func Decode(m []template.Mapping, p Part) []Note {
	d := &decoder{m: m, keys: map[int]bool{}, standing: -1, values: map[int]int{}}
	for _, x := range m {
		for _, s := range x.Switches {
			if s.Kind == template.ByKey {
				d.keys[s.Number] = true
			}
		}
	}
	notes, controls := slices.Clone(p.Notes), slices.Clone(p.Controls)
	slices.SortStableFunc(notes, func(a, b Note) int {
		return cmp.Or(cmp.Compare(a.Start, b.Start), cmp.Compare(d.rank(a), d.rank(b)))
	})
	slices.SortStableFunc(controls, func(a, b Control) int { return cmp.Compare(a.Tick, b.Tick) })
	out := make([]Note, 0, len(notes))
	next := 0
	for _, n := range notes {
		for ; next < len(controls) && controls[next].Tick <= n.Start; next++ {
			d.values[controls[next].Number] = controls[next].Value
		}
		if d.keys[n.Key] {
			d.standing = n.Key
			d.held = append(d.held, n)
			continue
		}
		if len(n.Articulations) == 0 {
			if name := d.played(n); name != "" {
				n.Articulations = []string{name}
			}
		}
		out = append(out, n)
	}
	return out
}

type decoder struct {
	m        []template.Mapping
	keys     map[int]bool // that switch
	standing int          // the last of them; -1 before any
	held     []Note       // of them
	values   map[int]int  // of controllers
}

// rank puts switches before the notes they are for.
func (d *decoder) rank(n Note) int {
	if d.keys[n.Key] {
		return 0
	}
	return 1
}

// played is the articulation that most switches speak for; empty when none
// does.
func (d *decoder) played(n Note) string {
	best, most := "", -1
	for _, x := range d.m {
		if len(x.Switches) > most && !slices.ContainsFunc(x.Switches, func(s template.Switch) bool { return !d.stands(s, n) }) {
			best, most = x.Articulation, len(x.Switches)
		}
	}
	return best
}

func (d *decoder) stands(s template.Switch, n Note) bool {
	switch s.Kind {
	case template.ByKey:
		if !s.Hold {
			return d.standing == s.Number
		}
		return slices.ContainsFunc(d.held, func(h Note) bool { return h.Key == s.Number && h.End > n.Start })
	case template.ByController:
		v, known := d.values[s.Number]
		return known && s.Low <= v && v <= s.High
	case template.ByVelocity:
		return s.Low <= n.Velocity && n.Velocity <= s.High
	}
	return false
}
