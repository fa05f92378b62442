package template

import (
	"slices"
	"strings"
)

// Noun is what the things of one list of a template are called, and what of the
// proof looks at them.
type Noun struct {
	Key       string // of the list, in JSON
	One, Many string // in words
	Reads     Aspect
}

// nouns says of each list what its things are called.
var nouns = map[List]Noun{
	TheSettings: {"settings", "name or setting", "name and settings", OfMachines},
	Folds:       {"folds", "fold", "folds", OfBuses},
	Sections:    {"sections", "section", "sections", OfSections},
	Instruments: {"instruments", "row", "rows", OfRows},
	Buses:       {"buses", "bus", "buses", OfBuses},
	Libraries:   {"libraries", "library", "libraries", OfPatches},
	Players:     {"players", "player", "players", OfPatches},
	Patches:     {"patches", "patch", "patches", OfPatches},
	Machines:    {"machines", "machine", "machines", OfMachines},
	Calls:       {"calls", "call", "calls", OfCalls},
	Vocabulary:  {"vocabulary", "articulation", "articulations", OfPatches},
	Castings:    {"castings", "casting list", "casting lists", OfPatches},
	Rules:       {"rules", "stem rule", "stem rules", Nothing},
	ReturnSets:  {"returnSets", "return set", "return sets", Nothing},
	Sightlines:  {"sightlines", "sightline", "sightlines", Nothing},
}

// Noun is what the things of the list are called.
func (l List) Noun() Noun { return nouns[l] }

// Lists lists every list of a template, the settings first.
func Lists() []List {
	out := make([]List, 0, len(nouns))
	for l := TheSettings; int(l) < len(nouns); l++ {
		out = append(out, l)
	}
	return out
}

// Article is a or an, as it stands before one.
func (n Noun) Article() string {
	if strings.ContainsAny(n.One[:1], "aeiou") {
		return "an"
	}
	return "a"
}

// Touched tells which aspects differ between two versions of a template, its
// instruments apart. Things that did not change are the same pointers.
func (t *Template) Touched(after *Template) Aspect {
	var a Aspect
	for _, d := range []struct {
		list List
		same bool
	}{
		{TheSettings, t.Settings.Equal(after.Settings)},
		{Folds, slices.Equal(t.Folds, after.Folds)},
		{Sections, slices.Equal(t.Sections, after.Sections)},
		{Buses, slices.Equal(t.Buses, after.Buses)},
		{Libraries, slices.Equal(t.Libraries, after.Libraries)},
		{Players, slices.Equal(t.Players, after.Players)},
		{Patches, slices.Equal(t.Patches, after.Patches)},
		{Machines, slices.Equal(t.Machines, after.Machines)},
		{Calls, slices.Equal(t.Calls, after.Calls)},
		{Vocabulary, slices.Equal(t.Vocabulary, after.Vocabulary)},
		{Castings, slices.Equal(t.Castings, after.Castings)},
		{Rules, slices.Equal(t.Rules, after.Rules)},
		{ReturnSets, slices.Equal(t.ReturnSets, after.ReturnSets)},
		{Sightlines, slices.Equal(t.Sightlines, after.Sightlines)},
	} {
		if !d.same {
			a |= d.list.Noun().Reads
		}
	}
	return a
}
