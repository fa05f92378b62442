// Package ribbonsvg writes the routing as an SVG 1.1 picture: a drawing goes
// in, a picture that any browser or drawing program opens comes out.
package ribbonsvg

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"fanfold/internal/core/palette"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
)

// Wide is the width of the picture; its height is the drawing's.
const Wide = 1200.0

// across is where the columns stand, as shares of the width.
var across = []float64{0.15, 0.34, 0.6, 0.86, 0.96}

// Write writes a drawing with a title, in the colours that a palette gives the
// tints by day.
func Write(w io.Writer, title string, d ribbon.Drawing, colours template.Palette) error {
	out, tints := bufio.NewWriter(w), map[string]string{}
	for _, x := range colours.Tints {
		tints[x.Tint] = palette.On(colours, x, false).Screen().Hex()
	}
	fmt.Fprintf(out, `<svg xmlns="http://www.w3.org/2000/svg" width="%g" height="%g" viewBox="0 0 %g %g" font-family="'Source Sans 3', sans-serif" font-size="12">`+"\n",
		Wide, d.Height+30, Wide, d.Height+30)
	fmt.Fprintf(out, "<title>%s</title>\n<rect width=\"100%%\" height=\"100%%\" fill=\"#faf7ec\"/>\n", escape(title))
	fmt.Fprintf(out, "<text x=\"12\" y=\"20\" font-size=\"15\" font-weight=\"600\">%s</text>\n<g transform=\"translate(0 24)\">\n", escape(title))
	for _, r := range d.Ribbons {
		writeRibbon(out, d, r, tints)
	}
	for _, p := range d.Places {
		writePlace(out, p, tints)
	}
	fmt.Fprint(out, "</g>\n</svg>\n")
	if err := out.Flush(); err != nil {
		return fmt.Errorf("write SVG: %w", err)
	}
	return nil
}

func writeRibbon(w io.Writer, d ribbon.Drawing, r ribbon.Ribbon, tints map[string]string) {
	from, to := d.Places[r.From], d.Places[r.To]
	x1, x2 := across[from.Column]*Wide+4, across[to.Column]*Wide
	m := (x1 + x2) / 2
	opacity, dash := 0.5, ""
	if r.Send {
		opacity, dash = 0.2, ` stroke="#6d675c" stroke-width="0.7" stroke-dasharray="2 3"`
	}
	level := fmt.Sprintf("%g dB", r.LowDB)
	if r.LowDB != r.HighDB {
		level = fmt.Sprintf("%g to %g dB", r.LowDB, r.HighDB)
	}
	fmt.Fprintf(w, `<path fill="%s" fill-opacity="%g"%s d="M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fV%.1fC%.1f %.1f %.1f %.1f %.1f %.1fZ"><title>%s</title></path>`+"\n",
		tints[from.Tint], opacity, dash, x1, r.Y1, m, r.Y1, m, r.Y2, x2, r.Y2, r.Y2+r.H, m, r.Y2+r.H, m, r.Y1+r.H, x1, r.Y1+r.H,
		escape(fmt.Sprintf("%s to %s: %d instruments, %s", from.Name, to.Name, r.Count, level)))
}

func writePlace(w io.Writer, p ribbon.Place, tints map[string]string) {
	x := across[p.Column] * Wide
	fmt.Fprintf(w, `<rect x="%.1f" y="%.1f" width="4" height="%.1f" fill="%s"/>`+"\n", x, p.Y, p.H, bar(p, tints))
	name := p.Name
	if p.Number > 0 {
		name = fmt.Sprintf("%d  %s", p.Number, name)
	}
	y := p.Y + p.H/2
	switch {
	case template.BusKind(p.Kind).Is().Beyond:
		fmt.Fprintf(w, `<text transform="translate(%.1f %.1f) rotate(90)" text-anchor="middle">%s</text>`+"\n", x+9, y, escape(p.Name))
	case p.Kind == ribbon.KindSection, p.Kind == ribbon.KindInstrument:
		fmt.Fprintf(w, `<text x="%.1f" y="%.1f" text-anchor="end" dominant-baseline="central">%s</text>`+"\n", x-6, y, escape(name))
	default:
		fmt.Fprintf(w, `<text x="%.1f" y="%.1f" dominant-baseline="central">%s</text>`+"\n", x+9, y, escape(name))
	}
}

func bar(p ribbon.Place, tints map[string]string) string {
	if p.Column == 0 {
		return tints[p.Tint]
	}
	return "#33302a"
}

func escape(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text)) // a strings.Builder takes everything
	return b.String()
}
