package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"fanfold/internal/store/db"
)

// Server is one that runs on the database.
type Server struct {
	ID   uuid.UUID
	Name string // of its machine and process, for people
	// NATS is the address of the NATS server it shares with others; empty for one
	// of its own, with which it must be alone.
	NATS string
}

// TwoServersError is a server that must not run beside another.
type TwoServersError struct {
	Other   string // its name
	Since   time.Time
	OwnNATS bool // it has a NATS server of its own
}

func (e *TwoServersError) Error() string {
	which := "it shares another NATS server than this one would"
	if e.OwnNATS {
		which = "it has a NATS server of its own"
	}
	return fmt.Sprintf("%s runs on this database since %s, and %s, so the two would not hear of each other's machines; stop it, or set FANFOLD_NATS_URL of both to one NATS server (see docs/running.md)",
		e.Other, e.Since.Format(time.RFC3339), which)
}

// The classes of the advisory locks: one while servers are looked at, one held by
// each that runs.
const (
	lockJoining = 7070
	lockRunning = 7071
)

// Membership is a server's place among those on the database.
type Membership struct {
	store *Store
	own   Server
	stop  context.CancelFunc
	done  sync.WaitGroup
}

// Join takes a server's place among those on the database. It fails with a
// *TwoServersError beside one it cannot run with. A server that has crashed holds
// its place no longer than its connection.
func (s *Store) Join(ctx context.Context, own Server) (*Membership, error) {
	conn, err := s.join(ctx, own)
	if err != nil {
		return nil, err
	}
	staying, stop := context.WithCancel(context.WithoutCancel(ctx))
	m := &Membership{store: s, own: own, stop: stop}
	m.done.Go(func() { m.stay(staying, conn) })
	return m, nil
}

// Leave gives the place back, and what the server drives.
func (m *Membership) Leave(ctx context.Context) error {
	m.stop()
	m.done.Wait()
	q := m.store.q
	return errors.Join(q.LeasesRelease(ctx, m.own.ID), q.ServerForget(ctx, m.own.ID))
}

// join holds the place on a connection of its own.
func (s *Store) join(ctx context.Context, own Server) (*pgx.Conn, error) {
	conn, err := pgx.ConnectConfig(ctx, s.Pool.Config().ConnConfig.Copy())
	if err != nil {
		return nil, fmt.Errorf("join the servers: %w", err)
	}
	if err := s.joinOn(ctx, conn, own); err != nil {
		_ = conn.Close(ctx)
		return nil, fmt.Errorf("join the servers: %w", err)
	}
	return conn, nil
}

func (s *Store) joinOn(ctx context.Context, conn *pgx.Conn, own Server) error {
	if _, err := conn.Exec(ctx, "select pg_advisory_lock($1, hashtext($2))", lockRunning, own.ID.String()); err != nil {
		return err
	}
	return pgx.BeginFunc(ctx, conn, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "select pg_advisory_xact_lock($1)", lockJoining); err != nil {
			return err
		}
		q := s.q.WithTx(tx)
		rows, err := q.ServerList(ctx)
		if err != nil {
			return err
		}
		for _, other := range rows {
			if other.ID == own.ID {
				continue
			}
			var gone bool
			if err := tx.QueryRow(ctx, "select pg_try_advisory_xact_lock($1, hashtext($2))", lockRunning, other.ID.String()).Scan(&gone); err != nil {
				return err
			}
			switch {
			case gone:
				if err := errors.Join(q.LeasesRelease(ctx, other.ID), q.ServerForget(ctx, other.ID)); err != nil {
					return err
				}
			case other.Nats == "" || other.Nats != own.NATS:
				return &TwoServersError{other.Name, other.StartedAt, other.Nats == ""}
			}
		}
		return q.ServerPut(ctx, db.ServerPutParams{ID: own.ID, Name: own.Name, Nats: own.NATS})
	})
}

// stayEvery is how often a server says that it is there.
const stayEvery = 2 * time.Second

// stay holds the place, and takes it again when the connection was lost.
func (m *Membership) stay(ctx context.Context, conn *pgx.Conn) {
	tick := time.NewTicker(stayEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			if conn != nil {
				_ = conn.Close(context.WithoutCancel(ctx))
			}
			return
		case <-tick.C:
		}
		if conn == nil {
			again, err := m.store.join(ctx, m.own)
			if err != nil && ctx.Err() == nil {
				slog.Warn("could not keep the place among the servers", "error", err)
				continue
			}
			conn = again
			continue
		}
		if _, err := conn.Exec(ctx, "update servers set seen_at = now() where id = $1", m.own.ID); err != nil && ctx.Err() == nil {
			_ = conn.Close(ctx)
			conn = nil
		}
	}
}

// Servers lists those that run, oldest first.
func (s *Store) Servers(ctx context.Context) ([]db.Server, error) {
	rows, err := s.q.ServerList(ctx)
	if err != nil {
		return nil, fmt.Errorf("list the servers: %w", err)
	}
	return rows, nil
}

// Driven is a machine of a studio.
type Driven struct {
	Studio  uuid.UUID
	Machine string
}

// LeaseTake takes, or holds on to, the lease of machines that no other server
// drives, and returns those it has.
func (s *Store) LeaseTake(ctx context.Context, server uuid.UUID, machines []Driven, lasts time.Duration) ([]Driven, error) {
	params := db.LeaseTakeParams{ServerID: server, Lasts: pgtype.Interval{Microseconds: lasts.Microseconds(), Valid: true}}
	for _, m := range machines {
		params.Studios, params.Machines = append(params.Studios, m.Studio), append(params.Machines, m.Machine)
	}
	rows, err := s.q.LeaseTake(ctx, params)
	if err != nil {
		return nil, fmt.Errorf("take the lease of machines: %w", err)
	}
	out := make([]Driven, len(rows))
	for n, r := range rows {
		out[n] = Driven{r.StudioID, r.Machine}
	}
	return out, nil
}
