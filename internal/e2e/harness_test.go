package e2e_test

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/launcher/flags"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// The demo studio runs once for all browser tests, as a user would start it.
var studio *demo

type demo struct {
	address string
	browser *rod.Browser
	binary  string
	cmd     *exec.Cmd
	dir     string
}

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, "browser tests:", err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M) (int, error) {
	dir, err := os.MkdirTemp("", "fanfold-e2e-")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	studio = &demo{dir: dir, binary: filepath.Join(dir, "fanfold")}
	build := exec.Command("go", "build", "-o", studio.binary, "fanfold/cmd/fanfold")
	build.Env = append(os.Environ(), "CGO_ENABLED=0") // as it is given out: it needs no library of the system
	if out, err := build.CombinedOutput(); err != nil {
		return 1, fmt.Errorf("build: %s", out)
	}
	began := time.Now()
	if err := studio.start(filepath.Join(dir, "studio"), "20"); err != nil {
		return 1, err
	}
	defer studio.stop()
	browser, err := openBrowser()
	if err != nil {
		return 1, err
	}
	defer browser.MustClose()
	studio.browser = browser
	slow = max(1, time.Since(began).Seconds()/usual.Seconds())
	if err := studio.restAll(); err != nil {
		return 1, err
	}
	return m.Run(), nil
}

// restAll opens the demo, waits for its opening call and rests it, so that
// tests begin with nothing ready.
func (d *demo) restAll() error {
	page, err := d.browser.Page(proto.TargetCreateTarget{URL: d.address})
	if err != nil {
		return err
	}
	defer page.Close()
	_, err = page.Timeout(30 * time.Second).Evaluate(rod.Eval(`async () => {
		const post = async (path, body) => {
			const r = await fetch("/api" + path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body ?? {}) })
			if (!r.ok) throw new Error(path + ": " + await r.text())
			return r.json()
		}
		await post("/session/demo")
		const all = await (await fetch("/api/templates")).json()
		const path = "/templates/" + all[0].id
		const { called } = await post(path + "/calls/begin")
		if (called !== 6) throw new Error("the opening call brings " + called)
		const { template: { instruments } } = await (await fetch("/api" + path)).json()
		await post(path + "/calls", { ids: instruments.map(i => i.id), how: "rest", sure: true })
	}`).ByPromise())
	return err
}

// startTied starts a program that ends with this one. The system binds that to
// the thread that starts it, which must therefore live on.
func startTied(cmd *exec.Cmd, end syscall.Signal) error {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	cmd.SysProcAttr.Pdeathsig = end
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		started <- cmd.Start()
		select {}
	}()
	return <-started
}

// start runs the demo and waits for its address.
func (d *demo) start(dir, speed string) error {
	films := filepath.Join(dir, "films")
	if err := os.MkdirAll(films, 0o755); err != nil {
		return err
	}
	d.cmd = exec.Command(d.binary, "demo", "--dir", dir, "--listen", "127.0.0.1:0", "--rig-listen", "127.0.0.1:0", "--speed", speed, "--scan-root", films)
	d.cmd.Stderr = os.Stderr
	out, err := d.cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := startTied(d.cmd, syscall.SIGTERM); err != nil {
		return err
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, address, ok := strings.Cut(lines.Text(), "ready at "); ok {
			d.address = address
			go func() {
				for lines.Scan() {
				}
			}()
			return nil
		}
	}
	return fmt.Errorf("the demo ended without an address")
}

func (d *demo) stop() {
	_ = d.cmd.Process.Signal(syscall.SIGINT) // it may have ended already
	_ = d.cmd.Wait()
}

func openBrowser() (*rod.Browser, error) {
	l := launcher.New().Bin("/usr/bin/chromium").Headless(true).NoSandbox(true)
	for _, flag := range []string{"disable-gpu", "disable-quic", "no-first-run", "disable-background-networking", "disable-component-update", "disable-sync"} {
		l = l.Set(flags.Flag(flag))
	}
	url, err := l.Launch()
	if err != nil {
		return nil, fmt.Errorf("start chromium: %w", err)
	}
	b := rod.New().ControlURL(url)
	return b, b.Connect()
}

// person is one browser of its own, with its own cookies.
type person struct {
	t    testing.TB
	page *rod.Page

	leave func(*rod.Page) // puts back what a failed test has changed

	mu    sync.Mutex
	lines []string // of the console
}

// slow is how many times longer than a quiet machine this one takes; every wait is
// longer by it.
var slow = 1.0

// usual is how long starting the demo and a browser takes on a quiet machine.
const usual = 8 * time.Second

