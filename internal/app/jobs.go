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

// Work says which long work a process takes part in. It may queue any.
type Work struct{ Scans, Prints bool }

// StartJobs begins to run all long work.
func (a *App) StartJobs(ctx context.Context) (stop func(), err error) {
	return a.StartWork(ctx, Work{Scans: true, Prints: true})
}

// StartWork begins to run long work. A scan whose server says nothing any more is
// reported as failed, here and from time to time; what it measured is kept. One that
// waits is run by whichever server comes first. The function returned ends the work.
func (a *App) StartWork(ctx context.Context, work Work) (stop func(), err error) {
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
	queues := map[string]river.QueueConfig{}
	if work.Scans {
		queues[river.QueueDefault] = river.QueueConfig{MaxWorkers: scansAtOnce}
	}
	if work.Prints {
		queues[printQueue] = river.QueueConfig{MaxWorkers: printsAtOnce}
	}
	client, err := river.NewClient(riverpgxv5.New(a.store.Pool), &river.Config{
		Queues:  queues,
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
