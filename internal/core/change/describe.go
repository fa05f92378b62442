package change

import (
	"fmt"
	"strings"

	"fanfold/internal/core/template"
)

// Describe says in a few words what a change does, for the history and the
// undo button.
func Describe(c Change) string {
	switch c := Value(c).(type) {
	case Batch:
		if c.Label == "" && len(c.Changes) > 0 {
			return Describe(c.Changes[0])
		}
		return c.Label
	case Add:
		return "Add " + rows(len(c.Instruments))
	case Delete:
		return "Delete " + rows(len(c.IDs))
	case Move:
		return "Move " + rows(len(c.IDs))
	case Arrange:
		return "Move " + rows(len(c.Places))
	case Edit:
		if len(c.Edits) > 0 {
			if says := c.Edits[0].Says(); len(says) > 0 {
				return fmt.Sprintf("Set %s of %s", says[0].Words, rows(len(c.Edits)))
			}
		}
		return "Edit " + rows(len(c.Edits))
	case Connect:
		if len(c.Wires) == 1 && c.Wires[0].Level == nil {
			return "Disconnect"
		}
		return "Connect"
	case AssignStem:
		return "Set stem of " + rows(len(c.IDs))
	case Seat:
		return "Seat " + rows(len(c.Seats))
	case RemoveBus:
		return "Remove a bus"
	case RemoveMachine:
		return "Remove a machine"
	case RenameMachine:
		return "Rename a machine to " + c.Name
	case SetRules:
		return "Set the stem rules"
	case SetSightlines:
		return "Set the sightlines"
	case Become:
		return "Make it like another"
	case SetSections:
		return "Arrange the sections"
	case SetReturns:
		return "Set the return sets"
	case SetPosition:
		return "Switch to " + string(c.Position)
	case Configure:
		return "Change settings"
	case Put:
		return "Set " + counted(func(n noun) (int, template.Noun) { return n.putCount(&c) })
	case Drop:
		return "Remove " + counted(func(n noun) (int, template.Noun) { return n.dropCount(&c) })
	}
	return c.Kind()
}

// DescribeIn is Describe, with the name of the row where it is only one: t is
// the template before, after the one with the change.
func DescribeIn(t, after *template.Template, c Change) string {
	text := Describe(c)
	if !strings.HasSuffix(text, rows(1)) {
		return text
	}
	for _, k := range c.Keys() {
		for _, x := range []*template.Template{t, after} {
			if i := x.Instrument(k.Object); i != nil {
				return strings.TrimSuffix(text, rows(1)) + i.Name
			}
		}
	}
	return text
}

func rows(n int) string {
	if n == 1 {
		return "1 row"
	}
	return fmt.Sprintf("%d rows", n)
}

// Value takes the pointer off a change that was read from JSON.
func Value(c Change) Change {
	switch c := c.(type) {
	case *Batch:
		return *c
	case *Add:
		return *c
	case *Delete:
		return *c
	case *Move:
		return *c
	case *Arrange:
		return *c
	case *Edit:
		return *c
	case *Connect:
		return *c
	case *AssignStem:
		return *c
	case *Seat:
		return *c
	case *RemoveBus:
		return *c
	case *RemoveMachine:
		return *c
	case *RenameMachine:
		return *c
	case *SetRules:
		return *c
	case *SetSightlines:
		return *c
	case *Become:
		return *c
	case *SetSections:
		return *c
	case *SetReturns:
		return *c
	case *SetPosition:
		return *c
	case *Configure:
		return *c
	case *Put:
		return *c
	case *Drop:
		return *c
	}
	return c
}
