package app

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"errors"
	"fmt"
	"image/png"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// Codes at sign-in are those of RFC 6238 as every program reads them: six digits of SHA-1, for each
// half minute. One half minute earlier or later is good too, as section 5.2 of it advises for clocks
// that are not quite right.
const (
	codeEvery = 30 // s
	codeDrift = 1  // half minutes
)

// mostSpares is how many spare codes there are.
const mostSpares = 8

// Errors of sign-in with a code.
var (
	ErrCodeNeeded = errors.New("give the code of your authenticator app too, or a spare code")
	ErrCodeWrong  = errors.New("that code is wrong, or was used already; a new one comes every 30 seconds")
)

// CodeKey is what an authenticator app is given.
type CodeKey struct {
	Secret  string // in base32, to be typed
	URI     string // as an app reads it
	Picture []byte // the URI as a QR code: PNG
}

// NewCodeKey makes the key for the codes of somebody; nothing asks for them before UseCodes.
func NewCodeKey(email string) (CodeKey, error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Fanfold", AccountName: email, Period: codeEvery, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1, Rand: rand.Reader})
	if err != nil {
		return CodeKey{}, fmt.Errorf("make a key for codes: %w", err)
	}
	const size = 200
	picture, err := key.Image(size, size)
	if err != nil {
		return CodeKey{}, fmt.Errorf("draw the key for codes: %w", err)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, picture); err != nil {
		return CodeKey{}, fmt.Errorf("draw the key for codes: %w", err)
	}
	return CodeKey{key.Secret(), key.URL(), b.Bytes()}, nil
}

// stepOf finds the half minute that a code is of, counted from 1970; false where it is of none near.
func stepOf(key, code string, at time.Time) (int64, bool) {
	now := at.Unix() / codeEvery
	for step := now - codeDrift; step <= now+codeDrift; step++ {
		want, err := totp.GenerateCodeCustom(key, time.Unix(step*codeEvery, 0), totp.ValidateOpts{Period: codeEvery, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1})
		if err == nil && subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			return step, true
		}
	}
	return 0, false
}

// plainCode is a code without what people write between its signs.
func plainCode(code string) string {
	return strings.ToUpper(strings.NewReplacer(" ", "", "-", "").Replace(code))
}

// UseCodes has codes asked for at sign-in from now on, once one of them shows that the app has the
// key. spares are told once.
func (a *App) UseCodes(ctx context.Context, p Person, key, code string) (spares []string, err error) {
	if key == "" {
		return nil, refused("code", "that took too long; begin again, with a new key")
	}
	step, ok := stepOf(key, plainCode(code), time.Now())
	if !ok {
		return nil, refused("code", "that is not the current code; check that the app and this server agree on the time, and give the next one")
	}
	err = a.store.Tx(ctx, func(tx pgx.Tx) error {
		q := a.store.Queries().WithTx(tx)
		if err := q.CodesSet(ctx, db.CodesSetParams{ID: p.ID, CodeKey: key, CodeStep: step}); err != nil {
			return fmt.Errorf("turn on codes: %w", err)
		}
		if err := q.SpareCodesForget(ctx, p.ID); err != nil {
			return fmt.Errorf("forget spare codes: %w", err)
		}
		for range mostSpares {
			spare := newSpare()
			if err := q.SpareCodePut(ctx, db.SpareCodePutParams{PersonID: p.ID, Kept: keptOf(plainCode(spare))}); err != nil {
				return fmt.Errorf("keep a spare code: %w", err)
			}
			spares = append(spares, spare)
		}
		return nil
	})
	return spares, err
}

// newSpare is a spare code: 80 bits, in fours.
func newSpare() string {
	var b [10]byte
	_, _ = rand.Read(b[:]) // it never fails
	text := base32.StdEncoding.EncodeToString(b[:])
	return text[:4] + "-" + text[4:8] + "-" + text[8:12] + "-" + text[12:]
}

// CheckCode takes the code that somebody gives at sign-in, or a spare one: ErrCodeNeeded where they
// give none, ErrCodeWrong where it is not good. Each is good once.
func (a *App) CheckCode(ctx context.Context, who db.Person, code string) error {
	if code = plainCode(code); code == "" {
		return ErrCodeNeeded
	}
	var n int64
	var err error
	if step, ok := stepOf(who.CodeKey, code, time.Now()); ok {
		n, err = a.store.Queries().CodeTake(ctx, db.CodeTakeParams{ID: who.ID, Step: step})
	} else {
		n, err = a.store.Queries().SpareCodeTake(ctx, db.SpareCodeTakeParams{PersonID: who.ID, Kept: keptOf(code)})
	}
	switch {
	case err != nil:
		return fmt.Errorf("take a code: %w", err)
	case n == 0:
		return ErrCodeWrong
	}
	return nil
}

// EndCodes has codes asked for no more.
func (a *App) EndCodes(ctx context.Context, p Person, code string) error {
	who, err := a.store.Queries().MemberGet(ctx, db.MemberGetParams{ID: p.ID, StudioID: p.Studio})
	if err != nil {
		return store.NotFound(err)
	}
	if who.CodeKey == "" {
		return refused("code", "codes at sign-in are off")
	}
	if err := a.CheckCode(ctx, who, code); err != nil {
		return err
	}
	return a.store.Tx(ctx, func(tx pgx.Tx) error { return endCodes(ctx, a.store.Queries().WithTx(tx), p.ID) })
}

func endCodes(ctx context.Context, q *db.Queries, person uuid.UUID) error {
	if err := q.CodesSet(ctx, db.CodesSetParams{ID: person}); err != nil {
		return fmt.Errorf("turn off codes: %w", err)
	}
	if err := q.SpareCodesForget(ctx, person); err != nil {
		return fmt.Errorf("forget spare codes: %w", err)
	}
	return nil
}

// Factors is what somebody signs in with.
type Factors struct {
	Password bool
	Codes    bool  // are asked for after the password
	Spares   int64 // spare codes that are left
	Passkeys []db.Passkey
}

// Factors tells what somebody signs in with.
func (a *App) Factors(ctx context.Context, p Person) (out Factors, err error) {
	q := a.store.Queries()
	who, err := q.MemberGet(ctx, db.MemberGetParams{ID: p.ID, StudioID: p.Studio})
	if err != nil {
		return out, store.NotFound(err)
	}
	out.Password, out.Codes = who.PasswordHash != "", who.CodeKey != ""
	if out.Spares, err = q.SpareCodesCount(ctx, p.ID); err != nil {
		return out, fmt.Errorf("count spare codes: %w", err)
	}
	if out.Passkeys, err = q.PasskeysOf(ctx, p.ID); err != nil {
		return out, fmt.Errorf("list passkeys: %w", err)
	}
	return out, nil
}
