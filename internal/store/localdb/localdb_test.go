package localdb_test

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"fanfold/internal/store/localdb"
)

var ctx = context.Background()

func place(t *testing.T) string {
	dir, err := os.MkdirTemp("", "fanfold-localdb-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755)) // the server's own user enters it
	t.Cleanup(func() { require.NoError(t, localdb.Remove(dir)) })
	return filepath.Join(dir, "pg")
}

func exec(t *testing.T, s *localdb.Server, sql string) {
	conn, err := pgx.Connect(ctx, s.URL)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, sql)
	require.NoError(t, err)
}

// Data stays from one start to the next; the password is the person's alone;
// a server left behind by a killed program is stopped; forgetting forgets.
func TestDataStays(t *testing.T) {
	dir := place(t)
	s, err := localdb.Start(ctx, dir)
	require.NoError(t, err)
	exec(t, s, "create table notes (text text)")
	exec(t, s, "insert into notes values ('salt')")
	info, err := os.Stat(filepath.Join(dir, "password"))
	require.NoError(t, err)
	require.EqualValues(t, 0o600, info.Mode().Perm())
	require.NoError(t, s.Stop())

	left, err := localdb.Start(ctx, dir)
	require.NoError(t, err)
	again, err := localdb.Start(ctx, dir) // the first was not stopped
	require.NoError(t, err)
	exec(t, again, "insert into notes select text from notes where text = 'salt'")
	_, err = pgx.Connect(ctx, left.URL)
	require.Error(t, err, "the one left behind has ended")
	require.NoError(t, again.Stop())

	require.NoError(t, localdb.Remove(dir))
	_, err = os.Stat(filepath.Join(dir, "data"))
	require.ErrorIs(t, err, os.ErrNotExist)
}

// A directory half made by an earlier start is made again.
func TestAHalfMadeDirectoryIsMadeAnew(t *testing.T) {
	dir := place(t)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "data", "base"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "data", "junk"), []byte("x"), 0o644))
	s, err := localdb.Start(ctx, dir)
	require.NoError(t, err)
	exec(t, s, "select 1")
	again, err := s.Restart(ctx)
	require.NoError(t, err)
	require.Equal(t, s.URL, again.URL, "at the same address")
	exec(t, again, "select 1")
	require.NoError(t, again.Stop())
}

// A server that dies is started again at the same address, with its data; one that is
// stopped stays so.
func TestItIsKeptRunning(t *testing.T) {
	s, err := localdb.Start(ctx, place(t))
	require.NoError(t, err)
	exec(t, s, "create table notes (text text)")
	told := make(chan string, 100)
	over := make(chan struct{})
	go func() {
		defer close(over)
		s.Keep(t.Context(), func(text string) { told <- text })
	}()
	data, err := os.ReadFile(filepath.Join(s.Data, "postmaster.pid"))
	require.NoError(t, err)
	pid, err := strconv.Atoi(strings.SplitN(string(data), "\n", 2)[0])
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
	require.Contains(t, <-told, "starting it again")
	require.Eventually(t, func() bool {
		conn, err := pgx.Connect(ctx, s.URL)
		if err != nil {
			return false
		}
		defer conn.Close(ctx)
		_, err = conn.Exec(ctx, "insert into notes values ('still there')")
		return err == nil
	}, 60*time.Second, 100*time.Millisecond)
	require.NoError(t, s.Stop())
	<-over
	_, err = pgx.Connect(ctx, s.URL)
	require.Error(t, err)
}
