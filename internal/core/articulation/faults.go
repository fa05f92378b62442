package articulation

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/template"
)

// Clash is two articulations of a map that one message selects.
type Clash struct {
	A, B    int // positions in the map
	Message string
}

// Clashes finds the articulations that cannot be told apart: where the
// switches of one are met whenever those of the other are.
func Clashes(mappings []template.Mapping) []Clash {
	var out []Clash
	for a := range mappings {
		for b := a + 1; b < len(mappings); b++ {
			if met := meeting(mappings[a].Switches, mappings[b].Switches); met != nil {
				out = append(out, Clash{A: a, B: b, Message: Say(*met)})
			}
		}
	}
	return out
}

// dimension is what a switch is a value of: two switches of one dimension
// exclude one another unless they overlap.
type dimension struct {
	kind     template.SwitchKind
	number   int
	relative bool
}

func dimensionOf(s template.Switch) dimension {
	d := dimension{kind: s.Kind}
	switch s.Kind {
	case template.ByController:
		d.number = s.Number
	case template.ByChannel:
		d.relative = s.Relative
	}
	return d
}

// meeting returns a switch by which both sets are met; nil when they can be
// told apart. Sets that constrain different things can, unless all that one
// asks the other asks too.
func meeting(a, b []template.Switch) *template.Switch {
	if len(a) == 0 || len(b) == 0 {
		return nil
	}
	if len(a) > len(b) {
		a, b = b, a
	}
	for _, x := range a {
		n := slices.IndexFunc(b, func(y template.Switch) bool { return dimensionOf(x) == dimensionOf(y) })
		if n < 0 || !overlap(x, b[n]) {
			return nil
		}
	}
	return &a[0]
}

func overlap(a, b template.Switch) bool {
	switch a.Kind {
	case template.ByController, template.ByVelocity:
		return a.Low <= b.High && b.Low <= a.High
	case template.ByProgramme:
		return a.Number == b.Number && (a.Bank == nil || b.Bank == nil || *a.Bank == *b.Bank)
	}
	return a.Number == b.Number
}

// Say names a switch in words: "key 24", "controller 32 at 0 to 20".
func Say(s template.Switch) string {
	switch s.Kind {
	case template.ByController:
		return fmt.Sprintf("controller %d at %s", s.Number, band(s))
	case template.ByVelocity:
		return "velocity " + band(s)
	case template.ByChannel:
		if s.Relative {
			return fmt.Sprintf("channel %+d", s.Number)
		}
		return fmt.Sprintf("channel %d", s.Number)
	case template.ByProgramme:
		if s.Bank != nil {
			return fmt.Sprintf("programme %d of bank %d", s.Number, *s.Bank)
		}
		return fmt.Sprintf("programme %d", s.Number)
	}
	return fmt.Sprintf("key %d", s.Number)
}

// SayAll names switches in words, one after another.
func SayAll(switches []template.Switch) string {
	said := make([]string, len(switches))
	for n, s := range switches {
		said[n] = Say(s)
		if s.Hold {
			said[n] += " held"
		}
	}
	return strings.Join(said, ", ")
}

func band(s template.Switch) string {
	if s.Low == s.High {
		return fmt.Sprint(s.Low)
	}
	return fmt.Sprintf("%d to %d", s.Low, s.High)
}

// InRange finds the key switches that lie among the playable keys: positions
// of mappings in the map.
func InRange(mappings []template.Mapping, low, high int) []int {
	var out []int
	for n, m := range mappings {
		if slices.ContainsFunc(m.Switches, func(s template.Switch) bool {
			return s.Kind == template.ByKey && s.Number >= low && s.Number <= high
		}) {
			out = append(out, n)
		}
	}
	return out
}

// lastKey is the highest key of MIDI.
const lastKey = 127

// FreeKeys lists the keys that could become key switches: outside the
// playable ones and not yet taken, in the switch zone first, then downwards
// from the lowest playable key, then upwards from the highest.
func FreeKeys(mappings []template.Mapping, zone *template.KeyZone, low, high int) []int {
	taken := map[int]bool{}
	for _, m := range mappings {
		for _, s := range m.Switches {
			if s.Kind == template.ByKey {
				taken[s.Number] = true
			}
		}
	}
	var out []int
	free := func(key int) {
		if !taken[key] && (key < low || key > high) {
			out, taken[key] = append(out, key), true
		}
	}
	if zone != nil {
		for key := max(0, zone.Low); key <= min(zone.High, lastKey); key++ {
			free(key)
		}
	}
	for key := min(max(0, low), lastKey+1) - 1; key >= 0; key-- {
		free(key)
	}
	for key := max(-1, min(high, lastKey)) + 1; key <= lastKey; key++ {
		free(key)
	}
	return out
}

// WithKeys returns the map with the key switches of one mapping set to
// another key.
func WithKeys(mappings []template.Mapping, n, key int) []template.Mapping {
	out := template.CloneMap(mappings)
	for i, s := range out[n].Switches {
		if s.Kind == template.ByKey {
			out[n].Switches[i].Number = key
		}
	}
	return out
}

// Difference tells which articulations are lost and gained from one set to
// another, by the names of each; synonyms count as one.
func (v *Vocabulary) Difference(before, after []string) (lost, gained []string) {
	return v.without(before, after), v.without(after, before)
}

func (v *Vocabulary) without(list, others []string) []string {
	known := make(map[string]bool, len(others))
	for _, o := range others {
		known[v.key(o)] = true
	}
	out := []string{}
	for _, a := range list {
		if !known[v.key(a)] {
			out = append(out, a)
		}
	}
	return out
}

// Names lists the articulations of a map.
func Names(mappings []template.Mapping) []string {
	out := make([]string, len(mappings))
	for n, m := range mappings {
		out[n] = m.Articulation
	}
	return out
}
