package main

import (
	"context"
	"errors"
	"log/slog"
	"os/signal"
	"runtime/debug"
	"syscall"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"fanfold/internal/app"
	"fanfold/internal/audiostore"
	"fanfold/internal/rig"
	"fanfold/internal/store"
)

func workCommand() *cobra.Command {
	var samples []string
	var audio string
	c := &cobra.Command{
		Use: "work", Short: "Print cues for a server, on another machine",
		Long: "Print cues for a server, on another machine: prints are taken from the queue that servers fill, one after\nthe other. DATABASE_URL names the servers' database, --audio their audio store, and --scan-root the folders\nof the same libraries on this machine. A print whose machine is lost is taken by another.",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			url, err := databaseURL()
			if err != nil {
				return err
			}
			if audio == "" || len(samples) == 0 {
				return wrongUse{errors.New("give the servers' audio store with --audio, and the folders of libraries with --scan-root")}
			}
			ctx, stop := signal.NotifyContext(c.Context(), syscall.SIGINT, syscall.SIGTERM)
			defer stop()
			return work(ctx, url, audio, samples)
		},
	}
	c.Flags().StringVar(&audio, "audio", "", "where prints are kept: the folder or URL that the servers have")
	c.Flags().StringArrayVar(&samples, "scan-root", nil, "a folder of libraries; may be repeated")
	return c
}

// appBeside is what a server does, for a command that works beside servers and drives no machine.
func appBeside(ctx context.Context, url, audio string) (_ *app.App, closeAll func() error, err error) {
	s, err := store.Open(ctx, store.Options{URL: url})
	if err != nil {
		return nil, nil, err
	}
	var kept *audiostore.Store
	if audio != "" {
		if kept, err = audiostore.Open(ctx, audio); err != nil {
			s.Close()
			return nil, nil, err
		}
	}
	nobody := func(rig.Host, rig.Report, bool) {} // no host dials in here
	desk, err := rig.Open(rig.DeskConfig{Lookup: s.HostLookup, Listen: nobody})
	if err != nil {
		s.Close()
		return nil, nil, errors.Join(err, kept.Close())
	}
	a := app.New(app.Config{Store: s, Rig: desk, ID: uuid.New(), Audio: kept})
	return a, func() error {
		a.Wait()
		desk.Close()
		err := kept.Close()
		s.Close()
		return err
	}, nil
}

// work takes prints from the queue until the context ends.
func work(ctx context.Context, url, audio string, samples []string) (err error) {
	debug.SetGCPercent(gcPercent)
	a, closeAll, err := appBeside(ctx, url, audio)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closeAll()) }()
	if err := a.AllowScans(samples...); err != nil {
		return err
	}
	still := a.Follow(ctx)
	defer still()
	stop, err := a.StartWork(ctx, app.Work{Prints: true})
	if err != nil {
		return err
	}
	defer stop()
	slog.Info("working", "on", serverName())
	<-ctx.Done()
	return nil
}
