package handover

import (
	"strings"

	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Page is one page of a sheet to print: a title, a line below it, and a table.
type Page struct {
	Title string
	Note  string
	Table
}

// RoutingPages is the routing sheet to print, one page for each section that
// holds instruments, and one at last for the stems with their numbers.
func RoutingPages(t *template.Template) []Page {
	f := fan.New(t)
	rows := map[template.ID][]*template.Instrument{}
	for _, i := range t.Instruments {
		rows[i.Section] = append(rows[i.Section], i)
	}
	var out []Page
	for _, s := range t.SectionsInOrder() {
		if len(rows[s.ID]) == 0 {
			continue
		}
		p := Page{Title: t.SectionPath(s.ID), Note: t.Name}
		p.Headings = []string{"instrument", "seat", "outputs", "group", "stem", "sends"}
		for _, i := range rows[s.ID] {
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
