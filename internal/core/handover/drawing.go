package handover

import (
	"fmt"

	"fanfold/internal/core/palette"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
)

// Drawing is a picture for people, from its top left corner on. Its lengths are in a unit of its own:
// whoever prints it scales it.
type Drawing struct {
	Title      string
	Wide, High float64
	Shapes     []Shape // what comes later lies above
}

// ShapeKind is what a shape is.
type ShapeKind string

// The kinds of shape.
const (
	Band  ShapeKind = "band"  // from X, Y to X2, Y2, as high as H at both ends, bent like an S
	Bar   ShapeKind = "bar"   // a rectangle at X, Y, W wide and H high
	Dot   ShapeKind = "dot"   // a disc around X, Y, W across
	Ring  ShapeKind = "ring"  // a circle around X, Y, W across
	Words ShapeKind = "words" // Text at X, Y, which is the middle of its height
)

// Anchor says where the place of words is.
type Anchor string

// The anchors of words.
const (
	AtStart  Anchor = "start"
	AtMiddle Anchor = "middle"
	AtEnd    Anchor = "end"
)

// Shape is a part of a drawing.
type Shape struct {
	Kind     ShapeKind
	X, Y     float64
	X2, Y2   float64
	W, H     float64
	Fill     string  // #rrggbb; of words, their ink; of a ring, its line
	Strength float64 // 0 to 1; 0 means 1
	Dashed   bool    // with a dashed line around it
	Text     string
	Size     float64 // of words, in the drawing's unit
	Anchor   Anchor
	Turned   bool   // words run downwards
	Title    string // what it is, shown when pointed at
	Heavy    bool   // words in bold
}

// ink is what is drawn in on paper, and pale what is drawn only faintly.
const (
	ink  = "#33302a"
	pale = "#b7b09f"
	soft = "#6d675c"
)

// ribbonsAcross is where the columns of a routing are, as shares of the width.
var ribbonsAcross = []float64{0.15, 0.34, 0.6, 0.86, 0.965}

// tintsOf are the colours that a palette gives the tints on paper.
func tintsOf(p template.Palette) map[string]string {
	out := map[string]string{}
	for _, x := range p.Tints {
		out[x.Tint] = palette.On(p, x, false).Screen().Hex()
	}
	return out
}

// RibbonDrawing is a routing as a picture that is so wide, in a palette's colours by day.
func RibbonDrawing(title string, d ribbon.Drawing, colours template.Palette, wide float64) Drawing {
	out, tints := Drawing{Title: title, Wide: wide, High: d.Height}, tintsOf(colours)
	for _, r := range d.Ribbons {
		from, to := d.Places[r.From], d.Places[r.To]
		level := fmt.Sprintf("%g dB", r.LowDB)
		if r.LowDB != r.HighDB {
			level = fmt.Sprintf("%g to %g dB", r.LowDB, r.HighDB)
		}
		s := Shape{
			Kind: Band, X: ribbonsAcross[from.Column]*wide + 4, Y: r.Y1, X2: ribbonsAcross[to.Column] * wide, Y2: r.Y2, H: r.H,
			Fill: tints[from.Tint], Strength: .5, Title: fmt.Sprintf("%s to %s: %d instruments, %s", from.Name, to.Name, r.Count, level),
		}
		if r.Send {
			s.Strength, s.Dashed = .2, true
		}
		out.Shapes = append(out.Shapes, s)
	}
	for _, p := range d.Places {
		out.Shapes = append(out.Shapes, placeShapes(p, ribbonsAcross[p.Column]*wide, tints)...)
	}
	return out
}

func placeShapes(p ribbon.Place, x float64, tints map[string]string) []Shape {
	bar := Shape{Kind: Bar, X: x, Y: p.Y, W: 4, H: p.H, Fill: ink}
	if p.Column == 0 {
		bar.Fill = tints[p.Tint]
	}
	words := Shape{Kind: Words, X: x + 9, Y: p.Y + p.H/2, Fill: ink, Size: 12, Anchor: AtStart, Text: p.Name}
	if p.Number > 0 {
		words.Text = fmt.Sprintf("%d  %s", p.Number, p.Name)
	}
	switch {
	case template.BusKind(p.Kind).Is().Beyond:
		words.Text, words.Anchor, words.Turned = p.Name, AtMiddle, true
	case p.Kind == ribbon.KindSection, p.Kind == ribbon.KindInstrument:
		words.X, words.Anchor = x-6, AtEnd
	}
	return []Shape{bar, words}
}

// Seats are drawn so far apart, and risers, in the unit of the drawing.
const (
	seatStep   = 4.0
	riserAside = 8.0 // for the number of a port
	riserGap   = 8.0
	riserHead  = 8.0
)

// SeatDrawing is a machine as its risers in use: a row of sixteen seats for each port, those taken in the
// colours of their sections. Its height is 0 where nobody sits.
func SeatDrawing(t *template.Template, m *template.Machine) Drawing {
	type place struct{ riser, port, channel int }
	seats := map[place]*template.Instrument{}
	risers := 0
	for _, i := range t.Instruments {
		if i.Seat == nil || i.Seat.Machine != m.ID {
			continue
		}
		seats[place{i.Seat.Riser, i.Seat.Port, i.Seat.Channel}] = i
		risers = max(risers, i.Seat.Riser)
	}
	tints := tintsOf(t.ThePalette())
	ports := t.Settings.RiserPorts
	each := riserAside + template.PortChannels*seatStep
	out := Drawing{Title: m.Name, Wide: float64(risers)*(each+riserGap) - riserGap, High: riserHead + float64(ports)*seatStep}
	if risers == 0 {
		return Drawing{Title: m.Name}
	}
	for riser := 1; riser <= risers; riser++ {
		left := float64(riser-1) * (each + riserGap)
		taken := 0
		for port := 1; port <= ports; port++ {
			y := riserHead + (float64(port)-.5)*seatStep
			out.Shapes = append(out.Shapes, Shape{Kind: Words, X: left + riserAside - 3, Y: y, Text: fmt.Sprint(port), Size: 2.6, Fill: soft, Anchor: AtEnd})
			for channel := 1; channel <= template.PortChannels; channel++ {
				s := Shape{Kind: Ring, X: left + riserAside + (float64(channel)-.5)*seatStep, Y: y, W: 1.8, Fill: pale}
				if i := seats[place{riser, port, channel}]; i != nil {
					taken++
					s.Kind, s.W, s.Fill, s.Title = Dot, 3.2, tints[t.TintOf(i.Section)], i.Name
				}
				out.Shapes = append(out.Shapes, s)
			}
		}
		out.Shapes = append(out.Shapes,
			Shape{Kind: Words, X: left + riserAside, Y: 3, Text: fmt.Sprintf("Riser %d", riser), Size: 3.4, Fill: ink, Anchor: AtStart, Heavy: true},
			Shape{Kind: Words, X: left + each, Y: 3, Text: fmt.Sprintf("%d seats", taken), Size: 3, Fill: soft, Anchor: AtEnd})
	}
	return out
}
