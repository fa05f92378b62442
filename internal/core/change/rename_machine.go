package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// RenameMachine gives a machine another name, and tells it to the libraries that are
// installed there. It is refused where another machine has that name.
type RenameMachine struct {
	ID   template.ID `json:"id"`
	Name string      `json:"name"`
}

// Kind implements Change.
func (RenameMachine) Kind() string { return "rename-machine" }

// Keys implements Change: the machine's name, and where libraries are installed.
func (c RenameMachine) Keys() []Key {
	return []Key{{Object: c.ID, Field: "name"}, ofList(template.Libraries)}
}

func (c RenameMachine) apply(d *draft) (Change, error) {
	var put Put
	var was string
	for _, m := range d.t.Machines {
		switch {
		case m.ID == c.ID:
			other := *m
			was, other.Name = m.Name, c.Name
			put.Machines = append(put.Machines, Append(&other))
		case template.FoldName(m.Name) == template.FoldName(c.Name):
			return nil, refuse(c.ID, "there is a machine called %s already; choose another name", m.Name)
		}
	}
	if len(put.Machines) == 0 {
		return nil, refuse(c.ID, "the machine is no longer in the template")
	}
	for _, l := range d.t.Libraries {
		at := slices.IndexFunc(l.Machines, func(name string) bool { return template.FoldName(name) == template.FoldName(was) })
		if at < 0 || l.Names(c.Name) {
			continue
		}
		other := *l
		other.Machines = slices.Clone(l.Machines)
		other.Machines[at] = c.Name
		put.Libraries = append(put.Libraries, Append(&other))
	}
	if _, err := put.apply(d); err != nil {
		return nil, err
	}
	return RenameMachine{ID: c.ID, Name: was}, nil
}

// Renaming returns a change of a template in which machines that get another name
// by being put are renamed, so that what speaks of them by name follows.
func Renaming(t *template.Template, c Change) Change {
	var renames []Change
	var look func(Change)
	look = func(c Change) {
		switch c := Value(c).(type) {
		case Batch:
			for _, x := range c.Changes {
				look(x)
			}
		case Put:
			for _, e := range c.Machines {
				if e.Value == nil {
					continue
				}
				if m := t.Index().Machines[e.Value.ID]; m != nil && m.Name != e.Value.Name {
					renames = append(renames, RenameMachine{ID: m.ID, Name: e.Value.Name})
				}
			}
		}
	}
	if look(c); len(renames) == 0 {
		return c
	}
	return Batch{Label: Describe(c), Changes: append(renames, c)}
}
