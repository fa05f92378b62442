package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/people"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
	"fanfold/internal/store/storetest"
)

// Every table goes along with a studio, or is named here with why it does not.
func TestEveryTableOfAStudio(t *testing.T) {
	stays := map[string]string{
		"answers": "answers to requests that come twice, for minutes", "sessions": "lets somebody in", "passkeys": "lets somebody in", "spare_codes": "lets somebody in",
		"invitations": "lets somebody in", "shares": "lets somebody in", "host_credentials": "lets a machine in", "leases": "of servers", "servers": "of servers",
		"wanted": "what runs", "running": "what runs", "scans": "what ran", "goose_db_version": "of the database",
		"river_job": "what runs", "river_leader": "of servers", "river_migration": "of the database", "river_notification": "of servers", "river_queue": "of servers",
	}
	s := storetest.Open(t)
	rows, err := s.Pool.Query(context.Background(), "select table_name::text from information_schema.tables where table_schema = 'public'")
	require.NoError(t, err)
	known := map[string]bool{}
	for _, table := range store.StudioTables() {
		known[table] = true
	}
	n := 0
	for rows.Next() {
		var table string
		require.NoError(t, rows.Scan(&table))
		require.True(t, known[table] != (stays[table] != ""), table)
		n++
	}
	require.Equal(t, n, len(known)+len(stays))
}

// A studio goes to another server whole: templates with their history and versions, a production with
// a cue and its music, recordings, prints and how they are drawn, deliveries, members and what was done;
// its owner comes in by a link, with no password of before. It is on a server once; one whose people
// are there already, and a damaged archive, bring nothing.
func TestAStudioGoesElsewhere(t *testing.T) {
	s := serve(t)
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer stop()
	ada := s.signedIn(t, "ada")
	templates := ada.lantern()
	require.Equal(t, 201, ada.do("POST", templates+"/versions", map[string]any{"name": "Before the storm", "note": ""}).status)
	path := ada.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, ada.do("POST", path+"/cuts?name=One", edlOf([3]any{"A001", 0, 2400})).status)
	film := ada.filmOf(t, path)
	require.Less(t, ada.do("POST", path+"/cues", map[string]any{"reel": film.Reels[0].ID, "start": 86_400, "end": 86_640}).status, 300)
	of := ada.filmOf(t, path).Cues[0]
	require.Less(t, ada.do("PUT", path+"/cues/"+string(of.ID)+"/music?name=lamp.mid", fourBars(t)).status, 300)
	var whole struct {
		Revision int64
		Template template.Template
	}
	require.NoError(t, json.Unmarshal(ada.do("GET", templates, nil).body, &whole))
	require.Less(t, ada.do("POST", templates+"/instruments/"+string(whole.Template.Instruments[3].ID)+"/printed?file=row.wav", tone(t, 330, 1)).status, 300)
	print := ada.take(templates, map[string][]byte{"Horns.wav": tone(t, 220, 1), "Mix.wav": tone(t, 220, 1)})
	ada.until(print, "done")
	delivered := ada.do("POST", templates+"/deliveries", map[string]any{"prints": []string{print[len("/api/prints/"):]}, "to": "Nell", "note": "", "folders": "one", "listening": false, "linkDays": 7})
	require.Equal(t, 201, delivered.status, string(delivered.body))
	reader := s.comes(t, ada, "rita", people.Reader)
	gone := s.comes(t, ada, "zoe", people.Assistant)
	require.Less(t, gone.newTemplateStatus("By somebody who left"), 300)
	require.Equal(t, 204, ada.do("DELETE", "/api/members/"+as[member](t, gone.do("GET", "/api/session", nil)).ID, nil).status)

	require.Equal(t, 403, reader.do("GET", "/api/studio/archive", nil).status)
	out := ada.do("GET", "/api/studio/archive", nil)
	require.Equal(t, 200, out.status)
	require.Contains(t, out.header.Get("Content-Disposition"), "studio.zip")
	for _, secret := range []string{"argon2id", "token_hash"} {
		require.NotContains(t, string(out.body), secret)
	}
	bring := func(to *server, data []byte) (owners map[string]string, err error) {
		x, err := to.app.BringStudio(context.Background(), bytes.NewReader(data), int64(len(data)))
		return x.Owners, err
	}
	_, err = bring(s, out.body)
	require.ErrorContains(t, err, "is on this server already")
	_, err = bring(serve(t), out.body)
	require.ErrorContains(t, err, "is in another studio of this server")
	other := serveFor(t, noRig{}, "eve")
	work, err := other.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer work()
	for says, data := range map[string][]byte{"not a zip archive": []byte("salt"), "damaged": bytes.Replace(out.body, []byte("RIFF"), []byte("RIFX"), 1), "not an archive of a studio": ada.do("GET", path+"/archive", nil).body} {
		_, err = bring(other, data)
		require.ErrorContains(t, err, says)
	}
	owners, err := bring(other, out.body)
	require.NoError(t, err)
	require.Len(t, owners, 1)

	there := other.client(t)
	require.Equal(t, 401, there.do("POST", "/api/session", map[string]string{"email": "ada@studio.example", "password": password}).status, "passwords stay behind")
	in := there.do("POST", "/api/session/invitation/"+owners["ada@studio.example"], map[string]any{"password": wanderers})
	require.Equal(t, 200, in.status, string(in.body))
	same := func(path string) {
		t.Helper()
		want, got := ada.do("GET", path, nil), there.do("GET", path, nil)
		require.Equal(t, 200, want.status, path)
		require.Equal(t, 200, got.status, "%s: %s", path, got.body)
		require.Equal(t, string(want.body), string(got.body), path)
	}
	for _, p := range []string{
		templates, templates + "/history", templates + "/versions", "/api/templates", "/api/productions", path, path + "/cues/" + string(of.ID) + "/music", templates + "/prints", print,
		print + "/files/0", print + "/files/1", print + "/waves/0", "/api/catalogue",
	} {
		same(p)
	}
	require.Contains(t, string(there.do("GET", templates+"/deliveries", nil).body), `"to":"Nell"`)
	require.Contains(t, string(there.do("GET", templates+"/deliveries", nil).body), `"open":false`)
	require.Len(t, as[memberList](t, there.do("GET", "/api/members", nil)).Members, 2)
	require.Contains(t, string(there.do("GET", "/api/notes", nil).body), "delivered to")
	require.Equal(t, 200, there.do("POST", templates+"/import?take=true", []byte(list)).status, "and work goes on")
	require.Equal(t, 404, other.signedIn(t, "eve").do("GET", templates, nil).status)
}

