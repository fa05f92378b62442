package handover

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// Table is a sheet: a heading for each column, and rows of as many cells.
type Table struct {
	Headings []string
	Rows     [][]string
}

// RoutingSheet lists, in score order, where every instrument goes and the
// sentence of its whole way.
func RoutingSheet(t *template.Template) Table {
	f := fan.New(t)
	table := Table{Headings: []string{"section", "instrument", "kind", "machine", "riser", "port", "channel", "outputs", "feeds", "sends"}}
	for _, fold := range t.Folds {
		table.Headings = append(table.Headings, "stem, "+fold.Name)
	}
	table.Headings = append(table.Headings, "trace")
	for _, i := range t.ScoreOrder() {
		row := []string{t.SectionPath(i.Section), i.Name, string(i.Kind)}
		if i.Kind == template.Divider {
			table.Rows = append(table.Rows, append(row, make([]string, len(table.Headings)-len(row))...))
			continue
		}
		row = append(row, seatCells(t, i)...)
		feeds, sends := routeCells(t, i)
		row = append(row, feeds, sends)
		for _, fold := range t.Folds {
			var names []string
			for _, s := range f.Stems(i, fold.ID) {
				names = append(names, s.Name)
			}
			row = append(row, strings.Join(names, "; "))
		}
		table.Rows = append(table.Rows, append(row, f.Trace(i).String()))
	}
	return table
}

func seatCells(t *template.Template, i *template.Instrument) []string {
	if i.Seat == nil {
		return []string{"", "", "", "", ""}
	}
	s := i.Seat
	return []string{
		t.Index().Machines[s.Machine].Name, strconv.Itoa(s.Riser),
		strconv.Itoa(s.Port), strconv.Itoa(s.Channel), s.Outputs(),
	}
}

func routeCells(t *template.Template, i *template.Instrument) (feeds, sends string) {
	var on, to []string
	for _, r := range i.Routes {
		b := t.Index().Buses[r.To]
		if b.Kind.Is().Sends {
			to = append(to, fmt.Sprintf("%s %s %s", b.Name, fan.FormatDB(r.GainDB), r.Tap))
		} else {
			on = append(on, b.Name)
		}
	}
	return strings.Join(on, "; "), strings.Join(to, "; ")
}

// SeatingSheet lists what to build on one machine, line by line: riser by
// riser, its players in the order they load, port by port, with the player and
// patch of each seat.
func SeatingSheet(t *template.Template, machine template.ID) Table {
	table := Table{Headings: []string{"machine", "riser", "port", "channel", "outputs", "instrument", "player", "library", "patch", "preload_mib"}}
	for _, i := range toBuild(t, machine) {
		row := append(seatCells(t, i), i.Name)
		for _, patch := range patchCells(t, i) {
			table.Rows = append(table.Rows, append(slices.Clone(row), patch...))
		}
	}
	return table
}

// toBuild lists who sits on a machine, in the order it is built.
func toBuild(t *template.Template, machine template.ID) []*template.Instrument {
	var seated []*template.Instrument
	for _, i := range t.Instruments {
		if i.Seat != nil && i.Seat.Machine == machine {
			seated = append(seated, i)
		}
	}
	order := func(i *template.Instrument) int {
		if p := t.PlayerOf(i); p != nil {
			return p.Order
		}
		return 0
	}
	slices.SortStableFunc(seated, func(a, b *template.Instrument) int {
		return cmp.Or(cmp.Compare(a.Seat.Riser, b.Seat.Riser), cmp.Compare(order(a), order(b)),
			cmp.Compare(a.Seat.Port, b.Seat.Port), cmp.Compare(a.Seat.Channel, b.Seat.Channel))
	})
	return seated
}

// patchCells are player, library, patch and preload of every patch; one empty
// line for an instrument without any.
func patchCells(t *template.Template, i *template.Instrument) [][]string {
	x := t.Index()
	var out [][]string
	for _, p := range t.PatchesOf(i) {
		player := x.Players[p.Player]
		name := player.Name
		if i.Seat != nil && player.Ports() > 1 {
			name += ", " + player.PortsText(i.Seat.Port)
		}
		out = append(out, []string{name, x.Libraries[p.Library].Name, p.Name, figure(p.PreloadMiB)})
	}
	if len(out) == 0 {
		out = append(out, []string{"", "", "", ""})
	}
	return out
}

