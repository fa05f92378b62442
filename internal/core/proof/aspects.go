package proof

import (
	"iter"

	"fanfold/internal/core/template"
)

// The aspects of a template that rules read, by their short names.
const (
	rows     = template.OfRows
	gone     = template.OfGone
	names    = template.OfNames
	routes   = template.OfRoutes
	buses    = template.OfBuses
	seats    = template.OfSeats
	patches  = template.OfPatches
	machines = template.OfMachines
	sections = template.OfSections
	named    = template.OfCalls
	levels   = template.OfLevels

	everything = template.Everything
)

type aspect = template.Aspect

// touched tells which aspects differ between two versions of a template.
// Things that did not change are the same pointers.
func touched(before, after *template.Template) aspect {
	if before == nil {
		return everything
	}
	a := before.Touched(after)
	if before.Position() != after.Position() {
		a |= buses
	}
	return a | touchedRows(before, after)
}

// sectionsTouched are the sections of rows that are new or changed.
func sectionsTouched(before, after *template.Template) map[template.ID]bool {
	out := map[template.ID]bool{}
	for i, was := range moved(before, after) {
		if was != i {
			out[i.Section] = true
		}
	}
	return out
}

// moved are the rows that are not the same where they were, counted from the beginning
// or the end, each with what it was before; nil for a new one.
func moved(before, after *template.Template) iter.Seq2[*template.Instrument, *template.Instrument] {
	old, shift := before.Instruments, len(before.Instruments)-len(after.Instruments)
	return func(yield func(i, was *template.Instrument) bool) {
		for n, i := range after.Instruments {
			if n < len(old) && old[n] == i || n+shift >= 0 && n+shift < len(old) && old[n+shift] == i {
				continue
			}
			if !yield(i, before.Instrument(i.ID)) {
				return
			}
		}
	}
}

func touchedRows(before, after *template.Template) aspect {
	var a aspect
	kept := len(after.Instruments)
	for i, was := range moved(before, after) {
		if was == nil {
			kept--
			a |= rows | names | i.Touches(&template.Instrument{ID: i.ID, Kind: i.Kind, Section: i.Section, Name: i.Name})
			continue
		}
		if was != i {
			a |= i.Touches(was)
		}
	}
	if kept < len(before.Instruments) {
		a |= gone
	}
	return a
}