func (c *client) newTemplateStatus(name string) int {
	return c.do("POST", "/api/templates", map[string]string{"name": name}).status
}

// Rows of an archive that would belong to another studio are refused, and nothing is brought in.
func TestAnArchiveReachesNothingElse(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	mine := strings.TrimPrefix(ada.newTemplate("Mine"), "/api/templates/")
	me := as[member](t, ada.do("GET", "/api/session", nil)).ID
	studio := uuid.New()
	studios := `{"id":"` + studio.String() + `","name":"Stray","created_at":"2026-11-28T00:00:00Z"}`
	for table, row := range map[string]string{
		"snapshots":     `{"document_id":"` + mine + `","revision":99,"body":"\\x00"}`,
		"changes":       `{"document_id":"` + mine + `","revision":99,"author_id":"` + me + `","made_at":"2026-11-28T00:00:00Z","role":"do","label":"x","change":{},"inverse":{}}`,
		"people":        `{"id":"` + uuid.NewString() + `","studio_id":"` + uuid.NewString() + `","email":"x@y.example","name":"x","created_at":"2026-11-28T00:00:00Z","role":"owner"}`,
		"print_matches": `{"template":"` + mine + `","key":"x","says":"mix"}`,
	} {
		err := s.store.StudioBring(context.Background(), studio, func(of string) (io.ReadCloser, error) {
			text := map[string]string{"studios": studios, table: row}[of]
			return io.NopCloser(strings.NewReader(text)), nil
		})
		require.ErrorContains(t, err, "it does not belong to the studio", table)
		there, err := s.store.Queries().StudioIsThere(context.Background(), studio)
		require.NoError(t, err)
		require.False(t, there)
	}
}

// A studio is deleted by its name, says so, can be kept for thirty days, and then goes with its audio;
// other studios stay.
func TestAStudioIsDeleted(t *testing.T) {
	s := serve(t)
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer stop()
	ada, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	templates := ada.lantern()
	ada.until(ada.take(templates, map[string][]byte{"Horns.wav": tone(t, 220, 1), "Mix.wav": tone(t, 220, 1)}), "done")
	hers := eve.newTemplate("Hers")
	bo := s.comes(t, ada, "bo", people.Arranger)
	require.Equal(t, 403, bo.do("POST", "/api/studio/end", map[string]string{"name": "ada's studio"}).status)
	require.Equal(t, 422, ada.do("POST", "/api/studio/end", map[string]string{"name": "eve's studio"}).status)
	require.Equal(t, 404, ada.do("POST", "/api/studio/keep", nil).status)
	require.Equal(t, 204, ada.do("POST", "/api/studio/end", map[string]string{"name": "Ada's studio "}).status)
	require.NotNil(t, bo.do("GET", "/api/session", nil).field(t, "studioEnds"), "everybody is told")
	require.Equal(t, 200, bo.do("GET", templates, nil).status, "it works as ever")
	require.Equal(t, 204, ada.do("POST", "/api/studio/keep", nil).status)
	require.Nil(t, ada.do("GET", "/api/session", nil).field(t, "studioEnds"))
	s.app.RemoveEnded(context.Background())
	require.Equal(t, 200, ada.do("GET", templates, nil).status)

	audio := func() (n int) {
		require.NoError(t, filepath.Walk(s.audio, func(_ string, info os.FileInfo, err error) error {
			if err == nil && !info.IsDir() {
				n++
			}
			return err
		}))
		return n
	}
	require.Positive(t, audio())
	require.Equal(t, 204, ada.do("POST", "/api/studio/end", map[string]string{"name": "ada's studio"}).status)
	_, err = s.store.Pool.Exec(context.Background(), "update studios set ends_at = ends_at - interval '30 days 1 minute' where ends_at is not null")
	require.NoError(t, err)
	s.app.RemoveEnded(context.Background())
	require.Zero(t, audio())
	require.Equal(t, 401, s.client(t).do("POST", "/api/session", map[string]string{"email": "ada@studio.example", "password": password}).status)
	var left int
	require.NoError(t, s.store.Pool.QueryRow(context.Background(), "select count(*) from documents where studio_id not in (select studio_id from people where email = 'eve@studio.example')").Scan(&left))
	require.Zero(t, left)
	require.Equal(t, 200, eve.do("GET", hers, nil).status)
}
