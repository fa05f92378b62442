package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/core/casting"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/template"
	"fanfold/internal/store/db"
)

// From is what a template begins with; the zero value is nothing.
type From struct {
	Line     string        // orchestra shorthand
	Template uuid.UUID     // another template of the studio
	Sections []template.ID // only these of it, with all in them
	Rows     []template.ID // or only these rows of it and its guides; they are called when it opens
	Machines bool          // and the studio's machines
}

// Begin makes a template of the studio from nothing, from a line of shorthand, or
// from another template or some of its sections, with all that these need.
func (a *App) Begin(ctx context.Context, p Person, name string, from From) (db.Document, error) {
	t := template.New(NewID("template"), name)
	if err := t.Validate(); err != nil {
		return db.Document{}, err
	}
	var c change.Change
	var err error
	switch {
	case from.Template != uuid.Nil:
		there, failed := a.Open(ctx, p, from.Template)
		if failed != nil {
			return db.Document{}, failed
		}
		if len(from.Sections)+len(from.Rows) == 0 {
			return there.Branch(ctx, p, Present, name)
		}
		c, err = partOf(t, there.View().Template, from)
		if err != nil {
			return db.Document{}, err
		}
	case from.Line != "":
		c, err = casting.Begin(t, from.Line, NewID)
	}
	if err != nil {
		return db.Document{}, err
	}
	if c != nil {
		if t, _, err = change.Apply(t, c); err != nil {
			return db.Document{}, err
		}
	}
	if from.Machines {
		cat, err := a.Catalogue(ctx, p)
		if err != nil {
			return db.Document{}, err
		}
		if t, _, err = change.Apply(t, catalogue.Sit(t, cat.View().Template)); err != nil {
			return db.Document{}, err
		}
	}
	return a.Create(ctx, p, t)
}

// partOf takes sections or rows of another template, with their ways to the mix; t is new,
// and takes on folds, return sets and settings, too.
func partOf(t, there *template.Template, from From) (change.Change, error) {
	t.Folds, t.ReturnSets, t.Settings = slices.Clone(there.Folds), slices.Clone(there.ReturnSets), there.Settings
	t.Settings.Seating.Wishes, t.Settings.RemotePort = nil, 0 // they are about rows that are not here
	within := func(s template.ID) bool {
		return slices.ContainsFunc(there.Ancestry(s), func(a *template.Section) bool { return slices.Contains(from.Sections, a.ID) })
	}
	opening := &template.Call{ID: NewID("call"), Name: "Opening call", Opening: true, Instruments: []template.ID{}}
	wanted := map[template.ID]bool{}
	for _, id := range from.Rows {
		if there.Instrument(id) == nil {
			return nil, refused(id, "one of the rows is no longer in %s", there.Name)
		}
		wanted[id] = true
	}
	var sections, rows []compare.Pick
	for _, s := range there.SectionsInOrder() {
		whole := within(s.ID)
		comes := whole
		for _, i := range there.Instruments {
			if i.Section == s.ID && (wanted[i.ID] || whole || len(wanted) > 0 && i.Kind == template.Guide) {
				rows, comes = append(rows, compare.Pick{Noun: compare.Row, ID: i.ID}), true
			}
			if i.Section == s.ID && wanted[i.ID] {
				opening.Instruments = append(opening.Instruments, i.ID)
			}
		}
		if comes {
			sections = append(sections, compare.Pick{Noun: compare.Section, ID: s.ID})
		}
	}
	c, err := compare.Take(t, there, append(sections, rows...), NewID)
	if err != nil || len(opening.Instruments) == 0 {
		return c, err
	}
	return change.Batch{Changes: []change.Change{c, change.Put{Calls: []change.Entry[template.Call]{change.Append(opening)}}}}, nil
}
