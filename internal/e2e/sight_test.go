package e2e_test

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A set of sightlines is made in one go and switched by digit; a new row enters
// the live one that matches and not the fixed one; pinned rows stay; leaves come
// back as they were kept.
func TestSightlines(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click("[data-part=sight]")
	p.item("Make several")
	p.item("One for each section")
	p.seeText("[data-part=sight]", "Winds") // the first of them shows
	p.focusSheet()
	p.keys(input.Digit4)
	p.seeText("[data-part=sight]", "Keys and harp")
	p.see(`[data-row="Harp 1"]`)
	p.gone(`[data-row="Piccolo long"]`)
	p.keys(input.KeyV)
	p.seeText("[data-part=sight]", "Voices")
	p.chord(input.ShiftLeft, input.KeyV)
	p.seeText("[data-part=sight]", "Keys and harp")

	p.click(`[data-row="Harp 1"]`)
	p.click("[data-part=sight]")
	p.press("New sightline")
	p.see("[role=dialog] input[required]").MustInput("My harp")
	p.page.MustElementR("[role=dialog] label", "the 1 selected row, always").MustClick()
	p.press("^Save$")
	p.gone("[role=dialog]")
	p.seeText("[data-part=sight]", "My harp")
	p.gone(`[data-row="Harp 2"]`)
	p.seeJust("[data-row]", 1)

	p.keys(input.Digit4)
	p.see(`[data-row="Harp 2"]`)
	p.click(`[data-row="Harp 1"]`)
	p.focusSheet()
	p.keys(input.KeyD)
	p.see(`[data-row="Harp 1 2"]`)
	p.menu("1 selected", "Arrange", "Where does it show")
	p.seeText("[role=status]", "Harp 1 2 shows along Keys and harp")
	p.click("[data-part=sight]")
	p.page.MustElementR("[role=menuitemradio]", "^My harp").MustClick()
	p.see(`[data-row="Harp 1"]`)
	p.seeJust("[data-row]", 1) // a fixed one lists its rows

	p.keys(input.Digit0)
	p.find("anvil", "Anvil")
	p.menu("1 selected", "Arrange", "Pin to the top")
	p.focusSheet()
	p.keys(input.Digit1)
	p.see(`[data-row="Piccolo long"]`)
	p.see(`[data-row="Anvil"]`)

	p.unfold("orchestra", "seating")
	p.click("[data-part=sight]")
	p.item("Winds")
	p.item("Update it to what shows now")
	p.seeText("[role=status]", "Kept Winds")
	p.unfold("orchestra", "routing")
	p.gone(`[data-leaf="seating"]`)
	p.focusSheet()
	p.keys(input.Digit1)
	p.see(`[data-leaf="seating"]`)
	p.keys(input.Digit0)

	// several values of a filter
	p.click("[data-part=sight]")
	p.press("New sightline")
	p.see("[role=dialog] input[required]").MustInput("Two shelves")
	p.click("[data-several=Library]")
	p.press("Pinfold Keys")
	p.press("Saint Orrin Voices")
	p.keys(input.Escape)
	p.seeText("[data-several=Library]", "Pinfold Keys, Saint Orrin Voices")
	p.press("^Save$")
	p.gone("[role=dialog]")
	p.gone(`[data-row="Piccolo long"]`)
	p.see(`[data-row="Celesta"]`)

	// groups and returns have the routing to themselves
	p.click("[data-part=sight]")
	p.item("Make several")
	p.item("Groups and returns")
	p.gone(`[data-leaf="orchestra"] [role=row]`)
	p.see(`[data-part=matrix] [data-source="Flutes"]`)
	p.gone(`[data-part=matrix] [data-source="Mix"]`)
	p.gone(`[data-part=matrix] [data-source="Winds"]`)
	p.keys(input.Digit0)
	p.see("[data-part=ribbons]")
	p.unfold("orchestra", "routing")
	p.undo(7)
	p.click("[data-part=sight]")
	p.gone(`[role=menuitemradio][data-state=checked] + [role=menuitemradio]`)
}

// The palette is made stronger than is good, which is said and fixed in one
// step; used here, it colours the ribbons, and undo takes it back.
func TestThePalette(t *testing.T) {
	p := enter(t, 1280, 800)
	p.press("View")
	p.press("Palette")
	p.seeText("[data-part=palette-faults]", "Neighbouring colours can be told apart")
	p.page.MustElement(`[aria-label="Strength of the palette"]`).MustFocus()
	p.keys(input.End)
	p.seeText("[data-part=palette-faults]", "too strong for long hours")
	p.press("Fix it")
	p.seeText("[data-part=palette-faults]", "Neighbouring colours can be told apart")
	name := p.see(`[aria-label="Name of the palette"]`)
	name.MustSelectAllText().MustInput("Salt flats")
	p.press("Save for the studio")
	p.seeText("[role=status]", "Salt flats is saved for the studio")
	p.press("Use it here")
	p.gone("[role=dialog]")
	moss := func() string {
		return p.page.MustEval(`() => document.documentElement.style.getPropertyValue("--tint-moss")`).String()
	}
	require.Contains(t, moss(), "oklch(")
	p.undo(1)
	p.page.MustWait(`() => document.documentElement.style.getPropertyValue("--tint-moss") === ""`)

	// a colour of its own for a section; what is in use goes along to another palette
	p.press("View")
	p.press("Palette")
	p.press("Add a colour")
	p.see(`[aria-label="Label of own-1"]`).MustInput("Beacons")
	p.press("Use it here")
	p.gone("[role=dialog]")
	p.press("View")
	p.press("Palette")
	p.see(`[aria-label="Colour of Guides"]`).MustSelect("Beacons")
	p.see(`[aria-label="Take Beacons away"][disabled]`)
	p.see("[aria-label=Palette]").MustSelect("Wet slate")
	p.see(`[aria-label="Take Beacons away"][disabled]`)
	p.keys(input.Escape)
	p.undo(2)
}

// Sections keep spare rows, with routes and seats; the next free row is one key.
func TestSpareRowsAreKept(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[aria-label^="Template:"]`)
	p.press("Name and settings")
	p.page.MustElementR("[role=dialog] label", "Spare rows at the end").MustElement("input").MustInput("1")
	p.page.MustElementR("[role=dialog] button", "^Save").MustClick()
	p.gone("[role=dialog]")
	p.menu("Rows", "Add and copy", "Fill up the spare rows")
	p.see(`[data-row="Spare"]`)
	p.seeText("[data-leaf=orchestra] header", "419 instruments") // spare rows are none
	p.focusSheet()
	p.keys(input.KeyF)
	p.see(`[data-row="Spare"][aria-selected=true]`)
	p.seeText("[data-part=trace]", "Spare.*High winds")
	p.undo(2)
	p.gone(`[data-row="Spare"]`)
}
