package handover

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/note"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
)

// Past is one change of a template's history, for people.
type Past struct {
	Revision int64
	At       time.Time
	Author   string
	Label    string
}

// Edition is which state of a template a handbook is of.
type Edition struct {
	Revision int64
	At       time.Time // when it was changed last; zero where that is not known
	Version  string    // the last version with a name
	Changes  []Past    // after that version, or all that is known; newest first
}

// Handbook is the template as a document for people, from which somebody who never saw it can build it
// again: what it holds and how to read it, its routing and seats as drawings, instruments by section with
// their articulations and switches, stems with what feeds them, machines, calls, palette, conventions,
// and what has changed.
func Handbook(t *template.Template, e Edition) []Page {
	b := &book{t: t, fan: fan.New(t), tints: tintsOf(t.ThePalette())}
	pages := []Page{b.cover(e), b.notation(), b.palette(), b.conventions(), b.routing()}
	pages = append(pages, b.seats()...)
	pages = append(pages, b.instruments()...)
	pages = append(pages, b.stems()...)
	pages = append(pages, b.machines(), b.calls())
	if len(e.Changes) > 0 {
		pages = append(pages, b.changes(e))
	}
	pages = slices.DeleteFunc(pages, func(p Page) bool { return len(p.Rows) == 0 && p.Drawing == nil && !p.Cover })
	if t.Played() <= smallBook {
		for n := range pages[1:] {
			pages[n+1].Follows = n > 0 // the first after the cover begins a page
		}
	}
	return pages
}

// smallBook is up to how many instruments the parts of a handbook go on below each other; those of a
// larger one begin on pages of their own.
const smallBook = 60

type book struct {
	t     *template.Template
	fan   *fan.Fan
	tints map[string]string
}

func (b *book) page(title string, headings ...string) Page {
	return Page{Title: title, Note: b.t.Name, Table: Table{Headings: headings}}
}

// cover says what the template is, and what it holds.
func (b *book) cover(e Edition) Page {
	p := b.page(b.t.Name, "", "")
	p.Cover = true
	var said []string
	if e.Revision > 0 {
		said = append(said, fmt.Sprintf("revision %d", e.Revision))
	}
	if !e.At.IsZero() {
		said = append(said, e.At.UTC().Format("2 January 2006"))
	}
	if e.Version != "" {
		since := e.Version
		if len(e.Changes) > 0 {
			since += ", with later changes"
		}
		said = append(said, since)
	}
	p.Note = strings.Join(said, " · ")
	if b.t.Settings.About != "" {
		p.Text = strings.Split(b.t.Settings.About, "\n")
	}
	add := func(what, value string) { p.Rows = append(p.Rows, []string{what, value}) }
	kinds := map[template.Kind]int{}
	for _, i := range b.t.Instruments {
		kinds[i.Kind]++
	}
	for _, k := range template.Kinds {
		what := map[template.Kind]string{template.Sampled: "instruments that play patches", template.Input: "live inputs", template.Guide: "guides", template.Spare: "spare rows"}[k]
		if kinds[k] > 0 && what != "" {
			add(what, strconv.Itoa(kinds[k]))
		}
	}
	for _, f := range b.t.Folds {
		add("stems, "+f.Name+" fold", strconv.Itoa(len(b.t.Delivered(f.ID))))
	}
	add("machines", strconv.Itoa(len(b.t.Machines)))
	add("calls", strconv.Itoa(len(b.t.Calls)))
	ready := 0.0
	for _, mib := range calls.EverythingMiB(b.t) {
		ready += mib
	}
	add("memory with everything ready", calls.FormatMiB(ready))
	for _, l := range b.t.Libraries {
		add("library "+l.Code, l.Name)
	}
	return p
}

