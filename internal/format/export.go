// Package format lists the open formats a template can leave Fanfold in. Each
// format has a package of its own; a template and a format's name go in,
// bytes come out.
package format

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"fanfold/internal/core/fan"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/gpl"
	"fanfold/internal/format/musicxml"
	"fanfold/internal/format/sheet"
	"fanfold/internal/format/sheethtml"
	"fanfold/internal/format/sheetpdf"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/svg"
	"fanfold/internal/format/templatefile"
)

// Export is one format in which a template is exported.
type Export struct {
	Name      string // as on the command line
	About     string
	Extension string // with its dot
	MediaType string
	Write     func(io.Writer, *template.Template) error
	Left      func(*template.Template) []string // what it does not hold, in words; nil for a sheet for people
}

// LeftOut is what the format leaves out of a template, in words.
func (e Export) LeftOut(t *template.Template) []string {
	if e.Left == nil {
		return nil
	}
	return e.Left(t)
}

// Exports are all formats.
var Exports = []Export{
	{"template", "the template file, which comes back identical", templatefile.Extension, "application/json",
		templatefile.Write, nil},
	{"smf", "a Standard MIDI File with a track for each instrument", ".mid", "audio/midi",
		func(w io.Writer, t *template.Template) error { return smf.Write(w, handover.NewSong(t)) }, handover.LeftOfSong},
	{"dawproject", "a session in the open DAWproject exchange format", dawproject.Extension, "application/zip",
		func(w io.Writer, t *template.Template) error { return dawproject.Write(w, session.Of(t, nil)) },
		func(t *template.Template) []string { return session.Of(t, nil).Left }},
	{"score", "an empty score with a part for each desk, as MusicXML", ".musicxml", "application/xml",
		func(w io.Writer, t *template.Template) error {
			return musicxml.WriteEmpty(w, t.Name, t.Settings.TempoBPM, handover.ScoreParts(t))
		}, handover.LeftOfScore},
	{"rows", "a row list, to be edited and brought in again", ".csv", "text/csv; charset=utf-8",
		func(w io.Writer, t *template.Template) error { return sheet.WriteList(w, handover.RowList(t)) }, nil},
	{"routing", "the routing sheet", ".csv", "text/csv; charset=utf-8",
		func(w io.Writer, t *template.Template) error { return sheet.Write(w, handover.RoutingSheet(t)) }, nil},
	{"routing-pdf", "the routing sheet to print, section by section", ".pdf", "application/pdf",
		func(w io.Writer, t *template.Template) error {
			return sheetpdf.Write(w, t.Name+", routing", handover.RoutingPages(t))
		}, nil},
	{"ribbons", "the routing as a picture", ".svg", "image/svg+xml",
		func(w io.Writer, t *template.Template) error {
			return svg.Write(w, handover.RibbonDrawing(t.Name, ribbon.Draw(t, fan.New(t), ribbon.View{Room: 800}), t.ThePalette(), 1200))
		}, nil},
	{"seating", "the seating sheets, one for each machine, in a ZIP", ".zip", "application/zip", writeSeating, nil},
	{"seating-pdf", "the seating sheets to print, each machine with its risers drawn", ".pdf", "application/pdf",
		func(w io.Writer, t *template.Template) error {
			return sheetpdf.Write(w, t.Name+", seating", handover.SeatingPages(t))
		}, nil},
	{"handbook", "the template as a document for people, to print", ".pdf", "application/pdf",
		func(w io.Writer, t *template.Template) error {
			return sheetpdf.WriteBook(w, t.Name, handover.Handbook(t, handover.Edition{}))
		}, nil},
	{"handbook-html", "the same as a page for a browser", ".html", "text/html; charset=utf-8",
		func(w io.Writer, t *template.Template) error {
			return sheethtml.Write(w, t.Name, handover.Handbook(t, handover.Edition{}))
		}, nil},
	{"palette", "the palette, to be brought in again", ".json", "application/json", writePalette, nil},
	{"palette-gpl", "the palette as painting programs read it", ".gpl", "text/plain; charset=utf-8", writeGPL, nil},
	{"addresses", "the machines' addresses, links and latencies", ".csv", "text/csv; charset=utf-8",
		func(w io.Writer, t *template.Template) error { return sheet.Write(w, handover.AddressSheet(t)) }, nil},
}

// Find returns the format of that name.
func Find(name string) (Export, error) {
	var names []string
	for _, e := range Exports {
		if e.Name == name {
			return e, nil
		}
		names = append(names, e.Name)
	}
	return Export{}, fmt.Errorf("there is no format %q; formats are %s", name, strings.Join(names, ", "))
}

func writePalette(w io.Writer, t *template.Template) error {
	out := json.NewEncoder(w)
	out.SetIndent("", " ")
	out.SetEscapeHTML(false)
	if err := out.Encode(t.ThePalette()); err != nil {
		return fmt.Errorf("write the palette: %w", err)
	}
	return nil
}

// writeGPL writes the colours of a palette on light paper; a tint without a label goes by its name.
func writeGPL(w io.Writer, t *template.Template) error {
	p := t.ThePalette()
	file := gpl.Palette{Name: p.Name}
	for _, x := range p.Tints {
		name := x.Label
		if name == "" {
			name = x.Tint
		}
		file.Colours = append(file.Colours, gpl.Colour{RGB: palette.On(p, x, false).Screen().Bytes(), Name: name})
	}
	return gpl.Write(w, file)
}

func writeSeating(w io.Writer, t *template.Template) error {
	archive := zip.NewWriter(w)
	for _, m := range t.Machines {
		file, err := archive.Create(handover.FileName(m.Name+" seating") + ".csv")
		if err != nil {
			return fmt.Errorf("write seating of %s: %w", m.Name, err)
		}
		if err := sheet.Write(file, handover.SeatingSheet(t, m.ID)); err != nil {
			return fmt.Errorf("write seating of %s: %w", m.Name, err)
		}
	}
	return archive.Close()
}
