package e2e_test

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// In the first minutes one hint shows at a time, about what is there; one key closes it for good.
func TestHintsAreClosedForGood(t *testing.T) {
	p := visitAs(t, 1280, 800, true)
	p.openLantern()
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

// The card of a row says which instrument it is, its range, and what plays it.
func TestTheCardOfARow(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[data-row="Piccolo long"]`)
	p.focusSheet()
	p.keys(input.KeyI)
	p.seeText(`[data-part=row-card] h3`, "Piccolo long")
	p.seeText(`[data-part=row-card] [data-card]`, "Sounds .* to .*; usually for")
	p.seeText(`[data-part=row-card]`, "Millrace Winds")
	p.keys(input.Escape)
	p.gone(`[data-part=row-card]`)
	p.rightClick(`[data-row="Flute 1 long"]`)
	p.item("Arrange")
	p.item("Card")
	p.seeText(`[data-part=row-card] h3`, "Flute 1 long")
	p.click(`[data-part=row-card] .link`)
	p.seeText(`[data-leaf=library]`, "Flute 1 long")
}

// Rows have an emblem of their own, until it is taken away.
func TestRowsHaveEmblems(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[data-row="Piccolo long"]`)
	p.menu("1 selected", "Names and emblem", "Emblem")
	p.see(`[aria-label="Letters of the emblem"]`).MustInput("PX")
	p.changing(func() { p.press("^Save$") })
	p.gone("[role=dialog]")
	p.seeText(`[data-row="Piccolo long"] [data-field=library]`, "PX")
	p.undo(1)
	p.gone(`[data-row="Piccolo long"] [data-emblem=PX]`)
}
