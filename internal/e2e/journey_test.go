package e2e_test

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A person signs in with the password, by keyboard only, selects, calls,
// rests, edits, undoes and finds.
func TestTheMainPathByKeyboard(t *testing.T) {
	p := visit(t, 1280, 800)
	p.see("#email").MustInput("composer@saltlantern.example")
	p.keys(input.Tab)
	p.see("#password:focus").MustInput("a lighthouse at the edge of a salt desert")
	p.keys(input.Enter)
	p.see(`[aria-label^="Template: "]`)
	if has, _, _ := p.page.Has(`[aria-label="Template: The Salt Lantern"]`); !has { // another was changed last
		p.toTemplate("The Salt Lantern")
	}
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.page.MustEval(`() => document.activeElement.blur()`)

	p.keys(input.ArrowDown)
	p.see(`[data-row="Piccolo long"][aria-selected=true]`)
	p.keys(input.KeyJ)
	p.chord(input.ShiftLeft, input.ArrowDown)
	p.seeJust(`[role=row][aria-selected=true]`, 2)
	p.seeText("[data-part=trace]", `Piccolo short|Piccolo effects`)

	p.keys(input.KeyC)
	p.see(`[data-row="Piccolo short"][data-state=ready]`)
	p.see(`[data-row="Piccolo effects"][data-state=ready]`)
	p.keys(input.KeyX)
	p.see(`[data-row="Piccolo short"][data-state=tacet]`)

	p.keys(input.Home, input.KeyE)
	edit := p.see(`[role=grid] input`)
	edit.MustSelectAllText().MustInput("Piccolo solo")
	p.keys(input.Enter)
	p.see(`[data-row="Piccolo solo"]`)
	p.chord(input.ControlLeft, input.KeyZ)
	p.see(`[data-row="Piccolo long"]`)
	p.keys(input.KeyE)
	p.see(`[role=grid] input`).MustSelectAllText().MustInput("never kept")
	p.keys(input.Escape)
	p.see(`[data-row="Piccolo long"]`)

	p.keys(input.KeyD)
	p.see(`[data-row="Piccolo long 2"][aria-selected=true]`)
	p.keys(input.Delete)
	p.gone(`[data-row="Piccolo long 2"]`)
	p.keys(input.Slash)
	p.see("[cmdk-input]").MustInput("spic vln")
	p.seeText("[cmdk-item]", "Violins 1 short")
	p.keys(input.Enter)
	p.see(`[role=row][data-row^="Violins 1"][aria-selected=true]`)
}

// The proof's one mark of the demo is fixed in one step, and undone.
func TestAMarkIsMendedAndUndone(t *testing.T) {
	p := enter(t, 1280, 800)
	p.press("1 mark")
	p.see(`[data-mark="shared-return"]`)
	p.press("Split it")
	p.gone(`[data-mark="shared-return"]`)
	p.keys(input.Escape)
	p.seeText(`[data-badge=marks]`, "Proved")
	p.chord(input.ControlLeft, input.KeyZ)
	p.seeText(`[data-badge=marks]`, "1 mark")
}

// A call that does not fit is refused with what would make it fit; a named
// call comes with one click; the ready set is saved and found again.
func TestCallsOnTheDemo(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("calls")
	p.click(`[data-call="Opening call"] button:nth-of-type(2)`)
	p.seeText(`[data-leaf=calls] header`, "6 ready")
	p.see(`[aria-label="Name of the call"]`).MustInput("Six of them")
	p.press("Save$")
	p.see(`[data-call="Six of them"]`)
	p.unfold("orchestra")
	p.page.MustEval(`() => document.querySelector("[role=grid]").focus()`)
	p.chord(input.ControlLeft, input.KeyA)
	p.keys(input.KeyC)
	p.seeText("[role=alert]", "short.*Rest ")
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
	p.click(`[aria-label="Actions for the call Six of them"]`)
	p.press("Forget it")
	p.gone(`[data-call="Six of them"]`)
}

