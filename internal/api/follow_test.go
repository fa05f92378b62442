package api_test

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
)

// Memory by bar for a piece: the row is woken before the music, and the machine's bars are told;
// taken out, another reader (midicsv) finds the marker, and a music program the address. What is no
// music is refused.
func TestMemoryByBar(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	one := violins(t)
	one.Patches[0].PreloadMiB = 500
	path := "/api/templates/" + c.keep(t, one)
	got := decode[struct {
		Bars  int
		Steps []struct {
			Bar  int
			Wake []template.ID
		}
		Machines []struct {
			LimitMib, AllMib float64
			Bars             []float64
			Over             []int
		}
		Silent []string
	}](t, c.do("POST", path+"/follow", fourBars(t)))
	require.GreaterOrEqual(t, got.Bars, 4)
	require.Len(t, got.Steps, 1)
	require.Equal(t, 0, got.Steps[0].Bar)
	require.Equal(t, []template.ID{"i"}, got.Steps[0].Wake)
	require.Len(t, got.Machines, 1)
	require.Len(t, got.Machines[0].Bars, got.Bars)
	require.Equal(t, got.Machines[0].AllMib, got.Machines[0].Bars[0])
	require.Empty(t, got.Machines[0].Over)
	require.Len(t, got.Silent, 1)
	require.Contains(t, midiText(t, c.do("POST", path+"/follow/midi", fourBars(t)).body), `Marker_t, "Call Violins 1"`)
	require.Contains(t, string(c.do("POST", path+"/follow/osc", fourBars(t)).body), "0,0.000,/fanfold/call,Violins 1")
	require.Equal(t, 422, c.do("POST", path+"/follow", []byte("nonsense")).status)
	out := c.do("POST", path+"/follow?hand="+url.QueryEscape(`{"track-2":[]}`), fourBars(t))
	require.Equal(t, 422, out.status, "the one part is left out")
	require.Contains(t, string(out.body), "nobody plays")
	require.Contains(t, string(c.do("POST", path+"/follow/midi?hand=x", fourBars(t)).body), "is not a JSON object")
}
