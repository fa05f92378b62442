package template

import "slices"

// PreferenceKind says where a casting looks for a player.
type PreferenceKind string

// The kinds of preference.
const (
	FromTemplate PreferenceKind = "template" // the instruments there already
	FromSet      PreferenceKind = "set"      // a saved set of patches
	FromLibrary  PreferenceKind = "library"  // one library
	FromAnywhere PreferenceKind = "anywhere" // every library
	LastResort   PreferenceKind = "resort"   // patches that play everything
)

// PreferenceKinds lists every kind.
var PreferenceKinds = []PreferenceKind{FromTemplate, FromSet, FromLibrary, FromAnywhere, LastResort}

// Preference is one entry of a casting list.
type Preference struct {
	Kind    PreferenceKind `json:"kind"`
	Name    string         `json:"name,omitempty"`    // of a set
	Library ID             `json:"library,omitempty"` // of FromLibrary
	Patches []ID           `json:"patches,omitempty"` // of a set, or the last resort
	Sounds  []string       `json:"sounds,omitempty"`  // only for parts of these sounds and their kinds; empty for all
}

// CastingList is an ordered list of preferences.
type CastingList struct {
	ID      ID           `json:"id"`
	Name    string       `json:"name"`
	Version int          `json:"version"` // grows with each time it is set
	Default bool         `json:"default,omitempty"`
	Entries []Preference `json:"entries"`
}

func (v *validator) castings() {
	for i, c := range v.t.Castings {
		v.id("castings", i, c.ID)
		v.name("castings", i, c.Name)
		if len(c.Entries) > MaxMappings {
			v.fail(at("castings", i, "entries"), "%d preferences; %d at most", len(c.Entries), MaxMappings)
		}
		for _, e := range c.Entries {
			switch {
			case !slices.Contains(PreferenceKinds, e.Kind):
				v.fail(at("castings", i, "entries"), "%q is not a kind of preference", e.Kind)
			case e.Kind == FromLibrary && v.x.Libraries[e.Library] == nil:
				v.fail(at("castings", i, "entries"), "no library has the id %q", e.Library)
			}
			v.words("castings", i, "entries", e.Sounds)
			for _, p := range e.Patches {
				if v.x.Patches[p] == nil {
					v.fail(at("castings", i, "entries"), "no patch has the id %q", p)
				}
			}
		}
	}
}
