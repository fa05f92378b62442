package e2e_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
	madeup "fanfold/internal/demo"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/templatefile"
)

// sends sends a file, and gives the answer.
func (s *server) sends(method, path string, data []byte) (int, []byte) {
	s.t.Helper()
	r, err := http.NewRequestWithContext(context.Background(), method, s.address+path, bytes.NewReader(data))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/octet-stream")
	got, err := s.client.Do(r)
	require.NoError(s.t, err)
	body, err := io.ReadAll(got.Body)
	require.NoError(s.t, err)
	require.NoError(s.t, got.Body.Close())
	return got.StatusCode, body
}

// A server that prints nothing itself queues a print; a worker on another machine, which has the
// libraries, takes it. It is lost in the middle: another takes the print, and its stems are proved.
func TestAWorkerTakesPart(t *testing.T) {
	samples := t.TempDir()
	require.NoError(t, madeup.WriteLibraries(samples))
	s := prepareServer(t)
	s.audio, s.more = t.TempDir(), []string{"--no-prints"}
	s.start()
	lantern, err := madeup.Template()
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, templatefile.Write(&b, lantern))
	var template, film, cue, print struct{ ID string }
	status, body := s.sends("POST", "/api/templates/file", b.Bytes())
	require.Less(t, status, 300, string(body))
	require.NoError(t, json.Unmarshal(body, &template))
	s.must("POST", "/api/productions", map[string]any{"name": "Film", "rate": "24"}, &film)
	s.must("POST", "/api/productions/"+film.ID+"/reels", nil, nil)
	var whole struct {
		Reels []struct {
			ID    string
			Start int64
		}
	}
	s.must("GET", "/api/productions/"+film.ID, nil, &whole)
	s.must("POST", "/api/productions/"+film.ID+"/cues", map[string]any{"reel": whole.Reels[0].ID, "start": whole.Reels[0].Start, "end": whole.Reels[0].Start + 2400}, &cue)
	status, body = s.sends("PUT", "/api/productions/"+film.ID+"/cues/"+cue.ID+"/music?name=long.mid", longNotes(t))
	require.Less(t, status, 300, string(body))
	s.must("POST", "/api/templates/"+template.ID+"/prints", map[string]any{
		"production": film.ID, "cue": cue.ID, "folds": []string{"fold-sections"}, "rateHz": 48_000, "samples": "24", "trimDb": -12, "softer": false, "leaveOut": false, "long": false, "peakDb": -1,
	}, &print)

	type state struct {
		State, Line, Reason string
		Done                float64
	}
	look := func() (x state) { s.must("GET", "/api/prints/"+print.ID, nil, &x); return x }
	until := func(is func(state) bool) state {
		t.Helper()
		for end := time.Now().Add(10 * patience()); ; time.Sleep(100 * time.Millisecond) {
			x := look()
			if is(x) {
				return x
			}
			require.NotEqual(t, "failed", x.State, x.Reason)
			require.True(t, time.Now().Before(end), "it is %s: %s", x.State, x.Reason)
		}
	}
	require.Equal(t, "waiting", look().State)
	worker := func() *exec.Cmd {
		w := exec.Command(studio.binary, "work", "--audio", s.audio, "--scan-root", samples)
		w.Env = append(os.Environ(), "DATABASE_URL="+s.db.URL)
		w.Stderr = os.Stderr
		require.NoError(t, startTied(w, syscall.SIGKILL))
		t.Cleanup(func() {
			_ = w.Process.Kill() // it may be gone
			_ = w.Wait()
		})
		return w
	}
	lost := worker()
	until(func(x state) bool { return x.State == "running" && x.Done > 0 })
	require.NoError(t, lost.Process.Kill())
	_ = lost.Wait() // it was killed
	require.NotEqual(t, "done", look().State)
	worker()
	x := until(func(x state) bool { return x.State == "done" })
	require.Regexp(t, "stems add up to the mix, residual -1", x.Line)
	out, err := exec.Command(studio.binary, "work").CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "DATABASE_URL")
}

// longNotes is a minute and a half of chords.
func longNotes(t testing.TB) []byte {
	t.Helper()
	const quarter = 480
	time, err := tempo.NewTime(quarter, []tempo.Change{{Quarter: 500_000}}, nil)
	require.NoError(t, err)
	var parts []smf.Played
	for k, name := range []string{"Violins 1", "Violas", "Cellos", "Horn 1", "Flute 1"} {
		x := smf.Played{Name: name, Port: -1}
		for bar := range int64(44) {
			from, key := bar*4*quarter, 55+5*k
			x.Messages = append(x.Messages, articulation.Message{Tick: from, Status: articulation.NoteOn, Channel: 1, Data1: key, Data2: 70},
				articulation.Message{Tick: from + 4*quarter - 20, Status: articulation.NoteOff, Channel: 1, Data1: key, Data2: 64})
		}
		parts = append(parts, x)
	}
	var b bytes.Buffer
	require.NoError(t, smf.WritePlayed(&b, time, parts))
	return b.Bytes()
}
