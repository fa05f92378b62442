package app

import (
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// Present stands for the revision that a template is at.
const Present = -1

// historyPage is how many changes are read at a time.
const historyPage = 100

// History lists changes before a revision, newest first; before 0 begins with
// the last.
func (h *Hot) History(ctx context.Context, before int64) ([]db.HistoryPageRow, error) {
	return h.app.historyOf(ctx, h.ID(), before)
}

func (a *App) historyOf(ctx context.Context, id uuid.UUID, before int64) ([]db.HistoryPageRow, error) {
	if before <= 0 {
		before = 1 << 62
	}
	rows, err := a.store.Queries().HistoryPage(ctx, db.HistoryPageParams{DocumentID: id, Before: before, Most: historyPage})
	if err != nil {
		return nil, fmt.Errorf("read the history: %w", err)
	}
	return rows, nil
}

// TakeBackOne undoes one earlier change alone, whoever made it, as a change of
// its own. Where later changes that still stand set the same things, it is
// refused with a *DependsError.
func (h *Hot) TakeBackOne(ctx context.Context, p Person, revision int64) (int64, error) {
	before := h.View().Template
	now, err := h.doc.TakeBackOne(ctx, p.ask(ctx, document.Any), revision)
	var taken *document.TakenError
	if errors.As(err, &taken) {
		return 0, refused("", "%s", taken)
	}
	if err == nil {
		h.spread(ctx, p, before)
	}
	return now, err
}

// Locked tells whether the template is locked against change.
func (h *Hot) Locked() bool { return h.doc.View().Locked }

// OfVersion is the template that this one holds as it was, and the revision;
// uuid.Nil for one that is not a version.
func (h *Hot) OfVersion() (uuid.UUID, int64) {
	v := h.doc.View()
	return v.Of, v.At
}

// Lock locks the template against change, or unlocks it. One that was deleted stays locked until it is
// brought back.
func (h *Hot) Lock(ctx context.Context, on bool) error {
	row, err := h.app.store.Queries().DocumentGet(ctx, db.DocumentGetParams{ID: h.ID(), StudioID: h.studio()})
	if err != nil {
		return store.NotFound(err)
	}
	if row.EndsAt.Valid && !on {
		return refused("", "%s was deleted; bring it back first", row.Name)
	}
	return h.doc.SetLocked(ctx, on)
}

// Versions lists the named revisions, newest first.
func (h *Hot) Versions(ctx context.Context) ([]db.VersionListRow, error) {
	rows, err := h.app.store.Queries().VersionList(ctx, h.ID())
	if err != nil {
		return nil, fmt.Errorf("read the versions: %w", err)
	}
	return rows, nil
}

// MaxNote bounds the note of a version, letters.
const MaxNote = 4000

// NameVersion names a revision, or the Present.
func (h *Hot) NameVersion(ctx context.Context, p Person, revision int64, name, note string) (db.Version, error) {
	if err := template.CheckName(name); err != nil {
		return db.Version{}, refused("", "name the version: %s", err)
	}
	if len([]rune(note)) > MaxNote {
		return db.Version{}, refused("", "a note has at most %d letters", MaxNote)
	}
	now := h.View().Revision
	if revision == Present {
		revision = now
	}
	if revision < 0 || revision > now {
		return db.Version{}, store.ErrNotFound
	}
	row, err := h.app.store.Queries().VersionInsert(ctx, db.VersionInsertParams{DocumentID: h.ID(), Revision: revision, Name: name, Note: note, AuthorID: p.ID})
	if err != nil {
		return row, fmt.Errorf("name the version: %w", err)
	}
	return row, nil
}

// ForgetVersion takes a version's name away; the revision stays.
func (h *Hot) ForgetVersion(ctx context.Context, version uuid.UUID) error {
	n, err := h.app.store.Queries().VersionDelete(ctx, db.VersionDeleteParams{ID: version, DocumentID: h.ID()})
	if err == nil && n == 0 {
		return store.ErrNotFound
	}
	return err
}

// LookAt opens the template as it was at a revision, locked.
func (h *Hot) LookAt(ctx context.Context, revision int64) (db.Document, error) {
	return h.app.sheets.Version(ctx, h.studio(), h.ID(), revision)
}

// Restore makes the template as it was at a revision, as one change.
func (h *Hot) Restore(ctx context.Context, p Person, revision int64) (int64, error) {
	then, err := h.app.sheets.At(ctx, h.studio(), h.ID(), revision)
	if err != nil {
		return 0, err
	}
	if cat, err := h.known(ctx, p); err != nil {
		return 0, err
	} else if cat != nil {
		then = catalogue.OnTheStudios(then, cat)
	}
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		c := change.Between(t, then)
		if c == nil {
			return nil, refused("", "it is as it was at revision %d already", revision)
		}
		return change.Batch{Label: fmt.Sprintf("Restore revision %d", revision), Changes: []change.Change{c}}, nil
	})
}

// Branch makes a template of its own from this one as it was at a revision, or
// from the Present.
func (h *Hot) Branch(ctx context.Context, p Person, revision int64, name string) (db.Document, error) {
	if err := template.CheckName(name); err != nil {
		return db.Document{}, refused("", "name the copy: %s", err)
	}
	v := h.View()
	t := v.Template
	if revision != Present && revision != v.Revision {
		var err error
		if t, err = h.app.sheets.At(ctx, h.studio(), h.ID(), revision); err != nil {
			return db.Document{}, err
		}
	}
	copied := t.Clone()
	copied.Name = name
	return h.app.Create(ctx, p, copied)
}

// Other is a template to compare with: one of the studio, as it was at a
// revision, or at Present.
type Other struct {
	Template uuid.UUID
	Revision int64
}

func (h *Hot) other(ctx context.Context, p Person, o Other) (*template.Template, error) {
	if o.Revision != Present {
		return h.app.sheets.At(ctx, p.Studio, o.Template, o.Revision)
	}
	x, err := h.app.Open(ctx, p, o.Template)
	if err != nil {
		return nil, err
	}
	return x.View().Template, nil
}

// CompareWith puts this template and another side by side.
func (h *Hot) CompareWith(ctx context.Context, p Person, o Other) ([]compare.Difference, error) {
	there, err := h.other(ctx, p, o)
	if err != nil {
		return nil, err
	}
	return compare.Pair(h.View().Template, there), nil
}

// TakeFrom brings single differences from another template into this one.
func (h *Hot) TakeFrom(ctx context.Context, p Person, o Other, picks []compare.Pick) (int64, error) {
	there, err := h.other(ctx, p, o)
	if err != nil {
		return 0, err
	}
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) { return compare.Take(t, there, picks, NewID) })
}

// Handbook is the template as a document for people, with what was changed since
// its last version.
func (h *Hot) Handbook(ctx context.Context) (title string, pages []handover.Page, err error) {
	v := h.View()
	e := handover.Edition{Revision: v.Revision}
	from := int64(0)
	named, err := h.Versions(ctx)
	if err != nil {
		return "", nil, err
	}
	if len(named) > 0 {
		e.Version, from = named[0].Name, named[0].Revision
	}
	rows, err := h.History(ctx, 0)
	if err != nil {
		return "", nil, err
	}
	for _, r := range rows {
		if r.Revision > from && r.Role != string(document.Follow) {
			e.Changes = append(e.Changes, handover.Past{Revision: r.Revision, At: r.MadeAt, Author: r.Author, Label: r.Label})
		}
	}
	if len(rows) > 0 {
		e.At = rows[0].MadeAt
	}
	return v.Template.Name, handover.Handbook(v.Template, e), nil
}
