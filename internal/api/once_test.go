package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
	"fanfold/internal/app"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/storetest"
)

// serveWith is serve, on a store that is opened so.
func serveWith(t *testing.T, o store.Options) *server {
	s := storetest.OpenWith(t, o)
	storetest.Account(t, s, "ada's studio", "ada@studio.example", "ada")
	a := app.New(app.Config{Store: s, Rig: noRig{}})
	web := httptest.NewServer(api.New(api.Config{App: a, Store: s, DemoEmail: "ada@studio.example"}))
	t.Cleanup(web.Close)
	return &server{web, s, a, ""}
}

// cutting is a line that breaks: before the request has arrived, or before the
// answer has.
type cutting struct {
	mu     sync.Mutex
	random *rand.Rand
	cut    int
}

var errCut = errors.New("the line broke")

func (c *cutting) RoundTrip(r *http.Request) (*http.Response, error) {
	c.mu.Lock()
	fate := c.random.IntN(10)
	if fate < 5 {
		c.cut++
	}
	c.mu.Unlock()
	if fate < 2 {
		return nil, errCut
	}
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err == nil && fate < 5 {
		_, _ = io.Copy(io.Discard, answer.Body)
		answer.Body.Close()
		return nil, errCut
	}
	return answer, err
}

// rowsOf is a template as it is read.
type rowsOf struct {
	Revision int64
	Template struct {
		Instruments []struct{ ID, Name, Notes string }
	}
}

func (c *client) rows(path string) rowsOf {
	c.t.Helper()
	return as[rowsOf](c.t, c.do("GET", path, nil))
}

// keyed asks for a change under a key.
func keyed(base, path string, key string, body any) *http.Request {
	data, _ := json.Marshal(body)
	r, _ := http.NewRequest("POST", base+path, bytes.NewReader(data))
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", key)
	return r
}

// Over a line that breaks half of the time, every change that is asked for is made
// once, and whoever asks again is answered as the first time.
func TestEveryChangeIsMadeOnce(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	before := c.rows(path)
	line := &cutting{random: rand.New(rand.NewPCG(7, 7))}
	lossy := &http.Client{Jar: c.http.Jar, Transport: line}
	row := before.Template.Instruments[0].ID
	var all sync.WaitGroup
	const each = 40
	for range 3 {
		all.Go(func() {
			for range each {
				key := uuid.NewString()
				for {
					answer, err := lossy.Do(keyed(s.URL, path+"/duplicate", key, map[string]any{"ids": []string{row}}))
					if err != nil {
						continue
					}
					data, err := io.ReadAll(answer.Body)
					answer.Body.Close()
					if err == nil && answer.StatusCode == 200 && bytes.Contains(data, []byte(`"added":["`)) {
						break
					}
					t.Errorf("%d %s", answer.StatusCode, data)
					return
				}
			}
		})
	}
	all.Wait()
	now := c.rows(path)
	require.Len(t, now.Template.Instruments, len(before.Template.Instruments)+3*each)
	require.Equal(t, before.Revision+3*each, now.Revision)
	require.Greater(t, line.cut, each, "the line did break")

	key := uuid.NewString()
	first := c.send(keyed(s.URL, path+"/undo", key, nil))
	again := c.send(keyed(s.URL, path+"/undo", key, nil))
	require.Equal(t, []any{first.status, string(first.body)}, []any{again.status, string(again.body)})
	made := c.send(keyed(s.URL, "/api/templates", key+"", map[string]string{"name": "New"}))
	require.Equal(t, string(first.body), string(made.body), "a key is one request's")
	require.Equal(t, 400, c.send(keyed(s.URL, path+"/undo", "no key", nil)).status)

	// A server that lost the answer still knows that the change was made.
	other := httptest.NewServer(api.New(api.Config{App: app.New(app.Config{Store: s.store, Rig: noRig{}}), Store: s.store}))
	defer other.Close()
	_, err := s.store.Pool.Exec(context.Background(), "delete from answers")
	require.NoError(t, err)
	lost := c.send(keyed(other.URL, path+"/undo", key, nil))
	require.Equal(t, 200, lost.status, "%s", lost.body)
	require.Equal(t, first.field(t, "revision"), lost.field(t, "revision"))
	require.Equal(t, now.Revision+1, c.rows(path).Revision)

	fresh := uuid.NewString()
	one := c.send(keyed(s.URL, "/api/templates", fresh, map[string]string{"name": "Once"}))
	_, err = s.store.Pool.Exec(context.Background(), "delete from answers")
	require.NoError(t, err)
	two := c.send(keyed(s.URL, "/api/templates", fresh, map[string]string{"name": "Once"}))
	require.Equal(t, one.field(t, "id"), two.field(t, "id"), "one template")
}

