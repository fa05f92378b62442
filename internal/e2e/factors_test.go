package e2e_test

import (
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"
)

// device gives a page Chromium's own stand-in for a device that holds passkeys.
func (p *person) device() {
	p.t.Helper()
	require.NoError(p.t, proto.WebAuthnEnable{}.Call(p.page))
	_, err := proto.WebAuthnAddVirtualAuthenticator{Options: &proto.WebAuthnVirtualAuthenticatorOptions{
		Protocol: proto.WebAuthnAuthenticatorProtocolCtap2, Transport: proto.WebAuthnAuthenticatorTransportInternal,
		HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
	}}.Call(p.page)
	require.NoError(p.t, err)
}

// Somebody joins with a passkey and no password, comes in by it, sets a password, has a code asked for
// after it, and comes in with both, and with a spare code.
func TestPasskeyAndCodes(t *testing.T) {
	owner := enter(t, 1280, 800)
	secret := owner.page.MustEval(`async () => {
		const made = await fetch("/api/invitations", { method: "POST", headers: { "Content-Type": "application/json" },
			body: JSON.stringify({ email: "ivo@lantern.example", role: "arranger", days: 3 }) });
		return (await made.json()).secret;
	}`).Str()

	p := visit(t, 1280, 800)
	p.device()
	p.page.MustNavigate(strings.Replace(studio.address, "127.0.0.1", "localhost", 1) + "/invitation/" + secret)
	p.seeText("form", "You are invited to Salt Lantern as arranger")
	p.page.MustElementR("label", "Your name").MustElement("input").MustInput("Ivo")
	p.press("Join with a passkey instead")
	p.see(`[data-leaf="orchestra"] h2`)

	signOut := func() {
		p.click(`[aria-label="View and account"]`)
		p.press("Sign out")
		p.see(`form[aria-label="Sign in"]`)
	}
	account := func() {
		p.click(`[aria-label="View and account"]`)
		p.press("Your account")
		p.see(`[aria-label="Code at sign-in"]`)
	}
	signOut()
	p.press("Sign in with a passkey")
	p.see(`[data-leaf="orchestra"] h2`)
	account()
	p.seeText(`[aria-label=Passkeys]`, "used")
	p.click(`[aria-label=Passkeys] li button`)
	p.seeText("[role=alert]", "only way you can sign in")
	p.press("Add a passkey on this device")
	p.seeText("[role=alert]", "has a passkey of yours already")
	p.see(`[aria-label="New password"]`).MustInput("seven wet ropes and a bell")
	p.press("^Set$")
	p.see(`[aria-label="Current password"]`)

	p.press("^Turn on$")
	key := strings.ReplaceAll(p.see(`[data-part=key]`).MustText(), " ", "")
	code := func(steps int) string {
		text, err := totp.GenerateCode(key, time.Now().Add(time.Duration(steps)*30*time.Second))
		require.NoError(t, err)
		return text
	}
	p.see(`[aria-label=Code]`).MustInput(code(-1))
	p.keys(input.Enter)
	p.seeText(`[data-part=spares]`, "Write these spare codes down")
	spare := p.see(`[data-part=spares] li`).MustText()
	p.keys(input.Escape)
	p.gone("[role=dialog]")

	byPassword := func() {
		signOut()
		p.see("#email").MustInput("ivo@lantern.example")
		p.see("#password").MustInput("seven wet ropes and a bell")
		p.press("^Sign in$")
		p.see("#code")
	}
	byPassword()
	p.see("#code").MustInput("000000")
	p.press("^Sign in$")
	p.seeText("[role=alert]", "that code is wrong")
	p.see("#code").MustSelectAllText().MustInput(code(0))
	p.press("^Sign in$")
	p.see(`[data-leaf="orchestra"] h2`)
	byPassword()
	p.see("#code").MustInput(spare)
	p.press("^Sign in$")
	p.see(`[data-leaf="orchestra"] h2`)
	account()
	p.seeText(`[aria-label="Code at sign-in"]`, "7 spare codes are left")

	owner.click(`[aria-label="View and account"]`)
	owner.press("Members")
	owner.click(`[aria-label="Remove Ivo"]`)
	owner.gone(`[data-member="Ivo"]`)
	p.see(`form[aria-label="Sign in"]`)
	p.press("Sign in with a passkey")
	p.seeText("[role=alert]", "not known here")
}
