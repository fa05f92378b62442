package e2e_test

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"fanfold/internal/store/localdb"
)

// A server as an owner runs it: 'fanfold serve' on a database of its own.
type server struct {
	audio   string   // its audio store; empty for one of its own
	more    []string // arguments
	t       *testing.T
	db      *localdb.Server
	cmd     *exec.Cmd
	address string
	rig     string // where hosts dial in; the same after another start
	client  *http.Client
	ops     string // where those who watch it come; empty for nowhere
	nats    string // that it shares with others; empty for one of its own
	trust   string // the authority of its certificate; empty without TLS
	email   string // of who signs in; empty for Ada
	root    string // the folder that is all it sees, with the program in it; empty for the whole machine
}

func runServer(t *testing.T) *server {
	s := prepareServer(t)
	s.start()
	return s
}

// prepareServer is a server that is not started yet.
func prepareServer(t *testing.T) *server {
	dir := t.TempDir()
	for up := dir; up != os.TempDir() && up != "/"; up = filepath.Dir(up) { // the database's own user enters it
		require.NoError(t, os.Chmod(up, 0o755))
	}
	db, err := localdb.Start(context.Background(), filepath.Join(dir, "pg"))
	require.NoError(t, err)
	s := &server{t: t, db: db, rig: freeAddress(t)}
	t.Cleanup(func() {
		s.kill()
		require.NoError(t, db.Stop())
	})
	return s
}

// freeAddress is one on the loopback that nobody listens on.
func freeAddress(t *testing.T) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

var serving = regexp.MustCompile(`browsers=(\S+)`)

// start starts the server and signs in.
func (s *server) start() {
	binary := studio.binary
	if s.root != "" {
		binary = "/fanfold"
	}
	s.cmd = exec.Command(binary, "serve", "--listen", "127.0.0.1:0", "--rig-listen", s.rig, "--ops-listen", s.ops, "--audio", cmp.Or(s.audio, s.t.TempDir()), "--new-account", s.account())
	s.cmd.Args = append(s.cmd.Args, s.more...)
	s.cmd.Env = append(os.Environ(), "DATABASE_URL="+s.db.URL, "FANFOLD_PASSWORD=a long enough password", "FANFOLD_NATS_URL="+s.nats)
	if s.root != "" {
		s.cmd.Env = []string{"DATABASE_URL=" + s.db.URL, "FANFOLD_PASSWORD=a long enough password"}
		s.cmd.Dir, s.cmd.SysProcAttr = "/", &syscall.SysProcAttr{Chroot: s.root}
	}
	log, err := s.cmd.StderrPipe()
	require.NoError(s.t, err)
	require.NoError(s.t, startTied(s.cmd, syscall.SIGKILL))
	lines := bufio.NewScanner(log)
	for lines.Scan() {
		if m := serving.FindStringSubmatch(lines.Text()); m != nil {
			s.address = m[1]
			break
		}
	}
	require.NotEmpty(s.t, s.address, "the server starts")
	go func() { _, _ = io.Copy(io.Discard, log) }()
	jar, err := cookiejar.New(nil)
	require.NoError(s.t, err)
	s.client = &http.Client{Jar: jar, Timeout: 20 * time.Second, Transport: trusting(s.t, s.trust)}
	s.must("POST", "/api/session", map[string]string{"email": s.account(), "password": "a long enough password"}, nil)
}

func (s *server) account() string { return cmp.Or(s.email, "ada@studio.example") }

func (s *server) kill() {
	if s.cmd == nil {
		return
	}
	_ = s.cmd.Process.Signal(syscall.SIGKILL) // it may have ended already
	_ = s.cmd.Wait()
}

