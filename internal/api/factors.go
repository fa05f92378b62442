package api

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"net/url"
	"time"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/store/db"
)

// What a session holds between asking for something at sign-in and getting it.
const (
	askedInSession   = "asked"   // of a device that holds passkeys
	codeKeyInSession = "codekey" // of an authenticator app
)

// askedWithin is how long a device may take, for who is not signed in.
const askedWithin = 10 * time.Minute

// placeOf is where a browser reaches the server. A page of another site has been turned away by then.
func placeOf(r *http.Request) app.Place {
	at := app.Place{Name: hostOf(r), Origin: "http://" + r.Host}
	if u, err := url.Parse(r.Header.Get("Origin")); err == nil && u.Host == r.Host {
		at.Origin = u.Scheme + "://" + u.Host // a balancer may have taken off TLS
	}
	return at
}

type placeKey struct{}

func place(ctx context.Context) app.Place {
	at, _ := ctx.Value(placeKey{}).(app.Place)
	return at
}

// asked keeps what a device was asked, and gives the browser what it asks the device.
func (s *server) asked(ctx context.Context, ask, kept []byte, err error) (out gen.Device, _ error) {
	if err != nil {
		return nil, err
	}
	s.sessions.Put(ctx, askedInSession, kept)
	return out, json.Unmarshal(ask, &out)
}

// answered is what a device was asked, once, and what it answered.
func (s *server) answered(ctx context.Context, answer gen.Device) (kept, said []byte, err error) {
	said, err = json.Marshal(answer)
	return s.sessions.PopBytes(ctx, askedInSession), said, err
}

func (s *server) newPasskey(ctx context.Context, name string, answer gen.Device) (app.NewPasskey, error) {
	kept, said, err := s.answered(ctx, answer)
	return app.NewPasskey{Name: name, Place: place(ctx), Kept: kept, Answer: said}, err
}

// allowed tells whether somebody who is not signed in may try again.
func (s *server) allowed(ctx context.Context) error {
	if address, _ := ctx.Value(addressKey{}).(string); !s.attempts.allowFrom(address) {
		return errTooMany
	}
	return nil
}

// Factors implements the contract.
func (s *server) Factors(ctx context.Context, _ gen.FactorsRequestObject) (gen.FactorsResponseObject, error) {
	x, err := s.app.Factors(ctx, person(ctx))
	out := gen.Factors200JSONResponse{Password: x.Password, Codes: x.Codes, Spares: int(x.Spares), Passkeys: []gen.Passkey{}}
	for _, k := range x.Passkeys {
		out.Passkeys = append(out.Passkeys, passkeyAs(k))
	}
	return out, err
}

func passkeyAs(k db.Passkey) gen.Passkey {
	out := gen.Passkey{Id: k.ID, Name: k.Name, Place: k.Place, Since: k.CreatedAt}
	if k.UsedAt.Valid {
		out.Used = &k.UsedAt.Time
	}
	return out
}

// StartCodes implements the contract.
func (s *server) StartCodes(ctx context.Context, _ gen.StartCodesRequestObject) (gen.StartCodesResponseObject, error) {
	row, err := s.store.Queries().PersonGet(ctx, person(ctx).ID)
	if err != nil {
		return nil, err
	}
	key, err := app.NewCodeKey(row.Email)
	if err != nil {
		return nil, err
	}
	s.sessions.Put(ctx, codeKeyInSession, key.Secret)
	return gen.StartCodes200JSONResponse{Secret: key.Secret, Uri: key.URI, Picture: "data:image/png;base64," + base64.StdEncoding.EncodeToString(key.Picture)}, nil
}

// UseCodes implements the contract.
func (s *server) UseCodes(ctx context.Context, r gen.UseCodesRequestObject) (gen.UseCodesResponseObject, error) {
	key := s.sessions.GetString(ctx, codeKeyInSession)
	spares, err := s.app.UseCodes(ctx, person(ctx), key, r.Body.Code)
	if err == nil {
		s.sessions.Remove(ctx, codeKeyInSession)
	}
	return gen.UseCodes200JSONResponse{Spares: spares}, err
}

// EndCodes implements the contract.
func (s *server) EndCodes(ctx context.Context, r gen.EndCodesRequestObject) (gen.EndCodesResponseObject, error) {
	p := person(ctx)
	if !s.attempts.allowCode(p.ID) {
		return nil, errTooMany
	}
	return gen.EndCodes204Response{}, s.app.EndCodes(ctx, p, r.Body.Code)
}

