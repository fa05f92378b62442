package e2e_test

import (
	"os"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// An owner invites a reader, who joins by the link, looks and is refused what they may not; as an
// assistant they may; then they leave, and are signed out at once.
func TestSomebodyIsInvited(t *testing.T) {
	p := enter(t, 1280, 800)
	p.click(`[aria-label="View and account"]`)
	p.press("Members")
	p.see(`[aria-label="Email of somebody new"]`).MustInput("nell@lantern.example")
	p.see(`[role=dialog] form [aria-label=Role]`).MustSelect("reader")
	p.press("^Invite$")
	p.seeText(`[data-invitation="nell@lantern.example"]`, "invited")
	link := p.see(`[data-part=link] [aria-label=Link]`).MustProperty("value").Str()
	require.Contains(t, link, "/invitation/")

	if dir := os.Getenv("FANFOLD_SHOTS"); dir != "" {
		p.page.MustEval(`() => { document.documentElement.dataset.theme = "pit" }`)
		p.shoot(dir, "members-pit.png")
	}

	n := visit(t, 1280, 800)
	_, secret, _ := strings.Cut(link, "/invitation/")
	n.page.MustNavigate(studio.address + "/invitation/" + secret)
	n.seeText("form", "You are invited to Salt Lantern as reader")
	n.page.MustElementR("label", "Your name").MustElement("input").MustInput("Nell")
	password := n.page.MustElementR("label", "^Password").MustElement("input")
	password.MustInput("lighthouse")
	n.press("Join the studio")
	n.seeText("[role=alert]", "easy to guess")
	password.MustSelectAllText().MustInput("seven wet ropes and a bell")
	n.press("Join the studio")
	n.see(`[data-leaf="orchestra"] h2`)
	n.find("flute 2 long", "Flute 2 long")
	n.keys(input.Delete)
	n.seeText("[role=alert]", "a reader of this studio cannot change anything")
	n.see(`[data-row="Flute 2 long"]`)

	p.see(`[aria-label="Role of Nell"]`).MustSelect("assistant")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	n.changing(func() { n.keys(input.KeyD) })
	n.changing(func() { n.page.KeyActions().Press(input.ControlLeft).Type(input.KeyZ).MustDo() })

	n.click(`[aria-label="View and account"]`)
	n.press("Your account")
	n.seeText("[role=dialog]", "Nell, nell@lantern.example, assistant of Salt Lantern")
	n.seeJust(`[aria-label="Where you are signed in"] li`, 1)
	n.keys(input.Escape)

	p.click(`[aria-label="View and account"]`)
	p.press("Members")
	p.click(`[aria-label="Remove Nell"]`)
	p.gone(`[data-member="Nell"]`)
	n.see(`form[aria-label="Sign in"]`)
	p.press("Activity: sign-ins")
	p.seeText(`[role=dialog] table`, "removed Nell")
	p.seeText(`[role=dialog] table`, "Nell[\\s\\S]*joined the studio")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
}
