package svg_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
	"fanfold/internal/format/svg"
)

// The picture is well-formed XML with a path for every ribbon and a name for
// every place, whatever the names hold.
func TestThePicture(t *testing.T) {
	now := coretest.Large(64, 40)
	odd := now.StemsOf("fold-fine")[0].Clone()
	odd.Name, odd.Number = `Flutes <& "oboes">`, 12
	now = coretest.Must(now, change.Put{Buses: []change.Entry[template.Bus]{change.Append(odd)}})
	d := ribbon.Draw(now, fan.New(now), ribbon.View{Room: 600})
	var b bytes.Buffer
	require.NoError(t, svg.Write(&b, handover.RibbonDrawing("A & B", d, template.StandardPalette(), 1200)))
	count := map[string]int{}
	text := ""
	for decoder := xml.NewDecoder(&b); ; {
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		require.NoError(t, err)
		switch x := token.(type) {
		case xml.StartElement:
			count[x.Name.Local]++
		case xml.CharData:
			text += string(x) + "\n"
		}
	}
	require.Equal(t, len(d.Ribbons), count["path"])
	require.Equal(t, len(d.Places)+1, count["text"])
	for _, p := range d.Places {
		require.Contains(t, text, p.Name)
	}
	require.Contains(t, text, `12  Flutes <& "oboes">`)
	require.False(t, strings.Contains(text, "NaN"))
}