// While somebody holds the row of a template in the database, looking at it,
// hearing hosts, other templates and signing in go on; the change waits.
func TestALockedRowHoldsUpNobodyElse(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path, other := c.newTemplate("Salt"), c.newTemplate("Other")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	row := c.rows(path).Template.Instruments[0].ID
	ctx := context.Background()
	tx, err := s.store.Pool.Begin(ctx)
	require.NoError(t, err)
	_, err = tx.Exec(ctx, "select * from documents where id = $1 for update", strings.TrimPrefix(path, "/api/templates/"))
	require.NoError(t, err)
	changed := make(chan int, 1)
	go func() {
		r := keyed(s.URL, path+"/changes", uuid.NewString(), map[string]any{"base": 1, "change": map[string]any{"kind": "edit", "edits": []any{map[string]string{"id": row, "notes": "x"}}}})
		answer, err := c.http.Do(r)
		if err != nil {
			changed <- 0
			return
		}
		answer.Body.Close()
		changed <- answer.StatusCode
	}()
	quick := &client{t, s.URL, &http.Client{Jar: c.http.Jar, Timeout: 10 * time.Second}}
	for range 5 {
		require.Equal(t, 200, quick.do("GET", path, nil).status)
		require.Equal(t, 200, quick.do("GET", path+"/marks", nil).status)
		require.Equal(t, 200, quick.do("POST", other+"/rows", map[string]any{"kind": "sampled", "count": 1}).status)
		s.app.Reported(rig.Host{Studio: uuid.NewString(), Machine: "Alder"}, rig.Report{}, false)
	}
	s.signedIn(t, "eve")
	require.Empty(t, changed)
	require.NoError(t, tx.Rollback(ctx))
	require.Equal(t, 200, <-changed)
}

// Recordings that come slowly hold no connection to the database: with fewer
// connections than uploads, everybody else goes on.
func TestSlowUploadsHoldUpNobody(t *testing.T) {
	s := serveWith(t, store.Options{Connections: 2, Wait: 5 * time.Second})
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	row := c.rows(path).Template.Instruments[0].ID
	var uploads sync.WaitGroup
	var ends []*io.PipeWriter
	for range 4 {
		body, end := io.Pipe()
		ends = append(ends, end)
		r, err := http.NewRequest("POST", s.URL+path+"/instruments/"+row+"/printed?file=a.wav", body)
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/octet-stream")
		uploads.Go(func() {
			if answer, err := c.http.Do(r); err == nil {
				answer.Body.Close()
			}
		})
		_, err = end.Write(make([]byte, 100_000)) // it has begun
		require.NoError(t, err)
	}
	for range 3 {
		fresh := s.signedIn(t, "ada")
		require.Equal(t, 200, fresh.do("POST", path+"/undo", nil).status+fresh.do("POST", path+"/redo", nil).status-200)
		require.Equal(t, 200, fresh.do("GET", path+"/history", nil).status)
	}
	for _, end := range ends {
		end.CloseWithError(errCut)
	}
	uploads.Wait()
}

// With every connection to the database in use, who asks is told to try again.
func TestATooBusyServerSaysSo(t *testing.T) {
	s := serveWith(t, store.Options{Connections: 2, Wait: 100 * time.Millisecond})
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	for range 2 {
		conn, err := s.store.Pool.Acquire(context.Background())
		require.NoError(t, err)
		defer conn.Release()
	}
	busy := c.do("GET", path+"/history", nil)
	require.Equal(t, 503, busy.status, "%s", busy.body)
	require.Equal(t, "busy-server", busy.field(t, "code"))
	require.Contains(t, busy.field(t, "detail"), "try again in a moment")
	require.Equal(t, 200, c.do("GET", path, nil).status, "what is open is read all the same")
}

// A stream ends when its person signs out, here or on another server; others go
// on.
func TestSigningOutEndsTheStream(t *testing.T) {
	s := serve(t)
	stop, err := s.app.Start(context.Background())
	require.NoError(t, err)
	defer stop()
	second := app.New(app.Config{Store: s.store, Rig: noRig{}})
	other := httptest.NewServer(api.New(api.Config{App: second, Store: s.store}))
	defer other.Close()
	stop2, err := second.Start(context.Background())
	require.NoError(t, err)
	defer stop2()
	c, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	path, eves := c.newTemplate("Salt"), eve.newTemplate("Eve's")
	streams := map[string]<-chan string{}
	for name, x := range map[string]struct {
		base, path string
		of         *client
	}{"here": {s.URL, path, c}, "there": {other.URL, path, c}, "eve's": {s.URL, eves, eve}} {
		answer, err := x.of.http.Get(x.base + "/api/events?watch=" + strings.TrimPrefix(x.path, "/api/templates/") + ":0")
		require.NoError(t, err)
		defer answer.Body.Close()
		require.Equal(t, 200, answer.StatusCode)
		said := make(chan string, 1)
		streams[name] = said
		go func() {
			data, _ := io.ReadAll(answer.Body)
			said <- string(data)
		}()
	}
	require.Equal(t, 204, c.do("DELETE", "/api/session", nil).status)
	for _, name := range []string{"here", "there"} {
		select {
		case text := <-streams[name]:
			require.Contains(t, text, `{"name":"signed-out"}`, name)
		case <-time.After(10 * time.Second):
			t.Fatalf("the stream %s goes on", name)
		}
	}
	require.Empty(t, streams["eve's"])
	require.Equal(t, 401, (&client{t, other.URL, c.http}).do("GET", path, nil).status)
}
