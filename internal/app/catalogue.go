package app

import (
	"context"
	"fmt"
	"log/slog"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/order"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/store/db"
)

// Catalogue opens the studio's catalogue: what it knows of its libraries,
// players, patches and articulations. It is edited, undone and watched as a
// template is; templates follow it.
func (a *App) Catalogue(ctx context.Context, p Person) (*Hot, error) {
	a.mu.Lock()
	id, ok := a.catalogues[p.Studio]
	a.mu.Unlock()
	if !ok {
		var err error
		fresh := func() *template.Template { return template.New(NewID("catalogue"), "Catalogue") }
		if id, err = a.sheets.Only(ctx, p.Studio, catalogueKind, fresh); err != nil {
			return nil, err
		}
		a.mu.Lock()
		a.catalogues[p.Studio] = id
		a.mu.Unlock()
	}
	return a.load(ctx, p, id)
}

// agree brings a template and the catalogue together: the catalogue takes in
// what it does not know, the template follows what is known better.
func (a *App) agree(ctx context.Context, p Person, h *Hot) error {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return err
	}
	t := h.View().Template
	if err := cat.follow(ctx, p, func(c *template.Template) change.Change { return catalogue.Missing(c, t) }); err != nil {
		return err
	}
	if err := a.bind(ctx, cat); err != nil {
		return err
	}
	if err := h.sitOnStudios(ctx, p, cat); err != nil {
		return err
	}
	c := cat.View().Template
	return h.follow(ctx, p, func(t *template.Template) change.Change { return catalogue.Behind(t, c) })
}

// sitOnStudios lets a template sit on the studio's machines where its own have their
// names.
func (h *Hot) sitOnStudios(ctx context.Context, p Person, cat *Hot) error {
	c := cat.View().Template
	return h.follow(ctx, p, func(t *template.Template) change.Change { return catalogue.SitOnStudios(t, c) })
}

// follow applies what follows from a change elsewhere; nothing when there is
// nothing to do.
func (h *Hot) follow(ctx context.Context, p Person, make func(*template.Template) change.Change) error {
	label := "Follow the catalogue"
	if h.isCatalogue() {
		label = "Take in what a template brought"
	}
	err := h.doc.Follow(ctx, document.Ask{Author: p.ID, By: p.Name, Seen: document.Any}, func(v *sheetView) (change.Change, bool) {
		c := make(v.State)
		if c == nil || v.Locked || len(c.Keys()) == 0 {
			return nil, false
		}
		return change.Batch{Label: label, Changes: []change.Change{c}}, true
	})
	if h.Locked() {
		h.agrees.Store(false) // made up for once it is unlocked
	}
	return err
}

// known is the catalogue that changes of a template are read against; nil for
// the catalogue itself, and for nobody.
func (h *Hot) known(ctx context.Context, p Person) (*template.Template, error) {
	if h.isCatalogue() || p.ID == uuid.Nil {
		return nil, nil
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	return cat.View().Template, nil
}

// spread carries on what a change of a template or of the catalogue means for
// the others. The change itself stands already: what cannot be carried on now
// is made up for when the template is opened next.
func (h *Hot) spread(ctx context.Context, p Person, before *template.Template) {
	now := h.View().Template
	if slices.Equal(before.Libraries, now.Libraries) && slices.Equal(before.Players, now.Players) &&
		slices.Equal(before.Patches, now.Patches) && slices.Equal(before.Vocabulary, now.Vocabulary) && slices.Equal(before.Machines, now.Machines) {
		return
	}
	if !h.isCatalogue() {
		h.behind(h.learn(ctx, p, before, now))
		return
	}
	h.app.each(h.studio(), func(t *Hot) {
		if t.isCatalogue() {
			return
		}
		t.behind(t.follow(ctx, p, func(t *template.Template) change.Change {
			return change.Batch{Changes: []change.Change{catalogue.Behind(t, now), catalogue.Gone(t, before, now)}}
		}))
	})
}

// behind notes that a template may differ from the catalogue.
func (h *Hot) behind(err error) {
	if err != nil {
		slog.Error("follow the catalogue", "template", h.ID(), "error", err)
		h.agrees.Store(false)
	}
}

// learn carries on to the catalogue what a change of a template said, and so
// to the other templates.
func (h *Hot) learn(ctx context.Context, p Person, before, now *template.Template) error {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return err
	}
	if !slices.Equal(before.Machines, now.Machines) {
		if err := h.sitOnStudios(ctx, p, cat); err != nil {
			return err
		}
		now = h.View().Template
	}
	left, err := h.left(ctx, p, before, now)
	if err != nil {
		return err
	}
	old := cat.View().Template
	if err := cat.follow(ctx, p, func(c *template.Template) change.Change {
		learned := change.Renaming(c, catalogue.Learned(c, before, now))
		return change.Batch{Changes: append(catalogue.Left(c, left), learned)}
	}); err != nil {
		return err
	}
	cat.spread(ctx, p, old)
	return nil
}