// notation explains how the rest is written, by what is in this template.
func (b *book) notation() Page {
	p := b.page("How to read this book", "written", "means")
	add := func(written, means string) { p.Rows = append(p.Rows, []string{written, means}) }
	x := b.t.Index()
	for _, i := range b.t.ScoreOrder() {
		if s := i.Seat; s != nil {
			add(b.seat(i), fmt.Sprintf("a seat, here that of %s: machine %s, riser %d, MIDI port %d, channel %d; its sound leaves by outputs %s", i.Name, x.Machines[s.Machine].Name, s.Riser, s.Port, s.Channel, s.Outputs()))
			break
		}
	}
	for _, i := range b.t.ScoreOrder() {
		if i.Short != "" {
			add(i.Name+" ("+i.Short+")", "an instrument, and its short name")
			break
		}
	}
	seen := map[template.SwitchKind]bool{}
	for _, i := range b.t.ScoreOrder() {
		for _, m := range articulation.MapOf(b.t, i) {
			for _, s := range m.Switches {
				if !seen[s.Kind] {
					seen[s.Kind] = true
					add(m.Articulation+" ["+b.say(s)+"]", "an articulation, and what reaches it: "+switchMeans[s.Kind])
				}
			}
		}
	}
	if len(b.t.Libraries) > 0 {
		l := b.t.Libraries[0]
		add(l.Code, "a library, here "+l.Name+"; the patch is named where its name differs from the row's")
	}
	add("MiB", "memory of the row's own samples when it is ready; 1 GiB is 1024 MiB. Its player's memory comes on top")
	if bus, r, ok := b.aSend(); ok {
		add(fmt.Sprintf("%s %s %s", bus.Name, fan.FormatDB(r.GainDB), r.Tap), "a send: to which return, how loud in dB, and whether it is taken before the fader (pre) or after it (post)")
	}
	add("bracket beside rows", "its colour is that of the section, in all drawings too; see the palette")
	add("ribbon", "the more instruments it carries, the thicker it is; sends are faint with a dashed edge")
	add("disc and ring", "a seat that is taken, and a free one; a row of sixteen is a MIDI port")
	add("ready, tacet", "in memory, and not")
	return p
}

// aSend is the first send of a row, for an example.
func (b *book) aSend() (*template.Bus, template.Route, bool) {
	for _, i := range b.t.ScoreOrder() {
		for _, r := range i.Routes {
			if bus := b.t.Index().Buses[r.To]; bus.Kind.Is().Sends {
				return bus, r, true
			}
		}
	}
	return nil, template.Route{}, false
}

// switchMeans says what a kind of switch is.
var switchMeans = map[template.SwitchKind]string{
	template.ByKey: "a key that is pressed before the notes", template.ByController: "a controller and its values", template.ByProgramme: "a programme change",
	template.ByVelocity: "how hard a note is played", template.ByChannel: "the channel that is played on",
}

// routing is the flow from sections to the mix as a drawing.
func (b *book) routing() Page {
	p := b.page("Routing")
	d := RibbonDrawing("Routing of "+b.t.Name, ribbon.Draw(b.t, b.fan, ribbon.View{Room: min(640, 120+12*float64(b.t.Played()))}), b.t.ThePalette(), 1160)
	if len(d.Shapes) > 0 && len(b.t.Instruments) > 0 {
		p.Drawing = &d
	}
	return p
}

// seats is every machine with its risers as drawings.
func (b *book) seats() []Page {
	var out []Page
	for _, m := range b.t.Machines {
		d := SeatDrawing(b.t, m)
		if d.High == 0 {
			continue
		}
		p := b.page("Seats on " + m.Name)
		p.Drawing, p.Follows, p.Text = &d, len(out) > 0, []string{machineText(b.t, m)}
		out = append(out, p)
	}
	return out
}

// instruments are the rows of all sections, each section below the one before it.
func (b *book) instruments() []Page {
	headings := []string{"instrument", "articulations and switches", "library", "stem", "seat", "MiB"}
	noted := slices.ContainsFunc(b.t.Instruments, func(i *template.Instrument) bool { return i.Notes != "" && i.Played() })
	if noted {
		headings = append(headings, "notes")
	}
	in := map[template.ID][]*template.Instrument{}
	for _, i := range b.t.Instruments {
		if i.Kind != template.Spare {
			in[i.Section] = append(in[i.Section], i)
		}
	}
	var out []Page
	for _, s := range b.t.SectionsInOrder() {
		if !slices.ContainsFunc(in[s.ID], (*template.Instrument).Played) {
			continue
		}
		p := b.page(b.t.SectionPath(s.ID), headings...)
		p.Follows, p.Indexed, p.Tint = len(out) > 0, true, b.tints[b.t.TintOf(s.ID)]
		for _, i := range in[s.ID] {
			if i.Kind == template.Divider {
				p.Rows = append(p.Rows, divide(i))
				continue
			}
			row := b.row(i)
			if !noted {
				row = row[:len(row)-1]
			}
			p.Rows = append(p.Rows, row)
		}
		out = append(out, p)
	}
	return out
}

func (b *book) row(i *template.Instrument) []string {
	name := i.Name
	if i.Short != "" {
		name += " (" + i.Short + ")"
	}
	library, stem, seat, mib := "", "", "", ""
	var patches []string
	for _, p := range b.t.PatchesOf(i) {
		patches = append(patches, p.Name)
	}
	if libraries := b.t.LibrariesOf(i); len(libraries) > 0 {
		var codes []string
		for _, l := range libraries {
			codes = append(codes, l.Code)
		}
		library = strings.Join(codes, " + ")
		if said := strings.Join(patches, " + "); said != i.Name { // a patch that is called like its row needs no words
			library += ", " + said
		}
		mib = strconv.FormatFloat(calls.PreloadMiB(b.t, i), 'f', 0, 64)
	}
	if stems := b.fan.Stems(i, b.t.Folds[0].ID); len(stems) > 0 {
		stem = stems[0].Name
	}
	if i.Seat != nil {
		seat = b.seat(i)
	}
	return []string{name, b.articulations(i), library, stem, seat, mib, i.Notes}
}

