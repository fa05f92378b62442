package template_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// drawn is a PNG of a size, of one colour or of noise.
func drawn(side int, noise bool) []byte {
	p := image.NewNRGBA(image.Rect(0, 0, side, side))
	seed := uint32(1)
	for n := range p.Pix {
		if seed = seed*1664525 + 1013904223; noise {
			p.Pix[n] = byte(seed >> 24)
		}
	}
	p.SetNRGBA(0, 0, color.NRGBA{R: 90, A: 255})
	var out bytes.Buffer
	if err := png.Encode(&out, p); err != nil {
		panic(err)
	}
	return out.Bytes()
}

func TestEmblems(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	whole := drawn(64, false)
	for name, tc := range map[string]struct {
		e    template.Emblem
		says string
	}{
		"letters":         {template.Emblem{Letters: "WV"}, ""},
		"any script":      {template.Emblem{Letters: "Ö2"}, ""},
		"an icon":         {template.Emblem{Icon: "bell"}, ""},
		"a picture":       {template.Emblem{Picture: whole}, ""},
		"the worst one":   {template.Emblem{Picture: drawn(64, true)}, ""},
		"nothing":         {template.Emblem{}, "one of the three"},
		"two of them":     {template.Emblem{Letters: "WV", Icon: "bell"}, "one of the three"},
		"a word":          {template.Emblem{Letters: "Wren"}, "one or two letters"},
		"signs":           {template.Emblem{Letters: "<>"}, "one or two letters"},
		"an unknown icon": {template.Emblem{Icon: "../bell"}, "no icon"},
		"too wide":        {template.Emblem{Picture: drawn(65, false)}, "65 by 65 pixels; 64 by 64 at most"},
		"too long":        {template.Emblem{Picture: append(whole, make([]byte, template.MaxEmblemBytes)...)}, "at most"},
		"cut off":         {template.Emblem{Picture: whole[:len(whole)/2]}, "not a valid PNG"},
		"another format":  {template.Emblem{Picture: []byte("<svg xmlns='http://www.w3.org/2000/svg'/>")}, "not a valid PNG"},
	} {
		t.Run(name, func(t *testing.T) {
			l, p := *base.Libraries[0], *base.Players[0]
			l.Emblem, p.Emblem = &tc.e, &tc.e
			for _, put := range []change.Put{
				{Libraries: []change.Entry[template.Library]{change.Append(&l)}},
				{Players: []change.Entry[template.Player]{change.Append(&p)}},
			} {
				after, _, err := change.Apply(base, put)
				if tc.says != "" {
					require.ErrorContains(t, err, tc.says)
					continue
				}
				require.NoError(t, err)
				require.Equal(t, &tc.e, after.EmblemOf(after.Instruments[0]))
			}
		})
	}
	require.Nil(t, base.EmblemOf(base.Instruments[0]))
}

// A row's own emblem comes before that of its library; one that says nothing takes it away again.
func TestARowHasAnEmblemOfItsOwn(t *testing.T) {
	base := coretest.Large(4, 1)
	l := *base.Libraries[0]
	l.Emblem = &template.Emblem{Letters: "MW"}
	base = coretest.Must(base, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&l)}})
	id := base.Instruments[0].ID
	own := coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: id, Emblem: &template.Emblem{Icon: "lamp"}}}})
	require.Equal(t, "lamp", own.EmblemOf(own.Instruments[0]).Icon)
	back := coretest.Must(own, change.Edit{Edits: []change.Fields{{ID: id, Emblem: &template.Emblem{}}}})
	require.Nil(t, back.Instruments[0].Emblem)
	require.Equal(t, "MW", back.EmblemOf(back.Instruments[0]).Letters)
	_, _, err := change.Apply(base, change.Edit{Edits: []change.Fields{{ID: id, Emblem: &template.Emblem{Icon: "kazoo"}}}})
	require.ErrorContains(t, err, "kazoo")
}

// The contract and the schema of the file offer the icons there are; what the
// page draws is checked against the contract when it is built.
func TestTheContractOffersTheIcons(t *testing.T) {
	for _, name := range []string{"../../api/openapi.yaml", "../../../docs/schema/template-9.schema.json"} {
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		flat := strings.NewReplacer("\n", "", " ", "", `"`, "").Replace(string(data))
		require.Contains(t, flat, "["+strings.Join(template.Icons, ",")+"]", name)
	}
}
