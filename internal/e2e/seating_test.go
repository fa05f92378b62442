package e2e_test

import (
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A plan is made afresh, seen beside the present seats, taken and undone.
func TestAPlanIsMadeAndTaken(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("seating")
	p.see(`[data-riser="Alder 1"] [data-seat]`)
	p.press("Plan…")
	first := func() string { return *p.see("[data-part=plan] tbody tr").MustAttribute("data-figure") }
	p.see(`[data-figure=risers]`)
	require.Equal(t, "unseated", first())
	p.see(`[data-figure=moved] button`).MustFocus()
	p.keys(input.ArrowUp)
	require.Eventually(t, func() bool { return first() == "moved" }, patience(), 20*time.Millisecond)
	p.drag(`[data-figure=unseated] button`, `[data-figure=moved]`)
	require.Eventually(t, func() bool { return first() == "unseated" }, patience(), 20*time.Millisecond)
	p.press("Set the weights as numbers")
	require.Equal(t, "100000000", p.see(`[aria-label="Weight of: rows without a seat"]`).MustProperty("value").Str())
	p.press("Wish")
	p.seeText("[data-part=wish]", "Winds on one riser")
	p.click(`[aria-label="Remove this wish"]`)
	p.gone("[data-part=wish]")
	p.click("[role=dialog] input[type=checkbox]")
	p.press("^Plan$")
	p.seeText("[data-part=plan]", "of at least 4")
	p.seeText("[data-part=plan-state]", "seats? would change|no other plan")
	p.page.MustEval(`() => [...document.querySelectorAll("[role=dialog] button")].find((b) => b.textContent === "Take it").click()`)
	p.gone("[role=dialog]")
	p.gone("[data-part=unseated]")
	p.undo(1)
}

// What if a machine were gone; then it is, all find new seats, and what was
// ready there is ready again.
func TestReseatingAfterLosingAMachine(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("oboe 1 long", "Oboe 1 long")
	p.seeText("[data-part=trace]", "Cedar, riser 1")
	p.keys(input.KeyC)
	p.see(`[data-row="Oboe 1 long"][data-state=ready]`)
	p.unfold("seating")
	p.see(`[data-machine=Cedar]`)
	p.press("What if")
	p.see(`[role=dialog] [aria-label=Machine]`).MustSelect("Cedar")
	p.press("Suppose")
	p.seeText("[data-part=outcome]", "without a seat")
	p.keys(input.Escape)
	p.gone("[role=dialog]")

	p.click(`[data-machine=Cedar] button`)
	p.press("Remove it and its seats")
	p.gone(`[data-machine=Cedar]`)
	p.seeText("[data-part=unseated]", "without a seat")
	p.unfold("calls")
	p.seeText("[data-part=arriving]", "Oboe 1 long[\\s\\S]*it has lost its seat")
	p.unfold("seating")
	p.press("Seat everyone")
	p.gone("[data-part=unseated]")
	p.unfold("orchestra")
	p.see(`[data-row="Oboe 1 long"][data-state=ready]`)
	p.seeText("[data-part=trace]", "Oboe 1 long.*(Alder|Birch), riser")
	p.undo(2)
	p.seeText("[data-part=trace]", "Cedar, riser 1")
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
}

// Output pairs are given in one action, the seats are then by hand, and why an
// instrument sits there can be read; a whole riser is moved and brought back.
func TestSeatsByHand(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("anvil", "Anvil")
	p.unfold("seating")
	p.seeText("[data-part=why]", "Anvil")
	require.NotContains(t, p.see("[data-part=why]").MustText(), "by hand")
	p.see(`[aria-label="What is consecutive"]`).MustSelect("output pairs")
	p.see(`[aria-label="The first"]`).MustSelectAllText().MustInput("60")
	p.press("^Give$")
	p.seeText("[data-part=trace]", "outputs 119-120")
	p.seeText("[data-part=why]", "seated by hand")
	p.press("let plans move it")
	p.page.MustWait(`() => document.querySelector("[data-part=why]")?.textContent.includes("by hand") === false`)
	p.undo(2)

	// a seat that is taken: who sits there makes way
	p.see(`[aria-label="What is consecutive"]`).MustSelect("seats")
	p.see(`form[aria-label="Move seats"] [aria-label=Machine]`).MustSelect("Cedar")
	p.see(`form[aria-label="Move seats"] label:nth-of-type(2) input`).MustSelectAllText().MustInput("7")
	p.see(`form[aria-label="Move seats"] label:nth-of-type(3) input`).MustSelectAllText().MustInput("5")
	p.press("Move$")
	p.seeText("[data-part=way]", "In the way: .* → port 7, channel 6")
	p.page.MustElementR("[data-part=way] button", "^Shift").MustClick()
	p.seeText("[data-part=trace]", "Anvil.*Cedar, riser 1, port 7, channel 5")
	p.gone("[data-part=way]")
	p.undo(1)
	p.seeText("[data-part=trace]", "Anvil.*Alder")

	p.click(`[aria-label="Actions for riser 1 of Cedar"]`)
	p.press("Move it to")
	p.press("Cedar, riser 3")
	p.see(`[data-riser="Cedar 3"] [data-seat]`)
	p.gone(`[data-riser="Cedar 1"] [data-seat]`)
	p.undo(1)
	p.see(`[data-riser="Cedar 1"] [data-seat]`)
}

// Two calls are put beside each other before anything is loaded; both together
// are then called.
func TestComparingTwoCalls(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("calls")
	p.menu("More", "Compare")
	p.see(`[aria-label=From]`).MustSelect("1M05 Lamp room")
	p.see(`[aria-label=To]`).MustSelect("Opening call")
	p.seeText("[data-part=comparison]", "Rests")
	p.page.MustWait(`() => /Rests\s+[1-9]/.test(document.querySelector("[data-part=comparison]")?.innerText)`)
	p.seeText("[data-part=machines]", "Birch")
	p.click("[role=dialog] input[type=checkbox]")
	p.page.MustWait(`() => /Rests\s+0/.test(document.querySelector("[data-part=comparison]")?.innerText)`)
	p.press("Call both")
	p.gone("[role=dialog]")
	p.see("[data-part=memory]")
	p.press("Rest all")
}

// A machine gets another name while something is ready there: its host is the same,
// and so are its libraries; then it gets its old name back.
func TestAMachineIsRenamed(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("oboe 1 long", "Oboe 1 long")
	p.keys(input.KeyC)
	p.see(`[data-row="Oboe 1 long"][data-state=ready]`)
	p.unfold("seating")
	p.click(`[data-machine=Cedar] button`)
	p.seeText("[role=dialog] fieldset", "Libraries installed")
	p.see(`[role=dialog] input:not([type])`).MustSelectAllText().MustInput("alder")
	p.press("^Save$")
	p.seeText("body", "called Alder already")
	p.see(`[role=dialog] input:not([type])`).MustSelectAllText().MustInput("Rowan")
	p.press("^Save$")
	p.gone("[role=dialog]")
	p.seeText(`[data-machine=Rowan]`, "Rowan")
	p.unfold("orchestra")
	p.seeText("[data-part=trace]", "Rowan, riser 1")
	p.see(`[data-row="Oboe 1 long"][data-state=ready]`)
	p.unfold("seating")
	p.seeText(`[data-machine=Rowan]`, "host here")
	p.undo(1)
	p.seeText(`[data-machine=Cedar]`, "Cedar")
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
}
