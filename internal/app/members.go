package app

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/trustelem/zxcvbn"

	"fanfold/internal/core/people"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// The bounds of passwords: characters, and how hard they are to guess, 0 to 4, as zxcvbn computes
// it from the commonest passwords, words, names, dates and rows of keys.
const (
	leastPassword = 10
	mostPassword  = 200
	leastStrength = 2
)

// CheckNewPassword tells what is wrong with a password that somebody chooses. What is known of them,
// such as name and email, makes it easier to guess.
func CheckNewPassword(password string, known ...string) error {
	switch n := len([]rune(password)); {
	case n < leastPassword:
		return refused("password", "a password has at least %d characters", leastPassword)
	case n > mostPassword:
		return refused("password", "a password has at most %d characters", mostPassword)
	}
	if zxcvbn.PasswordStrength(password, append(known, "fanfold")).Score < leastStrength {
		return refused("password", "that password is easy to guess; use a few unrelated words")
	}
	return nil
}

// Members lists who is in the studio.
func (a *App) Members(ctx context.Context, p Person) ([]db.MemberListRow, error) {
	return a.store.Queries().MemberList(ctx, p.Studio)
}

// Invitations lists those that are open.
func (a *App) Invitations(ctx context.Context, p Person) ([]db.InvitationListRow, error) {
	return a.store.Queries().InvitationList(ctx, p.Studio)
}

// Invite invites somebody into the studio by a link that is good once, for some days. The secret of
// the link is told once.
func (a *App) Invite(ctx context.Context, p Person, email string, role people.Role, days int) (id uuid.UUID, secret string, err error) {
	address, err := mail.ParseAddress(strings.TrimSpace(email))
	if err != nil {
		return id, "", refused("email", "%q is not an email address", email)
	}
	row, err := a.store.Queries().PersonByEmail(ctx, address.Address)
	switch err = store.NotFound(err); {
	case err == nil && row.StudioID == p.Studio:
		return id, "", refused("email", "%s is in the studio already", address.Address)
	case err == nil:
		return id, "", refused("email", "%s is in another studio of this server; a person can be in only one", address.Address)
	case !errors.Is(err, store.ErrNotFound):
		return id, "", err
	}
	return a.invite(ctx, p, db.InvitationInsertParams{Email: address.Address, Role: string(role)}, days)
}

// LetBackIn makes a link by which a member sets another password, for who has forgotten it.
func (a *App) LetBackIn(ctx context.Context, p Person, member uuid.UUID) (id uuid.UUID, secret string, err error) {
	row, err := a.store.Queries().MemberGet(ctx, db.MemberGetParams{ID: member, StudioID: p.Studio})
	if err != nil {
		return id, "", store.NotFound(err)
	}
	return a.invite(ctx, p, db.InvitationInsertParams{Email: row.Email, Role: row.Role, PersonID: pgUUID(row.ID)}, backInDays)
}

// backInDays is how long the link for another password is good.
const backInDays = 2

func (a *App) invite(ctx context.Context, p Person, row db.InvitationInsertParams, days int) (uuid.UUID, string, error) {
	secret, kept, ends, err := newLink(days)
	if err != nil {
		return uuid.Nil, "", err
	}
	row.ID, row.StudioID, row.Token, row.AuthorID, row.EndsAt = uuid.New(), p.Studio, kept, pgtype.UUID{Bytes: p.ID, Valid: p.ID != uuid.Nil}, ends.Time
	q := a.store.Queries()
	if err = q.InvitationsForget(ctx); err == nil {
		err = q.InvitationInsert(ctx, row)
	}
	if err != nil {
		return uuid.Nil, "", fmt.Errorf("invite somebody: %w", err)
	}
	return row.ID, secret, nil
}

// EndInvitation ends one that nobody has taken yet.
func (a *App) EndInvitation(ctx context.Context, p Person, id uuid.UUID) error {
	n, err := a.store.Queries().InvitationEnd(ctx, db.InvitationEndParams{ID: id, StudioID: p.Studio})
	return done(n, err, "end an invitation")
}

func done(rows int64, err error, what string) error {
	switch {
	case err != nil:
		return fmt.Errorf("%s: %w", what, err)
	case rows == 0:
		return store.ErrNotFound
	}
	return nil
}

// Invitation is what a link says.
type Invitation struct {
	Studio string
	Email  string
	Role   people.Role
	Name   string // of who sets another password; empty for somebody new
	Ends   time.Time
}

// InvitationBy tells what the link of a secret is for; store.ErrNotFound where there is none, or it
// has ended.
func (a *App) InvitationBy(ctx context.Context, secret string) (Invitation, error) {
	row, err := a.store.Queries().InvitationOfToken(ctx, keptOf(secret))
	if err != nil {
		return Invitation{}, store.NotFound(err)
	}
	return Invitation{row.Studio, row.Email, people.Role(row.Role), row.Person, row.EndsAt}, nil
}

// WayIn is what somebody who takes an invitation signs in with from then on: a passkey, or a password.
type WayIn struct {
	Password string
	Passkey  *NewPasskey
}

// read checks a way in of somebody of whom this is known.
func (w WayIn) read(known ...string) (hash string, passkey *db.PasskeyInsertParams, err error) {
	if w.Passkey == nil {
		if err := CheckNewPassword(w.Password, known...); err != nil {
			return "", nil, err
		}
		return store.HashPassword(w.Password), nil, nil
	}
	row, err := w.Passkey.read()
	return "", &row, err
}

