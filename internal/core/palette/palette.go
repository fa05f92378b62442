// Package palette works out the colours of a template's tints on both themes,
// finds what is wrong with them, and fixes it. A template goes in; colours,
// faults with figures, and palettes without these faults come out.
package palette

import (
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/colour"
	"fanfold/internal/core/template"
)

// The limits of what is easy on the eyes and told apart.
const (
	Apart       = 0.06 // Delta E OK of neighbouring sections, at least, in every vision
	TextRatio   = 4.5  // contrast of text on a tint, at least: WCAG 2.2, 1.4.3
	LongHours   = 0.11 // chroma, at most, for long hours in a dim room (common practice, no source)
	RainbowArc  = 100  // degrees of hue within one section, at most
	colourful   = 0.03 // chroma from which a hue is seen
	darkL       = 0.15 // the darkest letters there are: no pure black
	lightL      = 0.985
	mendingStep = 0.01
)

// plain is the tint of what has no colour: guides, and sections that say none.
const plain = "grey"

// On is the colour of a tint on a theme.
func On(p template.Palette, x template.Tint, pit bool) colour.LCH {
	l := x.Lightness + p.Lightness
	if pit {
		l += template.PitShift
	}
	return colour.LCH{L: min(0.98, max(0.1, l)), C: min(template.MaxChroma, x.Chroma*p.Strength), H: x.Hue}
}

// Kind is what is wrong.
type Kind string

// The kinds of fault.
const (
	Close   Kind = "close"   // two neighbouring sections are not told apart
	Text    Kind = "text"    // text on a tint is hard to read
	Rainbow Kind = "rainbow" // one section has far hues
	Strong  Kind = "strong"  // too strong for long hours
)

// Fault is one thing that is wrong with the colours of a template.
type Fault struct {
	Kind     Kind
	Sections []template.ID // whose; none when it is of the palette
	Tints    []string
	Message  string
}

// Check finds what is wrong with a template's colours. Sections are neighbours
// when they stand one after another at the top; plain grey is nobody's colour.
func Check(t *template.Template) []Fault {
	p := t.ThePalette()
	tints := byName(p)
	tops := topsOf(t)
	var out []Fault
	for n := 1; n < len(tops); n++ {
		if !neighbours(t, tops[n-1], tops[n]) {
			continue
		}
		a, b := t.TintOf(tops[n-1].ID), t.TintOf(tops[n].ID)
		if v, d, near := closest(p, tints[a], tints[b]); near {
			out = append(out, Fault{
				Kind: Close, Sections: []template.ID{tops[n-1].ID, tops[n].ID}, Tints: []string{a, b},
				Message: fmt.Sprintf("The colours of %s and %s differ by %.3f in %s vision; %.2f is needed to tell them apart", tops[n-1].Name, tops[n].Name, d, v, Apart),
			})
		}
	}
	out = append(out, texts(p)...)
	out = append(out, strong(p)...)
	return append(out, rainbows(t, tops, tints)...)
}

// topsOf lists the sections at the top in score order.
func topsOf(t *template.Template) []*template.Section {
	return slices.DeleteFunc(t.SectionsInOrder(), func(s *template.Section) bool { return s.Parent != "" })
}

// neighbours tells whether two sections that follow one another must be told
// apart by colour: not when they are meant to be alike, or one shows none.
func neighbours(t *template.Template, a, b *template.Section) bool {
	x, y := t.TintOf(a.ID), t.TintOf(b.ID)
	return x != y && x != plain && y != plain
}

func byName(p template.Palette) map[string]template.Tint {
	out := make(map[string]template.Tint, len(p.Tints))
	for _, x := range p.Tints {
		out[x.Tint] = x
	}
	return out
}

// closest is the vision in which two tints differ least, and by how much, on
// whichever theme that is; near when it is too little.
func closest(p template.Palette, a, b template.Tint) (colour.Vision, float64, bool) {
	var vision colour.Vision
	least := math.Inf(1)
	for _, pit := range []bool{false, true} {
		x, y := On(p, a, pit).Screen(), On(p, b, pit).Screen()
		for _, v := range colour.Visions {
			if d := colour.Difference(x.As(v).Lab(), y.As(v).Lab()); d < least {
				vision, least = v, d
			}
		}
	}
	return vision, least, least < Apart-1e-9
}

func texts(p template.Palette) []Fault {
	var out []Fault
	for _, x := range p.Tints {
		for _, pit := range []bool{false, true} {
			if best := contrast(On(p, x, pit).Screen()); best < TextRatio {
				out = append(out, Fault{Kind: Text, Tints: []string{x.Tint}, Message: fmt.Sprintf("Text on %s has a contrast of %.1f on %s; %.1f is needed", named(x), best, theme(pit), TextRatio)})
				break
			}
		}
	}
	return out
}