// seat is where a row sits: "Birch 1·1·07, 3-4".
func (b *book) seat(i *template.Instrument) string {
	return fmt.Sprintf("%s %d·%d·%02d, %s", b.t.Index().Machines[i.Seat.Machine].Name, i.Seat.Riser, i.Seat.Port, i.Seat.Channel, i.Seat.Outputs())
}

// articulations are those of a row, each with its switches where it has some.
func (b *book) articulations(i *template.Instrument) string {
	switches := map[string]string{}
	for _, m := range articulation.MapOf(b.t, i) {
		if len(m.Switches) > 0 {
			var said []string
			for _, s := range m.Switches {
				said = append(said, b.say(s))
			}
			switches[template.FoldName(m.Articulation)] = strings.Join(said, " + ")
		}
	}
	out := make([]string, len(i.Articulations))
	for n, a := range i.Articulations {
		out[n] = a
		if s := switches[template.FoldName(a)]; s != "" {
			out[n] += " [" + s + "]"
		}
	}
	return strings.Join(out, ", ")
}

// say is a switch in words, its key named as the template names keys.
func (b *book) say(s template.Switch) string {
	if s.Kind == template.ByKey {
		return "key " + note.Name(s.Number, b.t.MiddleC())
	}
	return articulation.Say(s)
}

func (b *book) stems() []Page {
	var out []Page
	fed := map[template.ID][]template.ID{}
	for _, i := range b.t.ScoreOrder() {
		for _, f := range b.t.Folds {
			for _, s := range b.fan.Stems(i, f.ID) {
				fed[s.ID] = append(fed[s.ID], i.ID)
			}
		}
	}
	for n, f := range b.t.Folds {
		p := b.page("Stems, "+f.Name+" fold", "number", "stem", "file", "width", "fed by", "goes to")
		p.Follows = n > 0
		for _, s := range b.t.Delivered(f.ID) {
			number, width := "", "stereo"
			if s.Number > 0 {
				number = strconv.Itoa(s.Number)
			}
			if s.Mono {
				width = "mono"
			}
			p.Rows = append(p.Rows, []string{number, s.Name, s.FileName(), width, b.bySection(fed[s.ID]), b.routes(s.Routes)})
		}
		out = append(out, p)
	}
	p := b.page("Groups and returns", "kind", "bus", "processing", "fader", "goes to")
	p.Follows = true
	for _, x := range b.t.Buses {
		if x.Kind.Is().Column == template.ColumnBuses {
			p.Rows = append(p.Rows, []string{string(x.Kind), x.Name, x.Process, fan.FormatDB(x.GainDB), b.routes(x.Routes)})
		}
	}
	p.Table = sideBySide(p.Table, 2)
	return append(out, p)
}

