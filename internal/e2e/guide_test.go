package e2e_test

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// F1 opens the page of the leaf where one is; its links lead on, and a mark's code explains the mark.
func TestTheGuideIsOneKeyAway(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra", "calls")
	p.focusSheet()
	p.keys(input.F1)
	p.seeText("[role=dialog] h2", "Orchestra")
	p.seeText(`[data-page=orchestra]`, "same again: another row on the same seat")
	p.see(`[data-page=orchestra] img`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.page.MustEval(`() => document.querySelector("[data-leaf=calls] button").focus()`)
	p.keys(input.F1)
	p.seeText(`[data-page=calls]`, "Could people play it")
	p.page.MustElementR("[role=dialog] nav button", "^The first quarter").MustClick()
	p.page.MustElementR("[data-page=start] a", "^Deliver").MustClick()
	p.seeText(`[data-page=deliver]`, "What must be handed over")
	p.keys(input.Escape)
	p.gone("[role=dialog]")

	p.click("[data-badge=marks]")
	p.click("[data-mark] .link")
	p.see(`[data-page=marks] h3`)
	p.seeText(`[data-page=marks]`, "Example:")
}
