// Package storetest gives tests a real PostgreSQL: one server for a test
// binary, and a database of its own for each test.
package storetest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"fanfold/internal/store"
	"fanfold/internal/store/db"
	"fanfold/internal/store/localdb"
)

var (
	server *localdb.Server
	dir    string
	count  atomic.Int64
)

// Main starts the server, runs the tests and stops it; call it from TestMain.
func Main(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	var err error
	if dir, err = os.MkdirTemp("", "fanfold-pg-"); err != nil {
		panic(err)
	}
	if err := os.Chmod(dir, 0o755); err != nil { // the server's user enters it
		panic(err)
	}
	defer os.RemoveAll(dir)
	if server, err = localdb.Start(context.Background(), filepath.Join(dir, "pg"), "fsync=off", "synchronous_commit=off", "full_page_writes=off"); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	code := m.Run()
	if err := server.Stop(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	return code
}

// URL makes an empty database and returns its address.
func URL(t testing.TB) string {
	t.Helper()
	return create(t, "template1")
}

func create(t testing.TB, from string) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", count.Add(1))
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, server.URL)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "create database "+name+" template "+from)
	require.NoError(t, err)
	return address(name)
}

func address(name string) string {
	return strings.Replace(server.URL, "/fanfold?", "/"+name+"?", 1)
}

// migrated is the name of a database with all tables, to be copied.
const migrated = "migrated"

var migrateOnce = sync.OnceValue(func() error {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, server.URL)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "create database "+migrated); err != nil {
		return err
	}
	s, err := store.Open(ctx, store.Options{URL: address(migrated)})
	if err != nil {
		return err
	}
	defer s.Close()
	return s.MigrateJobs(ctx)
})

// Open opens a store on a database of its own.
func Open(t testing.TB) *store.Store {
	t.Helper()
	return OpenWith(t, store.Options{})
}

// OpenWith is Open with options; their URL is set.
func OpenWith(t testing.TB, o store.Options) *store.Store {
	t.Helper()
	require.NoError(t, migrateOnce())
	o.URL = create(t, migrated)
	s, err := store.Open(context.Background(), o)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// Password is that of every account Account makes.
const Password = "a long enough password"

// hashed is its hash, which takes long to make on purpose.
var hashed = sync.OnceValue(func() string { return store.HashPassword(Password) })

// Account makes a person in a studio of their own.
func Account(t testing.TB, s *store.Store, studio, email, name string) db.Person {
	t.Helper()
	ctx := context.Background()
	made, err := s.Queries().StudioInsert(ctx, studio)
	require.NoError(t, err)
	p, err := s.Queries().PersonInsert(ctx, db.PersonInsertParams{StudioID: made.ID, Email: email, Name: name, PasswordHash: hashed()})
	require.NoError(t, err)
	return p
}

// Restart stops the server and starts it again at the same address.
func Restart(t testing.TB) {
	t.Helper()
	again, err := server.Restart(context.Background())
	require.NoError(t, err)
	server = again
}