// SeatingPages is the seating sheets to print: each machine on a page of its own, with its risers drawn,
// and then riser by riser.
func SeatingPages(t *template.Template) []Page {
	var out []Page
	for _, m := range t.Machines {
		d := SeatDrawing(t, m)
		if d.High == 0 {
			continue
		}
		out = append(out, Page{Title: m.Name, Note: t.Name, Drawing: &d, Text: []string{machineText(t, m)}})
		last := 0
		for _, i := range toBuild(t, m.ID) {
			if i.Seat.Riser != last {
				last = i.Seat.Riser
				p := Page{Title: fmt.Sprintf("%s, riser %d", m.Name, last), Note: t.Name, Follows: true}
				p.Headings = []string{"port", "channel", "outputs", "instrument", "player", "library", "patch", "MiB"}
				out = append(out, p)
			}
			p := &out[len(out)-1]
			for _, patch := range patchCells(t, i) {
				row := []string{strconv.Itoa(i.Seat.Port), strconv.Itoa(i.Seat.Channel), i.Seat.Outputs(), i.Name}
				p.Rows = append(p.Rows, append(row, patch...))
			}
		}
	}
	return out
}

// AddressSheet lists the machines with their fixed addresses, what their links
// carry, what the open output pairs take, and how late they sound. What is not
// said is empty.
func AddressSheet(t *template.Template) Table {
	table := Table{Headings: []string{"machine", "address", "link_mbits", "carries_mbits", "output_pairs", "takes_mbits", "buffer_samples", "latency_ms"}}
	said := func(x float64, decimals int) string {
		if x == 0 {
			return ""
		}
		return strconv.FormatFloat(x, 'f', decimals, 64)
	}
	for _, l := range seating.Links(t) {
		m := l.Machine
		table.Rows = append(table.Rows, []string{
			m.Name, m.Address, said(m.NetworkMbits, -1), said(m.CarriesMbits(), 1), strconv.Itoa(l.Pairs), strconv.FormatFloat(l.Mbits(), 'f', 1, 64),
			said(float64(m.BufferSamples), -1), said(m.LatencyMs(), 2),
		})
	}
	return table
}

// RowList lists the template in the columns of row lists, so that it can be
// brought in again.
func RowList(t *template.Template) Table {
	f := fan.New(t)
	table := Table{Headings: intake.Columns}
	for _, i := range t.ScoreOrder() {
		table.Rows = append(table.Rows, rowCells(t, f, i)...)
	}
	return table
}

// rowCells are the line of a row, and one for each further patch it plays.
func rowCells(t *template.Template, f *fan.Fan, i *template.Instrument) [][]string {
	cells := map[string]string{
		"section": t.SectionPath(i.Section), "instrument": i.Name, "articulations": strings.Join(i.Articulations, ";"),
		"kind": string(i.Kind), "colour": i.Colour, "notes": i.Notes,
	}
	x := t.Index()
	if i.Style.Machine != "" {
		cells["machine"] = x.Machines[i.Style.Machine].Name
	}
	if stems := f.Stems(i, t.Folds[0].ID); len(stems) > 0 && i.Kind != template.Guide {
		cells["stem"] = stems[0].Name
		for _, r := range i.Routes {
			if b := x.Buses[r.To]; b.Kind.Is().Sums {
				cells["group"] = b.Name
			}
		}
	}
	out := [][]string{}
	line := func() {
		row := make([]string, len(intake.Columns))
		for n, c := range intake.Columns {
			row[n] = cells[c]
		}
		out = append(out, row)
	}
	for n, p := range t.PatchesOf(i) {
		if n > 0 {
			cells = map[string]string{"section": cells["section"], "instrument": i.Name, "layer": strconv.Itoa(n + 1)}
		}
		cells["library"], cells["patch"], cells["player"] = x.Libraries[p.Library].Name, p.Name, x.Players[p.Player].Name
		cells["preload_mib"], cells["full_mib"] = figure(p.PreloadMiB), figure(p.FullMiB)
		cells["voices"], cells["key_low"], cells["key_high"] = strconv.Itoa(p.Voices), strconv.Itoa(p.KeyLow), strconv.Itoa(p.KeyHigh)
		if s := p.Source; s != nil {
			cells["file"], cells["bank"], cells["programme"] = s.File, strconv.Itoa(s.Bank), strconv.Itoa(s.Programme)
		}
		line()
	}
	if len(out) == 0 {
		line()
	}
	return out
}

func figure(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// machineText says what a machine is: "128 GiB, 24 cores, 4 risers; 211 seats".
func machineText(t *template.Template, m *template.Machine) string {
	seats := 0
	for _, i := range t.Instruments {
		if i.Seat != nil && i.Seat.Machine == m.ID {
			seats++
		}
	}
	text := fmt.Sprintf("%s of memory, %s for samples; %d cores, %d risers; %d instruments sit here", calls.FormatMiB(m.MemoryMiB), calls.FormatMiB(m.LimitMiB()), m.Cores, t.Risers(m), seats)
	if m.Address != "" {
		text += "; its address is " + m.Address
	}
	return text + "."
}
