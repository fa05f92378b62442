package app

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/google/uuid"

	"fanfold/internal/core/template"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// Place is where a browser reaches the server: a passkey is good for one name alone.
type Place struct {
	Name   string // without the port
	Origin string // as the browser says it, such as https://studio.example
}

// ErrPasskey is the error of a passkey that is not taken at sign-in.
var ErrPasskey = errors.New("this passkey is not known here; sign in with your password")

// mostPasskeys bounds those of one person.
const mostPasskeys = 20

// relying is this server as devices know it. What a device asks of whoever holds it, such as a
// finger or a number, is always asked: a passkey stands for password and code.
func relying(at Place) (*webauthn.WebAuthn, error) {
	if _, err := netip.ParseAddr(at.Name); err == nil {
		return nil, refused("passkey", "a passkey needs the server's name in the address line of the browser; %s is a number", at.Name)
	}
	w, err := webauthn.New(&webauthn.Config{
		RPID: at.Name, RPDisplayName: "Fanfold", RPOrigins: []string{at.Origin}, AttestationPreference: protocol.PreferNoAttestation,
		AuthenticatorSelection: protocol.AuthenticatorSelection{ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired},
	})
	if err != nil {
		return nil, refused("passkey", "passkeys do not work at %s: %s", at.Origin, err)
	}
	return w, nil
}

// holder is whoever holds a passkey, as the device knows them.
type holder struct {
	handle      []byte
	name, email string
	credentials []webauthn.Credential
}

func (h holder) WebAuthnID() []byte                         { return h.handle }
func (h holder) WebAuthnName() string                       { return h.email }
func (h holder) WebAuthnDisplayName() string                { return h.name }
func (h holder) WebAuthnCredentials() []webauthn.Credential { return h.credentials }

// BeginPasskey asks a device for a passkey for somebody: what the browser is given, and what has to be
// kept until the device has answered.
func (a *App) BeginPasskey(ctx context.Context, p Person, at Place) (ask, kept []byte, err error) {
	q := a.store.Queries()
	who, err := q.MemberGet(ctx, db.MemberGetParams{ID: p.ID, StudioID: p.Studio})
	if err != nil {
		return nil, nil, store.NotFound(err)
	}
	rows, err := q.PasskeysOf(ctx, p.ID)
	if err != nil {
		return nil, nil, fmt.Errorf("list passkeys: %w", err)
	}
	if len(rows) >= mostPasskeys {
		return nil, nil, refused("passkey", "you have %d passkeys, which is as many as one person may have; remove one first", len(rows))
	}
	h := holder{name: who.Name, email: who.Email}
	for _, r := range rows {
		if r.Place != at.Name {
			continue
		}
		c, err := credentialOf(r)
		if err != nil {
			return nil, nil, err
		}
		h.handle, h.credentials = r.Handle, append(h.credentials, c)
	}
	return beginPasskey(h, at)
}

// BeginInvitedPasskey is BeginPasskey for whoever takes an invitation.
func (a *App) BeginInvitedPasskey(ctx context.Context, secret, name string, at Place) (ask, kept []byte, err error) {
	x, err := a.InvitationBy(ctx, secret)
	if err != nil {
		return nil, nil, err
	}
	if x.Name != "" {
		name = x.Name
	}
	if err := template.CheckName(name); err != nil {
		return nil, nil, refused("name", "%s", err)
	}
	return beginPasskey(holder{name: name, email: x.Email}, at)
}

func beginPasskey(h holder, at Place) (ask, kept []byte, err error) {
	w, err := relying(at)
	if err != nil {
		return nil, nil, err
	}
	if h.handle == nil {
		h.handle = make([]byte, 32)
		_, _ = rand.Read(h.handle) // it never fails
	}
	var others []protocol.CredentialDescriptor
	for _, c := range h.credentials {
		others = append(others, c.Descriptor())
	}
	options, session, err := w.BeginRegistration(h, webauthn.WithExclusions(others))
	if err != nil {
		return nil, nil, fmt.Errorf("ask for a passkey: %w", err)
	}
	return both(options.Response, session)
}

// both writes what goes to the browser and what stays.
func both(options any, session *webauthn.SessionData) (ask, kept []byte, err error) {
	if ask, err = json.Marshal(options); err == nil {
		kept, err = json.Marshal(session)
	}
	return ask, kept, err
}

// NewPasskey is a passkey that a device has made.
type NewPasskey struct {
	Name   string // for people: which device
	Place  Place
	Kept   []byte // from when it was asked for
	Answer []byte // of the device, as the browser writes it
}