// BeginPasskey implements the contract.
func (s *server) BeginPasskey(ctx context.Context, _ gen.BeginPasskeyRequestObject) (gen.BeginPasskeyResponseObject, error) {
	ask, kept, err := s.app.BeginPasskey(ctx, person(ctx), place(ctx))
	out, err := s.asked(ctx, ask, kept, err)
	return gen.BeginPasskey200JSONResponse(out), err
}

// KeepPasskey implements the contract.
func (s *server) KeepPasskey(ctx context.Context, r gen.KeepPasskeyRequestObject) (gen.KeepPasskeyResponseObject, error) {
	x, err := s.newPasskey(ctx, r.Body.Name, r.Body.Answer)
	if err != nil {
		return nil, err
	}
	row, err := s.app.KeepPasskey(ctx, person(ctx), x)
	return gen.KeepPasskey201JSONResponse(passkeyAs(row)), err
}

// RemovePasskey implements the contract.
func (s *server) RemovePasskey(ctx context.Context, r gen.RemovePasskeyRequestObject) (gen.RemovePasskeyResponseObject, error) {
	return gen.RemovePasskey204Response{}, s.app.RemovePasskey(ctx, person(ctx), r.Id)
}

// BeginPasskeySignIn implements the contract.
func (s *server) BeginPasskeySignIn(ctx context.Context, _ gen.BeginPasskeySignInRequestObject) (gen.BeginPasskeySignInResponseObject, error) {
	if err := s.allowed(ctx); err != nil {
		return nil, err
	}
	ask, kept, err := s.app.BeginPasskeySignIn(place(ctx))
	out, err := s.asked(ctx, ask, kept, err)
	s.forAWhile(ctx)
	return gen.BeginPasskeySignIn200JSONResponse(out), err
}

// forAWhile has what somebody who is not signed in was asked kept no longer than it is good.
func (s *server) forAWhile(ctx context.Context) {
	if s.sessions.GetString(ctx, personInSession) == "" {
		s.sessions.SetDeadline(ctx, time.Now().Add(askedWithin))
	}
}

// SignInPasskey implements the contract.
func (s *server) SignInPasskey(ctx context.Context, r gen.SignInPasskeyRequestObject) (gen.SignInPasskeyResponseObject, error) {
	if err := s.allowed(ctx); err != nil {
		return nil, err
	}
	kept, said, err := s.answered(ctx, r.Body.Answer)
	if err != nil {
		return nil, err
	}
	row, err := s.app.PasskeySignIn(ctx, place(ctx), kept, said)
	if err != nil {
		return nil, err
	}
	who, err := s.enter(ctx, row, "with a passkey")
	return gen.SignInPasskey200JSONResponse(who), err
}

// BeginInvitedPasskey implements the contract.
func (s *server) BeginInvitedPasskey(ctx context.Context, r gen.BeginInvitedPasskeyRequestObject) (gen.BeginInvitedPasskeyResponseObject, error) {
	if err := s.allowed(ctx); err != nil {
		return nil, err
	}
	ask, kept, err := s.app.BeginInvitedPasskey(ctx, r.Secret, or(r.Body.Name, ""), place(ctx))
	out, err := s.asked(ctx, ask, kept, err)
	s.forAWhile(ctx)
	return gen.BeginInvitedPasskey200JSONResponse(out), err
}

// TakeInvitationByPasskey implements the contract.
func (s *server) TakeInvitationByPasskey(ctx context.Context, r gen.TakeInvitationByPasskeyRequestObject) (gen.TakeInvitationByPasskeyResponseObject, error) {
	x, err := s.newPasskey(ctx, r.Body.Name, r.Body.Answer)
	if err != nil {
		return nil, err
	}
	who, err := s.takeInvitation(ctx, r.Secret, or(r.Body.Person, ""), app.WayIn{Passkey: &x})
	return gen.TakeInvitationByPasskey200JSONResponse(who), err
}

// checkCode asks for the code of who has given the right password, where codes are asked for.
func (s *server) checkCode(ctx context.Context, row db.Person, code string) error {
	if row.CodeKey == "" {
		return nil
	}
	if code != "" && !s.attempts.allowCode(row.ID) {
		return errTooMany
	}
	err := s.app.CheckCode(ctx, row, code)
	if err == app.ErrCodeWrong { //nolint:errorlint // it is given as it is
		s.note(ctx, app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name}, "gave a wrong code", "")
	}
	return err
}
