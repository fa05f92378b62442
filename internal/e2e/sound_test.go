package e2e_test

import (
	"strconv"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
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
	_, err := p.page.Timeout(4 * patience()).ElementR(`[data-leaf=balance] header`, "41[0-9] heard")
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
	require.NoError(t, p.see(`[aria-label="Order of the rows"]`).Select([]string{"alike together"}, true, "text"))
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
	undo()
	undo()
	p.seeText(`[data-leaf=balance] header`, "nothing is measured yet")
}
