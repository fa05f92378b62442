package app

import (
	"context"

	"fanfold/internal/core/change"
	"fanfold/internal/core/naming"
	"fanfold/internal/core/template"
)

// Abbreviations are the studio's own, which stand before the standard ones.
func (a *App) Abbreviations(ctx context.Context, p Person) ([]template.Abbreviation, error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	return cat.View().Template.Settings.Names.Abbreviations, nil
}

// SetAbbreviations replaces the studio's own abbreviations.
func (a *App) SetAbbreviations(ctx context.Context, p Person, own []template.Abbreviation) error {
	return a.setStudio(ctx, p, func(set *template.Settings) { set.Names.Abbreviations = own })
}

// NamesOf works out what rows would be called, with the studio's abbreviations.
func (h *Hot) NamesOf(ctx context.Context, p Person, ask naming.Ask) ([]naming.Named, error) {
	var err error
	if ask.Own, err = h.app.Abbreviations(ctx, p); err != nil {
		return nil, err
	}
	return naming.Name(h.View().Template, ask)
}

// NameRows names rows by a pattern, and remembers it for the next time.
func (h *Hot) NameRows(ctx context.Context, p Person, ask naming.Ask) (int64, error) {
	var err error
	if ask.Own, err = h.app.Abbreviations(ctx, p); err != nil {
		return 0, err
	}
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		list, err := naming.Name(t, ask)
		if err != nil {
			return nil, err
		}
		c := naming.Change(list)
		if c == nil {
			return nil, refused("", "all have these names already")
		}
		set := t.Settings
		if ask.Pattern != "" {
			set.Names.Pattern = ask.Pattern
		}
		if ask.Shorten {
			set.Names.ShortPattern, set.Names.ShortLimit = ask.ShortPattern, ask.Limit
		}
		batch := c.(change.Batch)
		if !set.Equal(t.Settings) {
			batch.Changes = append(batch.Changes, change.Configure{Name: t.Name, Settings: set})
		}
		return batch, nil
	})
}

// Replaced tells what finding and replacing would do.
func (h *Hot) Replaced(s naming.Search) ([]naming.Found, error) {
	found, _, err := naming.Replace(h.View().Template, s)
	return found, err
}

// ReplaceText finds and replaces.
func ReplaceText(s naming.Search) Maker {
	return func(t *template.Template) (change.Change, error) {
		_, c, err := naming.Replace(t, s)
		if err == nil && c == nil {
			err = refused("", "nothing like that was found")
		}
		return c, err
	}
}
