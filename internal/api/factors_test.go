package api_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/x509"
	"encoding/json"
	"io"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/descope/virtualwebauthn"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/people"
)

type factors struct {
	Password, Codes bool
	Spares          int
	Passkeys        []struct{ ID, Name, Place string }
}

// Codes of an authenticator app are asked for after the password; none is good twice; spare ones are
// good once; and an owner's link lets in who has lost both.
func TestCodesAtSignIn(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	bo := s.comes(t, ada, "bo", people.Arranger)
	enter := func(code string) got {
		return s.client(t).do("POST", "/api/session", map[string]string{"email": "bo@studio.example", "password": wanderers, "code": code})
	}
	require.Equal(t, 422, bo.do("PUT", "/api/session/codes", map[string]string{"code": "123456"}).status, "there is no key yet")
	key := as[struct{ Secret, URI, Picture string }](t, bo.do("POST", "/api/session/codes", nil))
	require.Contains(t, key.URI, "otpauth://totp/Fanfold:bo@studio.example?")
	require.True(t, strings.HasPrefix(key.Picture, "data:image/png;base64,"))
	code := func(later time.Duration) string {
		c, err := totp.GenerateCode(key.Secret, time.Now().Add(later))
		require.NoError(t, err)
		return c
	}
	require.Equal(t, 422, bo.do("PUT", "/api/session/codes", map[string]string{"code": code(time.Hour)}).status)
	require.False(t, as[factors](t, bo.do("GET", "/api/session/factors", nil)).Codes, "they are not asked for before the app is known to have the key")
	told := as[struct{ Spares []string }](t, bo.do("PUT", "/api/session/codes", map[string]string{"code": code(-30 * time.Second)}))
	require.Len(t, told.Spares, 8)

	require.Equal(t, "code-needed", enter("").field(t, "code"))
	require.Equal(t, "wrong-code", enter(code(-30*time.Second)).field(t, "code"), "it was used to turn them on")
	now := code(0)
	require.Equal(t, 200, enter(now).status)
	require.Equal(t, "wrong-code", enter(now).field(t, "code"), "none is good twice")
	require.Equal(t, 200, enter(strings.ToLower(told.Spares[3])).status)
	require.Equal(t, "wrong-code", enter(told.Spares[3]).field(t, "code"))
	require.Equal(t, 200, enter(told.Spares[4]).status)
	require.Equal(t, "too-many", enter(told.Spares[3]).field(t, "code"), "six at once")

	x := as[factors](t, bo.do("GET", "/api/session/factors", nil))
	require.True(t, x.Codes && x.Password)
	require.Equal(t, 6, x.Spares)
	require.Equal(t, 429, bo.do("POST", "/api/session/codes/end", map[string]string{"code": told.Spares[0]}).status)

	// Ada turns them on, and off.
	mine := as[struct{ Secret string }](t, ada.do("POST", "/api/session/codes", nil))
	c, err := totp.GenerateCode(mine.Secret, time.Now())
	require.NoError(t, err)
	spares := as[struct{ Spares []string }](t, ada.do("PUT", "/api/session/codes", map[string]string{"code": c})).Spares
	require.Equal(t, 403, ada.do("POST", "/api/session/codes/end", map[string]string{"code": c}).status, "it was used")
	require.Equal(t, 204, ada.do("POST", "/api/session/codes/end", map[string]string{"code": spares[0]}).status)
	x = as[factors](t, ada.do("GET", "/api/session/factors", nil))
	require.False(t, x.Codes)
	require.Zero(t, x.Spares)

	// The phone is lost.
	id := as[member](t, bo.do("GET", "/api/session", nil)).ID
	link := as[invited](t, ada.do("POST", "/api/members/"+id+"/password", nil))
	back := s.client(t)
	require.Equal(t, 200, back.do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"password": wanderers + " again"}).status)
	require.False(t, as[factors](t, back.do("GET", "/api/session/factors", nil)).Codes)
	require.Contains(t, string(ada.do("GET", "/api/notes", nil).body), "gave a wrong code")
}

// device holds passkeys, as a phone does.
type device struct {
	t    *testing.T
	rp   virtualwebauthn.RelyingParty
	auth virtualwebauthn.Authenticator
	key  virtualwebauthn.Credential
}

func newDevice(t *testing.T, origin string) *device {
	return &device{t, virtualwebauthn.RelyingParty{ID: "localhost", Name: "Fanfold", Origin: origin}, virtualwebauthn.NewAuthenticator(), newKey(t)}
}