// ask sends a request and reads the answer; false when it was not a success.
func (s *server) ask(method, path string, body, into any) (bool, string) {
	var reader io.Reader
	kind := "application/json"
	if text, ok := body.(string); ok {
		reader, kind = strings.NewReader(text), "application/octet-stream"
	} else if body != nil {
		data, err := json.Marshal(body)
		if err != nil {
			return false, err.Error()
		}
		reader = bytes.NewReader(data)
	}
	r, err := http.NewRequest(method, s.address+path, reader)
	if err != nil {
		return false, err.Error()
	}
	r.Header.Set("Content-Type", kind)
	answer, err := s.client.Do(r)
	if err != nil {
		return false, err.Error()
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode >= 300 {
		return false, string(data)
	}
	if into != nil {
		if err := json.Unmarshal(data, into); err != nil {
			return false, err.Error()
		}
	}
	return true, ""
}

func (s *server) must(method, path string, body, into any) {
	s.t.Helper()
	ok, why := s.ask(method, path, body, into)
	require.True(s.t, ok, "%s %s: %s", method, path, why)
}

type opened struct {
	Revision int64
	Template struct {
		Instruments []struct{ ID, Name, Notes string }
		Machines    []struct{ ID, Name string }
	}
	Rig struct {
		Instruments []struct{ ID, State, Reason string }
		Machines    []struct {
			ID      string
			Online  bool
			UsedMiB float64
		}
	}
}

// template makes a template of n seated rows on the machine Alder, the first
// of 100 MiB and each of 1 MiB more than the one before.
func (s *server) template(n int) (id string) {
	return s.templateOf(n, func(n int) int { return 100 + n })
}

// templateOf is template with rows of the given MiB.
func (s *server) templateOf(n int, mib func(n int) int) (id string) {
	var made struct{ ID string }
	s.must("POST", "/api/templates", map[string]string{"name": "Faults"}, &made)
	list := "section,instrument,stem,library,machine,preload_mib\n"
	for i := range n {
		list += fmt.Sprintf("Winds,Row %d,Winds,Millrace Winds,Alder,%d\n", i, mib(i))
	}
	s.must("POST", "/api/templates/"+made.ID+"/import?take=true", list, nil)
	s.must("POST", "/api/templates/"+made.ID+"/seating", map[string]bool{"fresh": false}, nil)
	return made.ID
}

// Killed by SIGKILL at any moment, the server loses no change it has
// acknowledged, and leaves none half done.
func TestAKilledServerKeepsEveryAcknowledgedChange(t *testing.T) {
	s := runServer(t)
	id := s.template(24)
	var now opened
	s.must("GET", "/api/templates/"+id, nil, &now)
	for round := range 4 {
		const writers = 3
		acked, sent := make([]string, writers), make([]string, writers)
		most := make([]int64, writers)
		base := now.Revision
		var wait sync.WaitGroup
		for w := range writers {
			wait.Go(func() {
				for n := 0; ; n++ {
					sent[w] = fmt.Sprintf("round %d, writer %d, change %d", round, w, n)
					edits := []map[string]string{}
					for _, row := range []int{w, w + 8, w + 16} { // three rows, whole or not at all
						edits = append(edits, map[string]string{"id": now.Template.Instruments[row].ID, "notes": sent[w]})
					}
					var done struct{ Revision int64 }
					ok, _ := s.ask("POST", "/api/templates/"+id+"/changes", map[string]any{"base": base, "change": map[string]any{"kind": "edit", "edits": edits}}, &done)
					if !ok {
						return
					}
					acked[w], most[w] = sent[w], done.Revision
				}
			})
		}
		time.Sleep(time.Duration(200+rand.IntN(400)) * time.Millisecond) // any moment will do
		s.kill()
		wait.Wait()
		s.start()
		s.must("GET", "/api/templates/"+id, nil, &now)
		for w := range writers {
			require.NotEmpty(t, acked[w], "some changes were acknowledged before the end")
			notes := now.Template.Instruments[w].Notes
			require.Contains(t, []string{acked[w], sent[w]}, notes)
			require.Equal(t, notes, now.Template.Instruments[w+8].Notes, "all of a change, or nothing")
			require.Equal(t, notes, now.Template.Instruments[w+16].Notes)
			require.GreaterOrEqual(t, now.Revision, most[w])
		}
		s.logIsWhole(id, now.Revision)
	}
	s.must("POST", "/api/templates/"+id+"/undo", nil, nil)
}

// logIsWhole checks that every revision has its change, in the database.
func (s *server) logIsWhole(id string, revision int64) {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, s.db.URL)
	require.NoError(s.t, err)
	defer conn.Close(ctx)
	var count, top, kept int64
	require.NoError(s.t, conn.QueryRow(ctx, "select count(*), max(revision) from changes where document_id = $1", id).Scan(&count, &top))
	require.NoError(s.t, conn.QueryRow(ctx, "select revision from documents where id = $1", id).Scan(&kept))
	require.Equal(s.t, []int64{revision, revision, revision}, []int64{count, top, kept})
}

// host starts the host of a machine with the command that Seating shows.
func (s *server) host(id string, extra ...string) *exec.Cmd {
	var now opened
	s.must("GET", "/api/templates/"+id, nil, &now)
	var made struct{ Command string }
	s.must("POST", "/api/machines/credential", map[string]string{"template": id, "machine": now.Template.Machines[0].ID}, &made)
	command := strings.Replace(made.Command, "fanfold", studio.binary, 1) + " " + strings.Join(extra, " ")
	cmd := exec.Command("sh", "-c", "exec env "+command)
	cmd.Dir = s.t.TempDir() // where the host keeps its credential
	require.NoError(s.t, startTied(cmd, syscall.SIGKILL))
	s.t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	return cmd
}

// counted prints how many are in a state when a test has failed.
type counted struct {
	of    *opened
	state string
}

func (c *counted) Format(f fmt.State, _ rune) { fmt.Fprint(f, c.of.count(c.state)) }

// until polls the running state until it is as told.
func (s *server) until(id, what string, is func(opened) bool) {
	s.t.Helper()
	var last opened
	require.Eventually(s.t, func() bool {
		last = opened{}
		ok, _ := s.ask("GET", "/api/templates/"+id, nil, &last)
		return ok && is(last)
	}, time.Minute, 50*time.Millisecond, "never: %s; last %d ready, %d tuning, %d failed, machines %+v", what, &counted{&last, "ready"}, &counted{&last, "tuning"}, &counted{&last, "failed"}, &last.Rig.Machines)
}

