package app

import (
	"context"
	"slices"

	"fanfold/internal/core/casting"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Cast is what a casting came to.
type Cast struct {
	List     template.ID
	Choices  []casting.Choice
	Revision int64 // of the template; 0 when it was only asked
}

// CastAsk asks for a casting.
type CastAsk struct {
	Parts []casting.Part
	List  template.ID // empty takes the studio's default
	Hand  map[string][]template.ID
	Name  string // of the call
	Take  bool   // do it; otherwise only tell
}

// Cast casts the parts of a score with the template and the catalogue.
func (h *Hot) Cast(ctx context.Context, p Person, ask CastAsk) (Cast, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return Cast{}, err
	}
	c := cat.View().Template
	list, err := castingList(c, ask.List)
	if err != nil {
		return Cast{}, err
	}
	out := Cast{List: list.ID}
	cast := func(t *template.Template) []casting.Choice {
		return casting.New(t, c).Cast(ask.Parts, list.Entries, ask.Hand)
	}
	out.Choices = cast(h.View().Template)
	if !ask.Take {
		return out, nil
	}
	out.Revision, err = h.Apply(ctx, p, born(func(t *template.Template) (change.Change, error) {
		out.Choices = cast(t)
		return casting.Apply(t, c, out.Choices, ask.Name, NewID)
	}, true))
	return out, err
}

// castingList finds a list by its ID, or the default: the studio's, else the
// first of those shipped.
func castingList(cat *template.Template, id template.ID) (*template.CastingList, error) {
	shipped := casting.Shipped()
	lists := slices.Clone(cat.Castings)
	for n := range shipped {
		lists = append(lists, &shipped[n])
	}
	if id == "" {
		if d := find(lists, func(l *template.CastingList) bool { return l.Default }); d != nil {
			return d, nil
		}
		return &shipped[0], nil
	}
	if l := find(lists, func(l *template.CastingList) bool { return l.ID == id }); l != nil {
		return l, nil
	}
	return nil, refused(id, "the casting list is no longer there")
}
