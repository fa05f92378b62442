package e2e_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// shootScore shows a score that plays, and what runs on a bus.
func (p *person) shootScore(dir string) {
	p.t.Helper()
	p.openCue()
	p.press("Play")
	p.scoreSounds("it plays", loud)
	p.unfold("routing")
	p.click(`[data-node="Hall, High winds"]`)
	p.click(`[data-effect=hall] [aria-expanded]`)
	p.see(`[data-effect=hall] [aria-label="decay, s"]`)
	p.shoot(dir, "score-day.png")
	p.see(`[aria-label="Close the score"]`).MustClick()
	p.gone(`[data-part=score]`)
	p.unfold("seating", "calls")
}

// TestScreenshots renews docs/screenshots when FANFOLD_SHOTS names the
// folder ("make screenshots"); it checks nothing otherwise.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("FANFOLD_SHOTS")
	if dir == "" {
		t.Skip("set FANFOLD_SHOTS to a folder, or run make screenshots")
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	p := visit(t, 1280, 800)
	p.see("form")
	p.press("Open the demo studio")
	p.see(`[data-leaf="orchestra"] [role=row]`)
	for _, theme := range []string{"day", "pit"} {
		p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, theme)
		p.unfold("orchestra", "routing")
		p.click(`[data-row="Flute 1 long"]`)
		require.NoError(t, p.page.Keyboard.Press('c'))
		p.see(`[data-row="Flute 1 long"][data-state=ready]`)
		if theme == "day" {
			p.shoot(dir, "orchestra-routing-day.png")
		}
		p.click(`[data-node="High winds"][data-kind=stem]`)
		p.see(`[data-inspects="High winds"] [data-part=arriving] [role=listitem]`)
		p.unfold("routing")
		p.click(`[data-node="High winds"][data-kind=stem]`)
		if theme == "day" {
			p.press("matrix")
			p.click(`[data-source="Piccolo long"] [data-cell="Flutes"]`)
			p.shoot(dir, "routing-matrix-day.png")
			p.press("ribbons")
		}
		p.unfold("deliver")
		p.click(`[data-stem="High winds"] button[draggable]`)
		if theme == "day" {
			p.shoot(dir, "deliver-day.png")
		}
		p.click(`[data-stem="High winds"] button[draggable]`)
		p.unfold("seating", "calls")
		p.see(`[data-call="1M05 Lamp room"]`)
		p.click(`[data-call="1M05 Lamp room"] button:nth-of-type(2)`)
		p.gone(`[data-part=arriving] [data-state=tuning]`)
		p.click(`[data-call="2M11 Storm over salt"] button`)
		if theme == "day" {
			p.shoot(dir, "seating-calls-day.png")
			p.shootScore(dir)
		}
		p.unfold("library", "orchestra")
		p.click(`[data-patch="Flute 1 long"]`)
		if theme == "day" {
			p.shoot(dir, "library-orchestra-day.png")
		}
		p.unfold("orchestra")
	}
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, "day")
	require.NoError(t, p.page.Keyboard.Press('/'))
	p.see("[cmdk-input]").MustInput("spic vln")
	p.see("[cmdk-item]")
	p.shoot(dir, "finder-day.png")
	require.NoError(t, p.page.Keyboard.Press(input.Escape))
	p.gone("[role=dialog]")
}

// TestScreenshotsOfTheCues renews those of a production: the strips with the sheet, a new cut, and
// tempi.
func TestScreenshotsOfTheCues(t *testing.T) {
	dir := os.Getenv("FANFOLD_SHOTS")
	if dir == "" {
		t.Skip("set FANFOLD_SHOTS to a folder, or run make screenshots")
	}
	p := enter(t, 1280, 800)
	p.film("The Salt Lantern")
	p.click(`[data-cue-row="1M02"] span`)
	p.seeMany(`[aria-label=Hits] li`, 4)
	p.see(`[aria-label="Cues of the production"]`).MustFocus()
	p.keys(input.ArrowDown)
	p.keys(input.ArrowUp)
	p.seeText(`[data-part=playhead]`, "bar 5 beat 1")
	p.shoot(dir, "cues-day.png")
	p.press("Cuts")
	p.press("Compare the cues with it")
	p.seeMany(`[data-part=ribbons] path`, 140)
	p.shoot(dir, "cut-day.png")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.page.MustEval(`() => { document.documentElement.dataset.theme = "pit" }`)
	p.press("Find tempi")
	p.click(`[role=dialog] .button-main`)
	p.seeMany(`[data-part=tempi] tbody tr`, 10)
	p.shoot(dir, "tempi-pit.png")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
}

