package e2e_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/wav"
	"fanfold/internal/pass"
	"fanfold/internal/sampler"
)

// pressKey holds a key of the drawn keyboard down, near its front.
func (p *person) pressKey(key string) {
	p.t.Helper()
	p.see(`[data-part=play] [data-key="` + key + `"]`)
	at := p.page.MustEval(`k => { const b = document.querySelector('[data-part=play] [data-key="'+k+'"]').getBoundingClientRect(); return { x: b.x + b.width / 2, y: b.bottom - 4 } }`, key)
	require.NoError(p.t, p.page.Mouse.MoveTo(proto.Point{X: at.Get("x").Num(), Y: at.Get("y").Num()}))
	require.NoError(p.t, p.page.Mouse.Down(proto.InputMouseButtonLeft, 1))
}

func (p *person) letGo() {
	p.t.Helper()
	require.NoError(p.t, p.page.Mouse.Up(proto.InputMouseButtonLeft, 1))
}

// level is how loud the browser sounds, dBFS.
func (p *person) level() float64 {
	text, err := p.see(`[data-level]`).Attribute("data-level")
	require.NoError(p.t, err)
	db, err := strconv.ParseFloat(*text, 64)
	require.NoError(p.t, err)
	return db
}

func (p *person) hears(what string, is func(db float64) bool) {
	p.t.Helper()
	require.Eventually(p.t, func() bool { return is(p.level()) }, 20*time.Second, 20*time.Millisecond, what)
}

var (
	loud   = func(db float64) bool { return db > -45 }
	silent = func(db float64) bool { return db < -80 }
)

// A composer finds a row, arms it, is told that it is tacet, calls it, plays a key and hears
// it, at a level that shows; soft and loud; with the articulation chosen; with the letters of
// the computer; stops everything with one key; and lets it go with another.
func TestARowIsHeard(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("violins 1 long", "Violins 1 long")
	p.press("Hear")
	p.seeText(`[data-part=play] [data-armed]`, "Violins 1 long")
	p.seeText(`[aria-label=Trace]`, "Violins 1 long is armed")
	p.pressKey("72")
	p.seeText(`[data-part=play] [role=status]`, "Violins 1 long: not ready. Call it first.")
	p.letGo()
	p.press("Call it")
	p.see(`[data-part=play] [data-state=ready]`)
	p.pressKey("72")
	p.hears("a key is pressed", func(db float64) bool { return db > -22 && db < -12 })
	strong := p.level()
	p.see(`[data-latency]:not([data-latency=""])`)
	p.letGo()
	p.hears("the key is let go", silent)

	p.page.MustEval(`() => { const i = document.querySelector('[aria-label=Dynamics]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(i, "10"); i.dispatchEvent(new Event("input", { bubbles: true })) }`)
	p.pressKey("72")
	p.hears("softer", func(db float64) bool { return db > -80 && db < strong-6 })
	p.keys(input.Escape)
	p.hears("everything stops", silent)
	p.letGo()

	require.NoError(t, p.see(`[data-part=play] [aria-label=Articulation]`).Select([]string{"con sordino"}, true, "text"))
	p.press("Letters")
	p.focusSheet()
	require.NoError(t, p.page.Keyboard.Press(input.KeyK))
	p.hears("a letter plays", func(db float64) bool { return db > -70 })
	require.NoError(t, p.page.Keyboard.Release(input.KeyK))
	p.hears("the letter is let go", silent)
	t.Log("gaps: ", *p.see(`[data-gaps]`).MustAttribute("data-gaps"), ", after ms: ", *p.see(`[data-latency]`).MustAttribute("data-latency"))
	p.press("Disarm")
	p.gone(`[data-part=play]`)
}

