package e2e_test

import (
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A template goes out as a file, comes back as one of its own, is named and
// set up again, and the demo's is opened again.
func TestATemplateGoesOutAndComesBack(t *testing.T) {
	p := enter(t, 1280, 800)
	first := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	out := download(t, first, "template")
	path := filepath.Join(t.TempDir(), "lantern.fanfold.json")
	require.NoError(t, os.WriteFile(path, out, 0o644))

	p.menu("The Salt Lantern", "All templates")
	p.see(`input[aria-label="Template file to bring in"]`).MustSetFiles(path)
	p.seeText("[role=status]", "Brought in The Salt Lantern")
	second := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	require.NotEqual(t, first, second)
	require.Equal(t, string(out), string(download(t, second, "template")), "it is the identical template")

	p.click(`[aria-label="Template: The Salt Lantern"]`)
	p.press("Name and settings")
	p.see(`[role=dialog] input:focus`).MustSelectAllText().MustInput("The Salt Lantern, small")
	p.keys(input.Enter)
	p.see(`[aria-label="Template: The Salt Lantern, small"]`)

	p.click(`[aria-label="Template: The Salt Lantern, small"]`)
	p.press("New template")
	p.fromNothing("Empty desert")
	p.press("Start with one row")
	p.see(`[data-row="New instrument 2"], [data-row="New instrument"]`)
	p.seeText("[data-badge=marks]", "marks")

	p.toTemplate("The Salt Lantern")
	p.see(`[data-row="Piccolo long"]`)
	require.Equal(t, first, p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str())
}

// A file that sits on machines the studio does not know asks which of the studio's
// stand for them.
func TestAFileFromElsewhereSitsOnTheStudiosMachines(t *testing.T) {
	p := enter(t, 1280, 800)
	first := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	out := string(download(t, first, "template"))
	theirs := strings.ReplaceAll(out, `"Birch"`, `"Hornbeam"`)
	require.NotEqual(t, out, theirs)
	path := filepath.Join(t.TempDir(), "elsewhere.fanfold.json")
	require.NoError(t, os.WriteFile(path, []byte(theirs), 0o644))
	p.menu("The Salt Lantern", "All templates")
	p.see(`input[aria-label="Template file to bring in"]`).MustSetFiles(path)
	p.seeText("[role=dialog]", "Hornbeam 128 GiB, [0-9]+ seats")
	require.Equal(t, "Birch, 128 GiB", p.see(`[aria-label="In place of Hornbeam"]`).MustEval(`() => this.selectedOptions[0].textContent`).Str(), "the one that is free is proposed")
	p.press("Bring it in")
	p.seeText("[role=status]", "Brought in The Salt Lantern")
	p.gone("[role=dialog]")
	second := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	require.NotEqual(t, first, second)
	require.Equal(t, out, string(download(t, second, "template")), "it sits where the first does")
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "Calls\\s*0 ready")
	p.unfold("orchestra")
	p.click(`[aria-label^="Template: "]`)
	p.press("Name and settings")
	p.see(`[role=dialog] input:focus`).MustSelectAllText().MustInput("From elsewhere")
	p.keys(input.Enter)
	p.see(`[aria-label="Template: From elsewhere"]`)
	p.back(t)
}

func download(t *testing.T, template, format string) []byte {
	answer, err := client(t).Get(studio.address + "/api/templates/" + template + "/export/" + format)
	require.NoError(t, err)
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.Equal(t, 200, answer.StatusCode, "%s", data)
	return data
}

// Empty leaves say what belongs there and offer the first step; none fails.
func TestEmptyLeavesOfferTheFirstStep(t *testing.T) {
	p := enter(t, 1280, 800)
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.seeText("[role=dialog]", "Use the studio.s machines: Alder, Birch, Cedar")
	p.click(`[role=dialog] input[type=checkbox]`)
	p.fromNothing("Salt flat")
	p.unfold("orchestra", "routing")
	p.seeText("[data-leaf=orchestra]", "Drop a row list")
	p.seeText("[data-leaf=routing]", "Here sound flows")
	p.unfold("seating", "calls")
	p.seeText("[data-leaf=calls]", "There is no machine yet")
	p.press("Seat everyone")
	p.seeText("[role=alert]", "everyone is seated already")
	p.press("Add the first machine")
	p.see("[role=dialog] form")
	p.press("Use Cedar")
	p.gone("[role=dialog]")
	p.see(`[data-machine="Cedar"]`)
	p.seeText(`[data-machine="Cedar"]`, "host here") // it is the studio's
	p.press("Add a machine")
	p.see("[role=dialog] form")
	p.keys(input.Escape)
	p.back(t)
}

// A machine is added with the one command for its host, changed, and removed
// with its seats; seats are moved by dragging.
func TestMachinesAndSeats(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("seating")
	p.see(`[data-riser="Alder 1"] [data-seat]`)
	p.press("Add a machine")
	p.see(`[role=dialog] input`).MustInput("Dogwood")
	p.keys(input.Enter)
	p.seeText("[role=dialog] pre", "FANFOLD_CREDENTIAL=[^ ]+ fanfold host --server nats://.* --name 'Dogwood' ")
	p.keys(input.Escape)
	p.see(`[data-machine=Dogwood]`)

	p.unfold("orchestra")
	p.find("anvil", "Anvil")
	p.unfold("seating")
	p.page.MustEval(`() => document.querySelector('[data-machine=Dogwood]').scrollIntoView()`)
	seat := p.page.MustEval(`() => document.querySelector('[data-seat="Anvil"]').closest("[data-riser]").dataset.riser`).Str()
	require.NotContains(t, seat, "Dogwood")
	p.see(`form[aria-label="Move seats"] [aria-label=Machine]`).MustSelect("Dogwood")
	p.press("Move$")
	p.see(`[data-riser="Dogwood 1"] [data-seat="Anvil"]`)
	p.page.MustEval(`() => document.querySelector('[data-riser="Dogwood 1"]').scrollIntoView({ block: "center" })`)
	p.drag(`[data-riser="Dogwood 1"] [data-seat="Anvil"] circle`, `[data-riser="Dogwood 1"] [data-empty="3 5"]`)
	p.seeText(`[data-part=trace]`, "Dogwood, riser 1, port 3, channel 5")

	p.click(`[data-machine=Dogwood] button`)
	p.press("Remove it and its seats")
	p.gone(`[data-machine=Dogwood]`)
	p.seeText(`[data-part=unseated]`, "Anvil")
	p.undo(4)
	p.gone(`[data-part=unseated]`)
}