func (o opened) count(state string) int {
	n := 0
	for _, i := range o.Rig.Instruments {
		if i.State == state {
			n++
		}
	}
	return n
}

func (o opened) ids() []string {
	var ids []string
	for _, i := range o.Template.Instruments {
		ids = append(ids, i.ID)
	}
	return ids
}

// A host killed in mid-load is told to be away, and brought back to its call
// when it starts again, and so is one that drops off the network for 30 s.
func TestAHostThatVanishesInMidLoad(t *testing.T) {
	s := runServer(t)
	id := s.template(8)
	var now opened
	s.must("GET", "/api/templates/"+id, nil, &now)
	host := s.host(id, "--speed 1")
	s.until(id, "the host is here", func(o opened) bool { return o.Rig.Machines[0].Online })
	s.must("POST", "/api/templates/"+id+"/calls", map[string]any{"ids": now.ids(), "how": "call"}, nil)
	s.until(id, "something is tuning", func(o opened) bool { return o.count("tuning") > 0 })
	require.NoError(t, host.Process.Kill())
	s.until(id, "everybody waits for the machine", func(o opened) bool {
		return !o.Rig.Machines[0].Online && o.count("ready") == 0 && o.Rig.Instruments[0].Reason == "Alder is away"
	})
	s.host(id, "--speed 50", "--drop-after 1s", "--drop-for 30s")
	s.until(id, "all are ready", func(o opened) bool { return o.count("ready") == 8 })
	s.until(id, "it drops off the network", func(o opened) bool { return !o.Rig.Machines[0].Online && o.count("ready") == 0 })
	cut := time.Now()
	s.until(id, "and comes back as it was", func(o opened) bool { return o.Rig.Machines[0].Online && o.count("ready") == 8 })
	t.Logf("away for %s", time.Since(cut).Round(time.Second))
}

// The server is killed while 500 loads run and starts again: the host goes on
// meanwhile, nothing it held is lost or loaded twice, nothing is told ready that
// is not, and in the end what is wanted and what is reported agree.
func TestTheServerIsKilledUnder500Loads(t *testing.T) {
	s := runServer(t)
	id := s.templateOf(500, func(int) int { return 4 })
	var now opened
	s.must("GET", "/api/templates/"+id, nil, &now)
	require.Len(t, now.Template.Instruments, 500)
	s.host(id, "--speed 1")
	s.until(id, "the host is here", func(o opened) bool { return o.Rig.Machines[0].Online })
	s.must("POST", "/api/templates/"+id+"/calls", map[string]any{"ids": now.ids(), "how": "call"}, nil)
	before := 0
	s.until(id, "some are ready", func(o opened) bool { before = o.count("ready"); return before > 50 })
	require.Less(t, before, 450, "it was killed in the middle")
	s.kill()
	s.start()
	first := true
	s.until(id, "all are ready", func(o opened) bool {
		ready := o.count("ready")
		if !o.Rig.Machines[0].Online {
			if ready > 0 {
				t.Errorf("%d are ready of a machine that has not been heard", ready)
			}
			return false
		}
		if first {
			t.Logf("%d ready when it was killed, %d when the host was heard again", before, ready)
			first = false
			if ready < before {
				t.Errorf("the host did not hold on to them")
			}
		}
		if o.count("failed") > 0 {
			t.Errorf("%d failed", o.count("failed"))
		}
		return ready == 500
	})
	s.must("GET", "/api/templates/"+id, nil, &now)
	players := 500 / 16 // whole ones, and one more; 64 MiB each
	require.InDelta(t, 500*4+float64(players+1)*64, now.Rig.Machines[0].UsedMiB, 1e-6, "nothing was loaded twice")
}

// A host that cannot read a patch, or has less memory than was planned, says
// so for that instrument; the others become ready.
func TestAHostThatRefuses(t *testing.T) {
	s := runServer(t)
	id := s.template(3)
	var now opened
	s.must("GET", "/api/templates/"+id, nil, &now)
	s.host(id, "--speed 50", "--corrupt 'Row 1'", "--memory 250")
	s.until(id, "the host is here", func(o opened) bool { return o.Rig.Machines[0].Online })
	s.must("POST", "/api/templates/"+id+"/calls", map[string]any{"ids": now.ids(), "how": "call"}, nil)
	s.until(id, "one is ready and two have failed", func(o opened) bool { return o.count("ready") == 1 && o.count("failed") == 2 })
	s.must("GET", "/api/templates/"+id, nil, &now)
	reasons := map[string]string{}
	for _, i := range now.Rig.Instruments {
		reasons[i.State] += i.Reason + "; "
	}
	require.Contains(t, reasons["failed"], "the samples of Row 1 cannot be read")
	require.Contains(t, reasons["failed"], "needs 102 MiB, 86 MiB free")
}
