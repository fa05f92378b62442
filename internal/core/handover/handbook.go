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
	"fanfold/internal/core/template"
)

// Past is one change of a template's history, for people.
type Past struct {
	Revision int64
	At       time.Time
	Author   string
	Label    string
}

// Since is what was changed after a version with a name; without a name, all
// that is known.
type Since struct {
	Version string
	Changes []Past // newest first
}

// Handbook is the template as a document for people, chapter by chapter: what it
// holds, instruments by section with their articulations and switches, stems and
// routes, machines, calls, palette, conventions, and what has changed.
func Handbook(t *template.Template, since Since) []Page {
	b := &book{t: t, fan: fan.New(t)}
	pages := []Page{b.overview()}
	for _, s := range t.SectionsInOrder() {
		if s.Parent == "" {
			pages = append(pages, b.section(s)...)
		}
	}
	pages = append(pages, b.stems()...)
	pages = append(pages, b.machines(), b.calls(), b.palette(), b.conventions())
	if len(since.Changes) > 0 {
		pages = append(pages, b.changes(since))
	}
	return slices.DeleteFunc(pages, func(p Page) bool { return len(p.Rows) == 0 })
}

type book struct {
	t   *template.Template
	fan *fan.Fan
}

func (b *book) page(title, note string, headings ...string) Page {
	return Page{Title: title, Note: note, Table: Table{Headings: headings}}
}

func (b *book) overview() Page {
	p := b.page("What this template holds", b.t.Name, "", "")
	add := func(what, value string) { p.Rows = append(p.Rows, []string{what, value}) }
	kinds := map[template.Kind]int{}
	for _, i := range b.t.Instruments {
		kinds[i.Kind]++
	}
	for _, k := range template.Kinds {
		if kinds[k] > 0 {
			add(map[template.Kind]string{template.Sampled: "instruments that play patches", template.Input: "live inputs", template.Guide: "guides", template.Spare: "spare rows"}[k], strconv.Itoa(kinds[k]))
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

// section is a chapter for a section at the top, with those in it.
func (b *book) section(top *template.Section) []Page {
	var out []Page
	for _, s := range b.t.SectionsInOrder() {
		line := b.t.Ancestry(s.ID)
		if line[len(line)-1] != top {
			continue
		}
		p := b.page(b.t.SectionPath(s.ID), b.t.Name, "instrument", "articulations and switches", "library, patch", "stem", "seat", "MiB", "notes")
		for _, i := range b.t.Instruments {
			if i.Section == s.ID && i.Kind != template.Spare {
				p.Rows = append(p.Rows, b.row(i))
			}
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
		library = strings.Join(codes, " + ") + ", " + strings.Join(patches, " + ")
		mib = strconv.FormatFloat(calls.PreloadMiB(b.t, i), 'f', 0, 64)
	}
	if stems := b.fan.Stems(i, b.t.Folds[0].ID); len(stems) > 0 {
		stem = stems[0].Name
	}
	if i.Seat != nil {
		seat = fmt.Sprintf("%s %d·%d·%02d, %s", b.t.Index().Machines[i.Seat.Machine].Name, i.Seat.Riser, i.Seat.Port, i.Seat.Channel, i.Seat.Outputs())
	}
	return []string{name, b.articulations(i), library, stem, seat, mib, i.Notes}
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
	fed := map[template.ID]int{}
	for _, i := range b.t.Instruments {
		for _, f := range b.t.Folds {
			for _, s := range b.fan.Stems(i, f.ID) {
				fed[s.ID]++
			}
		}
	}
	for _, f := range b.t.Folds {
		p := b.page("Stems, "+f.Name+" fold", b.t.Name, "number", "stem", "file", "width", "fed by", "goes to")
		for _, s := range b.t.Delivered(f.ID) {
			number, width := "", "stereo"
			if s.Number > 0 {
				number = strconv.Itoa(s.Number)
			}
			if s.Mono {
				width = "mono"
			}
			p.Rows = append(p.Rows, []string{number, s.Name, s.FileName(), width, fmt.Sprintf("%d instruments", fed[s.ID]), b.routes(s.Routes)})
		}
		out = append(out, p)
	}
	p := b.page("Groups and returns", b.t.Name, "kind", "bus", "processing", "fader", "goes to")
	for _, x := range b.t.Buses {
		if x.Kind.Is().Column == template.ColumnBuses {
			p.Rows = append(p.Rows, []string{string(x.Kind), x.Name, x.Process, fan.FormatDB(x.GainDB) + " dB", b.routes(x.Routes)})
		}
	}
	return append(out, p)
}

func (b *book) routes(list []template.Route) string {
	out := make([]string, len(list))
	for n, r := range list {
		out[n] = b.t.Index().Buses[r.To].Name
		if r.GainDB != 0 {
			out[n] += " " + fan.FormatDB(r.GainDB) + " dB"
		}
	}
	return strings.Join(out, ", ")
}

func (b *book) machines() Page {
	p := b.page("Machines", b.t.Name, "machine", "memory", "cores", "risers", "disk", "network", "latency", "seats")
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
	p := b.page("Calls", b.t.Name, "call", "instruments", "memory, with players and what stays", "who")
	takes := calls.NewTakes(b.t)
	for _, c := range b.t.Calls {
		name := c.Name
		if c.Opening {
			name += " (opens)"
		}
		var who []string
		for n, id := range c.Instruments {
			if n == 12 {
				who = append(who, fmt.Sprintf("and %d more", len(c.Instruments)-n))
				break
			}
			who = append(who, b.t.Instrument(id).Name)
		}
		p.Rows = append(p.Rows, []string{name, strconv.Itoa(len(c.Instruments)), calls.FormatMiB(takes.InAll(c.Instruments)), strings.Join(who, ", ")})
	}
	return p
}

func (b *book) palette() Page {
	colours := b.t.ThePalette()
	p := b.page("Palette: "+colours.Name, b.t.Name, "colour", "on Day", "on Pit", "sections")
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
	p := b.page("Conventions", b.t.Name, "", "")
	add := func(what, value string) { p.Rows = append(p.Rows, []string{what, value}) }
	add("key 60 is called", note.Name(60, b.t.MiddleC()))
	add("a cue starts at bar", strconv.Itoa(s.CueBar))
	add("tempo", strconv.FormatFloat(s.TempoBPM, 'f', -1, 64)+" quarter notes a minute")
	for _, c := range s.Upbeat {
		add("upbeat: controller "+strconv.Itoa(c.Number), strconv.Itoa(c.Value))
	}
	add("a riser has", fmt.Sprintf("%d MIDI ports of %d channels and %d output pairs, the first in use is pair %d", s.RiserPorts, template.PortChannels, s.RiserPairs, s.FirstPair))
	add("must fit into memory", map[template.MemoryRule]string{template.FitEverything: "everything at once", template.FitCalls: "each call, beside the opening call and what is kept"}[s.MemoryRule])
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

func (b *book) changes(since Since) Page {
	title := "Changes"
	if since.Version != "" {
		title += " since " + since.Version
	}
	p := b.page(title, b.t.Name, "revision", "when", "who", "what")
	for _, c := range since.Changes {
		p.Rows = append(p.Rows, []string{strconv.FormatInt(c.Revision, 10), c.At.UTC().Format("2006-01-02 15:04"), c.Author, c.Label})
	}
	return p
}
