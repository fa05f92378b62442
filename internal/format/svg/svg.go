// Package svg writes drawings as SVG 1.1 pictures, which any browser or drawing program opens: as a file
// of their own, or within a page.
package svg

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"fanfold/internal/core/handover"
)

// head is the room for the title of a picture, in its unit.
const head = 30.0

// Write writes a drawing as a file, with its title above it.
func Write(w io.Writer, d handover.Drawing) error {
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, `<svg xmlns="http://www.w3.org/2000/svg" width="%g" height="%g" viewBox="0 0 %g %g" font-family="'Source Sans 3', sans-serif">`+"\n", d.Wide, d.High+head, d.Wide, d.High+head)
	fmt.Fprintf(out, "<title>%s</title>\n<rect width=\"100%%\" height=\"100%%\" fill=\"#faf7ec\"/>\n", escape(d.Title))
	fmt.Fprintf(out, "<text x=\"12\" y=\"20\" font-size=\"15\" font-weight=\"600\">%s</text>\n<g transform=\"translate(0 24)\">\n", escape(d.Title))
	shapes(out, d)
	fmt.Fprint(out, "</g>\n</svg>\n")
	if err := out.Flush(); err != nil {
		return fmt.Errorf("write SVG: %w", err)
	}
	return nil
}

// Within is a drawing as an element of a page, as wide as there is room but no wider than most, px.
func Within(d handover.Drawing, most int) string {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg viewBox="0 0 %g %g" role="img" aria-label="%s" style="width:100%%;max-width:%dpx" font-family="inherit">`, d.Wide, d.High, escape(d.Title), most)
	shapes(&b, d)
	b.WriteString("</svg>")
	return b.String()
}

func shapes(w io.Writer, d handover.Drawing) {
	for _, s := range d.Shapes {
		shape(w, s)
	}
}

func shape(w io.Writer, s handover.Shape) {
	strength := ""
	if s.Strength > 0 && s.Strength < 1 {
		strength = fmt.Sprintf(` fill-opacity="%g"`, s.Strength)
	}
	if s.Dashed {
		strength += ` stroke="#6d675c" stroke-width="0.7" stroke-dasharray="2 3"`
	}
	title := ""
	if s.Title != "" {
		title = "<title>" + escape(s.Title) + "</title>"
	}
	switch s.Kind {
	case handover.Band:
		m := (s.X + s.X2) / 2
		fmt.Fprintf(w, `<path fill="%s"%s d="M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fV%.1fC%.1f %.1f %.1f %.1f %.1f %.1fZ">%s</path>`+"\n",
			s.Fill, strength, s.X, s.Y, m, s.Y, m, s.Y2, s.X2, s.Y2, s.Y2+s.H, m, s.Y2+s.H, m, s.Y+s.H, s.X, s.Y+s.H, title)
	case handover.Bar:
		fmt.Fprintf(w, `<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="%s"%s>%s</rect>`+"\n", s.X, s.Y, s.W, s.H, s.Fill, strength, title)
	case handover.Dot:
		fmt.Fprintf(w, `<circle cx="%.1f" cy="%.1f" r="%.2f" fill="%s"%s>%s</circle>`+"\n", s.X, s.Y, s.W/2, s.Fill, strength, title)
	case handover.Ring:
		fmt.Fprintf(w, `<circle cx="%.1f" cy="%.1f" r="%.2f" fill="none" stroke="%s" stroke-width="0.3"/>`+"\n", s.X, s.Y, s.W/2, s.Fill)
	case handover.Words:
		at := fmt.Sprintf(`x="%.1f" y="%.1f" dominant-baseline="central"`, s.X, s.Y)
		if s.Turned {
			at = fmt.Sprintf(`transform="translate(%.1f %.1f) rotate(90)"`, s.X, s.Y)
		}
		weight := ""
		if s.Heavy {
			weight = ` font-weight="600"`
		}
		fmt.Fprintf(w, `<text %s font-size="%g" fill="%s" text-anchor="%s"%s>%s</text>`+"\n", at, s.Size, s.Fill, s.Anchor, weight, escape(s.Text))
	}
}

func escape(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text)) // a strings.Builder takes everything
	return b.String()
}
