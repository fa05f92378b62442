package e2e_test

import (
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A composer looks what no cue of the film plays, sets all but one section aside in one change, sees
// that they left the sheet and what the machines would hold without them, makes a call of who always
// plays together, and brings all back.
func TestDustIsSetAside(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("calls", "orchestra")
	p.seeText(`[data-leaf=orchestra] header`, "419 instruments")
	p.menu("More", "Dust")
	p.seeText(`[role=dialog]`, "by the music of 8 cues")
	cost := p.see(`[data-part=dust-cost]`).MustText()
	require.Regexp(t, `^[0-9]+ rows\. Called, they cost .*Birch [0-9.]+ GiB and .*s`, cost)
	rows := strings.SplitN(cost, " ", 2)[0]
	p.seeText(`[aria-label="Never played"]`, "Voices")
	require.NotRegexp(t, `1M0|2M0`, p.see(`[aria-label="Never played"]`).MustText(), "nobody was played before")

	p.press("Choose all")
	p.click(`[aria-label="Never played"] input[aria-label="Voices"]`)
	p.clickOn("the main action", func() (*rod.Element, error) { return p.page.Timeout(patience()).Element(`[role=dialog] .button-main`) })
	p.seeText(`[data-part=aside]`, "^[0-9]+ rows set aside already")
	require.NotContains(t, p.see(`[data-part=aside]`).MustText(), "asked for")
	p.seeText(`[data-part=dust-cost]`, "^[0-9]+ rows")
	require.NotEqual(t, rows, strings.SplitN(p.see(`[data-part=dust-cost]`).MustText(), " ", 2)[0], "only the voices are left")

	p.see(`[aria-label="Always called together"]`)
	p.press("Make it a call")
	p.seeText(`[role=status]`, "Saved as")
	p.press("Show them")
	p.gone(`[role=dialog]`)
	p.seeText(`[data-leaf=orchestra] header`, "set aside")
	p.see(`[data-leaf=orchestra] [role=row][id^="row-"]`)
	p.see(`[data-part=sight]`).MustFocus()
	p.click(`[data-part=sight]`)
	p.press("Everything")
	p.seeText(`[data-leaf=orchestra] header`, "419 instruments, 0 ready, [0-9]+ set aside")

	p.menu("More", "Dust")
	p.see(`[data-part=aside]`)
	p.press("Bring all back")
	p.gone(`[data-part=aside]`)
	p.seeText(`[data-part=dust-cost]`, "^"+rows+" rows")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.seeText(`[data-leaf=orchestra] header`, "419 instruments, 0 ready")
}

// The music of a cue is heard with the picture: the playhead goes with it, the click is in its place,
// and the film of the score ends when it is put away.
func TestACueIsHeardWithThePicture(t *testing.T) {
	p := enter(t, 1280, 800)
	p.film("The Salt Lantern")
	p.page.MustEval(`() => {
		const start = AudioBufferSourceNode.prototype.start;
		window.clicks = [];
		AudioBufferSourceNode.prototype.start = function (when, offset) {
			const data = this.buffer.getChannelData(0);
			let peak = 0;
			for (let n = 0; n < data.length; n += 1) peak = Math.max(peak, Math.abs(data[n]));
			const at = Number(document.querySelector("[data-part=picture]").dataset.at);
			window.clicks.push({ at, offset, long: this.buffer.duration, peak });
			return start.call(this, when, offset);
		};
	}`)
	p.click(`[data-cue-row="1M02"] span`)
	p.seeText(`[data-part=cue]`, "12 parts")
	p.press("Hear it")
	p.seeText(`[data-part=score]`, "rows")
	p.seeText(`[data-part=playhead]`, "01:03:20:05 *bar 5 beat 1")
	p.click(`[aria-label="Picture"] [aria-label=Play]`)
	p.pictureAt("at > 90000 + 25*205")
	p.scoreSounds("everybody plays", func(db float64) bool { return db > -50 && db < 0 })
	got := p.page.MustEval(`() => {
		const second = Number(document.querySelector("[data-second]").dataset.second);
		return { second, at: Number(document.querySelector("[data-part=picture]").dataset.at) };
	}`)
	// At 84 in 4/4, 16 beats of count-in are 285.71 frames: the music begins at frame 94,719.29.
	at, second := got.Get("at").Num(), got.Get("second").Num()
	require.InDelta(t, 94_719.29+25*second, at, 12, "the picture goes with the music")
	click := p.page.MustEval(`() => window.clicks.at(-1)`)
	require.InDelta(t, (click.Get("at").Num()-94_719.29)/25, click.Get("offset").Num(), .6, "the click is where the picture is")
	require.InDelta(t, 0.6, click.Get("peak").Num(), .15, "it is heard; the browser may resample it")
	require.InDelta(t, 285.71/25+(96_800-95_005)/25., click.Get("long").Num(), 1)
	p.click(`[aria-label="Picture"] [aria-label=Stop]`)
	p.see(`[aria-label="Picture"] [aria-label=Play]`)
	p.scoreSounds("stopped", silent)
	p.press("Close it")
	p.gone(`[data-part=score]`)
}

// Who plays in the music that a cue keeps is chosen for the cue, and proposed for the next; memory by
// bar is told from it.
func TestWhoPlaysInACue(t *testing.T) {
	p := enter(t, 1280, 800)
	p.film("The Salt Lantern")
	p.click(`[data-cue-row="1M02"] span`)
	p.seeText(`[data-part=cue]`, "12 parts")
	p.press("Who plays…")
	p.seeText(`[role=dialog] h2`, "Who plays in 1M02 The lamp is lit")
	p.seeText(`[data-part-name="Flute 1"]`, "Flute 1 long")
	p.clickOn("leave the flute out", func() (*rod.Element, error) {
		return p.page.Timeout(patience()).ElementR(`[data-part-name="Flute 1"] button`, "leave out")
	})
	p.seeText(`[data-part-name="Flute 1"]`, "nobody")
	p.seeText(`[data-part-name="Flute 1"] button`, "as matched")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)

	p.press("Memory by bar…")
	p.see(`[data-part=steps] tbody tr`)
	p.unfoldNames() // who shares a step depends on how long each was seen to load
	p.seeText(`[data-part=steps] tbody`, "Oboe 1 long")
	require.NotContains(t, p.see(`[data-part=steps]`).MustText(), "Flute 1 long", "it is left out")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)

	p.click(`[data-cue-row="1M03"] span`)
	p.seeText(`[data-part=cue]`, "9 parts")
	p.press("Who plays…")
	p.seeText(`[role=dialog]`, "Cast as 1M02 The lamp is lit is")
	p.seeText(`[data-part-name="Flute 1"]`, "nobody")
	p.press("As matched")
	p.seeText(`[data-part-name="Flute 1"]`, "Flute 1 long")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.press("Memory by bar…")
	p.seeText(`[data-part=by-bar]`, "[0-9]+ bars")
	p.see(`[data-part=steps] tbody tr`)
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.press("Undo")
	p.press("Undo")
	p.click(`[data-cue-row="1M02"] span`)
	p.press("Who plays…")
	p.seeText(`[data-part-name="Flute 1"]`, "Flute 1 long")
	p.keys(input.Escape)
}

// unfoldNames shows every name of the steps in which rows are called.
func (p *person) unfoldNames() {
	p.t.Helper()
	p.page.MustEval(`() => document.querySelectorAll("[data-part=steps] button").forEach((more) => more.click())`)
	p.gone(`[data-part=steps] button`)
}
