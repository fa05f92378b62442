package casting

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Apply is the change that makes a cast real: patches chosen from the
// catalogue become instruments, unless one plays just that patch already, and
// a named call holds everybody who plays. A call of that name is replaced.
func Apply(t, cat *template.Template, cast []Choice, name string, mint catalogue.Mint) (change.Change, error) {
	name = strings.TrimSpace(name)
	if err := template.CheckName(name); err != nil {
		return nil, &change.Refused{Reason: fmt.Sprintf("name the call of the score: %s", err)}
	}
	playing := map[template.ID]template.ID{} // an instrument, by the one patch it plays
	for _, i := range t.Instruments {
		if len(i.Patches) == 1 && playing[i.Patches[0]] == "" {
			playing[i.Patches[0]] = i.ID
		}
	}
	call := &template.Call{ID: mint("call"), Name: name, Instruments: []template.ID{}}
	var use []template.ID
	for _, c := range cast {
		for _, id := range c.Instruments {
			if !slices.Contains(call.Instruments, id) {
				call.Instruments = append(call.Instruments, id)
			}
		}
		for _, id := range c.Patches {
			if i := playing[id]; i != "" && !slices.Contains(call.Instruments, i) {
				call.Instruments = append(call.Instruments, i)
			} else if i == "" && !slices.Contains(use, id) {
				use = append(use, id)
			}
		}
	}
	batch := change.Batch{Label: "Cast " + name}
	if len(use) > 0 {
		adding, err := catalogue.Use(t, cat, use, catalogue.Place{}, func(kind string) template.ID {
			id := mint(kind)
			if kind == "instrument" {
				call.Instruments = append(call.Instruments, id)
			}
			return id
		})
		if err != nil {
			return nil, err
		}
		batch.Changes = append(batch.Changes, adding)
	}
	if len(call.Instruments) == 0 {
		return nil, &change.Refused{Reason: "nobody plays; choose another list, or by hand"}
	}
	for _, c := range t.Calls {
		if strings.EqualFold(c.Name, name) {
			call.ID, call.Opening = c.ID, c.Opening
		}
	}
	batch.Changes = append(batch.Changes, change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}})
	return batch, nil
}

// Shipped are the lists every studio has; they can be copied, not changed.
func Shipped() []template.CastingList {
	return []template.CastingList{
		{ID: "casting-own-first", Name: "The template first", Version: 1, Entries: []template.Preference{
			{Kind: template.FromTemplate}, {Kind: template.FromAnywhere}, {Kind: template.LastResort},
		}},
		{ID: "casting-libraries", Name: "Any library", Version: 1, Entries: []template.Preference{
			{Kind: template.FromAnywhere}, {Kind: template.LastResort},
		}},
		{ID: "casting-template-only", Name: "The template only", Version: 1, Entries: []template.Preference{{Kind: template.FromTemplate}}},
	}
}
