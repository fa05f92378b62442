package proof

import (
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
	old, shift := before.Instruments, len(before.Instruments)-len(after.Instruments)
	for n, i := range after.Instruments {
		if n < len(old) && old[n] == i || n+shift >= 0 && n+shift < len(old) && old[n+shift] == i {
			continue
		}
		if before.Instrument(i.ID) != i {
			out[i.Section] = true
		}
	}
	return out
}

func touchedRows(before, after *template.Template) aspect {
	var a aspect
	old, shift, kept := before.Instruments, len(before.Instruments)-len(after.Instruments), 0
	for n, i := range after.Instruments {
		if n < len(old) && old[n] == i || n+shift >= 0 && n+shift < len(old) && old[n+shift] == i {
			kept++
			continue
		}
		was := before.Instrument(i.ID)
		if was == nil {
			a |= rows | names | i.Touches(&template.Instrument{ID: i.ID, Kind: i.Kind, Section: i.Section, Name: i.Name})
			continue
		}
		kept++
		if was != i {
			a |= i.Touches(was)
		}
	}
	if kept < len(old) {
		a |= gone
	}
	return a
}