// A stem tells exactly what reaches it and with what gain; a route is cut,
// changed and brought back from the leaf.
func TestRoutingIsEditedFromTheLeaf(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("routing")
	p.click(`[data-node="Harp"][data-kind=stem]`)
	p.seeText(`[data-inspects=Harp] h4`, "6 ways reach it")
	gain := p.see(`[aria-label="Gain to Keys and harp, dB"]`)
	gain.MustClick().MustSelectAllText().MustInput("-3")
	p.keys(input.Enter)
	p.seeText("[data-part=sums]", "fine fold does not add up")
	p.see(`[data-inspects=Harp] [data-route="Keys and harp"] button[title="Where the signal is taken"]`)
	p.chord(input.ControlLeft, input.KeyZ)
	p.seeText("[data-part=sums]", "24 stems add up to the mix")
	p.click(`[aria-label="Cut, disconnect from Keys and harp"]`)
	p.seeText(`[data-inspects=Harp] [data-part=routes]`, "It goes nowhere")
	p.page.MustEval(`() => document.activeElement.blur()`)
	p.chord(input.ControlLeft, input.KeyZ)
	p.see(`[data-route="Keys and harp"]`)
}

// A list is dropped in, seen with its problems, taken, seated, and taken out
// again; two browsers see each other's changes, and a clash shows both values.
func TestAListTwoBrowsersAndAClash(t *testing.T) {
	p := enter(t, 1280, 800)
	p.drop("[data-leaf=orchestra]", "list.csv", "section,instrument,stem,library,What\nBells / Hand,Salt bell,Bells,Coldharbour Percussion,x\nBells / Hand,Lamp bell,Bells,Coldharbour Percussion,x\n,No section,Bells,,x\n")
	p.seeText("[data-part=problems]", "line 4")
	p.seeText("[data-part=problems]", "the section is empty")
	p.see(`select[aria-label="Read What as"]`)
	p.press("Take 2 rows")
	p.gone("[role=dialog]")
	p.keys(input.Slash)
	p.see("[cmdk-input]").MustInput("salt bell")
	p.see(`[cmdk-item]`)
	p.keys(input.Enter)
	p.see(`[data-row="Salt bell"][aria-selected=true]`)
	p.seeText("[data-part=trace]", "not seated")
	p.unfold("seating")
	p.seeText("[data-part=unseated]", "2 without a seat")
	p.press("Seat everyone")
	p.gone("[data-part=unseated]")
	p.see(`[data-seat="Salt bell"]`)
	p.unfold("orchestra")

	other := enter(t, 1280, 800)
	other.keys(input.Slash)
	other.see("[cmdk-input]").MustInput("salt bell")
	other.see(`[cmdk-item]`)
	other.keys(input.Enter)
	other.see(`[data-row="Salt bell"][aria-selected=true]`)
	p.page.MustEval(`() => document.querySelector('[data-row="Salt bell"] [data-field=name]').dispatchEvent(new MouseEvent("dblclick", {bubbles: true}))`)
	p.see("[role=grid] input").MustSelectAllText().MustInput("Brine bell")
	p.keys(input.Enter)
	other.see(`[data-row="Brine bell"]`)

	p.export(t, "smf", "MThd")
	p.export(t, "routing", "section,instrument")
	p.export(t, "template", `"fanfold-template"`)
	p.undo(3)
	other.gone(`[data-row="Brine bell"]`)
}

// drop lets a file fall on an element.
func (p *person) drop(selector, name, text string) {
	p.t.Helper()
	p.see(selector).MustEval(`(name, text) => {
		const data = new DataTransfer();
		data.items.add(new File([text], name, { type: "text/csv" }));
		for (const kind of ["dragover", "drop"]) this.firstElementChild.dispatchEvent(new DragEvent(kind, { dataTransfer: data, bubbles: true, cancelable: true }));
	}`, name, text)
}

