package api_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
	"fanfold/internal/app"
	"fanfold/internal/audiostore"
	corepatch "fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

type noRig struct{}

func (noRig) Know(rig.Host)                            {}
func (noRig) Play(string, string, rig.PlayOrder) error { return nil }
func (noRig) Perform(context.Context, string, string, rig.PerformAsk) (rig.Performed, error) {
	return rig.Performed{}, errors.New("nobody is here")
}

func (noRig) Measure(context.Context, string, string, rig.MeasureAsk) (*template.Heard, error) {
	return nil, nil
}
func (noRig) HearSound(string, string, func(string, rig.SoundBlock)) (func(), error) {
	return func() {}, nil
}
func (noRig) Zones(context.Context, string, string, string, *template.Patch) ([]corepatch.Zone, error) {
	return nil, nil
}
func (noRig) Forget(string)                                                 {}
func (noRig) Want(_, _, _ string, _ []rig.Load)                             {}
func (noRig) Scan(_, _ string, _ rig.ScanOrder, _ func(rig.ScanNews)) error { return nil }
func (noRig) StopScan(string)                                               {}
func (noRig) Address() string                                               { return "nats://127.0.0.1:7071" }
func (noRig) Drive(string, string, bool)                                    {}

const password = storetest.Password

type server struct {
	*httptest.Server
	store *store.Store
	app   *app.App
	audio string // the folder of its audio
}

func serve(t *testing.T) *server { return serveOn(t, noRig{}) }

func serveOn(t *testing.T, r app.Rig) *server { return serveFor(t, r, "ada", "eve") }

// serveFor serves people, each with a studio of their own.
func serveFor(t *testing.T, r app.Rig, names ...string) *server {
	s := storetest.Open(t)
	for _, name := range names {
		storetest.Account(t, s, name+"'s studio", name+"@studio.example", name)
	}
	folder := t.TempDir()
	audio, err := audiostore.Open(context.Background(), folder)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, audio.Close()) })
	a := app.New(app.Config{Store: s, Rig: r, Audio: audio})
	web := httptest.NewServer(api.New(api.Config{App: a, Store: s, DemoEmail: "ada@studio.example"}))
	t.Cleanup(web.Close)
	return &server{web, s, a, folder}
}

// client is one browser.
type client struct {
	t    *testing.T
	base string
	http *http.Client
}

func (s *server) client(t *testing.T) *client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &client{t, s.URL, &http.Client{Jar: jar}}
}

func (s *server) signedIn(t *testing.T, name string) *client {
	c := s.client(t)
	require.Equal(t, 200, c.do("POST", "/api/session", map[string]string{"email": name + "@studio.example", "password": password}).status)
	return c
}

type got struct {
	status int
	header http.Header
	body   []byte
}

func (g got) field(t *testing.T, name string) any {
	var fields map[string]any
	require.NoError(t, json.Unmarshal(g.body, &fields), "%s", g.body)
	return fields[name]
}

func (c *client) do(method, path string, body any) got {
	c.t.Helper()
	var reader io.Reader
	kind := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		reader, kind = bytes.NewReader(b), "application/octet-stream"
	default:
		data, err := json.Marshal(b)
		require.NoError(c.t, err)
		reader = bytes.NewReader(data)
	}
	r, err := http.NewRequest(method, c.base+path, reader)
	require.NoError(c.t, err)
	r.Header.Set("Content-Type", kind)
	return c.send(r)
}

func (c *client) send(r *http.Request) got {
	c.t.Helper()
	answer, err := c.http.Do(r)
	require.NoError(c.t, err)
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	require.NoError(c.t, err)
	return got{answer.StatusCode, answer.Header, data}
}

func (c *client) newTemplate(name string) string {
	made := c.do("POST", "/api/templates", map[string]string{"name": name})
	require.Equal(c.t, 201, made.status, "%s", made.body)
	return "/api/templates/" + made.field(c.t, "id").(string)
}

const list = "section,instrument,library,stem,group,preload_mib,machine\r\n" +
	"Winds / Flutes,Piccolo,Millrace Winds,High winds,Flutes,310,Alder\r\n" +
	"Winds / Flutes,Flute 1,Millrace Winds,High winds,Flutes,412,Alder\r\n" +
	"Winds / Bassoons,Bassoon,Millrace Winds,Low winds,,lots,Alder\r\n"

func TestSigningIn(t *testing.T) {
	s := serve(t)
	c := s.client(t)
	require.Equal(t, 401, c.do("GET", "/api/session", nil).status)
	require.Equal(t, "signed-out", c.do("GET", "/api/templates", nil).field(t, "code"))
	wrong := map[string]string{"email": "eve@studio.example", "password": "guess"}
	for range 5 {
		require.Equal(t, "wrong-login", c.do("POST", "/api/session", wrong).field(t, "code"))
	}
	wrong["password"] = password
	require.Equal(t, 429, c.do("POST", "/api/session", wrong).status, "the sixth attempt waits, even if right")
	require.Equal(t, 200, c.do("POST", "/api/session/demo", nil).status)
	require.Equal(t, "ada@studio.example", c.do("GET", "/api/session", nil).field(t, "email"))
	require.Equal(t, 204, c.do("DELETE", "/api/session", nil).status)
	require.Equal(t, 401, c.do("GET", "/api/session", nil).status)
}

