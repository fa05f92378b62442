package change_test

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// narrow are the kinds of change that set only what their keys say. The others
// follow from what is there (which groups serve a section, what feeds a bus), so
// that two of them need not commute.
var narrow = []string{"add", "delete", "move", "arrange", "edit", "configure", "connect", "seat", "put", "drop", "set-rules", "set-sightlines", "become"}

// Changes that do not clash commute: in whichever order they come, the template is
// the same, but for the order of rows and of lists.
func TestChangesThatDoNotClashCommute(t *testing.T) {
	base := coretest.Must(coretest.Orchestra(16, 2), coretest.Spare())
	base = coretest.Must(base, coretest.Again(base, base.Instruments[1].ID))
	met := map[bool]int{}
	for range 4 {
		rapid.Check(t, func(r *rapid.T) {
			a, b := coretest.Anything(base).Draw(r, "a"), coretest.Anything(base).Draw(r, "b")
			if !slices.Contains(narrow, a.Kind()) || !slices.Contains(narrow, b.Kind()) {
				return
			}
			_, clash := change.Clash(change.KeysOn(base, a), change.KeysOn(base, b))
			met[clash]++
			if clash {
				return
			}
			first, ok := both(base, a, b)
			second, ok2 := both(base, b, a)
			if !ok || !ok2 {
				return // one takes away what the other needs: refused, and told
			}
			require.Equal(r, orderless(first), orderless(second), "%s, %s", change.Describe(a), change.Describe(b))
		})
	}
	require.Positive(t, met[true])
	require.Positive(t, met[false])
}

func both(t *template.Template, a, b change.Change) (*template.Template, bool) {
	for _, c := range []change.Change{a, b} {
		after, _, err := change.Apply(t, c)
		if err != nil {
			return nil, false
		}
		t = after
	}
	return t, true
}

// orderless is a template whose lists are sorted.
func orderless(t *template.Template) map[string]any {
	data, err := json.Marshal(t)
	if err != nil {
		panic(err)
	}
	var out map[string]any
	if err := json.Unmarshal(data, &out); err != nil {
		panic(err)
	}
	for _, v := range out {
		if list, ok := v.([]any); ok {
			slices.SortFunc(list, func(a, b any) int {
				x, _ := json.Marshal(a)
				y, _ := json.Marshal(b)
				return slices.Compare(x, y)
			})
		}
	}
	return out
}

// Undoing the restoring of a version names every list that it puts back: what
// somebody else set there since is met, whichever noun it is.
func TestRestoringClashesWithEveryNoun(t *testing.T) {
	base := coretest.Must(coretest.Orchestra(8, 1), coretest.Spare(),
		change.SetReturns{Sets: []*template.ReturnSet{{ID: "set", Name: "Hall", Effects: []template.ReturnEffect{{ID: "e", Name: "Hall"}}}}},
		change.SetSightlines{Sightlines: []*template.Sightline{{ID: "sight", Name: "All"}}})
	base = coretest.Must(base, change.SetRules{Rules: []*template.StemRule{{ID: "rule", Stem: base.StemsOf("fold-fine")[0].ID}}})
	player, library, fold, term, casting := *base.Players[0], *base.Libraries[0], *base.Folds[0], *base.Vocabulary[0], *base.Castings[0]
	patch, machine, call, section := *base.Patches[0], *base.Machines[0], *base.Calls[0], *base.Sections[0]
	bus := base.Buses[2].Clone()
	player.OwnMiB, library.Name, fold.Name, term.Short, casting.Name = 99, "Other", "other", "o.", "Other"
	patch.Voices, machine.Cores, call.Name, section.Name, bus.Name = 9, 9, "Other", "Other", "Other"
	set := base.Settings
	set.TempoBPM = 90
	for name, c := range map[string]change.Change{
		"player": put(change.Put{Players: entries(&player)}), "library": put(change.Put{Libraries: entries(&library)}), "fold": put(change.Put{Folds: entries(&fold)}),
		"articulation": put(change.Put{Terms: entries(&term)}), "casting list": put(change.Put{Castings: entries(&casting)}), "patch": put(change.Put{Patches: entries(&patch)}),
		"machine": put(change.Put{Machines: entries(&machine)}), "call": put(change.Put{Calls: entries(&call)}), "section": put(change.Put{Sections: entries(&section)}),
		"bus": put(change.Put{Buses: entries(bus)}), "rules": change.SetRules{}, "return sets": change.SetReturns{Sets: []*template.ReturnSet{{ID: "other", Name: "Other", Effects: []template.ReturnEffect{}}}},
		"sightlines": change.SetSightlines{}, "settings": change.Configure{Name: base.Name, Settings: set},
		"row": change.Edit{Edits: []change.Fields{{ID: base.Instruments[0].ID, Notes: &base.Name}}}, "order": change.Move{IDs: []template.ID{base.Instruments[3].ID}, Section: base.Instruments[0].Section},
		"deleted row": change.Delete{IDs: []template.ID{base.Instruments[3].ID}}, "new machine": put(change.Put{Machines: entries(&template.Machine{ID: "fresh", Name: "Fresh", MemoryMiB: 9, Cores: 1, DiskMiBs: 9})}),
	} {
		t.Run(name, func(t *testing.T) {
			then := coretest.Must(base, c)
			restore := change.Between(then, base)
			restored, undo, err := change.Apply(then, restore)
			require.NoError(t, err)
			_, clash := change.Clash(undo.Keys(), again(t, restored, c).Keys())
			require.True(t, clash, "what was set since is not undone unseen")
		})
	}
}

// again is the change as somebody makes it after it was taken back.
func again(t *testing.T, restored *template.Template, c change.Change) change.Change {
	_, _, err := change.Apply(restored, c)
	require.NoError(t, err)
	return c
}

func put(c change.Put) change.Change { return c }

func entries[T any](x *T) []change.Entry[T] { return []change.Entry[T]{change.Append(x)} }
