package sheetpdf

import (
	"fmt"

	"fanfold/internal/core/handover"
)

// mostScale is how many mm a unit of a drawing becomes at most.
const mostScale = 1.0

// drawnHigh is how high a drawing is, mm, in a room so high; at least that it is not lower than needed.
func (s *sheets) drawnHigh(d *handover.Drawing, least float64) float64 {
	return min(d.High*min(mostScale, inner/d.Wide), max(least, bottom-margin-10))
}

// drawing draws a page's drawing as large as there is room.
func (s *sheets) drawing(p handover.Page) {
	d := p.Drawing
	y := s.pdf.GetY() + 1
	scale := min(mostScale, inner/d.Wide, (bottom-y)/d.High)
	for _, x := range d.Shapes {
		s.shape(x, margin, y, scale)
	}
	s.pdf.SetDrawColor(51, 48, 42)
	s.set.set("", textSize)
	s.pdf.SetTextColor(0, 0, 0)
	s.pdf.SetXY(margin, y+d.High*scale+2)
}

func (s *sheets) shape(x handover.Shape, left, top, scale float64) {
	pdf := s.pdf
	at := func(ax, ay float64) (float64, float64) { return left + ax*scale, top + ay*scale }
	ax, ay := at(x.X, x.Y)
	if x.Strength > 0 && x.Strength < 1 {
		pdf.SetAlpha(x.Strength, "Normal")
		defer pdf.SetAlpha(1, "Normal")
	}
	switch x.Kind {
	case handover.Band:
		bx, by := at(x.X2, x.Y2)
		h, m := x.H*scale, (ax+bx)/2
		s.fill(x.Fill)
		pdf.MoveTo(ax, ay)
		pdf.CurveBezierCubicTo(m, ay, m, by, bx, by)
		pdf.LineTo(bx, by+h)
		pdf.CurveBezierCubicTo(m, by+h, m, ay+h, ax, ay+h)
		pdf.ClosePath()
		pdf.DrawPath("F")
	case handover.Bar:
		s.fill(x.Fill)
		pdf.Rect(ax, ay, x.W*scale, x.H*scale, "F")
	case handover.Dot:
		s.fill(x.Fill)
		pdf.Circle(ax, ay, x.W/2*scale, "F")
	case handover.Ring:
		r, g, b := rgb(x.Fill)
		pdf.SetDrawColor(r, g, b)
		pdf.SetLineWidth(.15)
		pdf.Circle(ax, ay, x.W/2*scale, "D")
	case handover.Words:
		s.words(x, ax, ay, scale)
	}
}

// pointsOf turns mm into points, in which letters are measured.
const pointsOf = 72 / 25.4

func (s *sheets) words(x handover.Shape, ax, ay, scale float64) {
	style := ""
	if x.Heavy {
		style = "B"
	}
	s.set.set(style, x.Size*scale*pointsOf)
	r, g, b := rgb(x.Fill)
	s.pdf.SetTextColor(r, g, b)
	wide, high := s.set.width(x.Text), x.Size*scale
	if x.Turned {
		s.pdf.TransformBegin()
		s.pdf.TransformRotate(-90, ax, ay)
		defer s.pdf.TransformEnd()
	}
	switch x.Anchor {
	case handover.AtMiddle:
		ax -= wide / 2
	case handover.AtEnd:
		ax -= wide
	}
	s.set.write(ax, ay-high/2, wide, high, x.Text, "L")
}

func (s *sheets) fill(colour string) {
	r, g, b := rgb(colour)
	s.pdf.SetFillColor(r, g, b)
}

// rgb are the parts of #rrggbb, 0 to 255; black for what is no colour.
func rgb(colour string) (r, g, b int) {
	if _, err := fmt.Sscanf(colour, "#%02x%02x%02x", &r, &g, &b); err != nil {
		return 0, 0, 0
	}
	return r, g, b
}
