package template

import "slices"

// Audio lists the recordings that rows and effects play, by their SHA-256, sorted, each one
// once.
func (t *Template) Audio() []string {
	out := []string{}
	for _, i := range t.Instruments {
		if i.Printed != nil && i.Printed.Audio != "" {
			out = append(out, i.Printed.Audio)
		}
	}
	out = append(out, t.EffectAudio()...)
	slices.Sort(out)
	return slices.Compact(out)
}

// EffectAudio lists the recordings that effects play, by their SHA-256, as they stand.
func (t *Template) EffectAudio() []string {
	var out []string
	add := func(list []BusEffect) {
		for _, e := range list {
			if e.Audio != "" {
				out = append(out, e.Audio)
			}
		}
	}
	for _, b := range t.Buses {
		add(b.Runs)
	}
	for _, s := range t.ReturnSets {
		for _, e := range s.Effects {
			add(e.Runs)
		}
	}
	return out
}
