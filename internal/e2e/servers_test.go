package e2e_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	natsserver "github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/require"
)

// runServers runs several servers on one database and one NATS, as behind a
// balancer.
func runServers(t *testing.T, count int) []*server {
	bus, err := natsserver.NewServer(&natsserver.Options{Host: "127.0.0.1", Port: natsserver.RANDOM_PORT, NoSigs: true, NoLog: true, MaxPayload: 8 << 20})
	require.NoError(t, err)
	bus.Start()
	require.True(t, bus.ReadyForConnections(10*time.Second))
	t.Cleanup(bus.Shutdown)
	first := prepareServer(t)
	first.nats = bus.ClientURL()
	first.start()
	all := []*server{first}
	for range count - 1 {
		s := &server{t: t, db: first.db, rig: freeAddress(t), nats: first.nats}
		t.Cleanup(s.kill)
		s.start()
		all = append(all, s)
	}
	return all
}

// heardEvent is one event of a stream, and when it came.
type heardEvent struct {
	Name     string
	Revision int64
	Data     string
	At       time.Time
}

// listen follows a template on a server, as a page of a browser does.
func (s *server) listen(id string, revision int64, page string) <-chan heardEvent {
	ctx, cancel := context.WithCancel(context.Background())
	s.t.Cleanup(cancel)
	r, err := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/api/events?watch=%s:%d&here=%s", s.address, id, revision, url.QueryEscape(id+":"+page)), nil)
	require.NoError(s.t, err)
	answer, err := (&http.Client{Jar: s.client.Jar}).Do(r)
	require.NoError(s.t, err)
	require.Equal(s.t, 200, answer.StatusCode)
	out := make(chan heardEvent, 10_000)
	go func() {
		defer close(out)
		defer answer.Body.Close()
		lines := bufio.NewScanner(answer.Body)
		lines.Buffer(nil, 8<<20)
		for lines.Scan() {
			head, ok := strings.CutPrefix(lines.Text(), "data: ")
			if !ok {
				continue
			}
			e := heardEvent{At: time.Now()}
			if json.Unmarshal([]byte(head), &e) != nil || !lines.Scan() {
				continue
			}
			e.Data = strings.TrimPrefix(lines.Text(), "data: ")
			out <- e
		}
	}()
	return out
}

// await waits for an event.
func await(t *testing.T, events <-chan heardEvent, within time.Duration, what string, is func(heardEvent) bool) heardEvent {
	t.Helper()
	late := time.After(within)
	for {
		select {
		case e, open := <-events:
			require.True(t, open, "the stream ended before: %s", what)
			if is(e) {
				return e
			}
		case <-late:
			require.Fail(t, "never connected: "+what)
		}
	}
}

func note(row, text string) map[string]any {
	return map[string]any{"kind": "edit", "edits": []map[string]string{{"id": row, "notes": text}}}
}

