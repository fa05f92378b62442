package e2e_test

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// A template says what it is for; the list tells who changed each last. One is deleted, whoever has it
// open is told, and it is brought back.
func TestTemplatesAreDeletedAndBroughtBack(t *testing.T) {
	p := enter(t, 1280, 800)
	p.newTemplate("Harbour nights")
	p.click(`[aria-label="Template: Harbour nights"]`)
	p.item("Name and settings")
	p.page.MustElementR("[role=dialog] label", "What it is for").MustElement("textarea").MustInput("The series; small strings")
	p.changing(func() { p.press("^Save$") })
	p.gone("[role=dialog]")

	other := visit(t, 1280, 800)
	other.press("Open the demo studio")
	other.toTemplate("Harbour nights")

	p.toTemplate("The Salt Lantern")
	p.menu("The Salt Lantern", "All templates")
	p.seeText(`[data-template="Harbour nights"]`, "The series; small strings")
	p.seeText(`[data-template="Harbour nights"]`, "changed .* by Composer")
	p.seeText(`[data-template="The Salt Lantern"]`, "open now")
	p.see(`[aria-label="Find a template"]`).MustInput("series")
	p.gone(`[data-template="The Salt Lantern"]`)
	p.click(`[aria-label="Delete Harbour nights"]`)
	p.seeText("[role=status]", "Harbour nights is deleted")
	p.gone(`[data-template="Harbour nights"]`)
	p.see(`[data-deleted="Harbour nights"]`)
	other.seeText("[data-part=locked]", "Harbour nights was deleted. It can be brought back until")

	p.click(`[aria-label="Bring back Harbour nights"]`)
	p.see(`[aria-label="Template: Harbour nights"]`)
	other.gone("[data-part=locked]")
	p.keys(input.Escape)
	p.back(t)
}