func theme(pit bool) string {
	if pit {
		return "Pit"
	}
	return "Day"
}

func named(x template.Tint) string {
	if x.Label != "" {
		return x.Label
	}
	return x.Tint
}

func strong(p template.Palette) []Fault {
	var out Fault
	most := 0.0
	for _, x := range p.Tints {
		if c := On(p, x, false).C; c > LongHours {
			out.Tints = append(out.Tints, x.Tint)
			most = max(most, c)
		}
	}
	if len(out.Tints) == 0 {
		return nil
	}
	out.Kind = Strong
	out.Message = fmt.Sprintf("%d colours are too strong for long hours: a chroma of up to %.2f, %.2f is enough", len(out.Tints), most, LongHours)
	return []Fault{out}
}

// rainbows finds sections whose rows have far hues, since they were coloured by
// hand.
func rainbows(t *template.Template, tops []*template.Section, tints map[string]template.Tint) []Fault {
	top := map[template.ID]template.ID{}
	for _, s := range t.Sections {
		if line := t.Ancestry(s.ID); len(line) > 0 {
			top[s.ID] = line[len(line)-1].ID
		}
	}
	hues := map[template.ID]map[string]bool{}
	for _, i := range t.Instruments {
		tint := i.Colour
		if tint == "" {
			tint = t.TintOf(i.Section)
		}
		if at := top[i.Section]; tints[tint].Chroma >= colourful {
			if hues[at] == nil {
				hues[at] = map[string]bool{}
			}
			hues[at][tint] = true
		}
	}
	var out []Fault
	for _, s := range tops {
		var list []float64
		var names []string
		for name := range hues[s.ID] {
			list, names = append(list, tints[name].Hue), append(names, name)
		}
		slices.Sort(names)
		if arc := arcOf(list); len(list) > 2 && arc > RainbowArc {
			out = append(out, Fault{Kind: Rainbow, Sections: []template.ID{s.ID}, Tints: names, Message: fmt.Sprintf("%s looks like a rainbow: %d colours over %.0f degrees of hue", s.Name, len(list), arc)})
		}
	}
	return out
}

// arcOf is the smallest arc that holds all hues, degrees.
func arcOf(hues []float64) float64 {
	if len(hues) < 2 {
		return 0
	}
	slices.Sort(hues)
	gap := hues[0] + 360 - hues[len(hues)-1]
	for n := 1; n < len(hues); n++ {
		gap = max(gap, hues[n]-hues[n-1])
	}
	return 360 - gap
}

// Mend is the template's palette without the faults that a palette can have:
// neighbours are moved apart in lightness, strong colours made weaker, and those
// on which no text reads made lighter. The error says what cannot be fixed that way.
func Mend(t *template.Template) (template.Palette, error) {
	p := t.ThePalette()
	p.Tints = slices.Clone(p.Tints)
	if most := strongest(p); most > LongHours {
		p.Strength *= LongHours / most
		p.Strength = math.Floor(p.Strength*1000) / 1000
	}
	place := map[string]int{}
	for n, x := range p.Tints {
		place[x.Tint] = n
	}
	for range 200 {
		with := t.Clone()
		with.Settings.Palette = &p
		faults := slices.DeleteFunc(Check(with), func(f Fault) bool { return f.Kind == Rainbow })
		if len(faults) == 0 {
			return p, nil
		}
		for _, f := range faults {
			switch f.Kind {
			case Close:
				a, b := &p.Tints[place[f.Tints[0]]], &p.Tints[place[f.Tints[1]]]
				if a.Lightness > b.Lightness {
					a, b = b, a
				}
				a.Lightness, b.Lightness = max(0.45, a.Lightness-mendingStep), min(0.9, b.Lightness+mendingStep)
			case Text:
				x := &p.Tints[place[f.Tints[0]]]
				x.Lightness = min(0.9, x.Lightness+mendingStep)
			}
		}
	}
	return p, fmt.Errorf("not all neighbouring sections can be told apart; give some of them other tints")
}

func strongest(p template.Palette) float64 {
	most := 0.0
	for _, x := range p.Tints {
		most = max(most, On(p, x, false).C)
	}
	return most
}

// Shipped lists the palettes that come with Fanfold, the standard one first.
func Shipped() []template.Palette {
	of := func(name string, l, c float64, turn float64) template.Palette {
		p := template.StandardPalette()
		p.Name = name
		for n := range p.Tints {
			x := &p.Tints[n]
			x.Lightness += l
			if x.Tint != "grey" {
				x.Chroma += c
				x.Hue = math.Mod(x.Hue+turn+360, 360)
			}
		}
		return p
	}
	return []template.Palette{template.StandardPalette(), of("Low tide", 0.03, -0.02, 0), of("Lamplight", -0.02, 0.02, 12), of("Wet slate", -0.04, -0.01, -25)}
}
