package e2e_test

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// In the first minutes one hint shows at a time, about what is there; one key closes it for good.
func TestHintsAreClosedForGood(t *testing.T) {
	p := visitAs(t, 1280, 800, true)
	p.press("Open the demo studio")
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.leaveAsFound()
	p.seeText(`[data-hint=call]`, "Select Piccolo long and press C")
	p.press("^Select it$")
	p.see(`[data-row="Piccolo long"][aria-selected=true]`)
	p.focusSheet()
	p.keys(input.Comma)
	p.seeText(`[data-hint=trace]`, "the whole way of Piccolo long")
	p.page.MustReload()
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.seeText(`[data-hint=right]`, "A right click on Piccolo long")
	p.press("No more hints")
	p.gone("[data-part=hint-line]")
	p.page.MustReload()
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.gone("[data-part=hint-line]")
}
