package e2e_test

import (
	"context"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// command runs a command of the program on the server's database.
func (s *server) command(url string, args ...string) (string, error) {
	cmd := exec.Command(studio.binary, args...)
	cmd.Env = append(os.Environ(), "DATABASE_URL="+url)
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// Everything is backed up while the server runs, and brought back into an empty
// database, where it goes on: history, undo and sign-in too. What is there is never
// overwritten, and what is not a backup changes nothing.
func TestBackupAndRestore(t *testing.T) {
	s := runServer(t)
	id := s.template(12)
	var before, after opened
	s.must("GET", "/api/templates/"+id, nil, &before)
	s.must("POST", "/api/templates/"+id+"/changes", map[string]any{"base": before.Revision, "change": note(before.Template.Instruments[2].ID, "kept")}, nil)
	s.must("GET", "/api/templates/"+id, nil, &before)
	file := filepath.Join(t.TempDir(), "studio.fanfold-backup")
	said, err := s.command(s.db.URL, "backup", "-o", file)
	require.NoError(t, err, said)
	require.Contains(t, said, "holds everything")

	said, err = s.command(s.db.URL, "restore", file)
	require.Error(t, err)
	require.Contains(t, said, "restore into an empty one")
	s.must("GET", "/api/templates/"+id, nil, &after)
	require.Equal(t, before, after)

	ctx := context.Background()
	conn, err := pgx.Connect(ctx, s.db.URL)
	require.NoError(t, err)
	_, err = conn.Exec(ctx, "create database elsewhere")
	require.NoError(t, err)
	require.NoError(t, conn.Close(ctx))
	elsewhere := strings.Replace(s.db.URL, "/fanfold?", "/elsewhere?", 1)
	broken := filepath.Join(t.TempDir(), "broken")
	require.NoError(t, os.WriteFile(broken, []byte("no backup"), 0o600))
	said, err = s.command(elsewhere, "restore", broken)
	require.Error(t, err, said)
	said, err = s.command(elsewhere, "restore", file)
	require.NoError(t, err, said)

	s.kill()
	s.db.URL = elsewhere
	s.start()
	s.must("GET", "/api/templates/"+id, nil, &after)
	require.Equal(t, before, after)
	s.must("POST", "/api/templates/"+id+"/undo", nil, nil)
	var undone opened
	s.must("GET", "/api/templates/"+id, nil, &undone)
	require.Empty(t, undone.Template.Instruments[2].Notes, "undo reaches back over the restore")
}

// Who watches the server is told whether it lives, is ready, and how it does.
func TestWatchingAServer(t *testing.T) {
	s := prepareServer(t)
	s.ops = freeAddress(t)
	s.start()
	id := s.template(6)
	get := func(path string) (int, string) {
		answer, err := http.Get("http://" + s.ops + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		data, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, string(data)
	}
	require.Eventually(t, func() bool { status, _ := get("/readyz"); return status == 200 }, 20*time.Second, 50*time.Millisecond)
	s.must("GET", "/api/templates/"+id, nil, nil)
	status, text := get("/metrics")
	require.Equal(t, 200, status)
	for _, figure := range []string{"fanfold_open_templates ", "fanfold_open_bytes ", `fanfold_database_connections{state="idle"}`, `fanfold_hosts{state="here"} 0`, "fanfold_revisions_total ",
		`fanfold_request_seconds_count{method="GET",route="/api/templates/:id",status="200"}`, "go_goroutines "} {
		require.Contains(t, text, figure)
	}
	answer, err := http.Get(s.address + "/metrics")
	require.NoError(t, err)
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	answer.Body.Close()
	require.NotContains(t, string(data), "fanfold_", "nothing of it is told to browsers")

	goOn := s.stall()
	defer goOn()
	status, text = get("/readyz")
	require.Equal(t, []any{503, "the database does not answer\n"}, []any{status, text})
	status, text = get("/healthz")
	require.Equal(t, []any{200, "alive\n"}, []any{status, text})
	goOn()
	require.Eventually(t, func() bool { status, _ := get("/readyz"); return status == 200 }, 20*time.Second, 50*time.Millisecond)
}
