package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/colour"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/template"
	"fanfold/internal/format/gpl"
)

// Palettes are the studio's own.
func (a *App) Palettes(ctx context.Context, p Person) ([]template.Palette, error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	return cat.View().Template.Settings.Palettes, nil
}

// SetPalettes replaces the studio's own palettes.
func (a *App) SetPalettes(ctx context.Context, p Person, own []template.Palette) error {
	return a.setStudio(ctx, p, func(set *template.Settings) { set.Palettes = own })
}

// setStudio changes settings that are the studio's: those of its catalogue.
func (a *App) setStudio(ctx context.Context, p Person, how func(*template.Settings)) error {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return err
	}
	_, err = cat.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		set := t.Settings
		how(&set)
		return change.Configure{Name: t.Name, Settings: set}, nil
	})
	return err
}

// CheckPalette tells what would be wrong with a palette on this template, and
// the palette without it; the error says why it cannot be fixed.
func (h *Hot) CheckPalette(p template.Palette) ([]palette.Fault, template.Palette, error) {
	t := h.View().Template.Clone()
	t.Settings.Palette = &p
	if err := t.Validate(); err != nil {
		return nil, p, err
	}
	mended, err := palette.Mend(t)
	return palette.Check(t), mended, err
}

// maxPalette bounds a palette file, bytes.
const maxPalette = 1 << 20

// ReadPalette reads a palette: Fanfold's own in JSON, or a GIMP palette, whose
// colours are given to tints of the same name, and else in their order.
func ReadPalette(r io.Reader) (template.Palette, error) {
	data, err := io.ReadAll(io.LimitReader(r, maxPalette))
	if err != nil {
		return template.Palette{}, err
	}
	if bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")) {
		var p template.Palette
		if err := json.Unmarshal(data, &p); err != nil {
			return p, refused("", "the palette cannot be read: %s", err)
		}
		return p, checked(p)
	}
	file, err := gpl.Read(bytes.NewReader(data))
	if err != nil {
		return template.Palette{}, refused("", "%s", err)
	}
	if len(file.Colours) == 0 {
		return template.Palette{}, refused("", "the palette has no colours")
	}
	p := template.StandardPalette()
	if p.Name = file.Name; p.Name == "" {
		p.Name = "From a file"
	}
	taken := map[int]bool{}
	give := func(n, c int) {
		lch := colour.FromBytes(file.Colours[c].RGB).Lab().LCH()
		x := &p.Tints[n]
		x.Lightness, x.Chroma, x.Hue = rounded(lch.L, 3), min(template.MaxChroma, rounded(lch.C, 4)), math.Mod(rounded(lch.H, 1), 360)
		if name := file.Colours[c].Name; name != x.Tint {
			x.Label = name
		}
		taken[c] = true
	}
	var left []int
	for n, x := range p.Tints {
		found := false
		for c, line := range file.Colours {
			if !taken[c] && template.FoldName(line.Name) == x.Tint {
				give(n, c)
				found = true
				break
			}
		}
		if !found {
			left = append(left, n)
		}
	}
	for c := range file.Colours {
		switch {
		case taken[c]:
		case len(left) > 0:
			give(left[0], c)
			left = left[1:]
		case len(p.Tints) < template.MaxTints:
			p.Tints = append(p.Tints, template.Tint{Tint: tintNamed(p, file.Colours[c].Name)})
			give(len(p.Tints)-1, c)
		default:
			return p, refused("", "the palette has %d colours; %d is the most", len(file.Colours), template.MaxTints)
		}
	}
	return p, checked(p)
}

// tintNamed makes a name for one more tint from what a file calls it.
func tintNamed(p template.Palette, name string) string {
	base := strings.TrimLeft(handover.Slug(name), "-0123456789")
	if base = base[:min(len(base), 20)]; !template.IsTint(base) {
		base = "colour"
	}
	name = base
	for n := 2; p.Has(name); n++ {
		name = fmt.Sprintf("%s-%d", base, n)
	}
	return name
}

func rounded(x float64, digits int) float64 {
	f := math.Pow(10, float64(digits))
	return math.Round(x*f) / f
}

func checked(p template.Palette) error {
	t := template.New("t", "T")
	t.Settings.Palette = &p
	return t.Validate()
}
