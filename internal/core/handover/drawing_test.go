package handover_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
)

// Whatever the template, everything that is drawn lies within its drawing, every seat that is taken is a
// disc with its row's name, and every place of the routing has its name.
func TestDrawingsHoldWhatTheyShow(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		now := coretest.Large(rapid.IntRange(1, 90).Draw(t, "rows"), rapid.IntRange(1, 12).Draw(t, "stems"))
		seated := 0
		for _, m := range now.Machines {
			d := handover.SeatDrawing(now, m)
			within(t, d)
			for _, s := range d.Shapes {
				if s.Kind == handover.Dot {
					seated++
					require.NotEmpty(t, s.Title)
				}
			}
		}
		places := map[template.Seat]bool{}
		for _, i := range now.Instruments {
			if i.Seat != nil {
				s := *i.Seat
				s.Pair = 0
				places[s] = true
			}
		}
		require.Equal(t, len(places), seated)
		flow := ribbon.Draw(now, fan.New(now), ribbon.View{Room: 500})
		d := handover.RibbonDrawing("Routing", flow, now.ThePalette(), 1000)
		within(t, d)
		require.Len(t, d.Shapes, len(flow.Ribbons)+2*len(flow.Places))
	})
}

func within(t require.TestingT, d handover.Drawing) {
	for _, s := range d.Shapes {
		require.GreaterOrEqual(t, s.X, 0.0, "%+v", s)
		require.LessOrEqual(t, s.X, d.Wide, "%+v", s)
		require.GreaterOrEqual(t, s.Y, 0.0, "%+v", s)
		require.LessOrEqual(t, s.Y+s.H, d.High+.01, "%+v", s)
	}
}

// By hand: rows that only differ in their last word are one name, with all their pages; others stay.
func TestTheIndex(t *testing.T) {
	p := handover.Index([]handover.Entry{
		{Name: "Oboe 1 short", Page: 5}, {Name: "Anvil", Page: 9}, {Name: "Oboe 1 long", Page: 5}, {Name: "oud", Page: 3},
		{Name: "Violas long", Page: 14}, {Name: "Violas short", Page: 13}, {Name: "Bass drum", Page: 8},
	})
	require.Equal(t, [][]string{{"Anvil  9", "Bass drum  8", "Oboe 1  5", "oud  3", "Violas  13, 14", ""}}, p.Rows)
	require.Empty(t, handover.Index(nil).Rows)
}
