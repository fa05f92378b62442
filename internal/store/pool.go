package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

// ErrBusy is returned when every connection to the database is in use for too
// long.
var ErrBusy = errors.New("the database has no connection free just now")

// pool is a pool of connections that are waited for only so long.
type pool struct {
	*pgxpool.Pool
	wait time.Duration
}

func (p *pool) acquire(ctx context.Context) (*pgxpool.Conn, error) {
	within, stop := context.WithTimeout(ctx, p.wait)
	defer stop()
	c, err := p.Acquire(within)
	if err != nil && ctx.Err() == nil && within.Err() != nil {
		return nil, fmt.Errorf("%w: waited %s for one of %d", ErrBusy, p.wait, p.Config().MaxConns)
	}
	return c, err
}

// Exec implements db.DBTX.
func (p *pool) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	c, err := p.acquire(ctx)
	if err != nil {
		return pgconn.CommandTag{}, err
	}
	defer c.Release()
	return c.Exec(ctx, sql, args...)
}

// Query implements db.DBTX. The connection is given back with the rows.
func (p *pool) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	c, err := p.acquire(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := c.Query(ctx, sql, args...)
	if err != nil {
		c.Release()
		return nil, err
	}
	return &lentRows{Rows: rows, conn: c}, nil
}

// QueryRow implements db.DBTX.
func (p *pool) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	c, err := p.acquire(ctx)
	if err != nil {
		return failedRow{err}
	}
	return lentRow{c.QueryRow(ctx, sql, args...), c}
}

// lentRows give the connection back once they are read or closed.
type lentRows struct {
	pgx.Rows
	conn *pgxpool.Conn
}

func (r *lentRows) Close() {
	r.Rows.Close()
	r.release()
}

func (r *lentRows) Next() bool {
	more := r.Rows.Next()
	if !more {
		r.release()
	}
	return more
}

func (r *lentRows) release() {
	if r.conn != nil {
		r.conn.Release()
		r.conn = nil
	}
}

type lentRow struct {
	pgx.Row
	conn *pgxpool.Conn
}

func (r lentRow) Scan(into ...any) error {
	defer r.conn.Release()
	return r.Row.Scan(into...)
}

type failedRow struct{ err error }

func (r failedRow) Scan(...any) error { return r.err }

// Tx runs what f does as one transaction.
func (s *Store) Tx(ctx context.Context, f func(pgx.Tx) error) error {
	c, err := s.pool.acquire(ctx)
	if err != nil {
		return err
	}
	defer c.Release()
	return pgx.BeginFunc(ctx, c, f)
}
