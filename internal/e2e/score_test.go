package e2e_test

import (
	"strconv"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"

	cues "fanfold/internal/demo"
)

// theCue is the demo's piece of music, as it is shipped.
const theCue = "../../docs/music/" + cues.CueName + ".mid"

// figure is what an attribute says.
func (p *person) figure(selector, attribute string) float64 {
	p.t.Helper()
	text, err := p.see(selector).Attribute(attribute)
	require.NoError(p.t, err)
	x, err := strconv.ParseFloat(*text, 64)
	require.NoError(p.t, err)
	return x
}

func (p *person) scoreSounds(what string, is func(db float64) bool) {
	p.t.Helper()
	require.Eventually(p.t, func() bool { return is(p.figure(`[data-score-level]`, "data-score-level")) }, 30*time.Second, 20*time.Millisecond, what)
}

// openCue drops the demo's cue and opens it to be played.
func (p *person) openCue() {
	p.t.Helper()
	p.unfold("calls")
	p.press("From music")
	p.see(`[aria-label="Music"]`).MustSetFiles(theCue)
	p.seeText(`[role=dialog] [aria-label=Parts]`, "Violins I")
	p.press("Hear it")
	p.gone(`[role=dialog]`)
	p.seeText(`[data-part=score]`, "14 rows|1[0-9] rows")
}

// A composer opens a score, hears all of it from a later bar, one stem of it, one row by
// itself; holds it and goes on; stops it; takes the hall of a bus away and hears the mix
// without it; and puts the score away.
func TestAScoreIsHeard(t *testing.T) {
	p := enter(t, 1280, 800)
	p.openCue()
	p.see(`[role=slider][aria-label=Bar]`).MustFocus()
	for range 16 {
		p.keys(input.ArrowRight)
	}
	p.see(`[role=slider][aria-valuenow="17"]`)
	began := time.Now()
	p.press("Play")
	p.scoreSounds("everybody plays", func(db float64) bool { return db > -40 && db < 0 })
	t.Log("first heard after", time.Since(began))
	p.press("Pause")
	p.scoreSounds("held", silent)
	held := p.figure(`[data-second]`, "data-second")
	time.Sleep(300 * time.Millisecond)
	require.InDelta(t, held, p.figure(`[data-second]`, "data-second"), .2, "it stands still")
	p.press("Play")
	p.scoreSounds("it goes on", loud)
	require.Eventually(t, func() bool { return p.figure(`[data-second]`, "data-second") > held+.5 }, 20*time.Second, 20*time.Millisecond)

	require.NoError(t, p.see(`#score-bus`).Select([]string{"Horns"}, true, "text"))
	p.scoreSounds("the horns' stem", func(db float64) bool { return db > -60 })
	require.NoError(t, p.see(`#score-bus`).Select([]string{"in the mix"}, true, "text"))
	require.NoError(t, p.see(`#score-rows`).Select([]string{"^Violas"}, true, "regex"))
	require.NoError(t, p.see(`#score-bus`).Select([]string{"by itself"}, true, "text"))
	p.scoreSounds("a row by itself", func(db float64) bool { return db > -60 })
	p.see(`#score-bus`).MustFocus()
	p.keys(input.Escape)
	p.scoreSounds("stopped", silent)
	stopped := p.figure(`[data-second]`, "data-second")
	require.Less(t, stopped, 80.0, "before its end")
	p.seeText(`[data-part=score] button`, "Play")
	t.Log("gaps:", p.figure(`[data-score-gaps]`, "data-score-gaps"))
	p.see(`[aria-label="Close the score"]`).MustClick()
	p.gone(`[data-part=score]`)
}

// A row is heard at the return of its hall: the hall rings on when the key is let go, as long
// as it is set to.
func TestARowIsHeardInItsHall(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("violins 2 long", "Violins 2 long")
	p.press("Hear")
	p.press("Call it")
	p.see(`[data-part=play] [data-state=ready]`)
	require.NoError(t, p.see(`[data-part=play] [aria-label="How it is heard"]`).Select([]string{"Hall, High strings long"}, true, "text"))
	p.pressKey("72")
	p.hears("the hall", func(db float64) bool { return db > -45 })
	p.letGo()
	began := time.Now()
	p.hears("it dies away", func(db float64) bool { return db < -75 })
	rang := time.Since(began)
	p.hears("and is silent", silent)
	t.Log("the hall rang for", rang)
	require.Greater(t, rang, 700*time.Millisecond)
	p.press("Disarm")
}

// What runs on a bus is set where its routes are: a hall is made longer, turned off, brought
// back by undo; a filter is added beside it; and the stems still add up.
func TestEffectsOfABus(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra", "routing")
	p.click(`[data-row="Flute 1 long"]`)
	pan := p.see(`[aria-label="Pan of Flute 1 long"]`)
	require.NoError(t, pan.SelectAllText())
	require.NoError(t, pan.Input("30 left"))
	p.changing(func() { p.keys(input.Enter) })
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => document.querySelector('[aria-label="Pan of Flute 1 long"]').value === "30 left"`)))
	p.undo(1)
	p.unfold("routing")
	p.click(`[data-node="Hall, High winds"]`)
	p.seeText(`[data-part=effects]`, "hall 2.8 s")
	p.click(`[data-effect=hall] [aria-expanded]`)
	p.see(`[data-effect=hall] [aria-label="decay, s"]`).MustClick().MustSelectAllText().MustInput("4")
	p.keys(input.Enter)
	p.seeText(`[data-part=effects]`, "hall 4 s")
	p.see(`[data-effect=hall] [aria-label="decay, s"]`).MustClick().MustSelectAllText().MustInput("99")
	p.keys(input.Enter)
	p.seeText(`[data-part=effects]`, "hall 15 s")
	p.click(`[data-effect=hall] [aria-pressed=true]`)
	p.see(`[data-effect=hall] [aria-pressed=false]`)
	require.NoError(t, p.see(`[aria-label="Add to Effects of Hall, High winds"]`).Select([]string{"filter"}, true, "text"))
	p.see(`[data-effect=filter]`)
	p.seeText("[data-part=sums]", "24 stems add up to the mix")
	p.undo(4)
	p.seeText(`[data-part=effects]`, "hall 2.8 s")
	p.gone(`[data-effect=filter]`)
	p.see(`[data-effect=hall] [aria-pressed=true]`)
}

// Groups are weighed by the table of strengths: one is left as it is, the others are set in
// one step, and taken back by one.
func TestGroupsAreBalancedByStrength(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("balance")
	p.press("strengths")
	p.seeText(`[data-weight="Trumpets"]`, "as it is")
	p.seeText(`[data-weight="Horns"]`, "−3 dB")
	p.seeText(`[data-weight="Flutes"]`, "−6 dB")
	p.click(`[data-weight="Flutes"] input`)
	p.press("Set [0-9]+ faders")
	p.seeText(`[data-weight="Horns"]`, "as it is")
	p.seeText(`[data-weight="Flutes"]`, "−6 dB")
	p.undo(1)
	p.seeText(`[data-weight="Horns"]`, "−3 dB")
}
