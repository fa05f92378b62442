package articulation

import (
	"fmt"
	"slices"

	"fanfold/internal/core/template"
)

// Layer is one of the patches that a row plays at once, on one channel.
type Layer struct {
	Name      string
	Map       []template.Mapping
	Low, High int // its playable keys, MIDI notes
	Zone      *template.KeyZone
}

// LayersOf are the layers of an instrument, as its patches have them.
func LayersOf(t *template.Template, i *template.Instrument) []Layer {
	var out []Layer
	for _, p := range t.PatchesOf(i) {
		out = append(out, Layer{Name: p.Name, Map: p.Map, Low: p.KeyLow, High: p.KeyHigh, Zone: p.SwitchZone})
	}
	return out
}

// LayerFault is what goes wrong when the switches of an articulation reach all layers.
type LayerFault struct {
	Articulation string
	Message      string // "key 24 is staccato in Salt drone"
}

// Layered is what several layers come to: they hear the same messages.
type Layered struct {
	Map     []template.Mapping // every articulation that one of them has, with the switches of all
	Faults  []LayerFault       // where one layer's switch means something else to another
	Lacking []LayerFault       // where a layer does not have an articulation, and plays on as before
	Serving []template.Mapping // a map that serves all: as Map, with free keys where that has faults
	Keys    []int              // the free keys of Serving, to be set in the players, by articulation; -1 for none
}

// Together puts the maps of layers together. Articulations are one when the vocabulary
// says so; their times are the longest of any layer, ms.
func Together(v *Vocabulary, layers []Layer) Layered {
	var out Layered
	place := map[string]int{}
	for _, l := range layers {
		for _, m := range l.Map {
			at, known := place[v.key(m.Articulation)]
			if !known {
				place[v.key(m.Articulation)] = len(out.Map)
				out.Map = append(out.Map, template.Mapping{Articulation: m.Articulation, Switches: slices.Clone(m.Switches), LeadMs: m.LeadMs, DelayMs: m.DelayMs})
				continue
			}
			to := &out.Map[at]
			to.LeadMs, to.DelayMs = max(to.LeadMs, m.LeadMs), max(to.DelayMs, m.DelayMs)
			for _, s := range m.Switches {
				if !slices.ContainsFunc(to.Switches, func(o template.Switch) bool { return dimensionOf(o) == dimensionOf(s) && overlap(o, s) }) {
					to.Switches = append(to.Switches, s)
				}
			}
		}
	}
	faulty := make([]bool, len(out.Map))
	for n, m := range out.Map {
		for _, l := range layers {
			for _, message := range astray(v, m, l) {
				faulty[n] = true
				out.Faults = append(out.Faults, LayerFault{m.Articulation, message})
			}
			if len(layers) > 1 && !slices.ContainsFunc(l.Map, func(o template.Mapping) bool { return v.key(o.Articulation) == v.key(m.Articulation) }) {
				out.Lacking = append(out.Lacking, LayerFault{m.Articulation, l.Name})
			}
		}
		for o := range n { // and two of the row by one message
			if met := meeting(out.Map[o].Switches, m.Switches); met != nil && !faulty[n] {
				faulty[n] = true
				out.Faults = append(out.Faults, LayerFault{m.Articulation, fmt.Sprintf("%s is %s as well", Say(*met), out.Map[o].Articulation)})
			}
		}
	}
	out.serve(layers, faulty)
	return out
}

// astray says what the switches of an articulation do in a layer that they should not.
func astray(v *Vocabulary, m template.Mapping, l Layer) []string {
	var out []string
	for _, s := range m.Switches {
		own := slices.ContainsFunc(l.Map, func(o template.Mapping) bool {
			return v.key(o.Articulation) == v.key(m.Articulation) && slices.ContainsFunc(o.Switches, func(x template.Switch) bool { return dimensionOf(x) == dimensionOf(s) && overlap(x, s) })
		})
		if own {
			continue
		}
		if at := slices.IndexFunc(l.Map, func(o template.Mapping) bool {
			return v.key(o.Articulation) != v.key(m.Articulation) && meeting([]template.Switch{s}, o.Switches) != nil
		}); at >= 0 {
			out = append(out, fmt.Sprintf("%s is %s in %s", Say(s), l.Map[at].Articulation, l.Name))
		} else if s.Kind == template.ByKey && s.Number >= l.Low && s.Number <= l.High {
			out = append(out, fmt.Sprintf("%s plays a note in %s", Say(s), l.Name))
		}
	}
	return out
}

// serve gives every articulation with a fault a key that is free in all layers.
func (o *Layered) serve(layers []Layer, faulty []bool) {
	low, high := 127, 0
	var zone *template.KeyZone
	var all []template.Mapping
	for _, l := range layers {
		low, high = min(low, l.Low), max(high, l.High)
		all = append(all, l.Map...)
		if zone == nil {
			zone = l.Zone
		}
	}
	free := FreeKeys(all, zone, low, high)
	o.Serving = template.CloneMap(o.Map)
	for n := range o.Serving {
		o.Keys = append(o.Keys, -1)
		if !faulty[n] || len(free) == 0 {
			continue
		}
		o.Keys[n] = free[0]
		o.Serving[n].Switches = []template.Switch{{Kind: template.ByKey, Number: free[0]}}
		free = free[1:]
	}
}

// MapOf is the articulation map of an instrument: its own, else that of its patch, or of
// its patches together.
func MapOf(t *template.Template, i *template.Instrument) []template.Mapping {
	if len(i.Map) > 0 {
		return i.Map
	}
	switch patches := t.PatchesOf(i); len(patches) {
	case 0:
		return nil
	case 1:
		return patches[0].Map
	}
	return Together(NewVocabulary(t.Vocabulary), LayersOf(t, i)).Map
}

// TargetOf is an instrument as it sits, whose patches there are: its map, what its first
// patch answers, the keys of all together, and the channel of its seat (1 when it has
// none).
func TargetOf(t *template.Template, i *template.Instrument) Target {
	patches := t.PatchesOf(i)
	target := Target{Map: MapOf(t, i), Dynamics: patches[0].Dynamics, Channel: 1, KeyLow: 127}
	for _, p := range patches {
		target.KeyLow, target.KeyHigh = min(target.KeyLow, p.KeyLow), max(target.KeyHigh, p.KeyHigh)
	}
	if i.Seat != nil {
		target.Channel = i.Seat.Channel
	}
	return target
}
