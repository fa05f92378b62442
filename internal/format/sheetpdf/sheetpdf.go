// Package sheetpdf writes sheets to print as PDF 1.7 (ISO 32000-1) with its
// fonts inside. Pages with a title, a drawing and a table go in; one that is too long
// goes on over several sheets, each with its headings and number, and one that follows
// begins where the one before it ends.
package sheetpdf

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"time"

	"codeberg.org/go-pdf/fpdf"

	"fanfold/internal/core/handover"
)

// Sizes, mm on A4 lying.
const (
	margin      = 12.0
	lineHigh    = 3.5
	cellPad     = 0.45 // above and below the lines of a row
	headHigh    = 5.0  // the headings of a table
	dividerHigh = 6.0  // a line between rows
	pageWide    = 297.0
	pageHigh    = 210.0
	footRoom    = 11.0
	inner       = pageWide - 2*margin
	bottom      = pageHigh - footRoom
	textSize    = 7.4 // points
	titleSize   = 15.0
	partSize    = 9.5 // the title of what follows
	coverSize   = 30.0
	bracket     = 1.2 // how wide the colour beside rows is
	shortIndex  = 12  // lines of an index that needs no page of its own
	leastRows   = 2   // of a table, below its title
	leastDrawn  = 60  // a drawing is not made lower than this to fit
)

// WriteBook writes pages as a book: the first of them, its cover, lists the contents with the numbers of
// the pages they begin on, and an index comes last. Equal pages give equal bytes.
func WriteBook(w io.Writer, title string, pages []handover.Page) error {
	first := draw(title, pages, nil) // its length does not depend on the numbers
	index := handover.Index(first.named)
	if len(index.Rows) > 0 {
		index.Follows = len(index.Rows) <= shortIndex
		pages = append(slices.Clone(pages), index)
	}
	contents := draw(title, pages, nil).begin
	done := draw(title, pages, contents)
	if err := done.pdf.Output(w); err != nil {
		return fmt.Errorf("write PDF: %w", err)
	}
	return nil
}

// Write writes pages. Equal pages give equal bytes.
func Write(w io.Writer, title string, pages []handover.Page) error {
	if err := draw(title, pages, nil).pdf.Output(w); err != nil {
		return fmt.Errorf("write PDF: %w", err)
	}
	return nil
}

// drawn is a document, and where things are in it.
type drawn struct {
	pdf   *fpdf.Fpdf
	begin []int            // the sheet on which each page begins, from 1
	named []handover.Entry // what the index lists
}

// draw draws pages; with contents, which are where each begins, on its cover.
func draw(title string, pages []handover.Page, contents []int) drawn {
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
		foot := title
		if told := set.told(); told != "" {
			foot = told
		}
		set.write(margin, bottom+2, inner-40, 5, foot, "L")
		pdf.SetXY(margin, bottom+2)
		pdf.CellFormat(inner, 5, fmt.Sprintf("%d of {pages}", pdf.PageNo()), "", 0, "R", false, 0, "")
	})
	s := &sheets{set: set, pdf: pdf, pages: pages, contents: contents}
	out := drawn{pdf: pdf}
	for n := range pages {
		s.page(n)
		out.begin = append(out.begin, s.begun)
	}
	out.named = s.named
	return out
}

// sheets lays pages out on sheets, from top to bottom.
type sheets struct {
	set      *typesetter
	pdf      *fpdf.Fpdf
	pages    []handover.Page
	contents []int
	named    []handover.Entry
	begun    int       // the sheet on which the page begins
	wide     []float64 // of the columns of the table
	headed   []string  // the headings that are above on this sheet already
}

func (s *sheets) page(n int) {
	p := s.pages[n]
	if p.Cover {
		s.cover(p)
		return
	}
	s.set.set("", textSize)
	if n == 0 || !p.Follows || !slices.Equal(p.Headings, s.pages[n-1].Headings) {
		s.wide = columns(s.set, s.alike(n))
	}
	if high := s.least(p); n == 0 || !p.Follows || s.pdf.GetY()+high > bottom {
		s.sheet(p, "")
	} else {
		s.part(p)
	}
	s.begun = s.pdf.PageNo()
	for _, text := range p.Text {
		s.paragraph(text, inner)
	}
	if p.Drawing != nil {
		s.drawing(p)
	}
	if len(p.Rows) > 0 {
		s.table(p)
	}
}