// TestScreenshotsOfTheHistory renews those of the template's past.
func TestScreenshotsOfTheHistory(t *testing.T) {
	dir := os.Getenv("FANFOLD_SHOTS")
	if dir == "" {
		t.Skip("set FANFOLD_SHOTS to a folder, or run make screenshots")
	}
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.press("revision [0-9]")
	p.see(`[aria-label="Name of the version"]`).MustInput("Reel two, locked")
	p.see(`[aria-label="Note"]`).MustInput("as it went to the stage")
	p.press("Name it")
	p.see(`[data-version="Reel two, locked"]`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	for from, to := range map[string]string{"Flute 3 short": "Alto flute short", "Flute 3 long": "Alto flute long"} {
		p.find(from, from)
		p.keys(input.KeyE)
		p.see(`[role=grid] input`).MustSelectAllText().MustInput(to)
		p.keys(input.Enter)
		p.see(`[data-row="` + to + `"]`)
	}
	p.find("anvil", "Anvil")
	p.keys(input.Delete)
	p.gone(`[data-row="Anvil"]`)
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, "pit")
	p.press("revision [0-9]")
	p.see("[data-past]")
	p.shoot(dir, "history-pit.png")
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, "day")
	p.page.MustElementR(`[data-version="Reel two, locked"] button`, "^compare").MustClick()
	p.see(`[data-difference="Anvil"]`)
}

// TestScreenshotsOfTheLibrary renews those of what the catalogue opens.
func TestScreenshotsOfTheLibrary(t *testing.T) {
	dir := os.Getenv("FANFOLD_SHOTS")
	if dir == "" {
		t.Skip("set FANFOLD_SHOTS to a folder, or run make screenshots")
	}
	p := enter(t, 1280, 800)
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, "pit")
	p.unfold("library")
	p.see("[data-patch]")
	p.click(`[data-patch="Piccolo short"]`)
	p.see(`[aria-label="Switches of tenuto"]`).MustSelectAllText().MustInput("key C1")
	p.keys(input.Enter)
	p.see(`[aria-label="Faults of the map"] li`)
	p.press("Cancel")
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, "day")
	p.press("Cast")
	p.see(`input[aria-label=Score]`).MustSetFiles("../format/musicxml/testdata/pier.musicxml")
	p.see(`[data-part-name="Violins I"]`)
	p.press("Lists")
	p.press("Copy it")
	p.see(`[aria-label="Name of the list"]`)
	p.press("Remove")
	p.seeText(`[data-part-name="Violins I"]`, "what the template has")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
}

// TestScreenshotsOfTheSound renews those of the keyboard and of Balance.
func TestScreenshotsOfTheSound(t *testing.T) {
	dir := os.Getenv("FANFOLD_SHOTS")
	if dir == "" {
		t.Skip("set FANFOLD_SHOTS to a folder, or run make screenshots")
	}
	p := enter(t, 1280, 800)
	p.find("violins 1 long", "Violins 1 long")
	p.press("Hear")
	p.see(`[data-part=play] [data-armed]`)
	if p.page.MustHas(`[data-part=play] [data-state=tacet]`) { // the opening call has it otherwise
		p.press("Call it")
	}
	p.see(`[data-part=play] [data-state=ready]`)
	p.pressKey("72")
	p.hears("a key is pressed", loud)
	p.letGo() // so that the pointer can leave
	p.pressKey("76")
	p.hears("a key is pressed", loud)
	data, err := p.page.Screenshot(false, nil)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "keyboard-day.png"), data, 0o644))
	p.letGo()
	p.press("Disarm")
	p.unfold("balance")
	p.press("Measure all")
	_, err = p.page.Timeout(4*patience()).ElementR(`[data-leaf=balance] header`, "41[0-9] heard")
	require.NoError(t, err)
	p.see(`[data-leaf=balance] [data-off]`)
	p.gone(`[data-tone]`)
	p.shoot(dir, "balance-levels-day.png")
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, "pit")
	p.press("hall")
	p.seeMany(`[data-part=standings] tbody tr`, 15)
	p.shoot(dir, "balance-hall-pit.png")
}

// unfold opens leaves side by side, once no dialog takes the keys any more.
func (p *person) unfold(first string, beside ...string) {
	p.t.Helper()
	p.gone("[role=dialog]")
	if has, _, _ := p.page.Has(`[data-spine="` + first + `"]`); has {
		p.click(`[data-spine="` + first + `"]`)
	} else {
		p.page.MustEval(`() => document.activeElement.blur()`)
		key := map[string]input.Key{"deliver": input.Digit1, "library": input.Digit2, "orchestra": input.Digit3, "seating": input.Digit4, "routing": input.Digit5, "balance": input.Digit6, "calls": input.Digit7, "cues": input.Digit8, "print": input.Digit9}[first]
		require.NoError(p.t, p.page.KeyActions().Press(input.AltLeft).Type(key).Release(input.AltLeft).Do())
	}
	for _, leaf := range beside {
		require.NoError(p.t, p.page.Keyboard.Press(input.ShiftLeft))
		p.click(`[data-spine="` + leaf + `"]`)
		require.NoError(p.t, p.page.Keyboard.Release(input.ShiftLeft))
		p.see(`[data-leaf="` + leaf + `"]`)
	}
}

func (p *person) shoot(dir, name string) {
	p.t.Helper()
	require.NoError(p.t, p.page.Mouse.MoveTo(proto.Point{X: 640, Y: 2}))
	p.page.MustWaitRequestIdle("/events")()
	time.Sleep(300 * time.Millisecond) // for the eye only: let drawing settle
	data, err := p.page.Screenshot(false, nil)
	require.NoError(p.t, err)
	require.NoError(p.t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
}