// Passwords are kept as argon2id (RFC 9106), each with its own salt.
func TestPasswords(t *testing.T) {
	a, b := store.HashPassword(password), store.HashPassword(password)
	require.True(t, strings.HasPrefix(a, "$argon2id$v=19$m=65536,t=3,p=4$"), a)
	require.NotEqual(t, a, b)
	require.True(t, store.CheckPassword(a, password))
	require.False(t, store.CheckPassword(a, password+"x"))
	require.False(t, store.CheckPassword("", password))
	require.False(t, store.CheckPassword("$argon2id$nonsense", password))
}

func TestAnotherStudiosIdsAnswer404(t *testing.T) {
	s := serve(t)
	ada, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	path := ada.newTemplate("Mine")
	require.Equal(t, 200, ada.do("GET", path, nil).status)
	for _, call := range [][2]string{{"GET", ""}, {"GET", "/marks"}, {"POST", "/undo"}, {"GET", "/export/smf"}} {
		require.Equal(t, 404, eve.do(call[0], path+call[1], nil).status, call)
	}
	require.Equal(t, 404, eve.do("POST", path+"/changes", map[string]any{"base": 0, "change": map[string]any{"kind": "delete", "ids": []string{}}}).status)
	require.Equal(t, 404, eve.do("GET", "/api/templates/00000000-0000-0000-0000-000000000000", nil).status)
	require.Equal(t, 400, eve.do("GET", "/api/templates/nonsense", nil).status)
}

func TestOtherOriginsAreRefused(t *testing.T) {
	s := serve(t)
	r, err := http.NewRequest("POST", s.URL+"/api/session/demo", nil)
	require.NoError(t, err)
	r.Header.Set("Origin", "https://elsewhere.example")
	answer := s.client(t).send(r)
	require.Equal(t, 403, answer.status)
	require.Equal(t, "application/problem+json", answer.header.Get("Content-Type"))
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	require.Equal(t, 403, s.client(t).send(r).status)
}

func TestBringingInAndTakingOut(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	look := c.do("POST", path+"/import", []byte(list))
	require.Equal(t, 200, look.status, "%s", look.body)
	require.EqualValues(t, 2, look.field(t, "instruments"))
	problem := look.field(t, "problems").([]any)[0].(map[string]any)
	require.EqualValues(t, 4, problem["line"])
	require.Equal(t, "preload_mib", problem["column"])
	require.EqualValues(t, 0, c.do("GET", path, nil).field(t, "revision"), "a preview changes nothing")
	taken := c.do("POST", path+"/import?take=true", []byte(list))
	require.EqualValues(t, 1, taken.field(t, "revision"), "all good rows are one change")
	require.Equal(t, 200, c.do("POST", path+"/seating", map[string]bool{"fresh": false}).status)

	file := c.do("GET", path+"/export/template", nil)
	require.Contains(t, file.header.Get("Content-Disposition"), "Salt.fanfold.json")
	back := c.do("POST", "/api/templates/file", file.body)
	require.Equal(t, 201, back.status, "%s", back.body)
	again := c.do("GET", "/api/templates/"+back.field(t, "id").(string)+"/export/template", nil)
	require.Equal(t, string(file.body), string(again.body), "it comes back identical")

	for _, name := range []string{"smf", "rows", "routing", "seating"} {
		require.Equal(t, 200, c.do("GET", path+"/export/"+name, nil).status, name)
	}
	require.Equal(t, 422, c.do("GET", path+"/export/papyrus", nil).status)
	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	require.Contains(t, string(c.do("GET", path, nil).body), `"instruments":[]`, "one undo took the whole list back")
	require.Equal(t, "nothing", c.do("POST", path+"/undo", nil).field(t, "code"))
}