// export fetches a file as the page would, and looks at its beginning.
func (p *person) export(t *testing.T, format, says string) {
	t.Helper()
	id := p.page.MustEval(`async () => (await (await fetch("/api/templates")).json())[0].id`).Str()
	cookies, err := p.page.Cookies(nil)
	require.NoError(t, err)
	r, err := http.NewRequest("GET", fmt.Sprintf("%s/api/templates/%s/export/%s", studio.address, id, format), nil)
	require.NoError(t, err)
	for _, c := range cookies {
		r.AddCookie(&http.Cookie{Name: c.Name, Value: c.Value})
	}
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.True(t, answer.StatusCode == 200 && strings.Contains(string(data[:min(400, len(data))]), says), "%s: %s", format, data[:min(200, len(data))])
}

func TestNoSeriousAccessibilityViolationByDay(t *testing.T)    { accessible(t, "day") }
func TestNoSeriousAccessibilityViolationInThePit(t *testing.T) { accessible(t, "pit") }

// mostTabs is how many steps a dialog or a menu is walked.
const mostTabs = 6

// focusWithin asks that the focus is within an element, and is seen.
func (p *person) focusWithin(selector, where string) {
	p.t.Helper()
	said := p.page.MustEval(`(s) => {
		const at = document.activeElement;
		if (!at?.closest(s)) return "the focus is at " + (at?.outerHTML ?? "nothing").slice(0, 120);
		const style = getComputedStyle(at);
		const field = at.matches("input, select, textarea") || at.closest("[cmdk-root]");
		const seen = style.outlineStyle !== "none" || style.boxShadow !== "none" || field || at.matches("[data-highlighted], [role=dialog], [role=menu]");
		return seen ? "" : "the focus is not seen at " + at.outerHTML.slice(0, 120);
	}`, selector).Str()
	require.Empty(p.t, said, where)
}

