package colour_test

import (
	"encoding/json"
	"flag"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/colour"
)

var update = flag.Bool("update", false, "write the figures anew")

// figures are what the web tests compare with npm culori, an independent
// library.
type figures struct {
	Hex        string             `json:"hex"`
	L          float64            `json:"l"`
	C          float64            `json:"c"`
	H          float64            `json:"h"`
	Difference float64            `json:"difference"` // Delta E OK to the colour before
	Contrast   float64            `json:"contrast"`   // to white
	Seen       map[string]float64 `json:"seen"`       // how far the colour moves, Delta E OK, for each vision
}

const golden = "testdata/outside.json"

func TestFiguresForTheOutside(t *testing.T) {
	var out []figures
	before := colour.RGB{}
	white := colour.FromBytes([3]int{255, 255, 255})
	for _, hex := range []string{"#1f7a4d", "#b4565e", "#c9a227", "#3c6e9f", "#8a5aa8", "#e07b39", "#7f7f7f", "#101418", "#f4f1e6", "#ff0000", "#00ff00", "#0000ff"} {
		c, err := colour.FromHex(hex)
		require.NoError(t, err)
		require.Equal(t, hex, c.Hex())
		lch := c.Lab().LCH()
		f := figures{Hex: hex, L: lch.L, C: lch.C, H: lch.H, Difference: colour.Difference(before.Lab(), c.Lab()), Contrast: colour.Contrast(c, white), Seen: map[string]float64{}}
		for _, v := range colour.Visions[1:] {
			f.Seen[string(v)] = colour.Difference(c.Lab(), c.As(v).Lab())
		}
		out, before = append(out, f), c
	}
	data, err := json.MarshalIndent(out, "", " ")
	require.NoError(t, err)
	if *update {
		require.NoError(t, os.WriteFile(golden, append(data, '\n'), 0o644))
	}
	want, err := os.ReadFile(golden)
	require.NoError(t, err)
	require.JSONEq(t, string(want), string(data), "see it with: go test ./internal/core/colour -update && git diff")
}

// Worked figures: OKLab's own of white and the primaries (B. Ottosson, from
// memory), WCAG's 21 to 1 for black on white.
func TestWorkedFigures(t *testing.T) {
	white := colour.RGB{1, 1, 1}.Lab()
	require.InDelta(t, 1, white.L, 1e-4)
	require.InDelta(t, 0, white.A, 1e-4)
	red := colour.RGB{1, 0, 0}.Lab()
	require.InDelta(t, 0.628, red.L, 1e-3)
	require.InDelta(t, 0.2249, red.A, 1e-3)
	require.InDelta(t, 0.1258, red.B, 1e-3)
	require.InDelta(t, 21, colour.Contrast(colour.RGB{}, colour.RGB{1, 1, 1}), 1e-9)
	_, err := colour.FromHex("#12")
	require.ErrorContains(t, err, "write it as #rrggbb")
}

// Any colour comes back from sRGB, and one that no screen shows keeps its
// lightness and hue.
func TestThereAndBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		unit := rapid.Float64Range(0, 1)
		c := colour.RGB{unit.Draw(r, "r"), unit.Draw(r, "g"), unit.Draw(r, "b")}
		back := c.Lab().LCH().Lab().RGB()
		for n := range c {
			require.InDelta(r, c[n], back[n], 1e-5)
		}
		bright := colour.LCH{L: rapid.Float64Range(0.2, 0.9).Draw(r, "l"), C: rapid.Float64Range(0, 0.5).Draw(r, "c"), H: rapid.Float64Range(0, 359).Draw(r, "h")}
		shown := bright.Screen()
		require.True(r, shown.Fits())
		require.InDelta(r, bright.L, shown.Lab().L, 5e-3)
	})
}