// TakeInvitation makes somebody a member, or lets a member in by another way, by a link. It is good
// once. Who is let back in by a password is asked for no codes: what makes them may be lost too. ended
// are sessions that end by it.
func (a *App) TakeInvitation(ctx context.Context, secret, name string, by WayIn) (who db.Person, ended []string, err error) {
	row, err := a.store.Queries().InvitationOfToken(ctx, keptOf(secret))
	if err != nil {
		return who, nil, store.NotFound(err)
	}
	name = strings.TrimSpace(name)
	if row.PersonID.Valid {
		name = row.Person
	}
	if err := template.CheckName(name); err != nil {
		return who, nil, refused("name", "%s", err)
	}
	hash, passkey, err := by.read(name, row.Email, row.Studio)
	if err != nil {
		return who, nil, err
	}
	err = a.store.Tx(ctx, func(tx pgx.Tx) error {
		q := a.store.Queries().WithTx(tx)
		n, err := q.InvitationTake(ctx, row.ID)
		if err := done(n, err, "take an invitation"); err != nil {
			return err
		}
		if row.PersonID.Valid {
			who, err = q.MemberGet(ctx, db.MemberGetParams{ID: row.PersonID.Bytes, StudioID: row.StudioID})
			err = store.NotFound(err)
		} else {
			who, err = q.MemberComes(ctx, db.MemberComesParams{StudioID: row.StudioID, Email: row.Email, Name: name, PasswordHash: hash, Role: row.Role})
			if errors.Is(err, pgx.ErrNoRows) {
				err = refused("email", "%s is in a studio of this server already; a person can be in only one", row.Email)
			}
		}
		if err != nil {
			return err
		}
		if passkey != nil {
			passkey.PersonID = who.ID
			if err := q.PasskeyInsert(ctx, *passkey); err != nil {
				return fmt.Errorf("keep a passkey: %w", err)
			}
		}
		if !row.PersonID.Valid {
			return nil
		}
		if passkey == nil {
			if err := q.PersonSetPassword(ctx, db.PersonSetPasswordParams{ID: who.ID, PasswordHash: hash}); err != nil {
				return fmt.Errorf("set a password: %w", err)
			}
			if err := endCodes(ctx, q, who.ID); err != nil {
				return err
			}
		}
		ended, err = q.SessionsEndOf(ctx, db.SessionsEndOfParams{PersonID: row.PersonID})
		return err
	})
	return who, ended, err
}

// SetRole makes a member something else. The last owner stays one.
func (a *App) SetRole(ctx context.Context, p Person, member uuid.UUID, role people.Role) error {
	return a.unlessLast(ctx, p, member, role != people.Owner, func(q *db.Queries) error {
		n, err := q.MemberSetRole(ctx, db.MemberSetRoleParams{ID: member, StudioID: p.Studio, Role: string(role)})
		return done(n, err, "set a role")
	})
}

// RemoveMember ends somebody's membership and signs them out everywhere. What they did stays theirs.
// The last owner stays. ended are sessions that end by it.
func (a *App) RemoveMember(ctx context.Context, p Person, member uuid.UUID) (ended []string, err error) {
	err = a.unlessLast(ctx, p, member, true, func(q *db.Queries) error {
		n, err := q.MemberLeave(ctx, db.MemberLeaveParams{ID: member, StudioID: p.Studio})
		if err := done(n, err, "remove a member"); err != nil {
			return err
		}
		if err := q.PasskeysForget(ctx, member); err != nil {
			return fmt.Errorf("forget passkeys: %w", err)
		}
		if err := q.SpareCodesForget(ctx, member); err != nil {
			return fmt.Errorf("forget spare codes: %w", err)
		}
		ended, err = q.SessionsEndOf(ctx, db.SessionsEndOfParams{PersonID: pgUUID(member)})
		return err
	})
	return ended, err
}

// unlessLast does something to a member, unless that would leave the studio without an owner.
func (a *App) unlessLast(ctx context.Context, p Person, member uuid.UUID, loses bool, do func(*db.Queries) error) error {
	return a.store.Tx(ctx, func(tx pgx.Tx) error {
		q := a.store.Queries().WithTx(tx)
		owners, err := q.MemberLock(ctx, p.Studio)
		if err != nil {
			return fmt.Errorf("read the owners: %w", err)
		}
		if loses && len(owners) == 1 && owners[0] == member {
			return refused("", "a studio has at least one owner; make somebody else an owner first")
		}
		return do(q)
	})
}

// SetPassword sets somebody's own password, and signs them out everywhere but here: ended are the
// sessions that end by it.
func (a *App) SetPassword(ctx context.Context, p Person, email, password, token string) (ended []string, err error) {
	if err := CheckNewPassword(password, p.Name, email); err != nil {
		return nil, err
	}
	hash := store.HashPassword(password)
	err = a.store.Tx(ctx, func(tx pgx.Tx) error {
		q := a.store.Queries().WithTx(tx)
		if err := q.PersonSetPassword(ctx, db.PersonSetPasswordParams{ID: p.ID, PasswordHash: hash}); err != nil {
			return fmt.Errorf("set a password: %w", err)
		}
		ended, err = q.SessionsEndOf(ctx, db.SessionsEndOfParams{PersonID: pgUUID(p.ID), But: token})
		return err
	})
	return ended, err
}