// alike are the pages whose tables go on below each other, from one on.
func (s *sheets) alike(n int) []handover.Page {
	to := n + 1
	for to < len(s.pages) && s.pages[to].Follows && slices.Equal(s.pages[to].Headings, s.pages[n].Headings) {
		to++
	}
	return s.pages[n:to]
}

// least is how high a page is with its title and a beginning, mm.
func (s *sheets) least(p handover.Page) float64 {
	high := 7.0 + float64(len(p.Text))*(lineHigh+1)
	if p.Drawing != nil {
		high += s.drawnHigh(p.Drawing, leastDrawn)
	}
	if len(p.Rows) > 0 {
		high += headHigh
	}
	for n, row := range p.Rows {
		if n == leastRows {
			break
		}
		if p.Divides(row) {
			high += dividerHigh
			continue
		}
		_, h := fold(s.set, row, s.wide)
		high += h
	}
	return high
}

// sheet begins a sheet with a title.
func (s *sheets) sheet(p handover.Page, more string) {
	s.pdf.AddPage()
	s.set.set("B", titleSize)
	s.set.write(margin, margin-2, 200, 8, p.Title+more, "L")
	s.set.set("", textSize)
	s.set.write(margin+200, margin-2, inner-200, 8, p.Note, "R")
	s.pdf.SetXY(margin, margin+8)
	s.headed = nil
}

// part begins a page below the one before it.
func (s *sheets) part(p handover.Page) {
	y := s.pdf.GetY() + 1.6
	s.set.set("B", partSize)
	s.set.write(margin, y, inner, 5, p.Title, "L")
	s.set.set("", textSize)
	s.pdf.SetXY(margin, y+5.2)
}

func (s *sheets) paragraph(text string, wide float64) {
	s.set.set("", textSize+1)
	x, y := s.pdf.GetX(), s.pdf.GetY()
	for _, line := range s.set.wrap(text, wide) {
		s.set.write(x, y, wide, lineHigh+.6, line, "L")
		y += lineHigh + .6
	}
	s.set.set("", textSize)
	s.pdf.SetXY(x, y+1)
}

// headings are written once above the tables that go on below each other.
func (s *sheets) headings(p handover.Page) {
	if slices.Equal(s.headed, p.Headings) || !slices.ContainsFunc(p.Headings, func(h string) bool { return h != "" }) {
		return
	}
	s.headed = p.Headings
	y := s.pdf.GetY()
	s.set.set("B", textSize)
	x := margin
	for n, h := range p.Headings {
		s.set.write(x+1, y, s.wide[n]-1, headHigh-.6, h, "L")
		x += s.wide[n]
	}
	s.pdf.SetDrawColor(51, 48, 42)
	s.pdf.SetLineWidth(.2)
	s.pdf.Line(margin, y+headHigh-.4, pageWide-margin, y+headHigh-.4)
	s.set.set("", textSize)
	s.pdf.SetXY(margin, y+headHigh)
}

func (s *sheets) table(p handover.Page) {
	s.headings(p)
	for n, row := range p.Rows {
		lines, high := [][]string(nil), dividerHigh
		if !p.Divides(row) {
			lines, high = fold(s.set, row, s.wide)
		}
		if s.pdf.GetY()+high > bottom {
			s.sheet(p, ", continued")
			s.headings(p)
		}
		y := s.pdf.GetY()
		if p.Tint != "" {
			s.fill(p.Tint)
			s.pdf.Rect(margin-bracket-.8, y, bracket, high, "F")
		}
		if p.Divides(row) {
			s.divider(row[0])
			continue
		}
		if n%2 == 1 { // a faint band, as fan-fold paper has
			s.pdf.SetFillColor(243, 240, 229)
			s.pdf.Rect(margin, y, inner, high, "F")
		}
		if p.Indexed {
			s.named = append(s.named, handover.Entry{Name: row[0], Page: s.pdf.PageNo()})
		}
		s.cells(p, lines, high)
	}
}

// divider draws a line across all columns, after its word.
func (s *sheets) divider(word string) {
	y, left := s.pdf.GetY(), margin+1
	if word != "" {
		s.set.set("B", textSize)
		s.set.write(left, y+dividerHigh-lineHigh-.5, inner-2, lineHigh, word, "L")
		left += s.set.width(word) + 3
		s.set.set("", textSize)
	}
	s.pdf.SetDrawColor(51, 48, 42)
	s.pdf.SetLineWidth(.2)
	s.pdf.Line(min(left, pageWide-margin), y+dividerHigh/2, pageWide-margin, y+dividerHigh/2)
	s.pdf.SetXY(margin, y+dividerHigh)
}