// axe-core (npm, WCAG 2.2 rules) finds no serious violation in a theme, in the leaves
// and in what floats over them.
func accessible(t *testing.T, theme string) {
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	check := func(p *person, within string, where ...string) {
		p.t.Helper()
		p.page.MustEval("() => {" + string(axe) + "}")
		found := p.page.MustEval(`async (within) => {
			const r = await axe.run(within, { resultTypes: ["violations"] });
			return r.violations.filter(v => v.impact === "serious" || v.impact === "critical")
				.map(v => v.id + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " " + n.failureSummary).join(" | ")).join("\n");
		}`, within).Str()
		require.Empty(p.t, found, "%v", where)
	}
	out := visit(t, 1280, 800)
	out.see("form")
	check(out, "html", "signing in")
	p := enter(t, 1280, 800)
	p.page.MustEval(`t => { document.documentElement.dataset.theme = t }`, theme)
	for _, leaves := range [][]string{{"orchestra", "routing"}, {"seating", "calls"}, {"library"}, {"deliver"}} {
		p.unfold(leaves[0], leaves[1:]...)
		check(p, "html", append(leaves, theme)...)
	}
	p.unfold("routing")
	p.press("matrix")
	p.see("[data-part=matrix] [data-cell]")
	check(p, "html", "matrix", theme)
	p.press("ribbons")
	p.openCue()
	p.unfold("routing")
	p.click(`[data-node="Hall, High winds"]`)
	p.click(`[data-effect=hall] [aria-expanded]`)
	p.see(`[data-effect=hall] [aria-label="decay, s"]`)
	check(p, "html", "a score, and effects", theme)
	p.see(`[aria-label="Close the score"]`).MustClick()
	p.unfold("balance")
	for _, view := range []string{"levels", "strengths", "hall", "headroom"} {
		p.press(view)
		check(p, "html", "balance", view, theme)
	}
	for dialog, open := range map[string]func(){
		"finder":   func() { p.keys(input.Slash) },
		"keys":     func() { p.chord(input.ShiftLeft, input.Slash) },
		"marks":    func() { p.keys(input.Period) },
		"bring in": func() { p.unfold("orchestra"); p.press("Bring in") },
		"settings": func() { p.click(`[aria-label^="Template: "]`); p.press("Name and settings") },
		"new bus":  func() { p.unfold("routing"); p.press("New bus") },
		"stems":    func() { p.unfold("deliver", "routing"); p.press("Stems from") },
		"rules":    func() { p.unfold("deliver"); p.press("Stem rules") },
		"plan":     func() { p.unfold("seating"); p.press("Plan…") },
		"compare":  func() { p.unfold("calls"); p.menu("More", "Compare") },
		"music":    func() { p.unfold("calls"); p.press("From music") },
		"small":    func() { p.unfold("calls"); p.menu("More", "Small"); p.see("[data-want]") },
		"machine":  func() { p.unfold("seating"); p.press("change"); p.seeText("[role=dialog]", "Libraries installed") },
		"host":     func() { p.unfold("seating"); p.press("its host"); p.see("[data-host]") },
		"palette":  func() { p.press("View"); p.press("Palette"); p.seeText("[data-part=palette-faults]", "told apart") },
		"history":  func() { p.press("revision [0-9]"); p.see("[data-past]") },
		"versions": func() { p.unfold("orchestra"); p.press("revision [0-9]"); p.see("[data-past]"); p.press("Compare…") },
		"order":    func() { p.unfold("orchestra"); p.menu("Rows|selected", "Arrange", "Put in order") },
		"names":    func() { p.unfold("orchestra"); p.menu("Rows|selected", "Names and emblem", "Name by a pattern") },
		"replace":  func() { p.unfold("orchestra"); p.menu("Rows|selected", "Names and emblem", "Find and replace") },
		"sight":    func() { p.unfold("orchestra"); p.click("[data-part=sight]"); p.press("New sightline") },
		"new":      func() { p.click(`[aria-label^="Template: "]`); p.press("New template") },
		"ready":    func() { p.click(`[aria-label^="Template: "]`); p.press("Make it ready to play") },
		"hand":     func() { p.unfold("library"); p.press("More"); p.press("One hand for all libraries") },
		"playable": func() { p.command("Could people play it") },
		"print": func() {
			p.unfold("orchestra")
			p.click(`[data-row="Piccolo long"]`)
			p.menu("1 selected", "Memory", "Play a recording")
		},
		"library": func() {
			p.unfold("library")
			p.page.MustEval(`() => document.querySelector("[aria-label='Edit Tallow Brass']").click()`)
		},
		"players": func() { p.unfold("library"); p.press("More"); p.press("Players") },
		"what if": func() { p.unfold("seating"); p.press("What if") },
		"returns": func() { p.unfold("deliver"); p.press("Returns") },
		"guide":   func() { p.keys(input.F1); p.see("[data-page] p") },
		"templates": func() {
			p.click(`[aria-label^="Template: "]`)
			p.item("All templates")
			p.see("[data-template]")
		},
		"drift": func() {
			p.click(`[aria-label^="Template: "]`)
			p.item("Versions")
			p.item("Read a session back")
		},
		"links":   func() { p.press("View"); p.item("Links") },
		"members": func() { p.press("View"); p.item("Members"); p.seeText("[role=dialog]", "Owner") },
		"account": func() { p.press("View"); p.item("Your account"); p.seeText("[role=dialog]", "assword") },
		"field": func() {
			p.unfold("orchestra")
			p.click(`[data-row="Piccolo long"]`)
			p.menu("1 selected", "Set", "Colour")
		},
		"emblem": func() {
			p.unfold("orchestra")
			p.click(`[data-row="Piccolo long"]`)
			p.menu("1 selected", "Names and emblem", "Emblem")
		},
		"card": func() {
			p.unfold("orchestra")
			p.click(`[data-row="Piccolo long"]`)
			p.focusSheet()
			p.keys(input.KeyI)
			p.see("[data-card]")
		},
	} {
		p.page.MustEval(`() => document.activeElement.blur()`)
		open()
		p.see("[role=dialog]")
		check(p, "[role=dialog]", dialog, theme)
		for range mostTabs { // by keyboard, one stays within it and sees where one is
			p.keys(input.Tab)
			p.focusWithin("[role=dialog]", dialog)
		}
		p.page.MustEval(`() => document.querySelector("[role=dialog] [aria-label=Close]")?.focus()`) // a field may take Escape for itself
		p.keys(input.Escape)
		p.gone("[role=dialog]")
	}
	for menu, open := range map[string]func(){
		"template": func() { p.click(`[aria-label^="Template: "]`); p.item("Versions") },
		"view":     func() { p.press("View"); p.item("Theme") },
		"rows":     func() { p.unfold("orchestra"); p.menu("Rows|selected", "Memory") },
		"take out": func() { p.unfold("orchestra"); p.menu("Take out", "Routing sheet") },
		"sight":    func() { p.unfold("orchestra"); p.click("[data-part=sight]"); p.item("Make several") },
		"row":      func() { p.unfold("orchestra"); p.rightClick(`[data-row="Piccolo long"]`); p.item("Set") },
	} {
		p.page.MustEval(`() => document.activeElement.blur()`)
		open()
		p.see("[role=menu] [role=menuitem], [role=menu] [role=menuitemradio]")
		check(p, "[role=menu]", "the menu", menu, theme)
		for range mostTabs {
			p.keys(input.ArrowDown)
			p.focusWithin("[role=menu]", menu)
		}
		p.keys(input.ArrowLeft, input.Escape) // out of what is one step deeper
		if has, _, _ := p.page.Has("[role=menu]"); has {
			p.keys(input.Escape)
		}
		p.gone("[role=menu]")
	}
}

