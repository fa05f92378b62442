package rig

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"time"

	"github.com/nats-io/nats.go"
)

// stepEvery is how often a busy stand-in moves on and reports.
const stepEvery = 100 * time.Millisecond

// RunHost dials in with a token and lets the machine follow its orders until
// the context ends. It dials again for as long as the server is away.
func RunHost(ctx context.Context, address, token string, machine *StandIn, log *slog.Logger) error {
	id, _, err := SplitToken(token)
	if err != nil {
		return err
	}
	conn, err := nats.Connect(address, nats.Token(token), nats.MaxReconnects(-1), nats.ReconnectWait(500*time.Millisecond),
		nats.DisconnectErrHandler(func(_ *nats.Conn, err error) { log.Warn("the server is away; dialling again", "error", err) }),
		nats.ReconnectHandler(func(*nats.Conn) { log.Info("dialled in again") }))
	if err != nil {
		return fmt.Errorf("dial in to %s: %w", address, err)
	}
	defer conn.Close()
	_, err = conn.Subscribe(ordersSubject(id), func(m *nats.Msg) {
		var o Orders
		if err := json.Unmarshal(m.Data, &o); err != nil {
			log.Error("orders can not be read", "error", err)
			return
		}
		log.Info("orders", "generation", o.Generation, "instruments", len(o.Loads))
		machine.Follow(o)
	})
	if err != nil {
		return fmt.Errorf("listen for orders: %w", err)
	}
	return follow(ctx, conn, id, machine)
}

func follow(ctx context.Context, conn *nats.Conn, id string, machine *StandIn) error {
	report := func() {
		if data, err := json.Marshal(machine.Report()); err == nil {
			_ = conn.Publish(reportSubject(id), data) // a lost report is followed by another
		}
	}
	tick := time.NewTicker(stepEvery)
	defer tick.Stop()
	last := time.Now()
	told := time.Time{}
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-machine.Changed():
			report()
		case now := <-tick.C:
			busy := machine.Step(now.Sub(last))
			last = now
			if busy || now.Sub(told) >= Heartbeat {
				report()
				told = now
			}
		}
	}
}