// read checks a passkey.
func (x NewPasskey) read() (row db.PasskeyInsertParams, err error) {
	if err := template.CheckName(x.Name); err != nil {
		return row, refused("name", "%s", err)
	}
	w, err := relying(x.Place)
	if err != nil {
		return row, err
	}
	var session webauthn.SessionData
	if err := json.Unmarshal(x.Kept, &session); err != nil {
		return row, errPasskeyLate
	}
	said, err := protocol.ParseCredentialCreationResponseBytes(x.Answer)
	if err != nil {
		return row, deviceSaid(err)
	}
	c, err := w.CreateCredential(holder{handle: session.UserID}, session, said)
	if err != nil {
		return row, deviceSaid(err)
	}
	record, err := json.Marshal(c)
	return db.PasskeyInsertParams{ID: uuid.New(), Name: x.Name, Place: x.Place.Name, Handle: session.UserID, Credential: c.ID, Record: record}, err
}

var errPasskeyLate = refused("passkey", "that took too long, or was asked for in another window; try again")

// deviceSaid tells why what a device answered is not taken.
func deviceSaid(err error) error {
	text := err.Error()
	var known *protocol.Error
	if errors.As(err, &known) {
		text = known.Details
	}
	return refused("passkey", "the device's answer was not accepted: %s", text)
}

// KeepPasskey keeps one that a device has made.
func (a *App) KeepPasskey(ctx context.Context, p Person, x NewPasskey) (db.Passkey, error) {
	row, err := x.read()
	if err != nil {
		return db.Passkey{}, err
	}
	row.PersonID = p.ID
	q := a.store.Queries()
	if err := q.PasskeyInsert(ctx, row); err != nil {
		return db.Passkey{}, fmt.Errorf("keep a passkey: %w", err)
	}
	out, err := q.PasskeyGet(ctx, db.PasskeyGetParams{ID: row.ID, PersonID: p.ID})
	return out, store.NotFound(err)
}

// RemovePasskey makes one worth nothing; the last way in stays.
func (a *App) RemovePasskey(ctx context.Context, p Person, id uuid.UUID) error {
	ways, err := a.Factors(ctx, p)
	if err != nil {
		return err
	}
	if !ways.Password && len(ways.Passkeys) == 1 && ways.Passkeys[0].ID == id {
		return refused("passkey", "this is the only way you can sign in; set a password or add another passkey first")
	}
	n, err := a.store.Queries().PasskeyDelete(ctx, db.PasskeyDeleteParams{ID: id, PersonID: p.ID})
	return done(n, err, "remove a passkey")
}

// PasskeyName is what a passkey of somebody is called.
func (a *App) PasskeyName(ctx context.Context, p Person, id uuid.UUID) string {
	row, err := a.store.Queries().PasskeyGet(ctx, db.PasskeyGetParams{ID: id, PersonID: p.ID})
	if err != nil {
		return id.String()
	}
	return row.Name
}

// BeginPasskeySignIn asks for whichever passkey a device has for this server.
func (a *App) BeginPasskeySignIn(at Place) (ask, kept []byte, err error) {
	w, err := relying(at)
	if err != nil {
		return nil, nil, err
	}
	options, session, err := w.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return nil, nil, fmt.Errorf("ask for a passkey: %w", err)
	}
	return both(options.Response, session)
}

// PasskeySignIn finds who a passkey lets in; ErrPasskey where it lets in nobody.
func (a *App) PasskeySignIn(ctx context.Context, at Place, kept, answer []byte) (who db.Person, err error) {
	w, err := relying(at)
	if err != nil {
		return who, err
	}
	var session webauthn.SessionData
	if err := json.Unmarshal(kept, &session); err != nil {
		return who, errPasskeyLate
	}
	said, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return who, deviceSaid(err)
	}
	q := a.store.Queries()
	row, err := q.PasskeyByCredential(ctx, said.RawID)
	if errors.Is(store.NotFound(err), store.ErrNotFound) {
		return who, ErrPasskey
	}
	if err != nil {
		return who, fmt.Errorf("find a passkey: %w", err)
	}
	own, err := credentialOf(row)
	if err != nil {
		return who, err
	}
	c, err := w.ValidateDiscoverableLogin(func(_, _ []byte) (webauthn.User, error) {
		return holder{handle: row.Handle, credentials: []webauthn.Credential{own}}, nil
	}, session, said)
	switch {
	case err != nil:
		return who, deviceSaid(err)
	case c.Authenticator.CloneWarning:
		return who, refused("passkey", "this passkey was used by two devices, so somebody may have copied it; sign in with your password and remove it")
	}
	record, err := json.Marshal(c)
	if err != nil {
		return who, fmt.Errorf("keep a passkey: %w", err)
	}
	if err := q.PasskeyUsed(ctx, db.PasskeyUsedParams{ID: row.ID, Record: record}); err != nil {
		return who, fmt.Errorf("keep a passkey: %w", err)
	}
	who, err = q.PersonWhole(ctx, row.PersonID)
	return who, store.NotFound(err)
}

func credentialOf(row db.Passkey) (c webauthn.Credential, err error) {
	if err := json.Unmarshal(row.Record, &c); err != nil {
		return c, fmt.Errorf("read the passkey %s: %w", row.ID, err)
	}
	return c, nil
}
