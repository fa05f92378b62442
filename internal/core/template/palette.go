package template

import (
	"fmt"
	"slices"
	"strings"
)

// Palette gives the tints their colours.
type Palette struct {
	Name      string  `json:"name"`
	Lightness float64 `json:"lightness,omitempty"` // added to every tint's, -MaxShift..MaxShift
	Strength  float64 `json:"strength"`            // every tint's chroma times this, 0..MaxStrength
	Tints     []Tint  `json:"tints"`               // each of Tints once, and as many more as MaxTints allows
}

// Tint is the colour of a tint, in OKLCH.
type Tint struct {
	Tint      string  `json:"tint"`            // one of Tints, or a name of its own: see IsTint
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
	MaxTints    = 32
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

// IsTint tells whether a name can be a tint's: a small letter, then up to 23
// small letters, digits and hyphens.
func IsTint(name string) bool {
	for n, r := range name {
		small, later := 'a' <= r && r <= 'z', '0' <= r && r <= '9' || r == '-'
		if !small && (n == 0 || !later) {
			return false
		}
	}
	return name != "" && len(name) <= 24
}

// Has tells whether the palette has a colour for a tint.
func (p Palette) Has(tint string) bool {
	return slices.ContainsFunc(p.Tints, func(x Tint) bool { return x.Tint == tint })
}

// Names lists the tints of the palette.
func (p Palette) Names() []string {
	out := make([]string, len(p.Tints))
	for n, x := range p.Tints {
		out[n] = x.Tint
	}
	return out
}

// tints checks that every colour in use is in the palette.
func (v *validator) tints() {
	for n, s := range v.t.Sections {
		v.tint(at("sections", n, "tint"), s.Tint)
	}
	for n, i := range v.t.Instruments {
		if i.Colour != "" {
			v.tint(at("instruments", n, "colour"), i.Colour)
		}
	}
}

func (v *validator) tint(where, name string) {
	if name != "" && !slices.Contains(Tints, name) && !v.t.ThePalette().Has(name) {
		v.fail(where, "the palette %q has no colour %q; it has %s", v.t.ThePalette().Name, name, strings.Join(v.t.ThePalette().Names(), ", "))
	}
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
		if !IsTint(x.Tint) || seen[x.Tint] {
			v.fail("settings."+where+".tints", "%q is there twice, or can name no tint: a small letter, then small letters, digits and hyphens", x.Tint)
		}
		seen[x.Tint] = true
		v.setting(where+".tints.lightness", x.Lightness, 0, 1)
		v.setting(where+".tints.chroma", x.Chroma, 0, MaxChroma)
		v.setting(where+".tints.hue", x.Hue, 0, 360)
	}
	if slices.ContainsFunc(Tints, func(name string) bool { return !seen[name] }) || len(p.Tints) > MaxTints {
		v.fail("settings."+where+".tints", "a palette has a colour for each of the %d tints, and %d at most", len(Tints), MaxTints)
	}
}