// Two servers on one database: what is written on one is seen on the other, none
// is lost and none made twice; undo, clashes, who is here and what runs agree; and
// one drives the machine until it is killed, then the other.
func TestSeveralServersOneStudio(t *testing.T) {
	all := runServers(t, 2)
	one, two := all[0], all[1]
	id := one.template(24)
	path := "/api/templates/" + id
	var now opened
	one.must("GET", path, nil, &now)
	rows := now.Template.Instruments

	t.Run("a change is seen on the other", func(t *testing.T) {
		events := two.listen(id, now.Revision, "a page on the second")
		await(t, events, 10*time.Second, "the beginning", func(e heardEvent) bool { return e.Name == "rig" })
		var took []time.Duration
		for n := range 40 {
			began := time.Now()
			var done struct{ Revision int64 }
			one.must("POST", path+"/changes", map[string]any{"base": now.Revision, "change": note(rows[n%8].ID, fmt.Sprint("seen ", n))}, &done)
			e := await(t, events, 10*time.Second, "the change", func(e heardEvent) bool { return e.Name == "change" && e.Revision == done.Revision })
			took = append(took, e.At.Sub(began))
			now.Revision = done.Revision
		}
		slices.Sort(took)
		t.Logf("change on one server to event on the other: median %s, 95th percentile %s", took[len(took)/2], took[len(took)*95/100])
	})

	t.Run("who is here is told across", func(t *testing.T) {
		events := one.listen(id, now.Revision, "a page on the first")
		await(t, events, 10*time.Second, "both pages", func(e heardEvent) bool {
			return e.Name == "here" && strings.Contains(e.Data, "a page on the first") && strings.Contains(e.Data, "a page on the second")
		})
		two.must("POST", path+"/here", map[string]any{"browser": "a page on the second", "selected": []string{rows[3].ID}}, nil)
		await(t, events, 10*time.Second, "the selection", func(e heardEvent) bool { return e.Name == "here" && strings.Contains(e.Data, rows[3].ID) })
	})

	t.Run("no update is lost, none made twice", func(t *testing.T) {
		one.must("GET", path, nil, &now)
		before, last := now.Revision, make([]string, 8)
		var wait sync.WaitGroup
		var mu sync.Mutex
		acked := 0
		for w := range 8 {
			s := all[w%2]
			wait.Go(func() {
				base := before
				for n := range 20 {
					text := fmt.Sprintf("writer %d, %d", w, n)
					var done struct{ Revision int64 }
					if ok, why := s.ask("POST", path+"/changes", map[string]any{"base": base, "change": note(rows[w].ID, text)}, &done); !ok {
						t.Errorf("%s: %s", text, why)
						return
					}
					mu.Lock()
					last[w], base = text, done.Revision
					acked++
					mu.Unlock()
				}
			})
		}
		wait.Wait()
		for _, s := range all {
			var then opened
			require.Eventually(t, func() bool { s.must("GET", path, nil, &then); return then.Revision == before+int64(acked) }, 10*time.Second, 10*time.Millisecond)
			for w := range 8 {
				require.Equal(t, last[w], then.Template.Instruments[w].Notes)
			}
		}
		one.logIsWhole(id, before+int64(acked))
		two.must("POST", path+"/undo", nil, nil)
		one.must("POST", path+"/redo", nil, nil) // of the same person, on the other
		var history []struct{ Role string }
		one.must("GET", path+"/history", nil, &history)
		require.Equal(t, []string{"redo", "undo"}, []string{history[0].Role, history[1].Role})
	})

	t.Run("one drives, then the other", func(t *testing.T) {
		one.host(id, "--name", "Alder", "--speed", "50")
		ready := func(s *server) (list []string) {
			var then opened
			if ok, _ := s.ask("GET", path, nil, &then); !ok {
				return nil
			}
			for _, i := range then.Rig.Instruments {
				if i.State == "ready" {
					list = append(list, i.ID)
				}
			}
			return list
		}
		two.must("POST", path+"/calls", map[string]any{"ids": []string{rows[0].ID, rows[1].ID}, "how": "call"}, nil)
		for _, s := range all {
			require.Eventually(t, func() bool { return len(ready(s)) == 2 }, 30*time.Second, 50*time.Millisecond, "what was called on the second is ready, as both hear")
		}
		one.must("POST", path+"/calls", map[string]any{"ids": []string{rows[2].ID}, "how": "call"}, nil)
		require.Eventually(t, func() bool { return len(ready(two)) == 3 }, 30*time.Second, 50*time.Millisecond)

		driver := one.driver()
		left := two
		if driver == two.cmd.Process.Pid {
			left = one
			two.kill()
		} else {
			one.kill()
		}
		killed := time.Now()
		left.must("POST", path+"/calls", map[string]any{"ids": []string{rows[4].ID}, "how": "call"}, nil)
		require.Eventually(t, func() bool { return len(ready(left)) == 4 }, 30*time.Second, 20*time.Millisecond)
		t.Logf("another server drove the machine %s after the first was killed", time.Since(killed).Round(10*time.Millisecond))
	})
}

// driver is the process that has the lease of the machine.
func (s *server) driver() int {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, s.db.URL)
	require.NoError(s.t, err)
	defer conn.Close(ctx)
	var name string
	require.NoError(s.t, conn.QueryRow(ctx, "select s.name from leases l join servers s on s.id = l.server_id").Scan(&name))
	pid, err := strconv.Atoi(name[strings.LastIndex(name, " ")+1:])
	require.NoError(s.t, err, name)
	return pid
}

// A second server with a NATS of its own is refused, by the first one's name.
func TestASecondServerIsRefusedByName(t *testing.T) {
	s := runServer(t)
	cmd := exec.Command(studio.binary, "serve", "--listen", "127.0.0.1:0", "--rig-listen", freeAddress(t), "--ops-listen", "", "--audio", t.TempDir())
	cmd.Env = append(os.Environ(), "DATABASE_URL="+s.db.URL)
	out, err := cmd.CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), fmt.Sprintf("process %d runs on this database since", s.cmd.Process.Pid))
	require.Contains(t, string(out), "docs/running.md")
	s.must("GET", "/api/session", nil, nil)
}
