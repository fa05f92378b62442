package proof

import (
	"reflect"
	"slices"

	"fanfold/internal/core/template"
)

// aspect is a part of a template that rules look at.
type aspect uint

const (
	rows     aspect = 1 << iota // instruments added, or of another kind or section
	gone                        // instruments taken away
	names                       // what instruments are called
	routes                      // instruments' faders and routes
	buses                       // buses, folds and what is heard
	seats                       // seats and seat styles
	patches                     // patches instruments play, players, libraries
	machines                    // machines and settings
	sections                    // the section tree
	named                       // the named calls

	everything = rows | gone | names | routes | buses | seats | patches | machines | sections | named
)

// touched tells which aspects differ between two versions of a template.
// Things that did not change are the same pointers.
func touched(before, after *template.Template) aspect {
	if before == nil {
		return everything
	}
	var a aspect
	mark := func(same bool, what aspect) {
		if !same {
			a |= what
		}
	}
	mark(slices.Equal(before.Buses, after.Buses) && slices.Equal(before.Folds, after.Folds) && before.Position() == after.Position(), buses)
	mark(slices.Equal(before.Patches, after.Patches) && slices.Equal(before.Players, after.Players) && slices.Equal(before.Libraries, after.Libraries) && slices.Equal(before.Vocabulary, after.Vocabulary), patches)
	mark(slices.Equal(before.Machines, after.Machines) && before.Settings.Equal(after.Settings), machines)
	mark(slices.Equal(before.Sections, after.Sections), sections)
	mark(slices.Equal(before.Calls, after.Calls), named)
	return a | touchedRows(before, after)
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
			a |= rows | names | touchedRow(&template.Instrument{ID: i.ID, Kind: i.Kind, Section: i.Section, Name: i.Name}, i)
			continue
		}
		kept++
		if was != i {
			a |= touchedRow(was, i)
		}
	}
	if kept < len(old) {
		a |= gone
	}
	return a
}

func touchedRow(old, now *template.Instrument) aspect {
	var a aspect
	if old.Kind != now.Kind || old.Section != now.Section {
		a |= rows | gone
	}
	if old.Name != now.Name {
		a |= names
	}
	if old.GainDB != now.GainDB || !slices.Equal(old.Routes, now.Routes) {
		a |= routes
	}
	if old.Style != now.Style || old.With != now.With || (old.Printed == nil) != (now.Printed == nil) || (old.Seat == nil) != (now.Seat == nil) || (old.Seat != nil && *old.Seat != *now.Seat) {
		a |= seats
	}
	if old.Colour != now.Colour {
		a |= sections // whose rows it is among
	}
	if old.Keep != now.Keep {
		a |= named // it comes with every call
	}
	if !slices.Equal(old.Patches, now.Patches) || !reflect.DeepEqual(old.Trim, now.Trim) || !reflect.DeepEqual(old.Map, now.Map) || !slices.Equal(old.Mics, now.Mics) || old.Spread != now.Spread {
		a |= patches
	}
	return a
}