// patience is how long a person waits for what a quiet machine shows within a
// second.
func patience() time.Duration { return time.Duration(20 * slow * float64(time.Second)) }

// visit opens the address in a fresh browser and watches its console; an
// error there fails the test. When the test fails, a picture of the page and the
// console's lines are left.
func visit(t testing.TB, width, height int) *person {
	t.Helper()
	return visitAs(t, width, height, false)
}

// visitAs is visit by somebody who has closed all hints, or none.
func visitAs(t testing.TB, width, height int, hinted bool) *person {
	t.Helper()
	private, err := studio.browser.Incognito()
	require.NoError(t, err)
	page, err := private.Page(proto.TargetCreateTarget{})
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), 9*patience())
	p := &person{t: t, leave: func(*rod.Page) {}}
	p.page = page.Context(ctx).WithPanic(func(v any) {
		t.Helper()
		t.Fatalf("%v", v) // ends this test, and no other
	})
	t.Cleanup(func() {
		p.leavePicture(page)
		p.leave(page)
		_ = private.Close()
		cancel()
	})
	require.NoError(t, p.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: height, DeviceScaleFactor: 1}))
	go p.page.EachEvent(func(e *proto.RuntimeExceptionThrown) {
		t.Errorf("the page threw: %s", e.ExceptionDetails.Exception.Description)
	}, func(e *proto.RuntimeConsoleAPICalled) {
		for _, arg := range e.Args {
			p.note("%s: %s %s", e.Type, arg.Value, arg.Description)
			if e.Type == proto.RuntimeConsoleAPICalledTypeError {
				t.Errorf("console error: %s %s", arg.Value, arg.Description)
			}
		}
	})()
	if !hinted {
		_, err = p.page.EvalOnNewDocument(`localStorage.setItem("fanfold.hints", '["all"]')`)
		require.NoError(t, err)
	}
	require.NoError(t, p.page.Navigate(studio.address))
	return p
}

func (p *person) note(text string, args ...any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.lines = append(p.lines, fmt.Sprintf(text, args...))
}

// leavePicture leaves what a failed test last saw.
func (p *person) leavePicture(page *rod.Page) {
	if !p.t.Failed() {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, line := range p.lines {
		p.t.Log("console ", line)
	}
	dir := os.Getenv("FANFOLD_FAILED")
	if dir == "" {
		dir = filepath.Join(os.TempDir(), "fanfold-failed")
	}
	data, err := page.Timeout(10*time.Second).Screenshot(false, nil)
	if err == nil {
		err = os.MkdirAll(dir, 0o755)
	}
	path := filepath.Join(dir, strings.ReplaceAll(p.t.Name(), "/", "-")+".png")
	if err == nil {
		err = os.WriteFile(path, data, 0o644)
	}
	if err != nil {
		p.t.Log("no picture is left: ", err)
		return
	}
	p.t.Log("what was seen last: ", path)
}

// enter signs in to the demo studio with one click.
func enter(t testing.TB, width, height int) *person {
	p := visit(t, width, height)
	p.openLantern()
	return p
}

// openLantern signs in and opens the demo's own template, whatever was changed last.
func (p *person) openLantern() {
	p.t.Helper()
	p.press("Open the demo studio")
	p.see(`[aria-label^="Template: "]`)
	if has, _, _ := p.page.Has(`[aria-label="Template: The Salt Lantern"]`); !has {
		p.toTemplate("The Salt Lantern")
	}
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.leaveAsFound()
}

// leaveAsFound puts the demo's template back as it was found, with nothing ready where a
// test fails, so that those after it find what they expect.
func (p *person) leaveAsFound() {
	was := p.page.MustEval(`async () => {
		const all = await (await fetch("/api/templates")).json();
		const found = all.find((t) => t.name === "The Salt Lantern");
		if (!found) return null;
		const { revision, template } = await (await fetch("/api/templates/" + found.id)).json();
		return { id: found.id, revision, text: JSON.stringify(template) };
	}`)
	if was.Nil() {
		return
	}
	p.leave = func(page *rod.Page) {
		done, err := page.Timeout(time.Minute).Evaluate(rod.Eval(`async (id, revision, text, failed) => {
			const send = async (path, body) => {
				const done = await fetch("/api/templates/" + id + path, body === undefined ? {} :
					{ method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
				if (!done.ok) throw new Error(path + ": " + (await done.text()));
				return done.json();
			};
			const now = (await send("")).template;
			const other = JSON.stringify(now) !== text;
			if (other) await send("/history/" + revision + "/restore", {});
			if (failed) for (const m of now.machines) await send("/machines/" + m.id + "/rest", { sure: true });
			return other;
		}`, was.Get("id").Str(), was.Get("revision").Int(), was.Get("text").Str(), p.t.Failed()).ByPromise())
		switch {
		case err != nil:
			p.t.Log("the template is not as it was found: ", err)
		case done.Value.Bool():
			p.t.Log("the template was left different from how it was found, and is put back")
		}
	}
}

func (p *person) see(selector string) *rod.Element {
	p.t.Helper()
	e, err := p.page.Timeout(patience()).Element(selector)
	require.NoError(p.t, err, "never saw %s", selector)
	return e
}

// seeMany waits until at least so many match, and returns all.
func (p *person) seeMany(selector string, least int) rod.Elements {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`(s, n) => document.querySelectorAll(s).length >= n`, selector, least))
	require.NoError(p.t, err, "never saw %d of %s", least, selector)
	all, err := p.page.Elements(selector)
	require.NoError(p.t, err)
	return all
}

