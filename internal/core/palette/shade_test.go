package palette_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/colour"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/template"
)

// mixed is an orchestra whose rows play three libraries in each section.
func mixed(n int) *template.Template {
	t := coretest.Orchestra(n, 1)
	var put change.Put
	for k := range 3 {
		put.Libraries = append(put.Libraries, change.Append(&template.Library{ID: template.ID(fmt.Sprintf("shelf-%d", k)), Name: fmt.Sprintf("Shelf %d", k), Code: "S"}))
	}
	for k, p := range t.Patches {
		c := *p
		c.Library = template.ID(fmt.Sprintf("shelf-%d", k/4%3))
		put.Patches = append(put.Patches, change.Append(&c))
	}
	return coretest.Must(t, put)
}

// Libraries of a section lie evenly apart, and in none of the shipped palettes too
// near to tell.
func TestLibrariesTakeShades(t *testing.T) {
	for _, p := range palette.Shipped() {
		base := with(mixed(48), p)
		mended, err := palette.Mend(base)
		require.NoError(t, err)
		base = with(base, mended)
		of := map[template.ID]map[template.ID]float64{}
		for _, s := range palette.Shades(base) {
			if of[s.Section] == nil {
				of[s.Section] = map[template.ID]float64{}
			}
			of[s.Section][s.Library] = s.Lightness
		}
		require.Len(t, of, 4, p.Name)
		for section, l := range of {
			step := l["shelf-1"] - l["shelf-0"]
			require.InDelta(t, step, l["shelf-2"]-l["shelf-1"], 1e-9)
			require.GreaterOrEqual(t, step, 0.01-1e-9, "%s, %s", p.Name, section)
			require.LessOrEqual(t, 2*step, palette.WidestShade+1e-9)
		}
	}
	require.Empty(t, palette.Shades(coretest.Orchestra(48, 1)), "a library alone has its section's tint")
}

// Shades never bring sections nearer than they may be, nor make text hard to read,
// where the palette itself is sound: measured here from the colours as shown.
func TestShadesKeepSectionsApart(t *testing.T) {
	base := mixed(48)
	rapid.Check(t, func(r *rapid.T) {
		p := template.StandardPalette()
		for n := range p.Tints {
			p.Tints[n].Lightness = rapid.Float64Range(0.6, 0.85).Draw(r, "l")
			p.Tints[n].Hue = rapid.Float64Range(0, 360).Draw(r, "h")
		}
		now := with(base, p)
		if kinds(now)[palette.Close]+kinds(now)[palette.Text] > 0 {
			r.Skip("the palette is at fault")
		}
		shown := map[template.ID][]template.Tint{}
		for _, s := range palette.Shades(now) {
			for _, x := range p.Tints {
				if x.Tint == now.TintOf(s.Section) {
					x.Lightness += s.Lightness
					shown[s.Section] = append(shown[s.Section], x)
				}
			}
		}
		var before []template.Tint
		for _, s := range now.Sections {
			if s.Parent != "" {
				continue
			}
			for _, b := range shown[s.ID] {
				for _, a := range before {
					for _, v := range colour.Visions {
						for _, pit := range []bool{false, true} {
							x, y := palette.On(p, a, pit).Screen().As(v), palette.On(p, b, pit).Screen().As(v)
							require.GreaterOrEqual(r, colour.Difference(x.Lab(), y.Lab()), palette.Apart-1e-9)
						}
					}
				}
			}
			before = shown[s.ID]
		}
	})
}

// A palette may have more colours than the shipped tints; what is in use cannot
// be taken away.
func TestPalettesHaveColoursOfTheirOwn(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	own := template.StandardPalette()
	own.Tints = append(own.Tints, template.Tint{Tint: "lamp-2", Label: "Beacons", Lightness: 0.78, Chroma: 0.06, Hue: 110})
	now := with(base, own)
	colour, section := "lamp-2", *now.Sections[0]
	section.Tint = "lamp-2"
	now = coretest.Must(now,
		change.Edit{Edits: []change.Fields{{ID: now.Instruments[0].ID, Colour: &colour}}},
		change.Put{Sections: []change.Entry[template.Section]{change.Append(&section)}})
	require.Equal(t, "lamp-2", now.TintOf(section.ID))

	set := now.Settings
	set.Palette = nil
	_, _, err := change.Apply(now, change.Configure{Name: now.Name, Settings: set})
	require.ErrorContains(t, err, `has no colour "lamp-2"`)
	unknown := "mos"
	_, _, err = change.Apply(now, change.Edit{Edits: []change.Fields{{ID: now.Instruments[1].ID, Colour: &unknown}}})
	require.ErrorContains(t, err, `has no colour "mos"; it has moss, plum`)
	for _, name := range []string{"Lamp", "2lamp", "a lamp", "", "l;--x:url(", "a-name-of-twenty-five-let"} {
		bad := own
		bad.Tints = append(append([]template.Tint{}, template.StandardPalette().Tints...), template.Tint{Tint: name, Lightness: 0.7})
		set := base.Settings
		set.Palette = &bad
		_, _, err := change.Apply(base, change.Configure{Name: base.Name, Settings: set})
		require.Error(t, err, name)
	}
}

func BenchmarkShades10000(b *testing.B) {
	t := mixed(10_000)
	t.Index()
	for b.Loop() {
		palette.Shades(t)
	}
}
