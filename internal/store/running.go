package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"fanfold/internal/document"
	"fanfold/internal/store/db"
)

// Wanted is which instruments of a template should be ready. It has revisions of
// its own: it is not a part of the document.
type Wanted struct {
	Revision    int64
	Instruments []string
	Awaited     []string // of the last call: these load first
}

// WantedLoad reads what should be ready.
func (s *Store) WantedLoad(ctx context.Context, id uuid.UUID) (Wanted, error) {
	var out Wanted
	err := s.Tx(ctx, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		var err error
		if out.Revision, err = q.RunningGet(ctx, id); err != nil && !errors.Is(err, pgx.ErrNoRows) {
			return err
		}
		rows, err := q.WantedList(ctx, id)
		for _, r := range rows {
			out.Instruments = append(out.Instruments, r.InstrumentID)
			if r.Awaited {
				out.Awaited = append(out.Awaited, r.InstrumentID)
			}
		}
		return err
	})
	if err != nil {
		return Wanted{}, fmt.Errorf("read what should be ready: %w", err)
	}
	return out, nil
}

// WantedChange writes which instruments should be ready from now on, which no
// longer, and which load first, as one. It returns the new revision;
// document.ErrStale when base is not the present one.
func (s *Store) WantedChange(ctx context.Context, id uuid.UUID, base int64, add, remove, awaited []string) (int64, error) {
	err := s.Tx(ctx, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		n, err := q.RunningAdvance(ctx, db.RunningAdvanceParams{DocumentID: id, Base: base})
		if err == nil && n == 0 {
			return document.ErrStale
		}
		if err != nil {
			return err
		}
		return wantedChange(ctx, q, id, add, remove, awaited)
	})
	if err != nil {
		return 0, fmt.Errorf("write what should be ready: %w", err)
	}
	return base + 1, nil
}

func wantedChange(ctx context.Context, q *db.Queries, id uuid.UUID, add, remove, awaited []string) error {
	if err := q.WantedRemove(ctx, db.WantedRemoveParams{DocumentID: id, InstrumentIds: remove}); err != nil {
		return err
	}
	if err := q.WantedAdd(ctx, db.WantedAddParams{DocumentID: id, InstrumentIds: add}); err != nil {
		return err
	}
	if awaited == nil {
		return nil
	}
	return q.WantedAwait(ctx, db.WantedAwaitParams{DocumentID: id, InstrumentIds: awaited})
}

// WantedFollow writes, in the transaction of a change of the document, what it
// means for what should be ready. told hears the new revision.
func (s *Store) WantedFollow(id uuid.UUID, add, remove []string, told func(revision int64)) document.Beside {
	return func(ctx context.Context, tx document.Tx) error {
		q := s.q.WithTx(tx)
		n, err := q.RunningNext(ctx, id)
		if err != nil {
			return err
		}
		told(n)
		return wantedChange(ctx, q, id, add, remove, nil)
	}
}