func TestBadInputSaysWhatAndWhere(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	good := c.do("GET", path+"/export/template", nil).body
	for name, tc := range map[string]struct {
		path   string
		body   any
		status int
		says   string
	}{
		"not a list":        {path + "/import", []byte(""), 422, "the file is empty"},
		"no headings":       {path + "/import", []byte("1,2,3\n4,5,6\n"), 422, "the first line must name the columns"},
		"twice the heading": {path + "/import", []byte("section,name,name\n"), 422, "two columns are headed"},
		"a picture":         {path + "/import", []byte("\x89PNG\r\n\x1a\n\x00\x00"), 422, "not a text file"},
		"100 MB":            {path + "/import", bytes.Repeat([]byte("a,b,c,d,e,f\n"), 100<<20/12), 413, ""},
		"newer version":     {"/api/templates/file", bytes.Replace(good, fmt.Appendf(nil, `"version": %d`, templatefile.Version), fmt.Appendf(nil, `"version": %d`, templatefile.Version+1), 1), 422, "use a newer Fanfold"},
		"dangling id":       {"/api/templates/file", bytes.Replace(good, []byte(`"to": "bus-speakers"`), []byte(`"to": "bus-gone"`), 1), 422, "no bus has the id"},
		"no music":          {path + "/calls/music", []byte("hello"), 422, "it holds no score"},
		"half a MIDI file":  {path + "/calls/music", []byte("MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk\x00\x00\x00\xff\x00"), 422, "a chunk of 255 bytes"},
		"no choice by hand": {path + "/calls/music?hand=oops", []byte("MThd\x00\x00\x00\x06\x00\x01\x00\x00\x01\xe0"), 422, "not a JSON object"},
		"nobody's":          {path + "/instruments/x/printed?file=a.wav", []byte("hello"), 422, "only an instrument that plays patches"},
		"a nameless one":    {path + "/instruments/x/printed", []byte("RIFF"), 422, "name the recording"},
		"too many words":    {path + "/calls/small", map[string]any{"budgetMib": 5, "words": make([]string, 100)}, 422, "words: maximum number of items is 64"},
		"not JSON":          {"/api/templates/file", []byte("{\n\"format\": oops"), 422, "line 2 is not JSON"},
		"unknown change":    {path + "/changes", map[string]any{"base": 0, "change": map[string]string{"kind": "explode"}}, 422, "not a kind of change"},
		"odd field":         {path + "/changes", map[string]any{"base": 0, "change": map[string]string{"kind": "delete", "id": "x"}}, 422, "unknown field"},
		"too big a change":  {path + "/changes", map[string]any{"base": 0, "change": map[string]string{"kind": strings.Repeat("x", 9<<20)}}, 413, ""},
		"no JSON change":    {path + "/changes", []byte("nonsense"), 415, ""},
	} {
		t.Run(name, func(t *testing.T) {
			answer := c.do("POST", tc.path, tc.body)
			require.Equal(t, tc.status, answer.status, "%s", answer.body)
			require.Equal(t, "application/problem+json", answer.header.Get("Content-Type"))
			require.Contains(t, answer.field(t, "detail"), tc.says)
		})
	}
	require.EqualValues(t, 0, c.do("GET", path, nil).field(t, "revision"), "nothing is half done")
}

func TestAClashShowsBothValues(t *testing.T) {
	s := serve(t)
	one, two := s.signedIn(t, "ada"), s.signedIn(t, "ada")
	path := one.newTemplate("Salt")
	require.Equal(t, 200, one.do("POST", path+"/import?take=true", []byte(list)).status)
	var opened struct {
		Template struct{ Instruments []struct{ ID string } }
	}
	require.NoError(t, json.Unmarshal(one.do("GET", path, nil).body, &opened))
	edit := func(name string) map[string]any {
		return map[string]any{"base": 1, "change": map[string]any{"kind": "edit", "edits": []any{map[string]string{"id": opened.Template.Instruments[0].ID, "name": name}}}}
	}
	require.Equal(t, 200, one.do("POST", path+"/changes", edit("First")).status)
	answer := two.do("POST", path+"/changes", edit("Second"))
	require.Equal(t, 409, answer.status)
	require.Equal(t, []any{"clash", "First", "Second"}, []any{answer.field(t, "code"), answer.field(t, "theirs"), answer.field(t, "yours")})
}

func TestEventsResumeByRevision(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, "GET", s.URL+"/api/events?watch="+strings.TrimPrefix(path, "/api/templates/")+":0", nil)
	require.NoError(t, err)
	answer, err := c.http.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	require.Equal(t, "text/event-stream", answer.Header.Get("Content-Type"))
	lines := bufio.NewScanner(answer.Body)
	lines.Buffer(nil, 1<<20)
	var seen []string
	for lines.Scan() && len(seen) < 3 {
		var head struct {
			Document, Name string
			Revision       int64
		}
		if text, ok := strings.CutPrefix(lines.Text(), "data: "); ok && json.Unmarshal([]byte(text), &head) == nil && head.Name != "" && head.Document != "" {
			require.Contains(t, path, head.Document)
			seen = append(seen, fmt.Sprint(head.Name, " ", head.Revision))
		}
	}
	require.Equal(t, []string{"change 1", "rig 0", "here 0"}, seen)
}

func TestComputedAnswers(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	marks := c.do("GET", path+"/marks", nil)
	require.EqualValues(t, 2, marks.field(t, "total"), "two rows without a seat: %s", marks.body)
	first := marks.field(t, "marks").([]any)[0].(map[string]any)
	mend := map[string]any{"code": first["code"], "subject": first["subject"], "remedy": 0}
	require.Equal(t, 200, c.do("POST", path+"/marks/mend", mend).status)
	require.Equal(t, "refused", c.do("POST", path+"/marks/mend", mend).field(t, "code"), "it is gone already")
	routing := c.do("GET", path+"/routing", nil)
	require.Contains(t, string(routing.body), `"addsUp":true`)
	trace := c.do("GET", fmt.Sprintf("%s/trace/%s", path, first["subject"]), nil)
	require.Contains(t, string(trace.body), "outputs 3-4")
	cost := c.do("POST", path+"/calls/cost", map[string]any{"ids": []any{first["subject"]}, "how": "call"})
	require.Contains(t, string(cost.body), `"afterMib":374`, "310 MiB and a player of 64 MiB")
}
