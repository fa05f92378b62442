package app

import (
	"context"
	"log/slog"
	"time"

	"fanfold/internal/store"
)

// Where several servers share one NATS, each machine is driven by one of them, by
// lease: the others hear its reports and order nothing.

// driveEvery is how often leases are taken or held on to; driveFor is how long one
// lasts. A server that crashes is followed by another within both together.
const (
	driveEvery = 2 * time.Second
	driveFor   = 6 * time.Second
)

// drive takes the leases of machines that are here, until the context ends.
func (a *App) drive(ctx context.Context) {
	tick := time.NewTicker(driveEvery)
	defer tick.Stop()
	held := map[store.Driven]time.Time{} // until when, by this server's clock
	for {
		a.takeLeases(ctx, held)
		select {
		case <-ctx.Done():
			return
		case <-a.turned:
		case <-tick.C:
		}
	}
}

func (a *App) takeLeases(ctx context.Context, held map[store.Driven]time.Time) {
	within, stop := context.WithTimeout(ctx, driveEvery)
	defer stop()
	asked := time.Now()
	got, err := a.store.LeaseTake(within, a.id, a.hosts.here(), driveFor)
	if err != nil && ctx.Err() == nil {
		slog.Warn("could not take over machines", "error", err)
	}
	for _, m := range got {
		if _, had := held[m]; !had {
			slog.Info("driving", "machine", m.Machine)
			a.rig.Drive(m.Studio.String(), m.Machine, true)
		}
		held[m] = asked.Add(driveFor)
	}
	for m, until := range held {
		if time.Now().After(until) {
			delete(held, m)
			a.rig.Drive(m.Studio.String(), m.Machine, false)
		}
	}
}

// here lists the machines that are heard.
func (b *hostBook) here() []store.Driven {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out []store.Driven
	for key, p := range b.known {
		if p.online {
			out = append(out, store.Driven{Studio: key.studio, Machine: string(key.machine)})
		}
	}
	return out
}