// newKey is a key whose coordinates have all their 32 bytes: the authenticator here writes one that
// begins with a zero byte shorter, which RFC 9053, section 7.1.1, does not allow.
func newKey(t *testing.T) virtualwebauthn.Credential {
	for {
		c := virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2)
		key, err := x509.ParsePKCS8PrivateKey(c.Key.Data)
		require.NoError(t, err)
		point, err := key.(*ecdsa.PrivateKey).PublicKey.Bytes() // 4, then both coordinates
		require.NoError(t, err)
		if point[1] != 0 && point[33] != 0 {
			return c
		}
	}
}

func (d *device) makes(ask []byte) any {
	options, err := virtualwebauthn.ParseAttestationOptions(string(ask))
	require.NoError(d.t, err)
	d.auth.Options.UserHandle = []byte(options.UserID)
	d.auth.AddCredential(d.key)
	return written(virtualwebauthn.CreateAttestationResponse(d.rp, d.auth, d.key, *options))
}

func (d *device) signs(ask []byte) any {
	options, err := virtualwebauthn.ParseAssertionOptions(string(ask))
	require.NoError(d.t, err)
	return written(virtualwebauthn.CreateAssertionResponse(d.rp, d.auth, d.key, *options))
}

func written(said string) any { return json.RawMessage(said) }

// byName reaches the server by its name, as passkeys need it.
func (c *client) byName() *client {
	c.base = strings.Replace(c.base, "127.0.0.1", "localhost", 1)
	return c
}

func (s *server) enterBy(t *testing.T, d *device, from func(*client)) got {
	c := s.client(t).byName()
	ask := c.do("POST", "/api/session/passkey/begin", nil)
	require.Equal(t, 200, ask.status, string(ask.body))
	if from != nil {
		from(c)
	}
	return c.do("POST", "/api/session/passkey", map[string]any{"answer": d.signs(ask.body)})
}

// Somebody adds a passkey, comes in by it without a password and without a code, and removes it.
// What a device of another place signs, what was asked of another browser, or is signed by another
// key, lets in nobody.
func TestPasskeys(t *testing.T) {
	s := serve(t)
	origin := strings.Replace(s.URL, "127.0.0.1", "localhost", 1)
	ada := s.signedIn(t, "ada")
	require.Contains(t, string(ada.do("POST", "/api/session/passkeys/begin", nil).body), "needs the server's name")
	named := s.client(t).byName()
	require.Equal(t, 200, named.do("POST", "/api/session", map[string]string{"email": "ada@studio.example", "password": password}).status)

	d := newDevice(t, origin)
	unknown := newDevice(t, origin)
	require.Equal(t, "wrong-login", s.enterBy(t, unknown, nil).field(t, "code"))
	ask := named.do("POST", "/api/session/passkeys/begin", nil)
	require.Equal(t, 200, ask.status, string(ask.body))
	made := named.do("POST", "/api/session/passkeys", map[string]any{"name": "Desk", "answer": d.makes(ask.body)})
	require.Equal(t, 201, made.status, string(made.body))
	require.Equal(t, 422, named.do("POST", "/api/session/passkeys", map[string]any{"name": "Desk", "answer": d.makes(ask.body)}).status, "what was asked is good once")
	list := as[factors](t, named.do("GET", "/api/session/factors", nil)).Passkeys
	require.Len(t, list, 1)
	require.Equal(t, "Desk", list[0].Name)

	came := s.enterBy(t, d, nil)
	require.Equal(t, 200, came.status, string(came.body))
	require.Equal(t, "ada@studio.example", came.field(t, "email"))

	// Nobody else.
	elsewhere := *d
	elsewhere.rp.Origin = "https://salt.example"
	require.Equal(t, 422, s.enterBy(t, &elsewhere, nil).status)
	forged := *d
	forged.key.Key = newKey(t).Key
	require.Equal(t, 422, s.enterBy(t, &forged, nil).status)
	unasked := *d
	unasked.auth.Options.UserNotVerified = true
	require.Equal(t, 422, s.enterBy(t, &unasked, nil).status, "the device did not ask who holds it")
	require.Equal(t, 422, s.enterBy(t, d, func(c *client) { c.http.Jar = nil }).status, "it was asked in another window")
	other := *d
	other.auth.Options.UserHandle = []byte("somebody else")
	require.Equal(t, 422, s.enterBy(t, &other, nil).status)

	// One of another person cannot be removed, and a removed one lets in nobody.
	require.Equal(t, 404, s.signedIn(t, "eve").do("DELETE", "/api/session/passkeys/"+list[0].ID, nil).status)
	require.Equal(t, 204, named.do("DELETE", "/api/session/passkeys/"+list[0].ID, nil).status)
	require.Equal(t, "wrong-login", s.enterBy(t, d, nil).field(t, "code"))
}

