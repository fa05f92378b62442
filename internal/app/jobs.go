package app

import (
	"context"
	"fmt"
	"log/slog"
	"os"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"fanfold/internal/sampler"
)

// Jobs is the queue of long work, kept in PostgreSQL.
type Jobs = river.Client[pgx.Tx]

// scansAtOnce bounds how many scans run side by side: they share the disk.
const scansAtOnce = 2

// StartJobs begins to run long work. A scan whose server says nothing any more is
// told as failed, here and from time to time; what it measured is kept. One that
// waits is run by whichever server comes first. The function returned ends the work.
func (a *App) StartJobs(ctx context.Context) (stop func(), err error) {
	if err := a.store.MigrateJobs(ctx); err != nil {
		return nil, err
	}
	if err := a.tellAbandoned(ctx); err != nil {
		return nil, err
	}
	if a.audio != nil {
		a.printSamples = sampler.NewStore(printSampleBytes)
	}
	workers := river.NewWorkers()
	if err := river.AddWorkerSafely(workers, &scanWorker{app: a}); err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	if err := river.AddWorkerSafely(workers, &printWorker{app: a}); err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	client, err := river.NewClient(riverpgxv5.New(a.store.Pool), &river.Config{
		Queues:  map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: scansAtOnce}, printQueue: {MaxWorkers: printsAtOnce}},
		Workers: workers,
		Logger:  slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError})),
	})
	if err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	if err := client.Start(context.WithoutCancel(ctx)); err != nil {
		return nil, fmt.Errorf("start jobs: %w", err)
	}
	a.jobs = client
	stopping := context.WithoutCancel(ctx) // the work outlives what started it
	looking, stopLooking := context.WithCancel(stopping)
	looked := make(chan struct{})
	go func() {
		defer close(looked)
		a.lookAfterPrints(looking)
	}()
	return func() {
		stopLooking()
		<-looked
		if err := client.StopAndCancel(stopping); err != nil {
			slog.Error("stop jobs", "error", err)
		}
	}, nil
}
