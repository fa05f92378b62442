package template

import (
	"fmt"
	"slices"
)

// Palette gives the tints their colours.
type Palette struct {
	Name      string  `json:"name"`
	Lightness float64 `json:"lightness,omitempty"` // added to every tint's, -MaxShift..MaxShift
	Strength  float64 `json:"strength"`            // every tint's chroma times this, 0..MaxStrength
	Tints     []Tint  `json:"tints"`               // each of Tints once
}

// Tint is the colour of a tint, in OKLCH.
type Tint struct {
	Tint      string  `json:"tint"`            // one of Tints
	Label     string  `json:"label,omitempty"` // what it is for; empty shows its name
	Lightness float64 `json:"lightness"`       // 0..1, on Day; on Pit it is PitShift darker
	Chroma    float64 `json:"chroma"`          // 0..MaxChroma
	Hue       float64 `json:"hue"`             // degrees, 0..360
}

// The limits of palettes.
const (
	MaxShift    = 0.15
	MaxStrength = 2
	MaxChroma   = 0.4
	MaxPalettes = 200
	PitShift    = -0.12
)

// StandardPalette is what templates have that say nothing of theirs.
func StandardPalette() Palette {
	return Palette{Name: "Paper and ink", Strength: 1, Tints: []Tint{
		{"moss", "", 0.74, 0.075, 140}, {"plum", "", 0.705, 0.075, 330}, {"clay", "", 0.74, 0.08, 50}, {"stone", "", 0.81, 0.05, 95},
		{"rose", "", 0.74, 0.075, 10}, {"petrol", "", 0.74, 0.07, 225}, {"heather", "", 0.66, 0.075, 295}, {"grey", "", 0.74, 0.005, 90},
	}}
}

// ThePalette is the template's palette, or the standard one.
func (t *Template) ThePalette() Palette {
	if t.Settings.Palette == nil {
		return StandardPalette()
	}
	return *t.Settings.Palette
}

// TintOf is the tint a section shows: its own, or its nearest parent's; grey when
// none has one.
func (t *Template) TintOf(section ID) string {
	for _, s := range t.Ancestry(section) {
		if s.Tint != "" {
			return s.Tint
		}
	}
	return "grey"
}

func (v *validator) palettes() {
	if p := v.t.Settings.Palette; p != nil {
		v.palette("palette", p)
	}
	v.setting("palettes", float64(len(v.t.Settings.Palettes)), 0, MaxPalettes)
	for n := range v.t.Settings.Palettes {
		v.palette(fmt.Sprintf("palettes[%d]", n), &v.t.Settings.Palettes[n])
	}
}

func (v *validator) palette(where string, p *Palette) {
	if err := CheckName(p.Name); err != nil {
		v.fail("settings."+where+".name", "%s", err)
	}
	v.setting(where+".lightness", p.Lightness, -MaxShift, MaxShift)
	v.setting(where+".strength", p.Strength, 0, MaxStrength)
	seen := map[string]bool{}
	for _, x := range p.Tints {
		if !slices.Contains(Tints, x.Tint) || seen[x.Tint] {
			v.fail("settings."+where+".tints", "%q is no tint, or is there twice", x.Tint)
		}
		seen[x.Tint] = true
		v.setting(where+".tints.lightness", x.Lightness, 0, 1)
		v.setting(where+".tints.chroma", x.Chroma, 0, MaxChroma)
		v.setting(where+".tints.hue", x.Hue, 0, 360)
	}
	if len(seen) != len(Tints) {
		v.fail("settings."+where+".tints", "a palette has a colour for each of the %d tints", len(Tints))
	}
}