// An invitation is taken with a passkey and no password, which can be set later; who leaves comes in
// by it no more.
func TestAnInvitationByPasskey(t *testing.T) {
	s := serve(t)
	origin := strings.Replace(s.URL, "127.0.0.1", "localhost", 1)
	ada := s.signedIn(t, "ada")
	link := as[invited](t, ada.do("POST", "/api/invitations", map[string]any{"email": "bo@studio.example", "role": "arranger", "days": 3}))
	path := "/api/session/invitation/" + link.Secret + "/passkey"
	bo := s.client(t).byName()
	require.Equal(t, 404, bo.do("POST", "/api/session/invitation/x/passkey/begin", map[string]any{"name": "Bo"}).status)
	require.Equal(t, 422, bo.do("POST", path+"/begin", map[string]any{"name": ""}).status)
	d := newDevice(t, origin)
	ask := bo.do("POST", path+"/begin", map[string]any{"name": "Bo"})
	require.Equal(t, 200, ask.status, string(ask.body))
	joined := bo.do("POST", path, map[string]any{"name": "Phone", "person": "Bo", "answer": d.makes(ask.body)})
	require.Equal(t, 200, joined.status, string(joined.body))
	x := as[factors](t, bo.do("GET", "/api/session/factors", nil))
	require.False(t, x.Password)
	require.Contains(t, string(bo.do("DELETE", "/api/session/passkeys/"+x.Passkeys[0].ID, nil).body), "only way you can sign in")
	require.Equal(t, 401, s.client(t).do("POST", "/api/session", map[string]string{"email": "bo@studio.example", "password": ""}).status)
	require.Equal(t, 200, s.enterBy(t, d, nil).status)
	require.Equal(t, 204, bo.do("PUT", "/api/session/password", map[string]any{"becomes": wanderers}).status)
	require.Equal(t, 403, bo.do("PUT", "/api/session/password", map[string]any{"becomes": wanderers + " more"}).status, "from now on the present one is asked for")

	id := as[member](t, bo.do("GET", "/api/session", nil)).ID
	require.Equal(t, 204, ada.do("DELETE", "/api/members/"+id, nil).status)
	require.Equal(t, "wrong-login", s.enterBy(t, d, nil).field(t, "code"))
}

// Whatever is done with passwords, codes, links and credentials, the log has none of them.
func TestNoSecretsInTheLog(t *testing.T) {
	var log strings.Builder
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&lockedWriter{w: &log}, &slog.HandlerOptions{Level: slog.LevelDebug})))
	defer slog.SetDefault(was)
	s := serve(t)
	ada := s.signedIn(t, "ada")
	require.Equal(t, 401, s.client(t).do("POST", "/api/session", map[string]string{"email": "ada@studio.example", "password": "salt-and-lamp"}).status)
	link := as[invited](t, ada.do("POST", "/api/invitations", map[string]any{"email": "bo@studio.example", "role": "reader", "days": 3}))
	require.Equal(t, 200, s.client(t).do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": "Bo", "password": wanderers}).status)
	key := as[struct{ Secret string }](t, ada.do("POST", "/api/session/codes", nil))
	code, err := totp.GenerateCode(key.Secret, time.Now())
	require.NoError(t, err)
	spares := as[struct{ Spares []string }](t, ada.do("PUT", "/api/session/codes", map[string]string{"code": code})).Spares
	path := ada.newTemplate("Salt")
	share := as[invited](t, ada.do("POST", path+"/links", map[string]any{"kind": "handbook", "to": "Nell", "days": 7}))
	require.Equal(t, 200, s.client(t).do("GET", "/shared/"+share.Secret, nil).status)
	_, err = s.store.Pool.Exec(context.Background(), "drop table notes, shares") // what fails is logged
	require.NoError(t, err)
	require.Equal(t, 503, s.client(t).do("GET", "/shared/"+share.Secret, nil).status)
	require.Equal(t, 403, s.client(t).do("POST", "/api/session", map[string]string{"email": "ada@studio.example", "password": password, "code": "000000"}).status)
	require.Contains(t, log.String(), "could not note what was done")
	for _, secret := range append(spares, password, "salt-and-lamp", wanderers, link.Secret, key.Secret, code, share.Secret) {
		require.NotContains(t, log.String(), secret)
	}
}

type lockedWriter struct {
	mu sync.Mutex
	w  io.Writer
}

func (l *lockedWriter) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.w.Write(p)
}
