package app

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
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
	if before <= 0 {
		before = 1 << 62
	}
	rows, err := h.app.store.Queries().HistoryPage(ctx, db.HistoryPageParams{TemplateID: h.id, Before: before, Most: historyPage})
	if err != nil {
		return nil, fmt.Errorf("read the history: %w", err)
	}
	return rows, nil
}

// DependsError is a change that can not be taken back alone, since later ones
// set the same things.
type DependsError struct {
	Label string
	Later []store.Entry // which depend on it, oldest first
}

func (e *DependsError) Error() string {
	var later []string
	for n, x := range e.Later {
		if n == 3 {
			later = append(later, fmt.Sprintf("and %d more", len(e.Later)-n))
			break
		}
		later = append(later, fmt.Sprintf("%s (revision %d)", x.Label, x.Revision))
	}
	return fmt.Sprintf("%s can not be taken back alone; later changes set the same: %s. Take these back first", e.Label, strings.Join(later, ", "))
}

// TakeBackOne undoes one earlier change alone, whoever made it, as a change of
// its own. Where later changes that still stand set the same things, it is
// refused with a *DependsError.
func (h *Hot) TakeBackOne(ctx context.Context, p Person, revision int64) (int64, error) {
	before := h.View().Template
	now, err := h.takeBackOne(ctx, p, revision)
	if err != nil {
		return 0, err
	}
	h.spread(ctx, p, before)
	return now, nil
}

func (h *Hot) takeBackOne(ctx context.Context, p Person, revision int64) (int64, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := h.refreshLocked(ctx); err != nil {
		return 0, err
	}
	e, err := h.app.store.EntryGet(ctx, h.id, revision)
	if err != nil {
		return 0, err
	}
	later, err := h.app.store.EntriesAfter(ctx, h.id, revision)
	if err != nil {
		return 0, err
	}
	keys := e.Inverse.Keys()
	var depends []store.Entry
	for _, x := range standing(later, revision) {
		if x.Target == revision {
			return 0, refused("", "%s was taken back already, with revision %d", e.Label, x.Revision)
		}
		if _, meets := change.Clash(keys, x.Change.Keys()); meets {
			depends = append(depends, x)
		}
	}
	if len(depends) > 0 {
		return 0, &DependsError{e.Label, depends}
	}
	return h.apply(ctx, p, change.Batch{Label: "Take back: " + e.Label, Changes: []change.Change{e.Inverse}}, store.Do, revision)
}

// standing leaves out changes that were undone since, with their undoing.
func standing(list []store.Entry, after int64) []store.Entry {
	undone := map[int64]bool{}
	for n := len(list) - 1; n >= 0; n-- {
		e := list[n]
		if e.Target > after && !undone[e.Revision] {
			undone[e.Revision], undone[e.Target] = true, true
		}
	}
	var out []store.Entry
	for _, e := range list {
		if !undone[e.Revision] {
			out = append(out, e)
		}
	}
	return out
}

// Locked tells whether the template is locked against change.
func (h *Hot) Locked() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.locked
}

// OfVersion is the template that this one holds as it was, and the revision;
// uuid.Nil for one that is no version.
func (h *Hot) OfVersion() (uuid.UUID, int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.of, h.at
}

// Lock locks the template against change, or unlocks it.
func (h *Hot) Lock(ctx context.Context, on bool) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := h.refreshLocked(ctx); err != nil {
		return err
	}
	n, err := h.app.store.Queries().TemplateLock(ctx, db.TemplateLockParams{ID: h.id, StudioID: h.studio, Locked: on})
	if err != nil {
		return fmt.Errorf("lock the template: %w", err)
	}
	if n == 0 {
		return &LockedError{h.t.Name, true}
	}
	h.locked = on
	h.tell(Event{Name: "reset"})
	return nil
}

// Versions lists the named revisions, newest first.
func (h *Hot) Versions(ctx context.Context) ([]db.VersionListRow, error) {
	rows, err := h.app.store.Queries().VersionList(ctx, h.id)
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
	row, err := h.app.store.Queries().VersionInsert(ctx, db.VersionInsertParams{TemplateID: h.id, Revision: revision, Name: name, Note: note, AuthorID: p.ID})
	if err != nil {
		return row, fmt.Errorf("name the version: %w", err)
	}
	return row, nil
}

// ForgetVersion takes a version's name away; the revision stays.
func (h *Hot) ForgetVersion(ctx context.Context, version uuid.UUID) error {
	n, err := h.app.store.Queries().VersionDelete(ctx, db.VersionDeleteParams{ID: version, TemplateID: h.id})
	if err == nil && n == 0 {
		return store.ErrNotFound
	}
	return err
}

// LookAt opens the template as it was at a revision, locked.
func (h *Hot) LookAt(ctx context.Context, revision int64, name string) (db.Template, error) {
	return h.app.store.VersionTemplate(ctx, h.studio, h.id, revision, name)
}

// Restore makes the template as it was at a revision, as one change.
func (h *Hot) Restore(ctx context.Context, p Person, revision int64) (int64, error) {
	then, err := h.app.store.TemplateAt(ctx, h.studio, h.id, revision)
	if err != nil {
		return 0, err
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
func (h *Hot) Branch(ctx context.Context, p Person, revision int64, name string) (db.Template, error) {
	if err := template.CheckName(name); err != nil {
		return db.Template{}, refused("", "name the copy: %s", err)
	}
	v := h.View()
	t := v.Template
	if revision != Present && revision != v.Revision {
		var err error
		if t, err = h.app.store.TemplateAt(ctx, h.studio, h.id, revision); err != nil {
			return db.Template{}, err
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
		return h.app.store.TemplateAt(ctx, p.Studio, o.Template, o.Revision)
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
	var since handover.Since
	from := int64(0)
	named, err := h.Versions(ctx)
	if err != nil {
		return "", nil, err
	}
	if len(named) > 0 {
		since.Version, from = named[0].Name, named[0].Revision
	}
	rows, err := h.History(ctx, 0)
	if err != nil {
		return "", nil, err
	}
	for _, r := range rows {
		if r.Revision > from && r.Role != string(store.Follow) {
			since.Changes = append(since.Changes, handover.Past{Revision: r.Revision, At: r.MadeAt, Author: r.Author, Label: r.Label})
		}
	}
	t := h.View().Template
	return t.Name, handover.Handbook(t, since), nil
}