// sideBySide is a table in so many columns beside each other, which are read one after the other.
func sideBySide(t Table, across int) Table {
	var out Table
	for range across {
		out.Headings = append(out.Headings, t.Headings...)
	}
	high := (len(t.Rows) + across - 1) / across
	for r := range high {
		var row []string
		for c := range across {
			if at := c*high + r; at < len(t.Rows) {
				row = append(row, t.Rows[at]...)
			} else {
				row = append(row, make([]string, len(t.Headings))...)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}

// mostSections is how many sections are named of what feeds something.
const mostSections = 10

// bySection are rows by the sections that they are in: "Flutes 21, Oboes 15".
func (b *book) bySection(rows []template.ID) string {
	count := map[template.ID]int{}
	var order []template.ID
	for _, id := range rows {
		if i := b.t.Instrument(id); i != nil {
			if count[i.Section]++; count[i.Section] == 1 {
				order = append(order, i.Section)
			}
		}
	}
	var out []string
	for n, id := range order {
		if n == mostSections && len(order) > mostSections+1 {
			out = append(out, fmt.Sprintf("and %d more sections", len(order)-n))
			break
		}
		out = append(out, fmt.Sprintf("%s %d", b.t.Index().Sections[id].Name, count[id]))
	}
	return strings.Join(out, ", ")
}

func (b *book) routes(list []template.Route) string {
	out := make([]string, len(list))
	for n, r := range list {
		out[n] = b.t.Index().Buses[r.To].Name
		if r.GainDB != 0 {
			out[n] += " " + fan.FormatDB(r.GainDB)
		}
	}
	return strings.Join(out, ", ")
}

func (b *book) machines() Page {
	p := b.page("Machines", "machine", "memory", "cores", "risers", "disk", "network", "latency", "seats")
	p.Follows = true
	seats := map[template.ID]int{}
	for _, i := range b.t.Instruments {
		if i.Seat != nil {
			seats[i.Seat.Machine]++
		}
	}
	said := func(x float64, unit string) string {
		if x == 0 {
			return ""
		}
		return strconv.FormatFloat(x, 'f', -1, 64) + unit
	}
	for _, m := range b.t.Machines {
		latency := ""
		if ms := m.LatencyMs(); ms > 0 {
			latency = strconv.FormatFloat(ms, 'f', 1, 64) + " ms"
		}
		p.Rows = append(p.Rows, []string{
			m.Name, calls.FormatMiB(m.LimitMiB()) + " of " + calls.FormatMiB(m.MemoryMiB), strconv.Itoa(m.Cores), strconv.Itoa(b.t.Risers(m)),
			said(m.DiskMiBs, " MiB/s"), said(m.NetworkMbits, " Mbit/s"), latency, strconv.Itoa(seats[m.ID]),
		})
	}
	return p
}

func (b *book) calls() Page {
	p := b.page("Calls", "call", "instruments", "memory, with players and what stays", "loads in", "who")
	p.Follows = true
	takes := calls.NewTakes(b.t)
	for _, c := range b.t.Calls {
		name := c.Name
		if c.Opening {
			name += " (opens)"
		}
		wait := time.Duration(0) // machines load side by side
		for _, e := range calls.Costs(b.t, nil, c.Instruments) {
			wait = max(wait, e.Wait)
		}
		p.Rows = append(p.Rows, []string{name, strconv.Itoa(len(c.Instruments)), calls.FormatMiB(takes.InAll(c.Instruments)), fmt.Sprintf("%.0f s", wait.Seconds()), b.bySection(c.Instruments)})
	}
	return p
}

func (b *book) palette() Page {
	colours := b.t.ThePalette()
	p := b.page("Palette: "+colours.Name, "colour", "on Day", "on Pit", "sections")
	p.Follows, p.Colours = true, []int{1, 2}
	for _, x := range colours.Tints {
		name := x.Tint
		if x.Label != "" {
			name = x.Label + " (" + x.Tint + ")"
		}
		var sections []string
		for _, s := range b.t.SectionsInOrder() {
			if s.Parent == "" && b.t.TintOf(s.ID) == x.Tint {
				sections = append(sections, s.Name)
			}
		}
		p.Rows = append(p.Rows, []string{name, palette.On(colours, x, false).Screen().Hex(), palette.On(colours, x, true).Screen().Hex(), strings.Join(sections, ", ")})
	}
	return p
}

func (b *book) conventions() Page {
	s := b.t.Settings
	p := b.page("Conventions", "", "")
	p.Follows = true
	add := func(what, value string) { p.Rows = append(p.Rows, []string{what, value}) }
	add("MIDI note 60 is written", note.Name(60, b.t.MiddleC()))
	add("a cue starts at bar", strconv.Itoa(s.CueBar))
	add("tempo", strconv.FormatFloat(s.TempoBPM, 'f', -1, 64)+" quarter notes a minute")
	for _, c := range s.Upbeat {
		add("upbeat: controller "+strconv.Itoa(c.Number), strconv.Itoa(c.Value))
	}
	add("a riser has", fmt.Sprintf("%d MIDI ports of %d channels and %d output pairs, the first in use is pair %d", s.RiserPorts, template.PortChannels, s.RiserPairs, s.FirstPair))
	add("must fit into memory", map[template.MemoryRule]string{template.FitEverything: "everything at once", template.FitCalls: "each call, with the opening call and what is kept ready"}[s.MemoryRule])
	if s.Names.Pattern != "" {
		add("names", s.Names.Pattern)
	}
	if s.SpareRows > 0 || s.SpareShare > 0 {
		add("spare rows at a section's end", fmt.Sprintf("%d, or %.0f%% of its rows if that is more", s.SpareRows, 100*s.SpareShare))
	}
	for _, r := range b.t.Sightlines {
		if r.Key > 0 {
			add("sightline "+strconv.Itoa(r.Key), r.Name)
		}
	}
	return p
}

func (b *book) changes(e Edition) Page {
	title := "Changes"
	if e.Version != "" {
		title += " since " + e.Version
	}
	p := b.page(title, "revision", "when", "who", "what")
	p.Follows = true
	for _, c := range e.Changes {
		p.Rows = append(p.Rows, []string{strconv.FormatInt(c.Revision, 10), c.At.UTC().Format("2006-01-02 15:04"), c.Author, c.Label})
	}
	return p
}
