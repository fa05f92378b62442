package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"fanfold/internal/document"
	"fanfold/internal/scan"
	"fanfold/internal/store/db"
)

// MigrateJobs brings the tables of the job queue up to date.
func (s *Store) MigrateJobs(ctx context.Context) error {
	m, err := rivermigrate.New(riverpgxv5.New(s.Pool), nil)
	if err != nil {
		return fmt.Errorf("read the migrations of the job queue: %w", err)
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("bring the job queue up to date: %w", err)
	}
	return nil
}

// ErrNotMine is returned when a scan has been reported as failed, or another server
// runs it.
var ErrNotMine = errors.New("the scan was reported as failed meanwhile")

// ScanStart notes a scan and puts it into the queue, as one. One that was begun
// with the same key before is returned instead.
func (s *Store) ScanStart(ctx context.Context, params db.ScanInsertParams, key uuid.UUID, queue func(ctx context.Context, tx pgx.Tx, scan uuid.UUID) (job int64, err error)) (db.Scan, error) {
	params.Key = some(key)
	var row db.Scan
	err := s.Tx(ctx, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		var err error
		if row, err = q.ScanInsert(ctx, params); err != nil {
			return err
		}
		job, err := queue(ctx, tx, row.ID)
		if err != nil {
			return err
		}
		return q.ScanQueued(ctx, db.ScanQueuedParams{ID: row.ID, JobID: job})
	})
	if taken(err, "scans_key_key") {
		row, err = s.q.ScanByKey(ctx, db.ScanByKeyParams{Key: some(key), StudioID: params.StudioID})
	}
	return row, err
}

// ScanEnds ends a scan in the transaction of the change that takes in what it
// found: one that has been reported as failed takes nothing in.
func (s *Store) ScanEnds(end func() (db.ScanEndParams, error)) document.Beside {
	return func(ctx context.Context, tx document.Tx) error {
		params, err := end()
		if err != nil {
			return err
		}
		n, err := s.q.WithTx(tx).ScanEnd(ctx, params)
		if err == nil && n == 0 {
			return ErrNotMine
		}
		return err
	}
}

// ScannedKeep writes what a scan measured, as one, for the next scan of the
// folder.
func (s *Store) ScannedKeep(ctx context.Context, row db.Scan, policy string, measured map[string]scan.Kept) error {
	err := s.Tx(ctx, func(tx pgx.Tx) error {
		var batch pgx.Batch
		for file, kept := range measured {
			stamps, err := json.Marshal(kept.Stamps)
			if err != nil {
				return err
			}
			found, err := json.Marshal(kept.Found)
			if err != nil {
				return err
			}
			batch.Queue(keepFile, row.StudioID, row.Folder, file, policy, string(stamps), found)
		}
		return tx.SendBatch(ctx, &batch).Close()
	})
	if err != nil {
		return fmt.Errorf("keep what was measured: %w", err)
	}
	return nil
}

const keepFile = `insert into scanned_files (studio_id, folder, file, policy, fingerprint, found)
values ($1, $2, $3, $4, $5, $6)
on conflict (studio_id, folder, file) do update set policy = excluded.policy, fingerprint = excluded.fingerprint, found = excluded.found`