// left lists the machines that a change took out of the template, and on which no
// other template of the studio sits.
func (h *Hot) left(ctx context.Context, p Person, before, now *template.Template) ([]template.ID, error) {
	var left []template.ID
	var rows []db.Document
	for _, m := range before.Machines {
		if now.Index().Machines[m.ID] != nil {
			continue
		}
		if rows == nil {
			var err error
			if rows, err = h.app.Templates(ctx, p); err != nil {
				return nil, fmt.Errorf("ask who sits on %s: %w", m.Name, err)
			}
		}
		sat, err := h.otherSits(ctx, rows, m.ID)
		if err != nil {
			return nil, fmt.Errorf("ask who sits on %s: %w", m.Name, err)
		}
		if !sat {
			left = append(left, m.ID)
		}
	}
	return left, nil
}

// otherSits tells whether another template sits on a machine.
func (h *Hot) otherSits(ctx context.Context, rows []db.Document, machine template.ID) (bool, error) {
	for _, row := range rows {
		if row.ID == h.ID() {
			continue
		}
		x := aboutFrom(row.About)
		if x.Sits == nil {
			t, err := h.app.present(ctx, h.studio(), row)
			if err != nil {
				return false, err
			}
			x = aboutOf(t)
		}
		if slices.Contains(x.Sits, machine) {
			return true, nil
		}
	}
	return false, nil
}

// keptByTemplates refuses a change of the catalogue that takes away what a
// template plays.
func (a *App) keptByTemplates(ctx context.Context, studio uuid.UUID, before, after *template.Template) error {
	gone := map[template.ID]string{}
	for _, p := range before.Patches {
		if after.Index().Patches[p.ID] == nil {
			gone[p.ID] = p.Name
		}
	}
	if len(gone) == 0 {
		return nil
	}
	rows, err := a.Templates(ctx, Person{Studio: studio})
	if err != nil {
		return fmt.Errorf("ask who plays the patches: %w", err)
	}
	for _, row := range rows {
		t, err := a.present(ctx, studio, row)
		if err != nil {
			return fmt.Errorf("ask who plays the patches: %w", err)
		}
		for _, i := range t.Instruments {
			for _, id := range i.Patches {
				if name, going := gone[id]; going {
					return refused(id, "%s plays %s in %s; swap its patch first", i.Name, name, t.Name)
				}
			}
		}
	}
	return nil
}

// present is a template as it stands, whether it is open or not.
func (a *App) present(ctx context.Context, studio uuid.UUID, row db.Document) (*template.Template, error) {
	if h, open := a.open.Look(row.ID); open {
		return h.View().Template, nil
	}
	return a.sheets.At(ctx, studio, row.ID, row.Revision)
}

// found is what finds patches in one state of a catalogue.
type found struct {
	of     *template.Template
	finder *catalogue.Finder
}

// Finder returns what finds patches in the catalogue as it stands.
func (h *Hot) Finder() *catalogue.Finder {
	now := h.View().Template
	h.finding.Lock()
	defer h.finding.Unlock()
	if h.found.of != now {
		h.found = found{now, catalogue.NewFinder(h.found.finder, now)}
	}
	return h.found.finder
}

// EditPatches sets fields of patches of the catalogue, as one change.
func EditPatches(ids []template.ID, edit func(*template.Patch) error) Maker {
	return func(t *template.Template) (change.Change, error) {
		var put change.Put
		for _, id := range ids {
			p := t.Index().Patches[id]
			if p == nil {
				return nil, refused(id, "the patch is no longer in the catalogue")
			}
			c := *p
			if err := edit(&c); err != nil {
				return nil, refused(id, "%s: %s", p.Name, err)
			}
			put.Patches = append(put.Patches, change.Append(&c))
		}
		label := fmt.Sprintf("Edit %d patches", len(ids))
		if len(ids) == 1 {
			label = "Edit " + put.Patches[0].Value.Name
		}
		return change.Batch{Label: label, Changes: []change.Change{put}}, nil
	}
}

// Use makes instruments of patches of the catalogue.
func (h *Hot) Use(ctx context.Context, p Person, patches []template.ID, where catalogue.Place) (Maker, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	c := cat.View().Template
	use := born(func(t *template.Template) (change.Change, error) { return catalogue.Use(t, c, patches, where, NewID) }, true)
	return func(t *template.Template) (change.Change, error) {
		made, err := use(t)
		if err != nil {
			return nil, err
		}
		return order.WithSpares(t, made, NewID), nil
	}, nil
}

// Swap tells what another patch would mean for instruments and, when take,
// gives it to them. layer plays it beside the ones there are.
func (h *Hot) Swap(ctx context.Context, p Person, ids []template.ID, patch template.ID, layer, take bool) (catalogue.Swapped, int64, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return catalogue.Swapped{}, 0, err
	}
	c := cat.View().Template
	v := h.View()
	_, sum, err := catalogue.Swap(v.Template, c, ids, patch, layer)
	if err != nil || !take {
		return sum, v.Revision, err
	}
	revision, err := h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		made, now, err := catalogue.Swap(t, c, ids, patch, layer)
		sum = now
		return made, err
	})
	return sum, revision, err
}