// seeJust waits until exactly so many match.
func (p *person) seeJust(selector string, count int) {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`(s, n) => document.querySelectorAll(s).length === n`, selector, count))
	if err != nil {
		all, _ := p.page.Elements(selector)
		require.NoError(p.t, err, "there are %d of %s, not %d", len(all), selector, count)
	}
}

// seeText waits until an element shows a text.
func (p *person) seeText(selector, text string) {
	p.t.Helper()
	_, err := p.page.Timeout(patience()).ElementR(selector, text)
	if err != nil {
		body, _ := p.page.Timeout(time.Second).Element(selector)
		got := "nothing"
		if body != nil {
			got, _ = body.Text()
		}
		require.NoError(p.t, err, "%s never said %q; it says %q", selector, text, got)
	}
}

// gone waits until nothing matches.
func (p *person) gone(selector string) {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`s => document.querySelector("body") !== null && document.querySelector(s) === null`, selector))
	require.NoError(p.t, err, "%s never went", selector)
}

// changing does what changes the template, and waits until it shows.
func (p *person) changing(what func()) {
	p.t.Helper()
	before := p.see("[data-revision]").MustAttribute("data-revision")
	what()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`before => document.querySelector("[data-revision]").dataset.revision !== before`, *before))
	require.NoError(p.t, err, "the template never changed from revision %s", *before)
}

// press clicks the button or menu item with that text.
func (p *person) press(text string) {
	p.t.Helper()
	p.clickOn("a button that says "+text, func() (*rod.Element, error) {
		return p.page.Timeout(patience()).ElementR("button, [role=menuitem], [role=menuitemradio], [role=menuitemcheckbox], a", "^"+text)
	})
}

// item chooses an entry of the menu that is open. It does so at once: what is one step deeper closes
// under a pointer that a loaded machine moves in jumps.
func (p *person) item(text string) {
	p.t.Helper()
	e, err := p.page.Timeout(patience()).ElementR("[role=menu] [role=menuitem]:not([data-disabled])", "^"+text)
	require.NoError(p.t, err, "never saw an entry that says %s", text)
	_, err = e.Eval(`() => this.click()`)
	require.NoError(p.t, err)
}

// menu opens a menu and goes down it.
func (p *person) menu(button string, items ...string) {
	p.t.Helper()
	p.press(button)
	for _, text := range items {
		p.item(text)
	}
}

// rightClick opens the menu of a thing.
func (p *person) rightClick(selector string) {
	p.t.Helper()
	require.NoError(p.t, p.see(selector).Click(proto.InputMouseButtonRight, 1))
	p.see("[role=menu]")
}

func (p *person) click(selector string) {
	p.t.Helper()
	p.clickOn(selector, func() (*rod.Element, error) { return p.page.Timeout(patience()).Element(selector) })
}

// clickOn clicks what is found, once nothing lies over it: a dialog that closes takes
// the pointer for a moment more.
func (p *person) clickOn(what string, find func() (*rod.Element, error)) {
	p.t.Helper()
	for until := time.Now().Add(patience()); ; time.Sleep(50 * time.Millisecond) {
		e, err := find()
		require.NoError(p.t, err, "never saw %s", what)
		err = e.Click(proto.InputMouseButtonLeft, 1)
		if err == nil {
			return
		}
		var off *rod.NoPointerEventsError
		var covered *rod.CoveredError
		if !errors.As(err, &off) && !errors.As(err, &covered) || time.Now().After(until) {
			require.NoError(p.t, err, "%s cannot be clicked", what)
		}
	}
}
