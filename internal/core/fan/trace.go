package fan

import (
	"fmt"
	"strings"

	"fanfold/internal/core/template"
)

// Step is one place on an instrument's way, and the leaf that shows it.
type Step struct {
	Text string
	Leaf string // orchestra, library, seating or routing
	ID   template.ID
	Join string // what stands before it in the sentence: "", " · " or "; send "
}

// Trace is the sentence that tells one instrument's whole way from patch to
// mix, in steps.
type Trace []Step

// String returns the sentence: "Piccolo, short · Millrace Winds · Birch,
// riser 2, port 3, channel 7 · outputs 11-12 · High winds · Winds · Mix; send
// Hall W -14 dB".
func (tr Trace) String() string {
	var s strings.Builder
	for _, step := range tr {
		s.WriteString(step.Join + step.Text)
	}
	return s.String()
}

const (
	next   = " · "
	beside = " + "
	send   = "; send "
	also   = "; also "
)

// Trace follows an instrument. Where a way parts, the sentence follows each
// part in turn; a bus already named is not followed again.
func (f *Fan) Trace(i *template.Instrument) Trace {
	name := i.Name
	if len(i.Articulations) == 1 {
		name += ", " + i.Articulations[0]
	}
	tr := Trace{{Text: name, Leaf: "orchestra", ID: i.ID}}
	for n, l := range f.t.LibrariesOf(i) {
		join := next
		if n > 0 {
			join = beside
		}
		tr = append(tr, Step{Text: l.Name, Leaf: "library", ID: l.ID, Join: join})
	}
	if i.Kind == template.Sampled {
		tr = append(tr, f.seatSteps(i)...)
	}
	if len(i.Routes) == 0 {
		return append(tr, Step{Text: "goes nowhere", Leaf: "routing", ID: i.ID, Join: next})
	}
	return f.follow(tr, i.Routes, i.GainDB, map[template.ID]bool{})
}

func (f *Fan) seatSteps(i *template.Instrument) []Step {
	if home := f.t.Home(i); home != i {
		with := Step{Text: "with " + home.Name, Leaf: "orchestra", ID: home.ID, Join: next}
		return append([]Step{with}, f.seatSteps(home)...)
	}
	if i.Seat == nil {
		return []Step{{Text: "not seated", Leaf: "seating", ID: i.ID, Join: next}}
	}
	s := i.Seat
	machine := f.t.Index().Machines[s.Machine]
	return []Step{
		{Text: fmt.Sprintf("%s, riser %d, port %d, channel %d", machine.Name, s.Riser, s.Port, s.Channel), Leaf: "seating", ID: i.ID, Join: next},
		{Text: "outputs " + s.Outputs(), Leaf: "seating", ID: i.ID, Join: next},
	}
}

// follow walks the routes: first straight on, then the sends.
func (f *Fan) follow(tr Trace, routes []template.Route, faderDB float64, seen map[template.ID]bool) Trace {
	var on, sends []template.Route
	for _, r := range routes {
		if f.t.Buses[f.place[r.To]].Kind.Is().Sends {
			sends = append(sends, r)
		} else {
			on = append(on, r)
		}
	}
	for n, r := range on {
		join := next
		if n > 0 {
			join = also
		}
		tr = f.step(tr, r, join, levelText(r, faderDB), seen)
	}
	for _, r := range sends {
		tr = f.step(tr, r, send, sendText(r), seen)
	}
	return tr
}

func (f *Fan) step(tr Trace, r template.Route, join, level string, seen map[template.ID]bool) Trace {
	bus := f.t.Buses[f.place[r.To]]
	tr = append(tr, Step{Text: bus.Name + level, Leaf: "routing", ID: bus.ID, Join: join})
	if seen[bus.ID] || bus.Kind.Is().Only || bus.Kind.Is().Last {
		return tr
	}
	seen[bus.ID] = true
	return f.follow(tr, bus.Routes, bus.GainDB, seen)
}

// levelText tells the level of a straight way where it is not 0 dB.
func levelText(r template.Route, faderDB float64) string {
	level := r.GainDB
	if r.Tap == template.Post {
		level += faderDB
	}
	if level == 0 {
		return ""
	}
	return " " + FormatDB(level)
}

func sendText(r template.Route) string {
	if r.Tap == template.Pre {
		return " " + FormatDB(r.GainDB) + " before the fader"
	}
	return " " + FormatDB(r.GainDB)
}

// FormatDB writes a level with at most two decimals: "-14 dB", "+6.02 dB".
func FormatDB(db float64) string {
	text := strings.TrimRight(strings.TrimRight(fmt.Sprintf("%.2f", db), "0"), ".")
	if text == "-0" {
		text = "0"
	}
	if db > 0 && text != "0" {
		text = "+" + text
	}
	return text + " dB"
}
