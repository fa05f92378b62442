package e2e_test

import (
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// edit sends changes as the page would, by the names of instruments and buses:
// {from, to, gainDb, tap}, or without gainDb to cut.
func (p *person) edit(js string) {
	p.t.Helper()
	said := p.page.MustEval(fmt.Sprintf(`async () => {
		const id = JSON.parse(localStorage.getItem("fanfold.template"));
		const o = await (await fetch("/api/templates/" + id)).json();
		const named = (name) => [...o.template.instruments, ...o.template.buses].find((x) => x.name === name)?.id ?? name;
		const wire = (from, to, gainDb, tap = "post") => ({ from: named(from), to: named(to), ...(gainDb === undefined ? {} : { level: { gainDb, tap } }) });
		const change = %s;
		const r = await fetch("/api/templates/" + id + "/changes", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ base: o.revision, change }) });
		return r.ok ? "" : await r.text();
	}`, js)).Str()
	require.Empty(p.t, said)
}

// newTemplate makes an empty template and opens it.
func (p *person) newTemplate(name string) {
	p.t.Helper()
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.fromNothing(name)
}

// fromNothing fills the form of a new template for one that begins with nothing.
func (p *person) fromNothing(name string) {
	p.t.Helper()
	p.page.MustElementR("[role=dialog] label", "^Nothing$").MustClick()
	p.see(`[aria-label="Name of the template"]`).MustInput(name)
	p.keys(input.Enter)
	p.see(`[aria-label="Template: ` + name + `"]`)
}

// A stem list is pasted into an empty template; a bad line is named while
// typing; the stems nest as the list says, and fold.
func TestAStemListIsPasted(t *testing.T) {
	p := enter(t, 1280, 800)
	p.newTemplate("Salt stems")
	p.unfold("deliver")
	p.press("Write down the stems")
	p.see(`[aria-label="Stem list"]`).MustInput("Winds\n  Flutes\n  Oboes (dry)\nStrings: High strings, flutes")
	p.seeText("[role=dialog]", `line 4: "flutes" is on line 2 already`)
	p.see(`[aria-label="Stem list"]`).MustSelectAllText().MustInput("Winds\n  Flutes\n  Oboes (mono)\nStrings: High strings, Low strings\nGuest")
	p.seeText("[data-part=stem-report]", "New stems, 8: Winds, Strings, Guest, Flutes, Oboes, High strings, Low strings, Guest")
	p.press("Make them")
	p.gone("[role=dialog]")
	p.see(`[data-stem="Low strings"]`)
	p.seeText(`[data-stem="Oboes"]`, "mono")
	p.seeText("[data-part=cost]", "9 print files")

	p.click(`[aria-label="Fold Winds"]`)
	p.gone(`[data-stem="Flutes"]`)
	p.click(`[aria-label="Unfold Winds"]`)
	p.drag(`[data-stem="Flutes"] button[draggable]`, `[data-stem="Strings"] button[draggable]`)
	p.click(`[data-stem="Flutes"] button[draggable]`)
	p.page.MustWait(`() => document.querySelector("#stem-parent").selectedOptions[0].text === "Strings"`)

	p.changing(func() {
		p.see(`[data-part=stem-sheet] [aria-label="In file names"]`).MustInput("Fl")
		p.keys(input.Enter)
	})
	p.see(`#stem-carries`).MustSelect("dry only")
	p.seeText(`[data-stem="Flutes"]`, "dry")
	p.see(`[aria-label="Length, minutes"]`).MustSelectAllText().MustInput("46")
	p.keys(input.Enter)
	p.seeText("[data-part=cost]", "6.8 GB") // eight stereo files and a mono one, of 46 minutes
	p.see(`[aria-label="First number"]`).MustSelectAllText().MustInput("101")
	p.press("Number$")
	p.seeText(`[data-stem="Flutes"]`, "10[0-9]")

	p.press("Stems from")
	p.page.MustElementR("label", "Trailer, high and low").MustClick()
	p.seeText("[data-part=stem-report]", "High drums")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.undo(6)
	p.gone(`[data-stem="Low strings"]`)
}

// A rule is written, its effect looked at before it is applied, and one undo
// takes it back; a stem given by hand is an exception until it is let go.
func TestStemRulesAreAppliedAndPreviewed(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("deliver")
	p.press("Stem rules")
	p.see(`[data-rule="24"]`)
	p.seeText("[data-part=verdict-sums]", "9 instruments would move, 0 match no rule, 0 exceptions")
	p.press("Add a rule")
	p.see(`[data-rule="25"] [aria-label="Name"]`).MustInput("piccolo*")
	p.see(`[data-rule="25"] [aria-label="Stem"]`).MustSelect("Solo voices")
	for n := 25; n > 1; n-- { // before the rule that takes all winds
		p.click(`[aria-label="Rule ` + strconv.Itoa(n) + ` up"]`)
	}
	p.see(`[data-verdict="Piccolo long"]`)
	p.seeText("[data-part=verdict-sums]", "1[0-9] instruments would move")
	p.seeText(`[data-verdict="Piccolo long"]`, `rule 1: its name matches "piccolo\*"`)
	p.press("Apply to")
	p.seeText("[data-part=verdict-sums]", "0 instruments would move")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.unfold("orchestra", "routing")
	p.seeText(`[data-row="Piccolo long"]`, "Solo voices")
	p.seeText("[data-part=sums]", "24 stems add up to the mix")

	p.click(`[data-row="Piccolo long"]`)
	p.keys('g', 's')
	p.see(`[role=dialog] input`).MustSelectAllText().MustInput("Timpani")
	p.keys(input.Enter)
	p.seeText(`[data-row="Piccolo long"]`, "Timpani")
	p.unfold("deliver")
	p.press("Stem rules")
	p.seeText("[data-part=verdict-sums]", "1 exception")
	p.see(`[aria-label="Show"]`).MustSelect("exceptions")
	p.seeText(`[data-verdict="Piccolo long"]`, "stays: set by hand")
	p.press("follow the rules")
	p.seeText("[data-part=verdict-sums]", "0 exceptions")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.undo(4) // follow, by hand, applied, kept
	p.unfold("orchestra", "routing")
	p.seeText(`[data-row="Piccolo long"]`, "High winds")
}

// Every mark of the routing is made, found in words, and fixed by its first
// remedy.
func TestEveryRouteMarkIsFoundAndMended(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra", "routing")
	for _, fault := range []struct{ code, edit, says string }{
		{"orphan", `({ kind: "connect", wires: [wire("Snare", o.template.buses.find((b) => b.kind === "group" && b.name === "High").id)] })`, "Snare reaches no stem of the fine fold"},
		{"leak", `({ kind: "connect", wires: [wire("Dialogue", "bus-mix", 0)] })`, "Guide Dialogue reaches Mix"},
		{"double-path", `({ kind: "connect", wires: [wire("Piccolo long", "High winds", 0)] })`, `Piccolo long reaches High winds twice, \+6.02 dB too loud`},
		{"cycle", `({ kind: "connect", wires: [wire("High winds", "Flutes", 0)] })`, "feed each other in a loop"},
		{"shared-return", `({ kind: "connect", wires: [wire("Bassoon 1 long", "Hall, High winds", -14, "pre")] })`, "Hall, High winds is shared by High winds and Low winds"},
		{"fold-mismatch", `({ kind: "connect", wires: [wire("High winds", o.template.buses.find((b) => b.kind === "stem" && b.name === "Winds").id, -3)] })`, "24 stems of the fine fold do not add up to the mix"},
		{"split-output", `(() => { const at = (name) => o.template.instruments.find((i) => i.name === name); return { kind: "seat", seats: [{ id: at("Bassoon 1 long").id, seat: { ...at("Bassoon 1 long").seat, pair: at("Piccolo long").seat.pair, machine: at("Piccolo long").seat.machine, riser: at("Piccolo long").seat.riser, port: 8, channel: 16 } }] }; })()`, "Outputs 3-4 of Birch, riser 1 carry"},
	} {
		t.Run(fault.code, func(*testing.T) {
			p.edit(fault.edit)
			p.press("[0-9]+ marks")
			p.seeText(`[data-mark="`+fault.code+`"]`, fault.says)
			if fault.code == "shared-return" { // the demo has one already
				p.page.MustEval(`() => [...document.querySelectorAll("[data-mark=shared-return]")].find((m) => m.textContent.includes("Hall, High")).querySelector(".button").click()`)
				p.page.MustWait(`() => ![...document.querySelectorAll("[data-mark=shared-return]")].some((m) => m.textContent.includes("Hall, High winds is"))`)
			} else {
				p.click(`[data-mark="` + fault.code + `"] .button`)
				p.gone(`[data-mark="` + fault.code + `"]`)
			}
			p.keys(input.Escape)
			p.gone("[role=dialog]")
			p.undo(2)
			p.seeText("[data-badge=marks]", "^1 mark")
		})
	}
}

// Connections are drawn from place to place, by keyboard, and in the matrix.
func TestWiresAreDrawn(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("routing")
	p.drag(`[data-node="Flutes"][data-kind=section]`, `[data-node="Low winds"][data-kind=stem]`)
	p.seeText("[data-badge=marks]", "2[0-9] marks") // twenty-one flutes reach the mix twice
	p.undo(1)
	p.seeText("[data-badge=marks]", "^1 mark")

	p.see(`[data-node="Flutes"][data-kind=group]`).MustFocus()
	p.keys('w')
	p.see(`[data-node="Low winds"][data-kind=stem]`).MustFocus()
	p.keys(input.Enter)
	p.seeText("[role=status]", "Connected Flutes to Low winds")
	p.seeText("[data-part=sums]", "The fine fold does not add up|24 stems add up")
	p.undo(1)
	p.seeText("[data-badge=marks]", "^1 mark")

	p.click(`[aria-label="Unfold Flutes"]`)
	p.click(`[data-node="Piccolo short"][data-kind=instrument]`)
	p.seeText("[data-part=reaches]", "Hall, High winds")
	p.press("Flutes ×")
	p.gone(`[data-node="Piccolo short"]`)

	p.press("matrix")
	p.see(`[data-part=matrix] [data-source="Piccolo long"]`)
	p.click(`[data-source="Piccolo long"] [data-cell="Flutes"]`)
	p.keys(input.Minus, input.Digit6, input.Enter)
	p.seeText(`[data-source="Piccolo long"] [data-cell="Flutes"]`, "−6")
	p.keys('p')
	p.seeText(`[data-source="Piccolo long"] [data-cell="Flutes"]`, "ᵖ")
	p.keys(input.Delete)
	p.seeText(`[data-source="Piccolo long"] [data-cell="Flutes"]`, "^$") // it still sounds over its hall
	p.undo(3)
	p.seeText(`[data-source="Piccolo long"] [data-cell="Flutes"]`, "^0$")
	p.press("ribbons")
}

// A bus is traced back to what reaches it and on to the speakers, by clicking;
// so is an instrument.
func TestTracingByClicking(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("routing")
	p.click(`[data-node="High winds"][data-kind=stem]`)
	p.seeText("[data-part=trace]", "High winds · 63 instruments dry, 63 wet; from Flutes, Oboes, Clarinets, Whistles, Hall, High winds; on to Winds")
	p.seeText(`[data-inspects="High winds"]`, "126 ways reach it")
	p.page.MustEval(`() => [...document.querySelectorAll("[data-part=trace] button")].find((b) => b.textContent === "Hall, High winds").click()`)
	p.seeText("[data-part=trace]", "^Hall, High winds")
	p.page.MustEval(`() => [...document.querySelectorAll("[data-part=arriving] button")].find((b) => b.textContent === "Piccolo long").click()`)
	p.seeText("[data-part=trace]", "Piccolo long · Millrace Winds .* send Hall, High winds -14 dB before the fader")
	p.seeText("[data-part=reaches]", "wet, Hall, High winds")
	p.page.MustEval(`() => [...document.querySelectorAll("[data-part=reaches] button")].at(-1).click()`)
	p.seeText("[data-part=trace]", "^Speakers")

	p.see(`[aria-label="Stems of the fold"]`).MustSelect("sections fold")
	p.see(`[data-node="Winds"][data-kind=stem]`)
	p.gone(`[data-node="High winds"][data-kind=stem]`)
}

// Print and listen are switched without doubling; what somebody wires by hand
// is marked with the level it adds, and switching again fixes it.
func TestListenAndPrint(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("routing")
	p.press("print")
	p.see(`[data-node="Print"][data-kind=print]`)
	p.seeText("[data-badge=marks]", "^1 mark")
	p.edit(`({ kind: "connect", wires: [wire("bus-mix", "bus-speakers", 0)] })`)
	p.press("2 marks")
	p.seeText(`[data-mark="double-path"]`, `In print, 4[0-9]+ instruments reach the speakers twice, over Mix and Print: \+6.02 dB too loud`)
	p.click(`[data-mark="double-path"] .button`)
	p.gone(`[data-mark="double-path"]`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.press("listen")
	p.gone(`[data-node="Print"]`)
	p.undo(4)
	p.seeText("[data-badge=marks]", "^1 mark")
}

// A bus that goes says who would be orphaned, and hands its feeders on.
func TestRemovingABusTakesCare(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("routing")
	p.click(`[data-node="Timpani"][data-kind=stem]`)
	p.press("Remove…")
	p.seeText("[data-part=dependants]", "fed by 0 instruments and 1 bus")
	p.seeText("[role=dialog]", "4 instruments would not reach the mix: Timpani, Timpani soft")
	p.see(`[role=dialog] select`).MustSelect("Metals (stem)")
	p.press("Remove it")
	p.gone("[role=dialog]")
	p.gone(`[data-node="Timpani"][data-kind=stem]`)
	p.seeText("[data-part=sums]", "23 stems add up to the mix")
	p.undo(1)
	p.seeText("[data-part=sums]", "24 stems add up to the mix")
}

// Rows are copied into another template with their routes; what it has not is
// asked about. A section is duplicated whole.
func TestRowsTravelWithTheirRoutes(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("Piccolo long", "Piccolo long")
	p.focusSheet()
	p.chord(input.ControlLeft, input.KeyC)
	p.seeText("[role=status]", "Copied 1 row")
	p.menu("1 selected", "Add and copy", "Duplicate the section")
	p.seeText("[data-leaf=orchestra]", "440 instruments")
	p.see(`[data-section="Flutes 2"]`)
	p.undo(1)

	p.newTemplate("Salt copies")
	p.unfold("orchestra")
	p.press("Start with one row")
	p.see("[data-row]")
	p.focusSheet()
	p.chord(input.ControlLeft, input.KeyV)
	p.see(`[data-question="Flutes"]`)
	require.Eventually(t, func() bool { // what the new buses feed is asked about in turn
		return p.page.MustEval(`() => {
			if ([...document.querySelectorAll("[role=status]")].some((e) => e.textContent.includes("Pasted 1 row"))) return true
			if (document.querySelector("[data-question]"))
				[...document.querySelectorAll("[role=dialog] button")].find((b) => b.textContent.startsWith("Paste"))?.click()
			return false
		}`).Bool()
	}, 30*time.Second, 100*time.Millisecond)
	p.gone("[role=dialog]")
	p.seeText(`[data-row="Piccolo long"]`, "High winds")
}

// A stem that is set to dry says what it leaves out and proposes the stem that would
// carry it; the wiring is seen before it is made, and made as one change.
func TestADryStemAndTheWiring(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("deliver", "routing")
	p.click(`[data-stem="High winds"] button[draggable]`)
	p.see("#stem-carries").MustSelect("dry only")
	p.seeText("[data-part=lacking]", "The wet sound of its 63 instruments is in no fine stem; Winds carries it")
	p.seeText("[data-part=sums]", "fine fold, the dry sound of 416 instruments, the wet sound of 168")
	p.seeText("[data-part=without]", "The wet sound of 63 instruments of High winds is in no fine stem")
	p.page.MustElementR("[data-part=lacking] button", "Add a wet stem").MustClick()
	p.see(`[data-stem="Winds wet"]`)
	p.gone("[data-part=lacking]")
	p.seeText("[data-part=sums]", "fine fold, the dry sound of 416 instruments, the wet sound of 231")
	p.undo(2)
	p.gone(`[data-stem="Winds wet"]`)

	p.press("Compute the wiring")
	p.seeText("[data-part=wiring]", "Split[^]*Plate, which several stems share, into[^]*Plate, Trumpets")
	p.seeText("[data-part=wiring]", "Made[^]*the return “Plate, Low brass”")
	p.seeText("[data-part=wiring]", "Every stem carries the same instruments as before|Dry, before")
	p.press("Cancel")
	p.gone("[role=dialog]")
	p.seeText("[data-badge=marks]", "1 mark")
	p.press("Compute the wiring")
	p.press("Wire it$")
	p.gone("[role=dialog]")
	p.seeText("[data-badge=marks]", "Proved")
	p.press("Compute the wiring")
	p.seeText("[data-part=wiring]", "Nothing to do")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.undo(1)
	p.seeText("[data-badge=marks]", "1 mark")
}
