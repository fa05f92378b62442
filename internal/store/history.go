package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store/db"
)

// TemplateAt rebuilds a template as it was at a revision, from the snapshot
// before it and the changes since. ErrNotFound when it has not come so far.
func (s *Store) TemplateAt(ctx context.Context, studio, id uuid.UUID, revision int64) (*template.Template, error) {
	head, err := s.q.TemplateGet(ctx, db.TemplateGetParams{ID: id, StudioID: studio})
	if err != nil {
		return nil, NotFound(err)
	}
	if revision < 0 || revision > head.Revision {
		return nil, ErrNotFound
	}
	snap, err := s.q.SnapshotBefore(ctx, db.SnapshotBeforeParams{TemplateID: id, Revision: revision})
	if err != nil {
		return nil, fmt.Errorf("find revision %d: %w", revision, NotFound(err))
	}
	t, err := templatefile.Trusted(bytes.NewReader(snap.Body))
	if err != nil {
		return nil, fmt.Errorf("read revision %d: %w", snap.Revision, err)
	}
	rows, err := s.q.ChangesBetween(ctx, db.ChangesBetweenParams{TemplateID: id, After: snap.Revision, Upto: revision})
	if err != nil {
		return nil, fmt.Errorf("read changes: %w", err)
	}
	for _, row := range rows {
		e, err := entry(row)
		if err != nil {
			return nil, err
		}
		if t, _, err = change.Apply(t, e.Change); err != nil {
			return nil, fmt.Errorf("replay change %d: %w", e.Revision, err)
		}
	}
	return t, nil
}

// EntryGet reads one change; ErrNotFound when there is none.
func (s *Store) EntryGet(ctx context.Context, id uuid.UUID, revision int64) (Entry, error) {
	row, err := s.q.ChangeGet(ctx, db.ChangeGetParams{TemplateID: id, Revision: revision})
	if err != nil {
		return Entry{}, NotFound(err)
	}
	return entry(row)
}

// EntriesAfter reads the changes after a revision, oldest first.
func (s *Store) EntriesAfter(ctx context.Context, id uuid.UUID, revision int64) ([]Entry, error) {
	rows, err := s.q.ChangesAfter(ctx, db.ChangesAfterParams{TemplateID: id, Revision: revision})
	if err != nil {
		return nil, fmt.Errorf("read changes: %w", err)
	}
	out := make([]Entry, 0, len(rows))
	for _, row := range rows {
		e, err := entry(row)
		if err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, nil
}

// VersionTemplate is the locked template that holds another as it was at a
// revision; it is made when it is first asked for.
func (s *Store) VersionTemplate(ctx context.Context, studio, of uuid.UUID, revision int64, name string) (db.Template, error) {
	whose := pgtype.UUID{Bytes: of, Valid: true}
	find := db.VersionTemplateParams{OfTemplate: whose, OfRevision: &revision}
	row, err := s.q.VersionTemplate(ctx, find)
	if err == nil || !errors.Is(err, pgx.ErrNoRows) {
		return row, err
	}
	then, err := s.TemplateAt(ctx, studio, of, revision)
	if err != nil {
		return db.Template{}, err
	}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		if row, err = q.VersionTemplateInsert(ctx, db.VersionTemplateInsertParams{StudioID: studio, Name: name, OfTemplate: whose, OfRevision: &revision}); err != nil {
			return err
		}
		return snapshot(ctx, q, row.ID, 0, then)
	})
	if err != nil {
		if again, failed := s.q.VersionTemplate(ctx, find); failed == nil {
			return again, nil // somebody else made it meanwhile
		}
		return db.Template{}, fmt.Errorf("keep revision %d to look at: %w", revision, err)
	}
	return row, nil
}
