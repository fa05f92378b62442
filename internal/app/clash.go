package app

import (
	"fmt"
	"strings"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// ClashError is a change refused because somebody else set the same thing
// since the revision it is based on.
type ClashError struct {
	Name   string // of the thing
	Field  string // in words
	Theirs string // the value now, in words
	Yours  string // the value asked for; empty when it can no longer be set
}

func (e *ClashError) Error() string {
	return fmt.Sprintf("%s of %s was changed by somebody else meanwhile", e.Field, e.Name)
}

// clashError tells both values of the thing two people set, in words.
func clashError(now *template.Template, key change.Key, c change.Change) error {
	e := &ClashError{Name: nameOf(now, key.Object), Field: fieldText(now, key.Field), Theirs: valueOf(now, key)}
	if after, _, err := change.Apply(now, c); err == nil {
		e.Yours = valueOf(after, key)
	}
	return e
}

func fieldText(t *template.Template, field string) string {
	whole, part, _ := strings.Cut(field, "/")
	switch whole {
	case "":
		return "everything"
	case "route":
		if b := t.Index().Buses[template.ID(part)]; b != nil {
			return "the route to " + b.Name
		}
		return "the routes"
	case "seat":
		return "the seat"
	case "gainDb":
		return "the level"
	case "style":
		return "the machine"
	}
	return "the " + whole
}

func nameOf(t *template.Template, id template.ID) string {
	x := t.Index()
	if i := t.Instrument(id); i != nil {
		return i.Name
	}
	if b := x.Buses[id]; b != nil {
		return b.Name
	}
	if s := x.Sections[id]; s != nil {
		return s.Name
	}
	if m := x.Machines[id]; m != nil {
		return m.Name
	}
	if c := x.Calls[id]; c != nil {
		return c.Name
	}
	if id == "template" {
		return t.Name
	}
	return "a deleted row"
}

// valueOf says what a key stands at, for people.
func valueOf(t *template.Template, key change.Key) string {
	x := t.Index()
	if i := t.Instrument(key.Object); i != nil {
		return instrumentValue(t, i, key.Field)
	}
	if b := x.Buses[key.Object]; b != nil {
		if whole, to, _ := strings.Cut(key.Field, "/"); whole == "route" {
			return routeValue(t, b.Routes, template.ID(to))
		}
		return fmt.Sprintf("%s, fader %s, feeding %s", b.Name, fan.FormatDB(b.GainDB), routeValue(t, b.Routes, ""))
	}
	if m := x.Machines[key.Object]; m != nil {
		if strings.HasPrefix(key.Field, "seat/") {
			return sitting(t, m.ID, key.Field)
		}
		return fmt.Sprintf("%s, %s with %s kept back, %d cores, %g MiB/s", m.Name, calls.FormatMiB(m.MemoryMiB), calls.FormatMiB(m.ReserveMiB), m.Cores, m.DiskMiBs)
	}
	if c := x.Calls[key.Object]; c != nil {
		return fmt.Sprintf("%s, %d instruments", c.Name, len(c.Instruments))
	}
	if s := x.Sections[key.Object]; s != nil {
		return t.SectionPath(s.ID)
	}
	return "not there"
}

func instrumentValue(t *template.Template, i *template.Instrument, field string) string {
	x := t.Index()
	whole, part, _ := strings.Cut(field, "/")
	switch whole {
	case "", "name":
		return i.Name
	case "kind":
		return string(i.Kind)
	case "articulations":
		return strings.Join(i.Articulations, "; ")
	case "patches":
		var names []string
		for _, p := range t.PatchesOf(i) {
			names = append(names, p.Name+", "+x.Libraries[p.Library].Name)
		}
		return strings.Join(names, "; ")
	case "colour":
		return i.Colour
	case "notes":
		return i.Notes
	case "gainDb":
		return fan.FormatDB(i.GainDB)
	case "style":
		if m := x.Machines[i.Style.Machine]; m != nil {
			return m.Name
		}
		return "any machine"
	case "place":
		return t.SectionPath(i.Section)
	case "route":
		return routeValue(t, i.Routes, template.ID(part))
	case "seat":
		if i.Seat == nil {
			return "no seat"
		}
		return fmt.Sprintf("%s, riser %d, port %d, channel %d", x.Machines[i.Seat.Machine].Name, i.Seat.Riser, i.Seat.Port, i.Seat.Channel)
	}
	return ""
}

// routeValue tells the route to a bus, or without one where all routes lead.
func routeValue(t *template.Template, routes []template.Route, to template.ID) string {
	var names []string
	for _, r := range routes {
		if r.To == to {
			return fmt.Sprintf("%s, %s the fader", fan.FormatDB(r.GainDB), map[template.Tap]string{template.Pre: "before", template.Post: "after"}[r.Tap])
		}
		names = append(names, t.Index().Buses[r.To].Name)
	}
	if to != "" || len(names) == 0 {
		return "not connected"
	}
	return strings.Join(names, ", ")
}

// sitting names who sits on a place of a machine.
func sitting(t *template.Template, machine template.ID, field string) string {
	var names []string
	for _, i := range t.Instruments {
		if i.Seat != nil && i.Seat.Machine == machine && fmt.Sprintf("seat/%d/%d/%d", i.Seat.Riser, i.Seat.Port, i.Seat.Channel) == field {
			names = append(names, i.Name)
		}
	}
	if len(names) == 0 {
		return "nobody"
	}
	return strings.Join(names, " and ")
}
