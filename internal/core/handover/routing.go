package handover

import (
	"slices"
	"strings"

	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Page is a part of a sheet to print: a title, a line beside it, what is said and drawn, and a table. It
// begins on a page of its own, unless it follows.
type Page struct {
	Title string
	Note  string
	Text  []string // paragraphs
	Table
	Drawing *Drawing
	Follows bool   // goes on below what is before it, where there is room
	Tint    string // #rrggbb, of the bracket beside its rows; none where it is empty
	Colours []int  // columns whose cells are colours, #rrggbb, and are shown
	Indexed bool   // the names in its first column stand in the index
	Cover   bool   // the first page of a book, with its contents
}

// divide is a divider as a row of a page: its word, and no cell beside it.
func divide(i *template.Instrument) []string { return []string{i.Name} }

// Divides tells whether a row of the page is a line across all columns, with a word or without.
func (p Page) Divides(row []string) bool { return len(row) == 1 && len(p.Headings) > 1 }

// Shows tells whether the cells of a column are colours.
func (p Page) Shows(column int) bool { return slices.Contains(p.Colours, column) }

// RoutingPages is the routing sheet to print, section by section, and at last the stems with their
// numbers.
func RoutingPages(t *template.Template) []Page {
	f := fan.New(t)
	rows := map[template.ID][]*template.Instrument{}
	for _, i := range t.Instruments {
		rows[i.Section] = append(rows[i.Section], i)
	}
	tints := tintsOf(t.ThePalette())
	var out []Page
	for _, s := range t.SectionsInOrder() {
		if !slices.ContainsFunc(rows[s.ID], func(i *template.Instrument) bool { return i.Kind != template.Divider }) {
			continue
		}
		p := Page{Title: t.SectionPath(s.ID), Note: t.Name, Follows: len(out) > 0, Tint: tints[t.TintOf(s.ID)]}
		p.Headings = []string{"instrument", "seat", "outputs", "group", "stem", "sends"}
		for _, i := range rows[s.ID] {
			if i.Kind == template.Divider {
				p.Rows = append(p.Rows, divide(i))
				continue
			}
			p.Rows = append(p.Rows, routingRow(t, f, i))
		}
		out = append(out, p)
	}
	return append(out, stemsPage(t))
}

func routingRow(t *template.Template, f *fan.Fan, i *template.Instrument) []string {
	seat, outputs := "", ""
	if s := i.Seat; s != nil {
		cells := seatCells(t, i)
		seat, outputs = cells[0]+" "+strings.Join(cells[1:4], "·"), s.Outputs()
	}
	var stems []string
	if len(t.Folds) > 0 {
		for _, b := range f.Stems(i, t.Folds[0].ID) {
			stems = append(stems, b.Name)
		}
	}
	feeds, sends := routeCells(t, i)
	return []string{i.Name, seat, outputs, feeds, strings.Join(stems, "; "), sends}
}

func stemsPage(t *template.Template) Page {
	p := Page{Title: "Stems", Note: t.Name}
	p.Headings = []string{"number", "stem", "fold", "belongs to", "carries", "channels"}
	for _, b := range deliver.InOrder(t) {
		if !b.Kind.Is().Stem {
			continue
		}
		number, belongs, carries, channels := "", t.TheMix().Name, "dry and wet", "stereo"
		if b.Number > 0 {
			number = figure(float64(b.Number))
		}
		if above := t.ParentStem(b); above != nil {
			belongs = above.Name
		}
		if b.Carries != template.CarriesBoth {
			carries = string(b.Carries)
		}
		if b.Mono {
			channels = "mono"
		}
		p.Rows = append(p.Rows, []string{number, b.Name, t.Index().Folds[b.Fold].Name, belongs, carries, channels})
	}
	return p
}
