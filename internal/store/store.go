// Package store keeps studios, people, documents and their changes in
// PostgreSQL. Plain values go in and out; every change of a document is written
// whole in one transaction, together with its inverse and the next revision
// number.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"fanfold/internal/audiostore"
	"fanfold/internal/document"
	"fanfold/internal/store/db"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned when there is no such thing in the studio asked.
var ErrNotFound = document.ErrNotFound

// Options say how the database is used.
type Options struct {
	// URL names the database. Required.
	URL string
	// Connections is how many are open at most; defaults to 16. One more listens.
	Connections int
	// Wait is how long a free connection is waited for; defaults to 10 s.
	Wait time.Duration
}

// Store is the database.
type Store struct {
	Pool *pgxpool.Pool // for libraries that bring their own queries
	pool *pool
	q    *db.Queries

	audio *audiostore.Store // where recordings lie; nil for the database

	beside sync.WaitGroup // what is written beside the work
}

// Open connects to a database and brings its tables up to date.
func Open(ctx context.Context, o Options) (*Store, error) {
	if o.Connections == 0 {
		o.Connections = 16
	}
	if o.Wait == 0 {
		o.Wait = 10 * time.Second
	}
	config, err := pgxpool.ParseConfig(o.URL)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	config.MaxConns = int32(o.Connections)
	made, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	if err := migrate(ctx, made); err != nil {
		made.Close()
		return nil, err
	}
	p := &pool{made, o.Wait}
	return &Store{Pool: made, pool: p, q: db.New(p)}, nil
}

func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	conn := stdlib.OpenDBFromPool(pool)
	defer conn.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, conn, files)
	if err != nil {
		return fmt.Errorf("read migrations: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("bring the database up to date: %w", err)
	}
	return nil
}

// Close gives the connections back, once what is written beside the work is
// written.
func (s *Store) Close() {
	s.beside.Wait()
	s.Pool.Close()
}

// Queries gives the plain queries of studios, people and credentials.
func (s *Store) Queries() *db.Queries { return s.q }

// NotFound turns the driver's "no rows" into ErrNotFound.
func NotFound(err error) error {
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	return err
}