// A composer has all rows measured, sees what is off, dead and wrong, takes the level trims
// that are proposed but for one row, and takes all of it back with one undo; and trims a row
// by hand.
func TestRowsAreMeasuredAndTrimmed(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("balance")
	p.press("Measure all")
	_, err := p.page.Timeout(4*patience()).ElementR(`[data-leaf=balance] header`, "41[0-9] heard")
	require.NoError(t, err)
	p.seeText(`[data-leaf=balance] header`, "41[0-9] heard, [0-9]+ off")
	p.see(`[data-leaf=balance] [data-off]`)
	p.see(`[data-badge=marks]`).MustClick()
	p.seeText(`[role=dialog]`, "Contrabass clarinet effects makes no sound")
	p.seeText(`[role=dialog]`, "Euphonium long sounds an octave above its keys")
	p.seeText(`[role=dialog]`, "Hall thunder sounds 1[0-9]+ ms after its key")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)

	p.press("Level trims")
	p.seeMany(`[data-part=trims] tbody tr`, 100)
	p.click(`[data-part=trims] tbody tr:first-child input`)
	p.changing(func() { p.press("Trim [0-9]+ rows") })
	p.gone(`[role=dialog]`)
	p.seeText(`[data-leaf=balance] header`, "41[0-9] heard, [0-9]{1,2} off")
	require.NoError(t, p.see(`[aria-label="Order of the rows"]`).Select([]string{"similar rows together"}, true, "text"))
	p.seeText(`[aria-label="Rows by level"]`, "As Flute 1 long")
	undo := func() {
		p.page.MustEval(`() => document.activeElement.blur()`) // in a field it would take back what is typed
		p.changing(func() { p.chord(input.ControlLeft, input.KeyZ) })
	}
	undo()
	p.seeText(`[data-leaf=balance] header`, "41[0-9] heard, [0-9]{3} off")

	row := p.see(`[aria-label^="Level trim of "]`)
	require.NoError(t, row.SelectAllText())
	require.NoError(t, row.Input("2,5"))
	p.changing(func() { p.keys(input.Enter) })
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => document.querySelector('[aria-label^="Level trim of "]').value === "+2.5"`)))

	p.click(`[data-balance]`)
	p.seeText(`[data-part=starts]`, "begin with")
	dynamics := p.see(`[aria-label="Upbeat: dynamics"]`)
	require.NoError(t, dynamics.Input("96"))
	p.changing(func() { p.keys(input.Enter) })
	p.press("headroom")
	p.seeText(`[data-part=headroom]`, "2M11 Storm over salt")
	p.see(`[data-part=headroom] [data-over]`)
	p.press("levels")
	undo()

	p.unfold("orchestra")
	p.find("violins 1 long", "Violins 1 long")
	p.unfold("balance")
	p.press("Microphones")
	p.seeText(`[data-mics="Close"]`, "now")
	p.seeText(`[data-mics="Hall"]`, "dB")
	p.changing(func() { p.click(`[aria-label="Take Hall"]`) })
	p.gone(`[role=dialog]`)
	p.seeText(`[role=status]`, "1 row heard, as loud as before")
	undo()
	undo()
	undo()
	undo()
	p.seeText(`[data-leaf=balance] header`, "nothing measured yet")
}

// recorded is what a sequencer would record of a pair of a pass, counted from 0: its rows
// played by the sounds of the demo's libraries, so much softer and so much later.
func recorded(t *testing.T, lantern *template.Template, x pass.Pass, pair int, softerDB, late float64) string {
	t.Helper()
	const rate = 48_000
	clock, err := tempo.New(calibrate.TicksPerSecond / 2)
	require.NoError(t, err)
	store := sampler.NewStore(1 << 30)
	defer store.Close()
	s, words := x.Schedule(), articulation.NewVocabulary(nil)
	end := 0.0
	for _, e := range s.Events {
		if x.Rows[e.Row].Pair == pair {
			end = max(end, e.At+e.Seconds)
		}
	}
	left, right := make([]float64, int((end+late+3)*rate)), make([]float64, int((end+late+3)*rate))
	for n, r := range x.Rows {
		if r.Pair != pair {
			continue
		}
		i := lantern.Instrument(r.ID)
		p := lantern.PatchOf(i)
		root, err := os.OpenRoot(filepath.Join(studio.dir, "studio", "samples", lantern.Index().Libraries[p.Library].Name))
		require.NoError(t, err)
		var mics []string
		for _, m := range i.MicsOf(p) {
			mics = append(mics, m.Name)
		}
		patch, err := sampler.Open(store, sampler.File{Place: p.Name, Folder: root.FS(), Source: *p.Source, Mics: mics})
		require.NoError(t, err)
		done, err := articulation.Compile(words, s.Part(n), calibrate.TargetOf(lantern, i), clock, articulation.Options{})
		require.NoError(t, err)
		e := sampler.New(patch, sampler.Options{RateHz: rate, Wait: true})
		for _, m := range done.Messages {
			kind, _ := sampler.KindOf(m.Status)
			e.Send(sampler.Message{At: int64((late + float64(m.Tick)/calibrate.TicksPerSecond) * rate), Kind: kind, Key: m.Data1, Value: m.Data2})
		}
		e.Render(left, right)
	}
	frames := make([]int16, 2*len(left))
	for n := range left {
		gain := 32767 * dsp.Amplitude(-softerDB)
		frames[2*n], frames[2*n+1] = int16(max(-32767, min(32767, left[n]*gain))), int16(max(-32767, min(32767, right[n]*gain)))
	}
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, rate, 2, frames))
	path := filepath.Join(t.TempDir(), "recording.wav")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	return path
}

// A composer has rows measured by the stand-in, takes the test out, and brings in a recording
// of them that is 12 dB softer and late: it comes back with that, by calibration; a recording
// of nothing is refused in words.
func TestARecordingOfTheTestIsMeasured(t *testing.T) {
	p := enter(t, 1280, 800)
	var opened struct {
		Template *template.Template
	}
	require.NoError(t, json.Unmarshal([]byte(p.page.MustEval(`async () => {
		const all = await (await fetch("/api/templates")).json();
		return await (await fetch("/api/templates/" + all.find((t) => t.name === "The Salt Lantern").id)).text();
	}`).Str()), &opened))
	x, err := pass.Of(opened.Template, false)
	require.NoError(t, err)
	fewest, rows := -1, map[int]int{}
	for _, r := range x.Rows {
		rows[r.Pair]++
	}
	for pair, n := range rows {
		if n > 1 && (fewest < 0 || n < rows[fewest] || n == rows[fewest] && pair < fewest) {
			fewest = pair
		}
	}
	p.page.MustEval(`async (id, rows) => {
		const path = "/api/templates/" + id + "/balance/measuring";
		const heard = async () => (await (await fetch("/api/templates/" + id)).json()).template.instruments.filter((i) => rows.includes(i.id) && i.heard).length;
		for (let n = 0; n < 5 && (await heard()) < rows.length; n++) { // a machine under load may need another turn
			await fetch(path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ rows }) });
			while ((await (await fetch(path)).json()).running) await new Promise((done) => setTimeout(done, 100));
		}
	}`, p.page.MustEval(`async () => (await (await fetch("/api/templates")).json()).find((t) => t.name === "The Salt Lantern").id`).Str(), func() (ids []string) {
		for _, r := range x.Rows {
			if r.Pair == fewest {
				ids = append(ids, string(r.ID))
			}
		}
		return ids
	}())
	p.unfold("balance")
	p.seeText(`[data-leaf=balance] header`, strconv.Itoa(rows[fewest])+" heard")
	p.press("Measure")
	p.press("By your own recording")
	p.seeText(`[role=dialog]`, "takes [0-9]")
	p.page.MustEval(`() => { document.querySelector("[role=dialog] a[download]").addEventListener("click", (e) => e.preventDefault(), { capture: true, once: true }) }`)
	p.press("Take out the test")
	p.seeMany(`[data-part=recordings] li`, len(x.Pairs))
	place := `[data-part=recordings] li:nth-child(` + strconv.Itoa(fewest+1) + `)`
	require.NoError(t, p.see(place+` input`).SetFiles([]string{recorded(t, opened.Template, x, fewest, 12, .73)}))
	p.seeText(place, strconv.Itoa(rows[fewest])+" heard, "+strconv.Itoa(rows[fewest])+" changed")
	said := *p.see(place + ` [title*="softer"]`).MustAttribute("title")
	for _, line := range strings.Split(said, "\n") {
		name, what, _ := strings.Cut(line, ": ")
		db, err := strconv.ParseFloat(strings.TrimSuffix(what, " dB softer"), 64)
		require.NoError(t, err, line)
		require.InDelta(t, 12, db, .2, name)
	}

	nothing := filepath.Join(t.TempDir(), "silence.wav")
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, 48_000, 2, make([]int16, 2*48_000*3)))
	require.NoError(t, os.WriteFile(nothing, b.Bytes(), 0o600))
	require.NoError(t, p.see(`[data-part=recordings] li:first-child input`).SetFiles([]string{nothing}))
	p.seeText(`body`, "no click is heard in the first 60 s")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.undo(2)
}

// A composer drags a section further back in the hall, sees its delay and its send follow,
// has sends and pans set by it, and takes that back.
func TestASectionIsMovedInTheHall(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("balance")
	p.press("hall")
	p.seeMany(`[data-part=standings] tbody tr`, 15)
	send := func() string {
		return p.page.MustEval(`() => [...document.querySelectorAll("[data-part=standings] tr")].find((r) => r.cells[0].textContent === "Oboes").textContent`).Str()
	}
	before := send()
	require.Contains(t, before, "stage")
	oboes := p.page.MustEval(`() => document.querySelector('[aria-label^="Oboes:"]').dataset.area`).Str()
	area := `[data-area="` + oboes + `"]`
	at := p.middle(area)
	require.NoError(t, p.page.Mouse.MoveTo(at))
	require.NoError(t, p.page.Mouse.Down(proto.InputMouseButtonLeft, 1))
	p.changing(func() {
		for n := range 10 {
			require.NoError(t, p.page.Mouse.MoveTo(proto.Point{X: at.X, Y: at.Y - 8*float64(n+1)}))
		}
		require.NoError(t, p.page.Mouse.Up(proto.InputMouseButtonLeft, 1))
	})
	require.Eventually(t, func() bool { return send() != before }, 20*time.Second, 20*time.Millisecond)
	farther := send()
	require.Greater(t, metres(t, farther), metres(t, before)+1.5, "%s, before: %s", farther, before)
	p.changing(func() { p.press("Set sends and pans") })
	p.changing(func() {
		require.NoError(t, p.see(`[aria-label="The hall"]`).Select([]string{"Small room"}, true, "text"))
	})
	p.seeText(`[data-part=hall]`, "as loud as the direct sound at 1.4 m")
	p.undo(3)
	require.Eventually(t, func() bool { return send() == before }, 20*time.Second, 20*time.Millisecond)
	p.press("levels")
}

// metres is how far off a line of the hall's table says that a section sits.
func metres(t *testing.T, line string) float64 {
	t.Helper()
	found := regexp.MustCompile(`([0-9.]+) m[0-9 ]`).FindStringSubmatch(line)
	require.NotEmpty(t, found, line)
	m, err := strconv.ParseFloat(found[1], 64)
	require.NoError(t, err)
	return m
}
