package e2e_test

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// Twenty pages of one browser stay usable: they share one stream of events, so
// that requests find a connection, and each sees what another changes.
func TestTwentyPagesOfOneBrowser(t *testing.T) {
	first := enter(t, 900, 600)
	pages := []*person{first}
	for range 19 {
		page, err := first.page.Browser().Page(proto.TargetCreateTarget{URL: studio.address})
		require.NoError(t, err)
		ctx, cancel := context.WithTimeout(context.Background(), 9*patience())
		t.Cleanup(func() { _ = page.Close(); cancel() })
		pages = append(pages, &person{t: t, page: page.Context(ctx).WithPanic(func(v any) { t.Fatalf("%v", v) })})
	}
	for _, p := range pages {
		p.see(`[data-leaf="orchestra"] [role=row]`)
	}
	for _, p := range pages {
		require.Equal(t, 200, p.page.MustEval(`async () => (await fetch("/api/session")).status`).Int(), "a request finds a connection")
	}
	revision := func(p *person) string { return *p.see("[data-revision]").MustAttribute("data-revision") }
	before := revision(first)
	first.changing(func() {
		first.page.MustEval(`async () => {
			const id = (await (await fetch("/api/templates")).json())[0].id
			const { template, revision } = await (await fetch("/api/templates/" + id)).json()
			const change = { kind: "edit", edits: [{ id: template.instruments[3].id, notes: "seen by twenty" }] }
			const r = await fetch("/api/templates/" + id + "/changes", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ base: revision, change }) })
			if (!r.ok) throw new Error(await r.text())
		}`)
	})
	now := revision(first)
	require.NotEqual(t, before, now)
	for _, p := range pages {
		err := p.page.Timeout(patience()).Wait(rod.Eval(`now => document.querySelector("[data-revision]").dataset.revision === now`, now))
		require.NoError(t, err, "a page never saw the change")
	}
	first.undo(1)
	for _, p := range pages[1:] {
		err := p.page.Timeout(patience()).Wait(rod.Eval(`now => document.querySelector("[data-revision]").dataset.revision !== now`, now))
		require.NoError(t, err, "a page never saw the undo")
	}
}

// stall stops the database in its tracks, with everything it has begun; the
// function returned lets it go on.
func (s *server) stall() (goOn func()) {
	var stopped []int
	signal := func(sig syscall.Signal) {
		for _, pid := range stopped {
			_ = syscall.Kill(pid, sig) // it may have ended
		}
	}
	names, err := filepath.Glob("/proc/[0-9]*/cwd")
	require.NoError(s.t, err)
	for _, name := range names {
		if cwd, err := os.Readlink(name); err == nil && cwd == s.db.Data {
			pid, err := strconv.Atoi(strings.Split(name, "/")[2])
			require.NoError(s.t, err)
			stopped = append(stopped, pid)
		}
	}
	require.NotEmpty(s.t, stopped)
	signal(syscall.SIGSTOP)
	return func() { signal(syscall.SIGCONT) }
}

// While the database does not answer at all, what is open is read, the machines
// stay here, and a change waits or is refused; afterwards everything goes on, and
// nothing is half done.
func TestADatabaseThatStalls(t *testing.T) {
	s := runServer(t)
	id := s.template(24)
	path := "/api/templates/" + id
	s.host(id, "--name", "Alder", "--speed", "50")
	var now opened
	require.Eventually(t, func() bool {
		s.must("GET", path, nil, &now)
		return now.Rig.Machines[0].Online
	}, 30*time.Second, 50*time.Millisecond)
	goOn := s.stall()
	defer goOn()
	changed := make(chan bool, 1)
	go func() {
		ok, _ := s.ask("POST", path+"/changes", map[string]any{"base": now.Revision, "change": note(now.Template.Instruments[0].ID, "while it stalls")}, nil)
		changed <- ok
	}()
	var slowest time.Duration
	for began := time.Now(); time.Since(began) < 10*time.Second; {
		at := time.Now()
		s.must("GET", path, nil, &now)
		slowest = max(slowest, time.Since(at))
		require.True(t, now.Rig.Machines[0].Online, "the machine stays here")
		time.Sleep(100 * time.Millisecond)
	}
	t.Logf("the slowest look at 24 rows while the database stalled for 10 s: %s", slowest.Round(time.Millisecond))
	goOn()
	kept := <-changed
	require.Eventually(t, func() bool {
		ok, _ := s.ask("POST", path+"/changes", map[string]any{"base": now.Revision, "change": note(now.Template.Instruments[1].ID, "afterwards")}, nil)
		return ok
	}, 30*time.Second, 50*time.Millisecond)
	s.must("GET", path, nil, &now)
	if kept {
		require.Equal(t, "while it stalls", now.Template.Instruments[0].Notes)
	}
	s.logIsWhole(id, now.Revision)
}
