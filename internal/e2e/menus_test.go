package e2e_test

import (
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// mostEntries is how many entries a menu shows at first sight.
const mostEntries = 9

// entries are the texts of the entries of the menu that is open, without what it lists by name.
func (p *person) entries() []string {
	p.t.Helper()
	p.see("[role=menu]")
	var out []string
	said := p.page.MustEval(`() => [...[...document.querySelectorAll("[role=menu]")].at(-1).querySelectorAll("[role=menuitem], [role=menuitemcheckbox]")].map((e) => e.innerText.replace(/\s+/g, " "))`)
	for _, text := range said.Arr() {
		out = append(out, text.Str())
	}
	return out
}

// Every menu that a leaf or the title line opens shows nine entries at most, and closes by Escape.
func TestMenusAreShort(t *testing.T) {
	p := enter(t, 1280, 800)
	menus := 0
	look := func(where string) {
		for n := 0; ; n++ {
			all := p.page.MustElements(where + " [aria-haspopup=menu]:not([disabled])")
			if n >= len(all) || n >= 12 { // risers have the same menu, each
				return
			}
			// one may have been drawn again since
			if _, err := all[n].Timeout(patience()).Eval(`() => { this.focus(); this.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true, cancelable: true })) }`); err != nil {
				continue
			}
			require.LessOrEqual(t, len(p.entries()), mostEntries, "%s, menu %d: %v", where, n+1, p.entries())
			menus++
			p.keys(input.Escape)
			p.gone("[role=menu]")
		}
	}
	look("header")
	for _, leaf := range []string{"deliver", "library", "orchestra", "seating", "balance", "calls", "cues"} {
		p.unfold(leaf)
		p.see(`[data-leaf="` + leaf + `"] header`)
		look(`[data-leaf="` + leaf + `"]`)
	}
	require.Greater(t, menus, 12)
}

// A right click on a row, a bus, a seat, a stem and a cue opens the menu of what can be done with it; the
// menu key does so for the row under the focus.
func TestRightClick(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra", "seating")
	chosen := func() string { return p.see("[data-row][aria-selected=true]").MustEval(`() => this.dataset.row`).Str() }

	p.rightClick(`[data-row="Piccolo long"]`)
	require.Equal(t, "Piccolo long", chosen())
	require.Equal(t, []string{"Call C", "Rest X", "Memory ▸", "Set ▸", "Articulations ▸", "Names and emblem ▸", "Add and copy ▸", "Arrange ▸", "Delete Del"}, p.entries())
	p.item("Set")
	p.item("Notes…")
	p.see(`[role=dialog] input`).MustInput("lent")
	p.changing(func() { p.press("^Save$") })
	p.gone("[role=dialog]")
	p.undo(1)

	// what is selected stays selected where the click is on one of it
	p.click(`[data-row="Flute 1 long"]`)
	p.page.Keyboard.MustType() // no key is down
	p.chord(input.ShiftLeft, input.ArrowDown)
	p.seeJust("[data-row][aria-selected=true]", 2)
	p.rightClick(`[data-row="Flute 1 long"]`)
	p.keys(input.Escape)
	p.gone("[role=menu]")
	p.seeJust("[data-row][aria-selected=true]", 2)

	p.rightClick(`[data-section="Oboes"]`)
	p.keys(input.Escape)
	p.gone("[role=menu]")
	p.press("15 selected")
	p.keys(input.Escape)
	p.gone("[role=menu]")

	p.rightClick(`[data-seat="Bassoon 2 long"]`)
	require.Contains(t, p.entries(), "Call C")
	p.keys(input.Escape)
	p.gone("[role=menu]")
	require.Equal(t, "Bassoon 2 long", chosen())

	p.focusSheet()
	_, err := p.see(`[role=grid]`).Eval(`() => this.dispatchEvent(new MouseEvent("contextmenu", { bubbles: true, cancelable: true, button: 0 }))`)
	require.NoError(t, err) // as the menu key does
	require.Contains(t, p.entries(), "Call C")
	p.keys(input.Escape)
	p.gone("[role=menu]")

	p.unfold("deliver")
	p.rightClick(`[data-stem="High winds"]`)
	require.Contains(t, p.entries(), "How it is delivered")
	p.item("Select its [0-9]+ rows")
	p.see(`[data-leaf=orchestra] [data-row="Piccolo long"][aria-selected=true]`)

	p.unfold("routing")
	var found *rod.Element
	found, err = p.page.Timeout(patience()).ElementR("[data-thing^=bus] button[data-node]", "Hall")
	require.NoError(t, err)
	require.NoError(t, found.Click("right", 1))
	require.Contains(t, p.entries(), "Remove…")
	p.item("What reaches it")
	p.see("[data-inspects]")

	p.unfold("cues")
	p.rightClick(`[data-cue-row="1M02"]`)
	require.Contains(t, p.entries(), "Find tempi…")
	p.item("Find tempi")
	p.seeText("[role=dialog] h2", "empi")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.rightClick(`[data-strip] [data-cue]`)
	require.Contains(t, p.entries(), "Start…")
	p.keys(input.Escape)
	p.gone("[role=menu]")
}
