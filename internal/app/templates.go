package app

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"

	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// TemplateList lists the studio's templates, those changed last first, with those that were deleted and
// can still be brought back.
func (a *App) TemplateList(ctx context.Context, p Person) ([]db.TemplateListRow, error) {
	rows, err := a.store.Queries().TemplateList(ctx, p.Studio)
	if err != nil {
		return nil, fmt.Errorf("list templates: %w", err)
	}
	return rows, nil
}

// EndTemplate deletes a template. It can be looked at and brought back for thirty days; then it goes for
// good, unless there are prints or deliveries of it. One that holds memory, or is locked, is refused.
func (a *App) EndTemplate(ctx context.Context, p Person, id uuid.UUID) error {
	h, err := a.Open(ctx, p, id)
	switch {
	case err != nil:
		return err
	case h.isCatalogue():
		return store.ErrNotFound
	case h.Locked():
		return refused("", "%s is locked; unlock it first", h.View().Template.Name)
	}
	if n := len(h.Wanted()); n > 0 {
		return refused("", "%s has %d rows ready; rest them first, in Calls", h.View().Template.Name, n)
	}
	n, err := a.store.Queries().TemplateEnd(ctx, db.TemplateEndParams{ID: id, StudioID: p.Studio, EndsAt: pgtype.Timestamptz{Time: time.Now().Add(goneAfter), Valid: true}})
	if err != nil {
		return fmt.Errorf("delete the template: %w", err)
	}
	if n == 0 {
		return nil // somebody else deleted it just now
	}
	return h.Lock(ctx, true) // whoever has it open is told
}

// KeepTemplate brings back a template that was deleted.
func (a *App) KeepTemplate(ctx context.Context, p Person, id uuid.UUID) error {
	n, err := a.store.Queries().TemplateStay(ctx, db.TemplateStayParams{ID: id, StudioID: p.Studio})
	if err := done(n, err, "bring the template back"); err != nil {
		return err
	}
	h, err := a.Open(ctx, p, id)
	if err != nil {
		return err
	}
	return h.Lock(ctx, false)
}

// removeTemplates deletes templates for good whose day has come.
func (a *App) removeTemplates(ctx context.Context) {
	n, err := a.store.Queries().TemplatesRemove(ctx)
	if err != nil {
		slog.Warn("could not remove templates that were deleted; trying again later", "error", err)
	} else if n > 0 {
		slog.Info("templates were deleted for good", "count", n)
	}
}
