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
	Sections []template.ID // only these of it, with all in them; none for the whole
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
		if len(from.Sections) == 0 {
			return there.Branch(ctx, p, Present, name)
		}
		c, err = sectionsOf(t, there.View().Template, from.Sections)
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

// sectionsOf takes sections of another template, with the rows in them and their
// ways to the mix; t is new, and takes on folds, return sets and settings, too.
func sectionsOf(t, there *template.Template, sections []template.ID) (change.Change, error) {
	t.Folds, t.ReturnSets, t.Settings = slices.Clone(there.Folds), slices.Clone(there.ReturnSets), there.Settings
	t.Settings.Seating.Wishes, t.Settings.RemotePort = nil, 0 // they are of what is there
	var picks []compare.Pick
	for _, s := range there.SectionsInOrder() {
		if slices.ContainsFunc(there.Ancestry(s.ID), func(a *template.Section) bool { return slices.Contains(sections, a.ID) }) {
			picks = append(picks, compare.Pick{Noun: compare.Section, ID: s.ID})
			for _, i := range there.Instruments {
				if i.Section == s.ID {
					picks = append(picks, compare.Pick{Noun: compare.Row, ID: i.ID})
				}
			}
		}
	}
	return compare.Take(t, there, picks, NewID)
}
