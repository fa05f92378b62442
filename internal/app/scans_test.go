package app_test

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/patch"
	"fanfold/internal/demo"
)

// samples is a folder of a few patches.
func samples(t *testing.T) string {
	root := t.TempDir()
	require.NoError(t, demo.WriteSamples(root))
	return filepath.Join(root, "Lamp Room Bells")
}

// serverOn is one more server on the fixture's database, that may scan a folder.
func (f *fixture) serverOn(t *testing.T, folder string) (*app.App, func()) {
	t.Helper()
	a := app.New(app.Config{Store: f.store, Rig: f.rig})
	require.NoError(t, a.AllowScans(folder))
	stop, err := a.StartJobs(ctx)
	require.NoError(t, err)
	return a, stop
}

func (f *fixture) patches(t *testing.T) int {
	cat, err := app.New(app.Config{Store: f.store, Rig: f.rig}).Catalogue(ctx, f.ada)
	require.NoError(t, err)
	n := 0
	for _, p := range cat.View().Template.Patches {
		if p.Measured {
			n++
		}
	}
	return n
}

func (f *fixture) scan(t *testing.T, id uuid.UUID) app.Scan {
	list, err := f.app.Scans(ctx, f.ada)
	require.NoError(t, err)
	for _, s := range list {
		if s.ID == id {
			return s
		}
	}
	return app.Scan{}
}

func (f *fixture) ended(t *testing.T, id uuid.UUID) app.Scan {
	t.Helper()
	require.Eventually(t, func() bool { s := f.scan(t, id).State; return s != "waiting" && s != "running" }, 30*time.Second, 20*time.Millisecond)
	return f.scan(t, id)
}

// A scan that waits when its server stops is run by the next, once, whichever of
// several that is.
func TestAWaitingScanIsTakenOver(t *testing.T) {
	f := setUp(t)
	folder := samples(t)
	first, stop := f.serverOn(t, folder)
	stop()
	key := uuid.New()
	s, err := first.StartScan(app.WithKey(ctx, key), f.ada, "", folder, "Bells", patch.Policy{})
	require.NoError(t, err)
	again, err := first.StartScan(app.WithKey(ctx, key), f.ada, "", folder, "Bells", patch.Policy{})
	require.NoError(t, err)
	require.Equal(t, s.ID, again.ID, "asked for twice with one key, it is one")
	require.Equal(t, "waiting", f.scan(t, s.ID).State)
	_, stop2 := f.serverOn(t, folder)
	defer stop2()
	_, stop3 := f.serverOn(t, folder)
	defer stop3()
	require.Equal(t, "done", f.ended(t, s.ID).State)
	require.Equal(t, 9, f.patches(t))
}

// A scan that was reported as failed, or stopped, never runs afterwards and takes
// nothing in.
func TestAFailedScanNeverRuns(t *testing.T) {
	f := setUp(t)
	folder := samples(t)
	first, stop := f.serverOn(t, folder)
	stop()
	abandoned, err := first.StartScan(ctx, f.ada, "", folder, "Bells", patch.Policy{})
	require.NoError(t, err)
	_, err = f.store.Pool.Exec(ctx, "update scans set state = 'running', owner = gen_random_uuid(), beat_at = now() - interval '1 minute' where id = $1", abandoned.ID)
	require.NoError(t, err)
	stopped, err := first.StartScan(ctx, f.ada, "", folder, "Bells", patch.Policy{})
	require.NoError(t, err)
	require.NoError(t, first.StopScan(ctx, f.ada, stopped.ID))
	_, stop2 := f.serverOn(t, folder)
	defer stop2()
	last, err := f.lastJobs(t)
	require.NoError(t, err)
	require.Zero(t, last, "both jobs have been looked at")
	require.Equal(t, "failed", f.scan(t, abandoned.ID).State)
	require.Contains(t, f.scan(t, abandoned.ID).Reason, "scan again")
	require.Equal(t, "stopped", f.scan(t, stopped.ID).State)
	require.Zero(t, f.patches(t))
}

// lastJobs waits until no job is left to be run.
func (f *fixture) lastJobs(t *testing.T) (left int, err error) {
	require.Eventually(t, func() bool {
		err = f.store.Pool.QueryRow(ctx, "select count(*) from river_job where state in ('available', 'running', 'retryable', 'scheduled', 'pending')").Scan(&left)
		return err == nil && left == 0
	}, 30*time.Second, 20*time.Millisecond)
	return left, err
}

// A scan that is reported as failed while it runs (its server hung, say) takes nothing
// in when it comes to its end.
func TestAScanThatLostItsPlaceTakesNothingIn(t *testing.T) {
	f := setUp(t)
	folder := samples(t)
	gate := filepath.Join(folder, "gate.sfz") // read to its end only once something is written
	require.NoError(t, mkfifo(gate))
	a, stop := f.serverOn(t, folder)
	defer stop()
	s, err := a.StartScan(ctx, f.ada, "", folder, "Bells", patch.Policy{})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return f.scan(t, s.ID).State == "running" }, 20*time.Second, 10*time.Millisecond)
	_, err = f.store.Pool.Exec(ctx, "update scans set state = 'failed', reason = 'told' where id = $1", s.ID)
	require.NoError(t, err)
	go func() {
		if w, err := os.OpenFile(gate, os.O_WRONLY, 0); err == nil {
			w.Close()
		}
	}()
	_, err = f.lastJobs(t)
	require.NoError(t, err)
	require.Equal(t, "told", f.scan(t, s.ID).Reason)
	require.Zero(t, f.patches(t))
}
func mkfifo(path string) error { return syscall.Mkfifo(path, 0o600) }
