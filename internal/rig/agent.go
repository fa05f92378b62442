package rig

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"github.com/nats-io/nats.go"
)

// stepEvery is how often a busy stand-in moves on and reports.
const stepEvery = 100 * time.Millisecond

// ErrTurnedAway is how a host ends whose credential is not, or no longer, good.
var ErrTurnedAway = errors.New("the server does not take this credential; it may be revoked. Make another in Seating")

// ErrCrashed is how a stand-in ends that was told to crash.
var ErrCrashed = errors.New("the simulated machine crashed, as it was told to")

// RunHost is Drive for a stand-in, which fails in the ways it is told to.
func RunHost(ctx context.Context, line Line, machine *StandIn, log *slog.Logger) error {
	if machine.Faults.CrashAfter > 0 {
		var stop context.CancelFunc
		ctx, stop = context.WithTimeoutCause(ctx, machine.Faults.CrashAfter, ErrCrashed)
		defer stop()
	}
	if drop := machine.Faults.DropAfter; drop > 0 {
		online, stop := context.WithTimeout(ctx, drop)
		err := Drive(online, line, machine, log)
		stop()
		if err != nil || ctx.Err() != nil {
			return crashed(ctx, err)
		}
		log.Warn("off the network, as it was told to be", "for", machine.Faults.DropFor)
		select {
		case <-ctx.Done():
			return crashed(ctx, nil)
		case <-time.After(machine.Faults.DropFor):
		}
	}
	return crashed(ctx, Drive(ctx, line, machine, log))
}

func crashed(ctx context.Context, err error) error {
	if errors.Is(context.Cause(ctx), ErrCrashed) {
		return ErrCrashed
	}
	return err
}

// Drive dials in and lets a machine follow its orders until the context ends. It
// dials again for as long as the server is away.
func Drive(ctx context.Context, line Line, machine Machine, log *slog.Logger) error {
	id, _, err := SplitToken(line.Token)
	if err != nil {
		return err
	}
	closed := make(chan struct{})
	held := &holder{line: &line, id: id, token: line.Token}
	conn, err := nats.Connect(line.Address, append(line.options(held.now), nats.MaxReconnects(-1), nats.ReconnectWait(500*time.Millisecond),
		nats.ClosedHandler(func(*nats.Conn) { close(closed) }),
		nats.DisconnectErrHandler(func(_ *nats.Conn, err error) { log.Warn("the server is away; dialling again", "error", err) }),
		nats.ReconnectHandler(func(*nats.Conn) { log.Info("dialled in again") }))...)
	if err != nil {
		return line.dialError(err)
	}
	defer conn.Close()
	_, err = conn.Subscribe(ordersSubject(id), func(m *nats.Msg) {
		var o Orders
		if err := json.Unmarshal(m.Data, &o); err != nil {
			log.Error("orders cannot be read", "error", err)
			return
		}
		log.Info("orders", "generation", o.Generation, "instruments", len(o.Loads))
		machine.Follow(o)
	})
	if err != nil {
		return fmt.Errorf("listen for orders: %w", err)
	}
	scans := newScanner(machine.Roots(), func(n ScanNews) {
		if data, err := json.Marshal(n); err != nil || conn.Publish(newsSubject(id), data) != nil {
			log.Error("could not report what a scan found", "error", err)
		}
	})
	_, err = conn.Subscribe(scanSubject(id), func(m *nats.Msg) {
		var o ScanOrder
		if err := json.Unmarshal(m.Data, &o); err != nil {
			log.Error("a scan cannot be read", "error", err)
			return
		}
		scans.follow(ctx, o)
	})
	if err != nil {
		return fmt.Errorf("listen for scans: %w", err)
	}
	if _, err = conn.Subscribe(zonesSubject(id), func(m *nats.Msg) { go scans.answerZones(m) }); err != nil {
		return fmt.Errorf("listen for questions about patches: %w", err)
	}
	sounding := machine.Sound(func(listener string, b SoundBlock) {
		_ = conn.Publish(soundSubject(id, listener), b.bytes()) // a lost block is heard as one
	})
	var playing sync.WaitGroup
	defer playing.Wait()
	ctx, hush := context.WithCancel(ctx)
	defer hush()
	playing.Go(func() { sounding.Run(ctx) })
	if err := held.renewing(ctx, conn, log); err != nil {
		return err
	}
	_, err = conn.Subscribe(playSubject(id), func(m *nats.Msg) {
		var o PlayOrder
		if err := json.Unmarshal(m.Data, &o); err != nil {
			log.Error("what should be played cannot be read", "error", err)
			return
		}
		sounding.Play(o)
	})
	if err != nil {
		return fmt.Errorf("listen for what to play: %w", err)
	}
	if _, err = conn.Subscribe(performSubject(id), func(m *nats.Msg) { go answerPerform(sounding, m) }); err != nil {
		return fmt.Errorf("listen for music to play: %w", err)
	}
	atOnce := make(chan struct{}, max(1, runtime.NumCPU()))
	if _, err = conn.Subscribe(measureSubject(id), func(m *nats.Msg) {
		atOnce <- struct{}{}
		go func() {
			defer func() { <-atOnce }()
			answerMeasure(sounding, m)
		}()
	}); err != nil {
		return fmt.Errorf("listen for rows to measure: %w", err)
	}
	return follow(ctx, conn, closed, id, machine)
}

func follow(ctx context.Context, conn *nats.Conn, closed <-chan struct{}, id string, machine Machine) error {
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
		case <-closed: // it dials again for ever, unless it is turned away
			return ErrTurnedAway
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
