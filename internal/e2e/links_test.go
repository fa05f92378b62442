package e2e_test

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// A template is shared by a link: somebody outside reads it and its handbook without signing in; the
// link is listed, is ended, and leads nowhere from then on.
func TestATemplateIsSharedByALink(t *testing.T) {
	p := enter(t, 1280, 800)
	p.click(`[aria-label^="Template:"]`)
	p.press("Share by a link")
	p.see(`[aria-label="What it shows"]`).MustSelect("The template, all formats")
	p.see(`[aria-label="For whom"]`).MustInput("The orchestrator")
	p.press("Make the link")
	link := p.see(`[data-part=link] [aria-label=Link]`).MustProperty("value").Str()
	p.seeText(`[data-link="The orchestrator"]`, "not opened yet")

	guest := visit(t, 1280, 800)
	guest.page.MustNavigate(link)
	guest.seeText("h1", "The Salt Lantern")
	guest.seeText("body", "From Composer to The orchestrator")
	picture := guest.see("img")
	require.True(t, guest.page.MustEval(`async () => { const x = document.querySelector("img"); await x.decode(); return x.naturalWidth > 100 }`).Bool(), picture.String())
	guest.page.MustElementR("a", "Read the handbook").MustClick()
	guest.seeText("body", "Winds")
	guest.page.MustNavigate(strings.Replace(link, "/shared/", "/shared/x", 1))
	guest.seeText("body", "no longer works")

	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.click(`[aria-label="View and account"]`)
	p.press("Links for people outside")
	p.seeText(`[data-link="The orchestrator"]`, "opened once")
	p.click(`[aria-label="End the link to The orchestrator"]`)
	p.gone(`[data-link="The orchestrator"]`)
	guest.page.MustNavigate(link)
	guest.seeText("body", "no longer works")
}
