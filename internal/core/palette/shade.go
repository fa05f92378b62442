package palette

import (
	"fanfold/internal/core/colour"
	"fanfold/internal/core/template"
)

// Shade is how much lighter than its section's tint a library of that section is
// shown. The hue stays.
type Shade struct {
	Section   template.ID `json:"section"` // at the top
	Library   template.ID `json:"library"`
	Lightness float64     `json:"lightness"` // added, OKLCH, -WidestShade..WidestShade
}

// WidestShade is how far the lightest and the darkest library of a section lie
// apart in OKLCH lightness, at most; shadeStep is by how much less is tried where
// that would bring sections too near to one another.
const (
	WidestShade = 0.08
	shadeStep   = 0.02
)

// Shades shares a little lightness among the libraries of each section, evenly and
// in the template's order of libraries; a section with one library has no shades.
// They lie about the section's tint, or above or below it, as far apart as leaves
// told apart what was and as easy to read.
func Shades(t *template.Template) []Shade {
	p := t.ThePalette()
	tints, members, tops := byName(p), libraries(t), topsOf(t)
	var out []Shade
	var before []template.Tint // how the section before is shown
	for n, s := range tops {
		x := tints[t.TintOf(s.ID)]
		var beside [][]template.Tint // how those are shown that must be told apart from it
		if n > 0 && neighbours(t, tops[n-1], s) {
			beside = append(beside, before)
		}
		if n+1 < len(tops) && neighbours(t, s, tops[n+1]) {
			beside = append(beside, []template.Tint{tints[t.TintOf(tops[n+1].ID)]})
		}
		shifts := widest(p, x, beside, len(members[s.ID]))
		before = lighter(x, shifts)
		for k, l := range members[s.ID] {
			if shifts[k] != 0 {
				out = append(out, Shade{s.ID, l, shifts[k]})
			}
		}
		if len(before) == 0 {
			before = []template.Tint{x}
		}
	}
	return out
}

// widest finds the shades of so many libraries that lie furthest apart; none lie
// apart where a tint is too near to its neighbours by itself.
func widest(p template.Palette, x template.Tint, beside [][]template.Tint, n int) []float64 {
	shifts := make([]float64, n)
	if n < 2 || !fits(p, x, []template.Tint{x}, beside) {
		return shifts
	}
	for span := WidestShade; span > shadeStep/2; span -= shadeStep {
		for _, from := range []float64{-0.5, 0, -1} {
			for k := range shifts {
				shifts[k] = span * (from + float64(k)/float64(n-1))
			}
			if fits(p, x, lighter(x, shifts), beside) {
				return shifts
			}
		}
	}
	return make([]float64, n)
}

func lighter(x template.Tint, shifts []float64) []template.Tint {
	out := make([]template.Tint, len(shifts))
	for k, by := range shifts {
		out[k] = x
		out[k].Lightness += by
	}
	return out
}

// fits tells whether shades of a tint are told apart from what is beside them, and
// are as easy to read as the tint.
func fits(p template.Palette, x template.Tint, shades []template.Tint, beside [][]template.Tint) bool {
	for _, a := range shades {
		if readable(p, x) && !readable(p, a) {
			return false
		}
		for _, list := range beside {
			for _, b := range list {
				if _, _, near := closest(p, a, b); near {
					return false
				}
			}
		}
	}
	return true
}

// libraries finds the libraries of each section at the top, in the template's
// order.
func libraries(t *template.Template) map[template.ID][]template.ID {
	x := t.Index()
	top := make(map[template.ID]template.ID, len(t.Sections))
	for _, s := range t.Sections {
		if at := t.TopSection(s.ID); at != nil {
			top[s.ID] = at.ID
		}
	}
	plays := map[[2]template.ID]bool{}
	for _, i := range t.Instruments {
		if len(i.Patches) > 0 {
			plays[[2]template.ID{top[i.Section], x.Patches[i.Patches[0]].Library}] = true
		}
	}
	out := map[template.ID][]template.ID{}
	for _, s := range t.Sections {
		if s.Parent != "" {
			continue
		}
		for _, l := range t.Libraries {
			if plays[[2]template.ID{s.ID, l.ID}] {
				out[s.ID] = append(out[s.ID], l.ID)
			}
		}
	}
	return out
}

// readable tells whether text reads on a tint on both themes.
func readable(p template.Palette, x template.Tint) bool {
	for _, pit := range []bool{false, true} {
		if contrast(On(p, x, pit).Screen()) < TextRatio {
			return false
		}
	}
	return true
}

// contrast is that of dark or light letters on a colour, whichever read better.
func contrast(ground colour.RGB) float64 {
	best := 0.0
	for _, l := range []float64{darkL, lightL} {
		best = max(best, colour.Contrast(ground, colour.LCH{L: l}.Screen()))
	}
	return best
}
