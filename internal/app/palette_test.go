package app_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
)

// A GIMP palette is read by its names, and written again; the studio keeps its
// own.
func TestPalettesTravel(t *testing.T) {
	f := setUp(t)
	p, err := app.ReadPalette(strings.NewReader("GIMP Palette\nName: Reeds\n#\n10 20 30\tdeep\n152 185 139\tmoss\n"))
	require.NoError(t, err)
	require.Equal(t, "Reeds", p.Name)
	require.Equal(t, template.Tint{Tint: "moss", Lightness: 0.749, Chroma: 0.0737, Hue: 137}, p.Tints[0], "by its name; as npm culori has it")
	require.Equal(t, "deep", p.Tints[1].Label, "and the others in their order")
	set := f.hot.View().Template.Settings
	set.Palette = &p
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Configure{Name: "T", Settings: set})
	require.NoError(t, err)
	written := func(name string) *bytes.Buffer {
		e, err := format.Find(name)
		require.NoError(t, err)
		var b bytes.Buffer
		require.NoError(t, e.Write(&b, f.hot.View().Template))
		return &b
	}
	require.Contains(t, written("palette-gpl").String(), "152 185 139\tmoss\n")
	again, err := app.ReadPalette(written("palette"))
	require.NoError(t, err)
	require.Equal(t, p, again)
	for text, says := range map[string]string{
		`{"name":"x"}`:    "a palette has a colour for each of the 8 tints",
		`{"tints": oops`:  "the palette cannot be read",
		"GIMP Palette\n#": "the palette has no colours",
		"rgb":             "this is not a palette",
	} {
		_, err := app.ReadPalette(strings.NewReader(text))
		require.ErrorContains(t, err, says)
	}
	more := "GIMP Palette\n#\n"
	for n := range 12 {
		more += fmt.Sprintf("%d 120 120\tLow Sea %d\n", 10*n, n/2)
	}
	longer, err := app.ReadPalette(strings.NewReader(more))
	require.NoError(t, err)
	require.Len(t, longer.Tints, 12, "beyond the eight they are tints of their own")
	require.Equal(t, []string{"low-sea-4", "low-sea-4-2", "low-sea-5", "low-sea-5-2"}, longer.Names()[8:])
	require.Equal(t, "Low Sea 4", longer.Tints[8].Label)
	_, err = app.ReadPalette(strings.NewReader(more + strings.Repeat("1 2 3\tx\n", 21)))
	require.ErrorContains(t, err, "33 colours; 32 is the most")
	require.NoError(t, f.app.SetPalettes(ctx, f.ada, []template.Palette{p}))
	own, err := f.app.Palettes(ctx, f.ben)
	require.NoError(t, err)
	require.Equal(t, []template.Palette{p}, own)
}