// Leaves unfold by key and by spine, alone or beside, in working order; the
// crease between two is moved by key; the selection is the same in all.
func TestLeavesUnfold(t *testing.T) {
	p := enter(t, 1280, 800)
	open := func() (names []string) {
		for _, e := range p.page.MustElements("[data-leaf]") {
			names = append(names, *e.MustAttribute("data-leaf"))
		}
		return names
	}
	p.page.MustEval(`() => document.activeElement.blur()`)
	p.chord(input.AltLeft, input.Digit4)
	p.gone("[data-leaf=orchestra]")
	require.Equal(t, []string{"seating"}, open())
	require.NoError(t, p.page.KeyActions().Press(input.AltLeft, input.ShiftLeft).Type(input.Digit3).Release(input.AltLeft, input.ShiftLeft).Do())
	p.see("[data-leaf=orchestra]")
	require.Equal(t, []string{"orchestra", "seating"}, open(), "the order never changes")
	width := func() float64 {
		return p.see("[data-leaf=orchestra]").MustEval(`() => this.getBoundingClientRect().width`).Num()
	}
	before := width()
	p.see("[role=separator]").MustFocus()
	p.keys(input.ArrowRight)
	p.page.MustWait(`w => document.querySelector("[data-leaf=orchestra]").getBoundingClientRect().width > w`, before)

	p.find("horns a 4 long", "Horns a 4 long")
	ring := p.see(`[data-seat="Horns a 4 long"]`)
	require.Len(t, ring.MustElements("circle"), 2, "its seat rings")
	p.unfold("routing")
	p.seeText(`[aria-label="Routes of the selection"]`, "Horns a 4 long")
	p.click("[data-part=trace] button:nth-of-type(1)")
	p.see(`[data-leaf=orchestra] [data-row="Horns a 4 long"][aria-selected=true]`)
}

func (p *person) keys(keys ...input.Key) {
	p.t.Helper()
	require.NoError(p.t, p.page.Keyboard.Type(keys...))
}

// command runs what the finder finds first.
func (p *person) command(text string) {
	p.t.Helper()
	p.page.MustEval(`() => document.activeElement.blur()`)
	p.keys(input.Slash)
	p.see("[cmdk-input]").MustInput(text)
	p.seeText("[cmdk-item]", text)
	p.keys(input.Enter)
}

func (p *person) chord(hold, key input.Key) {
	p.t.Helper()
	require.NoError(p.t, p.page.KeyActions().Press(hold).Type(key).Release(hold).Do())
}
