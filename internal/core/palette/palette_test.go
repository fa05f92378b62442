package palette_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/template"
)

func with(t *template.Template, p template.Palette) *template.Template {
	set := t.Settings
	set.Palette = &p
	return coretest.Must(t, change.Configure{Name: t.Name, Settings: set})
}

// kinds counts the faults of each kind.
func kinds(t *template.Template) map[palette.Kind]int {
	out := map[palette.Kind]int{}
	for _, f := range palette.Check(t) {
		out[f.Kind]++
	}
	return out
}

func TestEveryShippedPaletteIsSound(t *testing.T) {
	base := coretest.Orchestra(40, 1)
	for _, p := range palette.Shipped() {
		mended, err := palette.Mend(with(base, p))
		require.NoError(t, err, p.Name)
		require.Empty(t, palette.Check(with(base, mended)), p.Name)
	}
	require.Empty(t, palette.Check(base))
}

// Each fault is found, and fixed in one step.
func TestFaultsOfColours(t *testing.T) {
	base := coretest.Orchestra(40, 1)
	alike := template.StandardPalette()
	for n := range alike.Tints {
		alike.Tints[n].Lightness, alike.Tints[n].Hue = 0.74, 140
	}
	require.Equal(t, 3, kinds(with(base, alike))[palette.Close], "four sections at the top have three neighbours")
	strong := template.StandardPalette()
	strong.Strength = 1.8
	require.Equal(t, 1, kinds(with(base, strong))[palette.Strong])
	dim := template.StandardPalette()
	dim.Tints[0].Lightness = 0.687
	require.NotZero(t, kinds(with(base, dim))[palette.Text], "neither dark nor light text reads on a middle grey")
	for _, p := range []template.Palette{alike, strong, dim} {
		mended, err := palette.Mend(with(base, p))
		require.NoError(t, err)
		require.Empty(t, palette.Check(with(base, mended)))
	}
	var edit change.Edit
	for n, tint := range []string{"rose", "petrol", "heather", "clay"} {
		colour := tint
		edit.Edits = append(edit.Edits, change.Fields{ID: base.Instruments[4*n].ID, Colour: &colour})
	}
	bright := coretest.Must(base, edit)
	require.Equal(t, map[palette.Kind]int{palette.Rainbow: 1}, kinds(bright))
	require.Contains(t, palette.Check(bright)[0].Message, "Winds looks like a rainbow: 5 colours")
}

// Whatever a palette is like: fixed, it has no fault, or it says that it cannot
// be fixed.
func TestMendingMends(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	rapid.Check(t, func(r *rapid.T) {
		p := template.StandardPalette()
		p.Lightness = rapid.Float64Range(-template.MaxShift, template.MaxShift).Draw(r, "lightness")
		p.Strength = rapid.Float64Range(0, template.MaxStrength).Draw(r, "strength")
		for n := range p.Tints {
			p.Tints[n].Lightness = rapid.Float64Range(0.4, 0.95).Draw(r, "l")
			p.Tints[n].Chroma = rapid.Float64Range(0, 0.2).Draw(r, "c")
			p.Tints[n].Hue = rapid.Float64Range(0, 360).Draw(r, "h")
		}
		mended, err := palette.Mend(with(base, p))
		if err == nil {
			require.Empty(r, palette.Check(with(base, mended)))
		}
		require.NoError(r, with(base, mended).Validate())
	})
}

// The page's style sheet begins with the standard palette.
func TestTheStyleSheetHasTheStandardPalette(t *testing.T) {
	css, err := os.ReadFile("../../../web/src/app.css")
	require.NoError(t, err)
	for _, x := range template.StandardPalette().Tints {
		l := "var(--tint-l)"
		if off := x.Lightness - 0.74; off > 1e-9 {
			l = fmt.Sprintf("calc(var(--tint-l) + %g)", math.Round(off*1000)/1000)
		} else if off < -1e-9 {
			l = fmt.Sprintf("calc(var(--tint-l) - %g)", math.Round(-off*1000)/1000)
		}
		require.Contains(t, string(css), fmt.Sprintf("--tint-%s: oklch(%s %g %g);", x.Tint, l, x.Chroma, x.Hue))
	}
	require.Contains(t, string(css), fmt.Sprintf("--tint-l: %g;", 0.74+template.PitShift))
}

// The demo's sections are all told apart.
func TestTheDemoHasSoundColours(t *testing.T) {
	file, err := os.Open("../../format/templatefile/testdata/salt-lantern.fanfold.json")
	require.NoError(t, err)
	defer file.Close()
	var demo struct{ Template *template.Template }
	require.NoError(t, json.NewDecoder(file).Decode(&demo))
	require.Empty(t, palette.Check(demo.Template))
}