func (s *sheets) cells(p handover.Page, lines [][]string, high float64) {
	x, y := margin, s.pdf.GetY()
	for n, texts := range lines {
		left := x + 1
		if p.Shows(n) && len(texts) > 0 {
			s.fill(texts[0])
			s.pdf.Rect(left, y+cellPad, 14, high-2*cellPad, "F")
			left += 16
		}
		for k, text := range texts {
			s.set.write(left, y+cellPad+float64(k)*lineHigh, s.wide[n]-2, lineHigh, text, "L")
		}
		x += s.wide[n]
	}
	s.pdf.SetXY(margin, y+high)
}

// cover is the first page: what the book is of, what that holds, and the contents.
func (s *sheets) cover(p handover.Page) {
	s.pdf.AddPage()
	s.begun = s.pdf.PageNo()
	s.set.set("B", coverSize)
	y := margin + 6
	for _, line := range s.set.wrap(p.Title, inner) {
		s.set.write(margin, y, inner, 13, line, "L")
		y += 13
	}
	s.set.set("", textSize+2)
	s.set.write(margin, y+1, inner, 6, p.Note, "L")
	s.pdf.SetXY(margin, y+11)
	const left = 108.0 // the width of what it holds
	for _, text := range p.Text {
		s.paragraph(text, left-8)
	}
	y = max(s.pdf.GetY()+3, y+14)
	top := y
	s.set.set("", textSize+.6)
	for _, row := range p.Rows {
		high := 0.0
		for n, w := range []float64{60, left - 68} {
			at := margin + float64(n)*60
			lines := s.set.wrap(row[n], w-2)
			for k, line := range lines {
				s.set.write(at, y+float64(k)*(lineHigh+.4), w, lineHigh+.4, line, "L")
			}
			high = max(high, float64(len(lines))*(lineHigh+.4))
		}
		if y += high + .8; y > bottom-8 {
			break
		}
	}
	s.list(margin+left+6, min(top, margin+38), inner-left-6)
	s.pdf.SetXY(margin, bottom)
}

// list lists the contents in columns, from a place on.
func (s *sheets) list(x, y, wide float64) {
	s.set.set("B", partSize)
	s.set.write(x, y, wide, 6, "Contents", "L")
	s.set.set("", textSize)
	y += 8
	var titles [][2]string
	for n, p := range s.pages {
		if p.Cover {
			continue
		}
		at := ""
		if n < len(s.contents) {
			at = strconv.Itoa(s.contents[n])
		}
		titles = append(titles, [2]string{p.Title, at})
	}
	const step = lineHigh + .35
	rows := int((bottom - 4 - y) / step)
	for rows > 1 && (len(titles)+rows-2)/(rows-1) == (len(titles)+rows-1)/rows { // columns of equal height
		rows--
	}
	across := max(2, (len(titles)+rows-1)/rows)
	each := wide / float64(across)
	for n, t := range titles {
		left, top := x+float64(n/rows)*each, y+float64(n%rows)*step
		lines := s.set.wrap(t[0], each-14)
		if len(lines) > 1 {
			lines[0] += "…"
		}
		s.set.write(left, top, each-14, step, lines[0], "L")
		s.set.write(left+each-12, top, 8, step, t[1], "R")
	}
}

// columns shares the width among the columns of tables that go on below each other, each by its longest
// text but none below a twentieth.
func columns(set *typesetter, pages []handover.Page) []float64 {
	headings := pages[0].Headings
	wide := make([]float64, len(headings))
	sum := 0.0
	for n, h := range headings {
		wide[n] = set.width(h)
		for _, p := range pages {
			room := 0.0
			if p.Shows(n) {
				room = 16
			}
			for _, row := range p.Rows {
				if p.Divides(row) {
					continue
				}
				wide[n] = max(wide[n], min(inner/2, room+set.width(row[n])))
			}
		}
		wide[n] = max(inner/20, wide[n]+4)
		sum += wide[n]
	}
	for n := range wide {
		wide[n] *= inner / sum
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
	return lines, float64(most)*lineHigh + 2*cellPad
}
