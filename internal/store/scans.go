package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

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

// ScannedKeep writes what a scan measured, as one, for the next scan of the
// folder.
func (s *Store) ScannedKeep(ctx context.Context, row db.Scan, policy string, measured map[string]scan.Kept) error {
	err := s.tx(ctx, func(tx pgx.Tx) error {
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
