package e2e_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// In the first minutes one hint shows at a time, about what is there; one key closes it for good.
func TestHintsAreClosedForGood(t *testing.T) {
	p := visitAs(t, 1280, 800, true)
	p.openLantern()
	p.seeText(`[data-hint=call]`, "Select Piccolo long and press C")
	p.press("^Select it$")
	p.see(`[data-row="Piccolo long"][aria-selected=true]`)
	p.focusSheet()
	p.keys(input.Comma)
	p.seeText(`[data-hint=trace]`, "the whole way of Piccolo long")
	p.page.MustReload()
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.seeText(`[data-hint=right]`, "A right click on Piccolo long")
	p.press("No more hints")
	p.gone("[data-part=hint-line]")
	p.page.MustReload()
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.gone("[data-part=hint-line]")
}

// The card of a row says which instrument it is, its range, and what plays it.
func TestTheCardOfARow(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[data-row="Piccolo long"]`)
	p.focusSheet()
	p.keys(input.KeyI)
	p.seeText(`[data-part=row-card] h3`, "Piccolo long")
	p.seeText(`[data-part=row-card] [data-card]`, "Sounds .* to .*; usually for")
	p.seeText(`[data-part=row-card]`, "Millrace Winds")
	p.keys(input.Escape)
	p.gone(`[data-part=row-card]`)
	p.rightClick(`[data-row="Flute 1 long"]`)
	p.item("Arrange")
	p.item("Card")
	p.seeText(`[data-part=row-card] h3`, "Flute 1 long")
	p.click(`[data-part=row-card] .link`)
	p.seeText(`[data-leaf=library]`, "Flute 1 long")
}

// Rows have an emblem of their own, until it is taken away.
func TestRowsHaveEmblems(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[data-row="Piccolo long"]`)
	p.menu("1 selected", "Names and emblem", "Emblem")
	p.see(`[aria-label="Letters of the emblem"]`).MustInput("PX")
	p.changing(func() { p.press("^Save$") })
	p.gone("[role=dialog]")
	p.seeText(`[data-row="Piccolo long"] [data-field=library]`, "PX")
	p.undo(1)
	p.gone(`[data-row="Piccolo long"] [data-emblem=PX]`)
}

// Who comes back after a while is told what others changed meanwhile, reads it, and closes it; what one
// did oneself is not news.
func TestWhatOthersChangedMeanwhile(t *testing.T) {
	s := runServer(t)
	id := s.template(12)
	var link struct{ Secret string }
	s.must("POST", "/api/invitations", map[string]any{"email": "nell@studio.example", "role": "arranger", "days": 3}, &link)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	nell := &server{t: t, address: s.address, client: &http.Client{Jar: jar}}
	nell.must("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": "Nell", "password": "seven wet ropes and a bell"}, nil)
	change := func(who *server, row int, notes string) (revision int64) {
		var now opened
		who.must("GET", "/api/templates/"+id, nil, &now)
		who.must("POST", "/api/templates/"+id+"/changes", map[string]any{"base": now.Revision, "change": note(now.Template.Instruments[row].ID, notes)}, nil)
		return now.Revision + 1
	}

	p := visit(t, 1280, 800)
	p.page.MustNavigate(s.address)
	form := p.see(`form[aria-label="Sign in"]`)
	form.MustElement("input[type=email]").MustInput(s.account())
	form.MustElement("input[type=password]").MustInput("a long enough password")
	p.press("^Sign in$")
	p.see(`[data-row="Row 3"]`)
	seen := change(nell, 3, "while Ada looks on")
	p.see(fmt.Sprintf("[data-revision=\"%d\"]", seen))
	p.gone("[data-part=since]")

	p.page.MustNavigate(s.address + "/guide/start")
	conn, err := pgx.Connect(context.Background(), s.db.URL)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		var most int64
		return conn.QueryRow(context.Background(), "select max(revision) from looks").Scan(&most) == nil && most == seen
	}, patience(), 50*time.Millisecond, "what was seen is noted when one leaves")
	_, err = conn.Exec(context.Background(), "update looks set at = at - interval '31 minutes'")
	require.NoError(t, err)
	require.NoError(t, conn.Close(context.Background()))
	change(nell, 5, "softer")
	change(s, 6, "of my own")
	p.page.MustNavigate(s.address)
	p.seeText("[data-part=since]", "1 change by Nell since you were here on")
	p.press("What has changed")
	p.seeText(`[role=dialog] [aria-label=Changes]`, "Nell[\\s\\S]*Row 5")
	p.seeJust(`[role=dialog] [aria-label=Changes] li`, 1)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.see("[data-part=since]").MustElementR("button", "Close").MustClick()
	p.gone("[data-part=since]")
}
