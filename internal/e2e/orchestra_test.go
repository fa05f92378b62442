package e2e_test

import (
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// find goes to a row by the finder, and waits until it is selected.
func (p *person) find(question, row string) {
	p.t.Helper()
	p.page.MustEval(`() => document.activeElement.blur()`)
	p.keys(input.Slash)
	p.see("[cmdk-input]").MustInput(question)
	p.seeText("[cmdk-item]", row)
	p.keys(input.Enter)
	p.see(`[data-row="` + row + `"][aria-selected=true]`)
	p.focusSheet()
}

func (p *person) focusSheet() {
	p.t.Helper()
	p.page.MustEval(`() => document.querySelector("[role=grid]").focus()`)
}

// drag takes what lies at one element to another, with the mouse.
func (p *person) drag(from, to string) {
	p.t.Helper()
	start, end := p.middle(from), p.middle(to)
	m := p.page.Mouse
	require.NoError(p.t, m.MoveTo(start))
	require.NoError(p.t, m.Down(proto.InputMouseButtonLeft, 1))
	require.NoError(p.t, m.MoveLinear(end, 8))
	require.NoError(p.t, m.MoveTo(proto.Point{X: end.X + 2, Y: end.Y})) // over what it has just entered
	require.NoError(p.t, m.Up(proto.InputMouseButtonLeft, 1))
}

func (p *person) middle(selector string) proto.Point {
	p.t.Helper()
	shape, err := p.see(selector).Shape()
	require.NoError(p.t, err)
	return *shape.OnePointInside()
}

// names lists the rows that show, from top to bottom.
func (p *person) names() []string {
	p.t.Helper()
	var out []string
	for _, e := range p.page.MustEval(`() => [...document.querySelectorAll("[data-row]")]
		.sort((a, b) => a.getBoundingClientRect().top - b.getBoundingClientRect().top).map((r) => r.dataset.row)`).Arr() {
		out = append(out, e.Str())
	}
	return out
}

// above waits until one row stands above another.
func (p *person) above(upper, lower string) {
	p.t.Helper()
	require.NoError(p.t, p.page.Timeout(patience()).Wait(rod.Eval(`(upper, lower) => {
		const top = (name) => document.querySelector('[data-row="' + name + '"]')?.getBoundingClientRect().top;
		return top(upper) < top(lower);
	}`, upper, lower)), "%s never came to stand above %s", upper, lower)
}

// undo takes back changes, one after the other.
func (p *person) undo(times int) {
	p.t.Helper()
	p.page.MustEval(`() => document.activeElement.blur()`)
	for range times {
		before := *p.see("[data-revision]").MustAttribute("data-revision")
		p.chord(input.ControlLeft, input.KeyZ)
		require.NoError(p.t, p.page.Timeout(patience()).Wait(rod.Eval(
			`before => document.querySelector("[data-revision]").dataset.revision !== before && document.querySelector("[aria-label^='Redo: ']") !== null`, before)), "nothing was taken back")
	}
}

// Sections fold by key, the one around them next, and the cursor goes on
// beside what is folded.
func TestSectionsFold(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("flute 1 long", "Flute 1 long")
	p.keys(input.BracketLeft)
	p.see(`[data-section=Flutes] [aria-expanded=false]`)
	p.gone(`[data-row="Flute 1 long"]`)
	p.keys(input.ArrowDown)
	p.see(`[data-row="Oboe 1 long"][aria-selected=true]`)
	p.keys(input.BracketLeft, input.BracketLeft)
	p.see(`[data-section=Winds] [aria-expanded=false]`)
	p.gone(`[data-section=Oboes]`)
	p.keys(input.BracketRight, input.BracketRight)
	p.see(`[data-row="Oboe 1 long"]`)
	p.chord(input.ShiftLeft, input.BracketLeft)
	p.gone("[data-row]")
	p.chord(input.ShiftLeft, input.BracketRight)
	p.see(`[data-row="Piccolo long"]`)
}

// A section is selected whole, all its rows are set at once, and one undo
// takes it back.
func TestASectionIsSetAtOnce(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[title^="Select all of Oboes"]`)
	p.see(`[data-row="Oboe 1 long"][aria-selected=true]`)
	p.focusSheet()
	p.keys(input.KeyG, input.KeyS)
	p.see(`[role=dialog] input`).MustSelectAllText().MustInput("Low winds")
	p.keys(input.Enter)
	p.seeText(`[data-row="Oboe 1 long"] [data-field=stem]`, "Low winds")
	p.seeText(`[data-row="Oboes a 3 effects"] [data-field=stem]`, "Low winds")
	p.undo(1)
	p.seeText(`[data-row="Oboes a 3 effects"] [data-field=stem]`, "High winds")
}

// Fields are edited in place, one after the other; the section's name too.
func TestFieldsAreEditedInPlace(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("piccolo long", "Piccolo long")
	p.keys(input.Home, input.ArrowLeft, input.ArrowLeft, input.ArrowLeft, input.ArrowLeft, input.KeyE)
	p.see(`[aria-label="Instrument of Piccolo long"]`)
	p.keys(input.Tab)
	p.see(`[aria-label="Articulations of Piccolo long"]`).MustSelectAllText().MustInput("long; trill")
	p.keys(input.Enter)
	p.seeText(`[data-row="Piccolo long"] [data-field=articulations]`, "^long · trill$")
	p.page.MustEval(`() => document.querySelector('[data-row="Piccolo long"] [data-field=notes]').dispatchEvent(new MouseEvent("dblclick", {bubbles: true}))`)
	p.see(`[aria-label="Notes of Piccolo long"]`).MustInput("never above the oboe")
	p.keys(input.Enter)
	p.seeText(`[data-row="Piccolo long"] [data-field=notes]`, "never above the oboe")
	p.page.MustEval(`() => document.querySelector('[title^="Select all of Flutes"]').dispatchEvent(new MouseEvent("dblclick", {bubbles: true}))`)
	p.see(`[aria-label="Name of the section Flutes"]`).MustSelectAllText().MustInput("Flutes and piccolo")
	p.keys(input.Enter)
	p.see(`[data-section="Flutes and piccolo"]`)
	p.undo(3)
	p.see(`[data-section=Flutes]`)
	p.seeText(`[data-row="Piccolo long"] [data-field=articulations]`, "flutter")
}

// Rows are moved by dragging and by key; spare rows are added.
func TestRowsMove(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.see(`[data-row="Piccolo long"]`)
	p.drag(`[data-row="Flute 1 long"] [data-field=name]`, `[data-row="Piccolo long"] [data-field=name]`)
	p.see(`[data-row="Flute 1 long"][aria-selected=true]`)
	p.above("Flute 1 long", "Piccolo long")
	require.Equal(t, []string{"Flute 1 long", "Piccolo long"}, p.names()[:2])
	p.focusSheet()
	p.chord(input.AltLeft, input.ArrowDown)
	p.above("Piccolo long", "Flute 1 long")
	p.menu("1 selected", "Add and copy", "Eight spare rows")
	p.see(`[data-row=Spare][aria-selected=true]`)
	p.seeJust(`[data-row=Spare][aria-selected=true]`, 8)
	p.undo(3)
	p.gone(`[data-row=Spare]`)
	p.above("Piccolo long", "Flute 1 long")
	require.Equal(t, []string{"Piccolo long", "Piccolo short"}, p.names()[:2])
}

// A divider is a line between rows, which gets a word where one is wanted, stays on paper and in
// lists, and is no instrument.
func TestDividersBetweenRows(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("piccolo short", "Piccolo short")
	p.keys(input.Key('N'))
	p.see(`[data-row=""][aria-selected=true] [role=gridcell][aria-label^=divider]`)
	p.seeText("[aria-label=Trace]", "a line between rows")
	p.focusSheet()
	p.keys(input.KeyE)
	p.see("[role=grid] input").MustInput("Flutes proper")
	p.keys(input.Enter)
	p.see(`[data-row="Flutes proper"][aria-selected=true]`)
	require.Equal(t, []string{"Piccolo long", "Piccolo short", "Flutes proper", "Piccolo effects"}, p.names()[:4])
	p.seeText("[data-leaf=orchestra] header", "419 instruments") // it counts for nothing
	p.menu("1 selected", "Set", "Kind")
	p.see(`[role=radiogroup] input[type=radio]:checked`)
	p.keys(input.Escape)
	p.undo(2)
	p.gone(`[role=gridcell][aria-label^=divider]`)
}

// While one person types a name, another sets it: both values are shown, and
// the person decides.
func TestAClashShowsBothValuesAndLosesNothing(t *testing.T) {
	ada, ben := enter(t, 1280, 800), enter(t, 1280, 800)
	for _, p := range []*person{ada, ben} {
		p.unfold("orchestra")
		p.see(`[data-row="Piccolo long"]`)
	}
	rename := func(p *person, row string) {
		p.page.MustEval(`row => document.querySelector('[data-row="' + row + '"] [data-field=name]').dispatchEvent(new MouseEvent("dblclick", {bubbles: true}))`, row)
	}
	rename(ada, "Piccolo long")
	ada.see("[role=grid] input").MustSelectAllText().MustInput("Ada's piccolo")
	rename(ben, "Piccolo long")
	ben.see("[role=grid] input").MustSelectAllText().MustInput("Ben's piccolo")
	ben.keys(input.Enter)
	ben.see(`[data-row="Ben's piccolo"]`)
	ada.see(`[data-row="Ben's piccolo"] input`)
	ada.keys(input.Enter)
	ada.seeText("[data-value=theirs]", "Ben's piccolo")
	ada.seeText("[data-value=yours]", "Ada's piccolo")
	ada.press("Use mine")
	ben.see(`[data-row="Ada's piccolo"]`)
	ada.undo(1)
	ben.see(`[data-row="Ben's piccolo"]`)
	ben.undo(1)
	ben.see(`[data-row="Piccolo long"]`)
}

// One section is gathered by role, seen before it is taken, its routes and seats
// as they were; and undone.
func TestOneSectionIsGatheredByRole(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("violas short", "Violas short")
	before := p.see("[data-part=trace]").MustText()
	p.menu("1 selected", "Arrange", "Put in order")
	p.seeText("[data-part=moved]", "Everything is in this order already|would move")
	p.see("[role=dialog] select").MustSelect("Strings")
	p.page.MustElementR("[role=dialog] label", "By role").MustClick()
	p.seeText("[role=dialog] [role=region]", `High long[\s\S]*High short[\s\S]*Low long[\s\S]*Effects`)
	p.seeText("[role=dialog]", "Removed, because it would be empty: .*Strings / Violas")
	p.page.MustElementR("[role=dialog] button", "^Put in order").MustClick()
	p.gone("[role=dialog]")
	p.find("violas short", "Violas short")
	p.see(`[data-section="High short"]`)
	require.Equal(t, before, p.see("[data-part=trace]").MustText(), "routes and seat are as they were")
	p.undo(1)
	p.gone(`[data-section="High short"]`)
	p.find("violas short", "Violas short")
	p.see(`[data-section="Violas"]`)
}

// The selection is named by a pattern, seen before; a name typed by hand stays;
// then text is found and replaced with an expression; both are undone.
func TestRowsAreNamedByAPattern(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("oboe 2 short", "Oboe 2 short")
	p.keys(input.KeyE)
	p.see(`[role=grid] input`).MustSelectAllText().MustInput("Second oboe")
	p.keys(input.Enter)
	p.see(`[data-row="Second oboe"]`)
	p.page.MustElementR("[data-section=Oboes] button", "^Oboes").MustClick()
	p.menu("15 selected", "Names and emblem", "Name by a pattern")
	pattern := p.see("#pattern")
	pattern.MustSelectAllText().MustInput("{foo}")
	p.seeText("[role=dialog]", "the pattern has {foo}; in braces you can use")
	pattern.MustSelectAllText().MustInput("{desk:short} {number:2}")
	p.click("#shorten")
	p.page.MustElement(`[role=dialog] select`).MustSelect("7")
	p.seeText(`[data-named="Oboe 1 long"]`, `Ob 1 01[\s\S]*Ob 1 01`)
	p.seeText(`[data-named="Second oboe"]`, "by hand")
	p.press("Name them")
	p.gone("[role=dialog]")
	p.see(`[data-row="Ob 1 01"]`)
	p.see(`[data-row="Second oboe"]`)

	p.menu("15 selected", "Names and emblem", "Find and replace")
	p.see("#find").MustInput(`^Ob (\d) 0(\d)$`)
	p.see("#with").MustInput("$2 of $1")
	p.seeText("[data-part=found-count]", "0 texts")
	p.page.MustElementR("[role=dialog] label", "regular expression").MustClick()
	p.seeText(`[data-found="Ob 1 01"]`, "1 of 1")
	p.page.MustElementR("[role=dialog] button", "^Replace").MustClick()
	p.gone("[role=dialog]")
	p.see(`[data-row="1 of 1"]`)
	p.undo(3)
	p.see(`[data-row="Oboe 1 long"]`)
	p.see(`[data-row="Oboe 2 short"]`)
}

// What the finder finds can be called, rested and added to the selection at
// once, and what was chosen before comes first.
func TestTheFinderActs(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	ask := func(question string) {
		require.NoError(t, p.page.Keyboard.Press('/'))
		p.see("[cmdk-input]").MustInput(question)
		p.seeText("[cmdk-item][data-selected=true]", "Concert bass drum")
	}
	p.focusSheet()
	ask("bd")
	p.chord(input.ControlLeft, input.Enter)
	p.gone("[role=dialog]")
	p.seeText("[data-leaf=orchestra] header", "1 ready")
	p.focusSheet()
	ask("bass drum")
	require.NoError(t, p.page.KeyActions().Press(input.ControlLeft, input.ShiftLeft).Type(input.Enter).Release(input.ControlLeft, input.ShiftLeft).Do())
	p.gone("[role=dialog]")
	p.seeText("[data-leaf=orchestra] header", "419 instruments$|419 instruments, 0 ready")
	p.focusSheet()
	ask("bd")
	p.chord(input.ShiftLeft, input.Enter)
	p.see("[cmdk-input]").MustInput("anvil")
	p.seeText("[cmdk-item][data-selected=true]", "Anvil")
	p.chord(input.ShiftLeft, input.Enter)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.press("2 selected")
	p.keys(input.Escape)

	p.focusSheet()
	require.NoError(t, p.page.Keyboard.Press('/'))
	p.see("[cmdk-input]").MustInput("drum")
	p.seeText("[cmdk-item][data-selected=true]", "Concert bass drum")
	p.keys(input.Escape)
	p.gone("[role=dialog]")

	// an articulation is found with all that offer it, and a row is traced
	require.NoError(t, p.page.Keyboard.Press('/'))
	p.see("[cmdk-input]").MustInput("col legno")
	p.page.MustElementR("[cmdk-item]", "articulation, 15 rows").MustClick()
	p.gone("[role=dialog]")
	p.press("15 selected")
	p.keys(input.Escape)
	p.focusSheet()
	require.NoError(t, p.page.Keyboard.Press('/'))
	p.see("[cmdk-input]").MustInput("concert bd")
	p.seeText("[cmdk-item][data-selected=true]", "Concert bass drum")
	p.chord(input.AltLeft, input.Enter)
	p.see("[data-leaf=routing]")
	p.seeText("[data-part=trace]", "Concert bass drum")
}

// One key makes another row on the same seat: it is ready when the first is, says
// whose seat it has, and can get its own.
func TestSameAgainOnOneSeat(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("bassoon 2 long", "Bassoon 2 long")
	p.unfold("orchestra")
	p.focusSheet()
	p.chord(input.ShiftLeft, input.KeyD)
	p.see(`[data-row="Bassoon 2 long 2"][aria-selected=true]`)
	p.seeText(`[data-row="Bassoon 2 long 2"] [data-field=machine]`, "^″ ")
	p.seeText("[data-part=trace]", "with Bassoon 2 long")
	p.keys(input.KeyC)
	p.see(`[data-row="Bassoon 2 long"][data-state=ready]`)
	p.see(`[data-row="Bassoon 2 long 2"][data-state=ready]`)
	p.keys(input.KeyX)
	p.see(`[data-row="Bassoon 2 long"][data-state=tacet]`)

	p.unfold("seating", "orchestra")
	require.Len(t, p.see(`[data-seat="Bassoon 2 long"]`).MustElements("circle"), 2, "the seat it shares rings")
	p.seeText("[data-badge=marks]", "1 mark")
	p.menu("1 selected", "Arrange", "Give it a seat of its own")
	p.see(`[data-seat="Bassoon 2 long 2"]`)
	p.undo(2)
	p.gone(`[data-row="Bassoon 2 long 2"]`)
}
