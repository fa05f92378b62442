// Package template holds the nouns of Fanfold: a template with its sections,
// instruments, buses, patches, machines and calls. It takes plain values in,
// and gives back values that keep the invariants of Validate. Everything a
// *Template points to is immutable once published: an edit makes a new
// Template that shares what did not change (see package change).
package template

import (
	"slices"
	"sync/atomic"
)

// ID names one thing within a template. IDs are opaque, unique across all
// nouns of a template, and never reused.
type ID string

// Mint makes an ID that is not in use for a new thing of a kind.
type Mint func(kind string) ID

// Template is one orchestral or scoring template.
type Template struct {
	ID          ID             `json:"id"`
	Name        string         `json:"name"`
	Settings    Settings       `json:"settings"`
	Folds       []*Fold        `json:"folds"`       // finest first
	Sections    []*Section     `json:"sections"`    // siblings in score order
	Instruments []*Instrument  `json:"instruments"` // within a section, in score order
	Buses       []*Bus         `json:"buses"`
	Libraries   []*Library     `json:"libraries"`
	Players     []*Player      `json:"players"`
	Patches     []*Patch       `json:"patches"`
	Machines    []*Machine     `json:"machines"`
	Calls       []*Call        `json:"calls"`
	Castings    []*CastingList `json:"castings,omitempty"` // of a catalogue
	Vocabulary  []*Term        `json:"vocabulary"`         // the studio's own articulations, beside the standard ones
	Rules       []*StemRule    `json:"rules,omitempty"`    // which instrument goes to which stem; the first that matches
	ReturnSets  []*ReturnSet   `json:"returnSets,omitempty"`
	Sightlines  []*Sightline   `json:"sightlines,omitempty"`

	index atomic.Pointer[Index]
}

// New returns an empty template with default settings, the folds "fine" and
// "sections", and the buses "Mix" and "Speakers" wired together.
func New(id ID, name string) *Template {
	return &Template{
		ID: id, Name: name,
		Settings: DefaultSettings(),
		Folds:    []*Fold{{ID: "fold-fine", Name: "fine"}, {ID: "fold-sections", Name: "sections"}},
		Sections: []*Section{}, Instruments: []*Instrument{},
		Buses: []*Bus{
			{ID: "bus-mix", Kind: Mix, Name: "Mix", Routes: []Route{{To: "bus-speakers", Tap: Post}}},
			{ID: "bus-speakers", Kind: Speakers, Name: "Speakers", Routes: []Route{}},
		},
		Libraries: []*Library{}, Players: []*Player{}, Patches: []*Patch{},
		Machines: []*Machine{}, Calls: []*Call{}, Vocabulary: []*Term{},
	}
}

// Clone returns a shallow copy: the lists are shared until they are replaced.
func (t *Template) Clone() *Template {
	return &Template{
		ID: t.ID, Name: t.Name, Settings: t.Settings, Folds: t.Folds,
		Sections: t.Sections, Instruments: t.Instruments, Buses: t.Buses,
		Libraries: t.Libraries, Players: t.Players, Patches: t.Patches,
		Machines: t.Machines, Calls: t.Calls, Vocabulary: t.Vocabulary, Castings: t.Castings,
		Rules: t.Rules, ReturnSets: t.ReturnSets, Sightlines: t.Sightlines,
	}
}

// Normalise puts the parts whose order carries no meaning into their one
// canonical order, and nil lists to empty ones, so that equal templates are
// equal byte for byte. It must only be called on a template nobody shares yet.
func (t *Template) Normalise() {
	t.Folds, t.Sections, t.Instruments = some(t.Folds), some(t.Sections), some(t.Instruments)
	t.Buses, t.Libraries, t.Players = some(t.Buses), some(t.Libraries), some(t.Players)
	t.Patches, t.Machines, t.Calls = some(t.Patches), some(t.Machines), some(t.Calls)
	t.Vocabulary = some(t.Vocabulary)
	for _, x := range t.Vocabulary {
		x.Synonyms = some(x.Synonyms)
	}
	for _, p := range t.Patches {
		NormaliseMap(p.Map)
	}
	for _, i := range t.Instruments {
		NormaliseMap(i.Map)
		i.Articulations, i.Patches = some(i.Articulations), some(i.Patches)
		if i.Trim != nil {
			i.Trim.Patches = some(i.Trim.Patches)
		}
		i.Routes = SortRoutes(i.Routes)
	}
	for _, b := range t.Buses {
		b.Routes = SortRoutes(b.Routes)
	}
	for _, c := range t.Calls {
		c.Instruments = some(c.Instruments)
		for n := range c.Uses {
			c.Uses[n].Articulations, c.Uses[n].Keys = some(c.Uses[n].Articulations), some(c.Uses[n].Keys)
		}
	}
	t.Settings.Upbeat = some(t.Settings.Upbeat)
}

// NormaliseMap puts empty lists for missing ones.
func NormaliseMap(mappings []Mapping) {
	for n := range mappings {
		mappings[n].Switches = some(mappings[n].Switches)
	}
}

func some[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// Instrument returns the instrument with that ID, or nil.
func (t *Template) Instrument(id ID) *Instrument {
	if i, ok := t.Index().Place[id]; ok {
		return t.Instruments[i]
	}
	return nil
}

// FindBus returns the first bus of that kind whose name is equal without
// regard to case, or nil.
func (t *Template) FindBus(kind BusKind, name string) *Bus {
	for _, b := range t.Buses {
		if b.Kind == kind && equalFold(b.Name, name) {
			return b
		}
	}
	return nil
}

// TheMix returns the mix bus; every valid template has exactly one.
func (t *Template) TheMix() *Bus {
	return t.FirstBus(func(is *BusType) bool { return is.Only })
}

// ScoreOrder returns the instruments as they stand in the score: sections
// depth first, and within a section in list order.
func (t *Template) ScoreOrder() []*Instrument {
	rank := make(map[ID]int, len(t.Sections))
	for i, s := range t.SectionsInOrder() {
		rank[s.ID] = i
	}
	out := slices.Clone(t.Instruments)
	slices.SortStableFunc(out, func(a, b *Instrument) int { return rank[a.Section] - rank[b.Section] })
	return out
}
