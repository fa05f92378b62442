package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

type replayStep struct {
	Delta json.RawMessage `json:"delta"`
	Now   json.RawMessage `json:"now,omitempty"` // where it is compared
	Label string          `json:"label"`
}

// The browser's own model, taken on by the deltas of random changes of every kind,
// comes to what a fresh load shows, after each of them.
func TestDeltasComeToWhatAFreshLoadShows(t *testing.T) {
	model := bundle(t)
	s := serve(t)
	c := s.signedIn(t, "ada")
	ctx := context.Background()
	kinds := map[string]int{}
	for seed := range 12 {
		path := c.newTemplate("Replay")
		who := as[struct{ ID, Name string }](t, c.do("GET", "/api/session", nil))
		row, err := s.store.Queries().PersonGet(ctx, uuid.MustParse(who.ID))
		require.NoError(t, err)
		p := app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name}
		h, err := s.app.Open(ctx, p, uuid.MustParse(strings.TrimPrefix(path, "/api/templates/")))
		require.NoError(t, err)
		base := coretest.Must(coretest.Orchestra(24, 2), coretest.Spare())
		base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
		_, err = h.Apply(ctx, p, func(t *template.Template) (change.Change, error) { return change.Between(t, base), nil })
		require.NoError(t, err)
		opened := c.do("GET", path, nil).body
		watcher := h.Watch(h.View().Revision)
		var steps []replayStep
		for n := range 40 {
			now := h.View().Template
			if len(now.Instruments) < 8 || len(now.Machines) == 0 {
				break
			}
			made := coretest.Anything(now).Example(seed*1000 + n)
			before := h.View().Revision
			if _, err := h.ApplyFrom(ctx, p, before, made); err != nil || h.View().Revision == before {
				continue
			}
			kinds[made.Kind()]++
			for told := int64(0); told < h.View().Revision; { // what follows from it makes revisions, too
				select {
				case e := <-watcher.Events:
					if e.Name == "change" {
						told = e.Revision
						steps = append(steps, replayStep{Delta: e.Data, Label: change.Describe(made)})
					}
				case <-time.After(10 * time.Second):
					t.Fatal("the delta never came")
				}
			}
			steps[len(steps)-1].Now = c.do("GET", path, nil).body
		}
		h.Unwatch(watcher)
		data, err := json.Marshal(map[string]any{"opened": json.RawMessage(opened), "steps": steps})
		require.NoError(t, err)
		cmd := exec.Command("node", "testdata/replay.mjs", model)
		cmd.Stdin = bytes.NewReader(data)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	require.Greater(t, len(kinds), 12, "%v", kinds)
}

// bundle builds the browser's model for node.
func bundle(t *testing.T) string {
	out := filepath.Join(t.TempDir(), "template.mjs")
	cmd := exec.Command("../../web/node_modules/.bin/rolldown", "../../web/src/model/template.ts", "--format", "esm", "--file", out)
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s (make web installs it)", said)
	_, err = os.Stat(out)
	require.NoError(t, err)
	return out
}
