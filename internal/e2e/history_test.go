package e2e_test

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A version is named; rows go; the version is looked at, compared with, one row
// is taken across, and an earlier change is taken back alone.
func TestVersionsOnScreen(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.press("revision [0-9]")
	p.see(`[aria-label="Name of the version"]`).MustInput("Before the flood")
	p.see(`[aria-label="Note"]`).MustInput("all in their seats")
	p.press("Name it")
	p.seeText(`[data-version="Before the flood"]`, "all in their seats")
	p.keys(input.Escape)
	p.gone("[role=dialog]")

	p.find("flute 2 long", "Flute 2 long")
	p.keys(input.Delete)
	p.gone(`[data-row="Flute 2 long"]`)
	p.find("flute 3 short", "Flute 3 short")
	p.keys(input.KeyE)
	p.see(`[role=grid] input`).MustSelectAllText().MustInput("Third flute")
	p.keys(input.Enter)
	p.see(`[data-row="Third flute"]`)

	p.press("revision [0-9]")
	p.page.MustElementR(`[data-version="Before the flood"] button`, "look at it").MustClick()
	p.seeText("[data-part=locked]", "as it was at revision")
	p.see(`[data-row="Flute 2 long"]`)
	p.click(`[data-row="Flute 2 long"]`)
	p.focusSheet()
	p.keys(input.Delete)
	p.seeText("[role=alert]", "an earlier version, to be looked at")
	p.press("Back to the present")
	p.gone("[data-part=locked]")
	p.gone(`[data-row="Flute 2 long"]`)

	p.press("revision [0-9]")
	p.page.MustElementR(`[data-version="Before the flood"] button`, "^compare").MustClick()
	p.seeText("[data-part=difference-count]", "1 only there, 0 only here, 1 changed")
	p.seeText(`[data-difference="Flute 3 short"]`, `name[\s\S]*Third flute[\s\S]*Flute 3 short`)
	p.see("[aria-label=Show]").MustSelect("routes (0)")
	p.gone(`[data-difference="Flute 3 short"]`)
	p.see("[aria-label=Show]").MustSelect("instruments (2)")
	p.click(`[aria-label="Only the name of Flute 3 short"]`)
	p.see(`[aria-label="Only the name by hand of Flute 3 short"]`)
	p.seeText("[role=dialog]", "Take 1 difference")
	p.click(`[aria-label="Only the name of Flute 3 short"]`)
	p.page.MustElement(`[data-difference="Flute 2 long"] input`).MustClick()
	p.press("Take 1 difference")
	p.seeText("[data-part=difference-count]", "0 only there, 0 only here, 1 changed")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.find("flute 2 long", "Flute 2 long")
	p.seeText("[data-part=trace]", "Birch, riser 1, port 1, channel 7")

	p.press("revision [0-9]")
	rows := p.seeMany("[data-past]", 2)
	require.Contains(t, rows[1].MustText(), "Set name of Flute 3 short")
	rows[1].MustElementR("button", "take back").MustClick()
	p.page.MustElementR("[data-past]", "Take back: Set name")
	p.seeMany("[data-past]", 4)[3].MustElementR("button", "take back").MustClick()
	p.seeText("[role=alert]", "cannot be taken back alone; later changes set the same: Take 1 differences")
	p.page.MustElementR(`[data-version="Before the flood"] button`, "remove the name").MustClick()
	p.gone(`[data-version="Before the flood"]`)
	p.keys(input.Escape)
	p.see(`[data-row="Flute 3 short"]`)
	p.undo(4)
	p.see(`[data-row="Flute 2 long"]`)
}

// A template begins from a starting point, and another from one section of the
// demo, which comes with its stems.
func TestTemplatesBeginFromWhatThereIs(t *testing.T) {
	p := enter(t, 1280, 800)
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.see(`[aria-label="Name of the template"]`).MustInput("Pier sketches")
	p.page.MustElementR("[role=dialog] label", "A starting point").MustClick()
	p.see(`[aria-label="Starting point"]`).MustSelect("Double winds")
	p.seeText("[role=dialog]", "two of each wind with their relatives")
	p.seeText("[data-part=desks]", "Flute 1, Flute 2, Piccolo")
	p.press("^Create$")
	p.see(`[aria-label="Template: Pier sketches"]`)
	p.seeText("[data-part=furnished]", "[0-9]+ rows play now, from Millrace Winds, Tallow Brass")
	p.seeText("[data-part=furnished]", "[0-9]+ rows got a seat")
	p.seeText("[data-part=furnished]", "The opening call holds [0-9]+ rows, 1[456].* GiB, and comes in now")
	p.press("^Done$")
	p.seeText("[data-badge=marks]", "Proved")
	p.unfold("orchestra", "routing")
	p.see(`[data-row="Flute 1 long"]`)
	p.seeText("[data-part=sums]", "add up to the mix")
	p.unfold("calls")
	p.page.Timeout(2 * patience()).MustWait(`() => / [1-9]\d* ready/.test(" " + document.querySelector("[data-leaf=calls] header").textContent.replace("Calls", " "))`)
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "Calls\\s*0 ready")

	p.toTemplate("The Salt Lantern")
	p.see(`[aria-label="Template: The Salt Lantern"]`)
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.see(`[aria-label="Name of the template"]`).MustInput("Brass alone")
	p.page.MustElementR("[role=dialog] label", "Another template").MustClick()
	p.page.MustElementR("[role=dialog] label", "^Brass").MustClick()
	p.press("^Create$")
	p.see(`[aria-label="Template: Brass alone"]`)
	p.unfold("orchestra")
	p.seeText("[data-leaf=orchestra] header", "66 instruments")
	p.click(`[data-row="Horn 1 long"]`)
	p.seeText("[data-part=trace]", "Horn 1 long.*Tallow Brass.*Horns.*Brass.*Mix")
}

// Two people have the template open: each sees that the other is here and what is
// selected there, and both edits stand.
func TestTwoPeopleAtOnce(t *testing.T) {
	ada, ben := enter(t, 1280, 800), enter(t, 1280, 800)
	ada.unfold("orchestra")
	ben.unfold("orchestra")
	ada.see("[data-part=others]")
	ben.find("piccolo short", "Piccolo short")
	ada.see(`[data-row="Piccolo short"] [data-by]`)
	ada.find("flute 1 short", "Flute 1 short")
	ben.see(`[data-row="Flute 1 short"] [data-by]`)
	ben.keys(input.KeyE)
	ben.see(`[role=grid] input`).MustSelectAllText().MustInput("Ben's piccolo")
	ada.keys(input.KeyE)
	ada.see(`[role=grid] input`).MustSelectAllText().MustInput("Ada's flute")
	ben.keys(input.Enter)
	ada.keys(input.Enter)
	for _, p := range []*person{ada, ben} {
		p.see(`[data-row="Ben's piccolo"]`)
		p.see(`[data-row="Ada's flute"]`)
	}
	ada.undo(2)
	ben.see(`[data-row="Piccolo short"]`)
	ben.see(`[data-row="Flute 1 short"]`)
}
