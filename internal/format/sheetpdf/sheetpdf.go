// Package sheetpdf writes sheets to print as PDF 1.7 (ISO 32000-1) with its
// fonts inside. Pages with a title and a table go in; a page that is too long
// goes on over several sheets, each with its headings and number.
package sheetpdf

import (
	"fmt"
	"io"
	"strconv"
	"time"

	"codeberg.org/go-pdf/fpdf"

	"fanfold/internal/core/handover"
)

// Sizes, mm on A4 lying.
const (
	margin    = 12.0
	lineHigh  = 5.2
	pageWide  = 297.0
	pageHigh  = 210.0
	footRoom  = 12.0
	textSize  = 8.5 // points
	titleSize = 15.0
)

// WriteBook writes pages after a title and a list of contents with the numbers
// of the pages they begin on. Equal pages give equal bytes.
func WriteBook(w io.Writer, title string, pages []handover.Page) error {
	contents := handover.Page{Title: title, Table: handover.Table{Headings: []string{"contents", "page"}}}
	for _, p := range pages {
		contents.Rows = append(contents.Rows, []string{p.Title, "000"})
	}
	book := append([]handover.Page{contents}, pages...)
	_, begin := draw(title, book) // how long it is does not hang on the numbers
	for n := range pages {
		contents.Rows[n][1] = strconv.Itoa(begin[n+1])
	}
	pdf, _ := draw(title, book)
	if err := pdf.Output(w); err != nil {
		return fmt.Errorf("write PDF: %w", err)
	}
	return nil
}

// Write writes pages. Equal pages give equal bytes.
func Write(w io.Writer, title string, pages []handover.Page) error {
	pdf, _ := draw(title, pages)
	if err := pdf.Output(w); err != nil {
		return fmt.Errorf("write PDF: %w", err)
	}
	return nil
}

// draw draws pages and tells on which sheet each begins, from 1.
func draw(title string, pages []handover.Page) (*fpdf.Fpdf, []int) {
	pdf := fpdf.New("L", "mm", "A4", "")
	pdf.SetCreationDate(time.Unix(0, 0).UTC())
	pdf.SetModificationDate(time.Unix(0, 0).UTC())
	pdf.SetCatalogSort(true)
	pdf.SetTitle(title, true)
	set := newTypesetter(pdf)
	pdf.SetMargins(margin, margin, margin)
	pdf.SetAutoPageBreak(false, footRoom)
	pdf.AliasNbPages("{pages}")
	pdf.SetFooterFunc(func() {
		set.set("", 8)
		if told := set.told(); told != "" {
			set.write(margin, pageHigh-footRoom+2, pageWide-2*margin-40, 5, told, "L")
		}
		pdf.SetXY(margin, pageHigh-footRoom+2)
		pdf.CellFormat(pageWide-2*margin, 5, fmt.Sprintf("%d of {pages}", pdf.PageNo()), "", 0, "R", false, 0, "")
	})
	begin := make([]int, len(pages))
	for n, p := range pages {
		begin[n] = pdf.PageNo() + 1
		page(set, p)
	}
	return pdf, begin
}

func page(set *typesetter, p handover.Page) {
	pdf := set.pdf
	set.set("", textSize)
	wide := columns(set, p)
	head(set, p, wide, "")
	for n, row := range p.Rows {
		lines, high := fold(set, row, wide)
		if pdf.GetY()+high > pageHigh-footRoom {
			head(set, p, wide, ", continued")
		}
		if n%2 == 1 { // a faint band, as fan-fold paper has
			pdf.SetFillColor(243, 240, 229)
			pdf.Rect(margin, pdf.GetY(), pageWide-2*margin, high, "F")
		}
		cells(set, lines, wide, high)
	}
}

func head(set *typesetter, p handover.Page, wide []float64, more string) {
	pdf := set.pdf
	pdf.AddPage()
	set.set("B", titleSize)
	set.write(margin+1, margin, 200, 8, p.Title+more, "L")
	set.set("", textSize)
	set.write(margin+200, margin, pageWide-2*margin-200, 8, p.Note, "R")
	set.set("B", textSize)
	x := margin
	for n, h := range p.Headings {
		set.write(x+1, margin+8, wide[n]-1, 6, h, "L")
		x += wide[n]
	}
	pdf.Line(margin, margin+14, pageWide-margin, margin+14)
	pdf.SetXY(margin, margin+15)
	set.set("", textSize)
}

// columns shares the width among the columns, each by its longest text but none
// below a tenth.
func columns(set *typesetter, p handover.Page) []float64 {
	whole := pageWide - 2*margin
	wide := make([]float64, len(p.Headings))
	sum := 0.0
	for n, h := range p.Headings {
		wide[n] = set.width(h)
		for _, row := range p.Rows {
			wide[n] = max(wide[n], min(whole/2, set.width(row[n])))
		}
		wide[n] = max(whole/10, wide[n]+4)
		sum += wide[n]
	}
	for n := range wide {
		wide[n] *= whole / sum
	}
	return wide
}

// fold breaks the texts of a row into the lines their columns hold.
func fold(set *typesetter, row []string, wide []float64) ([][]string, float64) {
	lines := make([][]string, len(row))
	most := 1
	for n, text := range row {
		lines[n] = set.wrap(text, wide[n]-2)
		most = max(most, len(lines[n]))
	}
	return lines, float64(most) * lineHigh
}

func cells(set *typesetter, lines [][]string, wide []float64, high float64) {
	x, y := margin, set.pdf.GetY()
	for n, texts := range lines {
		for k, text := range texts {
			set.write(x+1, y+float64(k)*lineHigh, wide[n]-2, lineHigh, text, "L")
		}
		x += wide[n]
	}
	set.pdf.SetXY(margin, y+high)
}
