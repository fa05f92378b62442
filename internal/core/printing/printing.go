// Package printing knows what is printed of a template: the files of its stems and of its mix,
// how each comes into the mix, what they are called, and which of them a file that somebody
// recorded is. A template goes in; a plan comes out.
package printing

import (
	"fmt"
	"slices"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/dsp"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Wanted is a file that is printed.
type Wanted struct {
	Bus     template.ID
	Name    string // of the stem or the mix
	File    string // how it is called in the names of files
	Role    audit.Role
	Carries audit.Carries
	Folds   []string // that a stem is delivered in
	Gain    float64  // with which a stem comes into the mix as it is printed, linear
	Mono    bool
	Number  int // among the stems, from 1; 0 for the mix
}

// Plan is what is printed of a template.
type Plan struct {
	Files []Wanted // stems in the order of the list, then the mix, and as it is heard where something runs on it
	Folds []audit.Fold
	// LimitedGain is the gain of the mix apart from the limiter, linear; 0 where it does more
	// than a gain.
	LimitedGain float64
	OnMix       []string // what runs on the mix, for people
}

// asHeard is what the mix is called after what runs on it.
const asHeard = " limited"

// NewPlan makes the plan of some folds, by ID; none are all.
func NewPlan(f *fan.Fan, folds []template.ID) (Plan, error) {
	t := f.Template()
	mix := t.TheMix()
	p := Plan{LimitedGain: 1}
	at := map[template.ID]int{}
	for _, fold := range t.Folds {
		if len(folds) > 0 && !slices.Contains(folds, fold.ID) {
			continue
		}
		stems := t.Delivered(fold.ID)
		if len(stems) == 0 {
			continue
		}
		x := audit.Fold{ID: string(fold.ID), Name: fold.Name}
		switch sum := f.Sum(fold); {
		case sum.Dry:
			x.Why = "it is delivered dry, and its wet sound is in another fold"
		case !sum.AddsUp():
			x.Why = "its stems do not add up as they are routed: look at its marks in Deliver"
		}
		for _, b := range stems {
			n, known := at[b.ID]
			if !known {
				n = len(p.Files)
				at[b.ID] = n
				p.Files = append(p.Files, Wanted{
					Bus: b.ID, Name: b.Name, File: b.FileName(), Role: audit.Stem, Carries: audit.Carries(b.Carries),
					Gain: gainInto(f, b, mix), Mono: b.Mono, Number: n + 1,
				})
			}
			p.Files[n].Folds = append(p.Files[n].Folds, x.ID)
			x.Stems = append(x.Stems, b.Name)
		}
		p.Folds = append(p.Folds, x)
	}
	if len(p.Files) == 0 {
		return p, fmt.Errorf("%s delivers no stems; make some in Deliver", t.Name)
	}
	p.Files = append(p.Files, Wanted{Bus: mix.ID, Name: mix.Name, File: mix.FileName(), Role: audit.Mix, Gain: 1, Mono: mix.Mono})
	for _, e := range mix.Runs {
		if !e.Sounds() {
			continue
		}
		p.OnMix = append(p.OnMix, string(e.Kind))
		if e.Kind == template.EffectLimiter {
			p.LimitedGain *= dsp.Amplitude(e.Value(template.SetLevel))
		} else {
			p.LimitedGain = 0
		}
	}
	if len(p.OnMix) > 0 {
		heard := p.Files[len(p.Files)-1]
		heard.Role, heard.Name, heard.File = audit.Limited, heard.Name+asHeard, heard.File+asHeard
		p.Files = append(p.Files, heard)
	}
	return p, nil
}

// Dry is a template whose returns lead nowhere: what rooms and delays add is left out of all that is
// printed by it. t is not altered.
func Dry(t *template.Template) *template.Template {
	out := t.Clone()
	out.Buses = slices.Clone(t.Buses) // which both have in common
	for n, b := range out.Buses {
		if b.Kind.Is().Wet() {
			quiet := *b
			quiet.Routes = nil
			out.Buses[n] = &quiet
		}
	}
	return out
}

// Dry is the plan of a dry print: without the stems that carry wet sound alone.
func (p *Plan) Dry() Plan {
	out := *p
	out.Files = nil
	gone := map[string]bool{}
	for _, w := range p.Files {
		if w.Carries == audit.Wet {
			gone[w.Name] = true
			continue
		}
		if w.Role == audit.Stem {
			w.Carries = audit.Dry
		}
		out.Files = append(out.Files, w)
	}
	out.Folds = slices.Clone(p.Folds)
	for n := range out.Folds {
		out.Folds[n].Stems = slices.DeleteFunc(slices.Clone(out.Folds[n].Stems), func(name string) bool { return gone[name] })
	}
	return out
}

// gainInto is the gain with which the file of a stem comes into that of the mix: the stem is
// printed after its fader, and the mix after its own.
func gainInto(f *fan.Fan, stem, mix *template.Bus) float64 {
	gain := 0.0
	for _, r := range f.FromBus(stem.ID) {
		if f.Bus(r) == mix {
			gain += r.Gain
		}
	}
	if own := template.Gain(stem.GainDB); own > 0 {
		gain /= own
	}
	return gain * template.Gain(mix.GainDB)
}
