package app

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/template"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// ShareKind is what a link shows of a template.
type ShareKind string

// What links show: the template in all its formats, or its handbook alone.
const (
	ShareTemplate ShareKind = "template"
	ShareHandbook ShareKind = "handbook"
)

// Share makes a link by which somebody outside reads the template, or its handbook, as it is when
// they look, for some days. The secret of the link is told once.
func (h *Hot) Share(ctx context.Context, p Person, kind ShareKind, to string, days int) (id uuid.UUID, secret string, err error) {
	to = strings.TrimSpace(to)
	if err := template.CheckName(to); err != nil {
		return id, "", refused("to", "say who it is for: %s", err)
	}
	secret, kept, ends, err := newLink(days)
	if err != nil {
		return id, "", err
	}
	q := h.app.store.Queries()
	id = uuid.New()
	if err = q.SharesForget(ctx); err == nil {
		err = q.ShareInsert(ctx, db.ShareInsertParams{ID: id, StudioID: p.Studio, Template: h.ID(), Kind: string(kind), Receiver: to, Token: kept, AuthorID: pgUUID(p.ID), EndsAt: ends.Time})
	}
	if err != nil {
		return id, "", fmt.Errorf("share a template: %w", err)
	}
	return id, secret, nil
}

// Links lists all links of the studio that are open to people outside, the last first.
func (a *App) Links(ctx context.Context, p Person) ([]db.LinkListRow, error) {
	rows, err := a.store.Queries().LinkList(ctx, p.Studio)
	if err != nil {
		return nil, fmt.Errorf("list links: %w", err)
	}
	return rows, nil
}

// EndShare ends a link to a template or a handbook.
func (a *App) EndShare(ctx context.Context, p Person, id uuid.UUID) error {
	n, err := a.store.Queries().ShareEnd(ctx, db.ShareEndParams{ID: id, StudioID: p.Studio})
	return done(n, err, "end a link")
}

// ShareName says what a link shows, and whom.
func (a *App) ShareName(ctx context.Context, p Person, id uuid.UUID) string {
	row, err := a.store.Queries().ShareGet(ctx, db.ShareGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return id.String()
	}
	return fmt.Sprintf("%s, to %s", a.TemplateName(ctx, p, row.Template, ShareKind(row.Kind)), row.Receiver)
}

// TemplateName is what a template, or its handbook, is called.
func (a *App) TemplateName(ctx context.Context, p Person, id uuid.UUID, kind ShareKind) string {
	row, err := a.store.Queries().DocumentGet(ctx, db.DocumentGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return id.String()
	}
	if kind == ShareHandbook {
		return row.Name + ", handbook"
	}
	return row.Name
}

// SharedTemplate is a template as whoever has its link sees it.
type SharedTemplate struct {
	*Hot
	Link   uuid.UUID
	Kind   ShareKind
	By, To string
	Ends   time.Time
}

// SharedTemplate opens a template by the secret of its link; store.ErrNotFound where there is none, or
// it has ended.
func (a *App) SharedTemplate(ctx context.Context, secret string) (SharedTemplate, error) {
	row, err := a.store.Queries().ShareOfLink(ctx, keptOf(secret))
	if err != nil {
		return SharedTemplate{}, store.NotFound(err)
	}
	h, err := a.Open(ctx, Person{Studio: row.StudioID}, row.Template)
	return SharedTemplate{h, row.ID, ShareKind(row.Kind), row.Author, row.Receiver, row.EndsAt}, err
}

// Opened notes that the page of a link was opened.
func (a *App) Opened(ctx context.Context, link uuid.UUID) error {
	return a.store.Queries().ShareOpened(ctx, link)
}
