package app

import (
	"fmt"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
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
	if e.Name == "" {
		return "somebody else removed this meanwhile"
	}
	return fmt.Sprintf("somebody else changed %s of %s meanwhile", e.Field, e.Name)
}

// clashError tells both values of the thing two people set, in words.
func clashError(now *template.Template, key change.Key, c change.Change) error {
	e := &ClashError{Name: compare.NameOf(now, key.Object)}
	after, _, err := change.Apply(now, c)
	whole, part, _ := strings.Cut(key.Field, "/")
	switch {
	case key.Object == wholeTemplate:
		e.Name, e.Field = now.Name, "the "+nounIn(whole)
		e.Theirs, e.Yours = "set by somebody else", "set by you"
		return e
	case e.Name == "":
		e.Theirs = "taken away"
		return e
	case whole == "seat" && part != "": // a place of a machine
		e.Field, e.Theirs = "a seat", sitting(now, key.Object, key.Field)
		if err == nil {
			e.Yours = sitting(after, key.Object, key.Field)
		}
		return e
	}
	e.Field, e.Theirs = "the "+fieldText(now, key.Field), valueOf(now, key.Object, key.Field)
	if err != nil {
		if e.Theirs == "" && plainField(whole) != "" {
			e.Theirs = compare.ValueOf(now, key.Object, whole)
		}
		return e
	}
	e.Yours = valueOf(after, key.Object, key.Field)
	if what, theirs, yours, both := compare.Differ(now, after, key.Object, plainField(whole)); both && e.Theirs == "" {
		e.Theirs, e.Yours = theirs, yours
		if key.Field == "" && what != "" {
			e.Field = "the " + what
		}
	}
	return e
}

// wholeTemplate is the object of keys that are of the template itself.
const wholeTemplate template.ID = "template"

// nounIn is what the things of a list are called, by its key.
func nounIn(key string) string {
	for _, l := range template.Lists() {
		if l.Noun().Key == key {
			return l.Noun().Many
		}
	}
	return key
}

// plainField is the field of a key that names one by itself; empty for a whole
// thing.
func plainField(field string) string {
	if template.FieldOf(field) == nil {
		return ""
	}
	return field
}

func fieldText(t *template.Template, field string) string {
	whole, part, _ := strings.Cut(field, "/")
	switch f := template.FieldOf(whole); {
	case whole == "":
		return "settings"
	case whole == "route" && part == "":
		return "routes"
	case whole == "route":
		if b := t.Index().Buses[template.ID(part)]; b != nil {
			return "route to " + b.Name
		}
		return "routes"
	case f != nil:
		return f.Words
	}
	return whole
}

// valueOf says what a field stands at that is not a plain value, for people; empty
// for one that is.
func valueOf(t *template.Template, id template.ID, field string) string {
	whole, part, _ := strings.Cut(field, "/")
	i := t.Instrument(id)
	switch {
	case whole == "route" && i != nil:
		return routeValue(t, i.Routes, template.ID(part))
	case whole == "route":
		if b := t.Index().Buses[id]; b != nil {
			return routeValue(t, b.Routes, template.ID(part))
		}
	case whole == "place" && i != nil:
		return t.SectionPath(i.Section)
	case whole == "seat" && i != nil && i.Seat != nil:
		return fmt.Sprintf("%s, riser %d, port %d, channel %d", t.Index().Machines[i.Seat.Machine].Name, i.Seat.Riser, i.Seat.Port, i.Seat.Channel)
	case whole == "seat" && i != nil:
		return "no seat"
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
