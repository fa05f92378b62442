package store

import (
	"bytes"
	"context"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/rig"
	"fanfold/internal/store/db"
)

// AccountEnsure returns the person with that email, making a studio and the
// person in it when there is none.
func (s *Store) AccountEnsure(ctx context.Context, studio, email, name, password string) (db.Person, error) {
	row, err := s.q.PersonByEmail(ctx, email)
	if err = NotFound(err); !errors.Is(err, ErrNotFound) {
		return row, err
	}
	st, err := s.q.StudioInsert(ctx, studio)
	if err != nil {
		return row, fmt.Errorf("make the studio %s: %w", studio, err)
	}
	row, err = s.q.PersonInsert(ctx, db.PersonInsertParams{StudioID: st.ID, Email: email, Name: name, PasswordHash: HashPassword(password)})
	if err != nil {
		return row, fmt.Errorf("make the account %s: %w", email, err)
	}
	return row, nil
}

// HostLookup finds the host of a credential and its secret.
func (s *Store) HostLookup(ctx context.Context, id, secret string) (rig.Host, bool) {
	row, err := s.q.CredentialByHash(ctx, rig.Hash(secret))
	key, err2 := uuid.Parse(id)
	// An ID in capitals is the same UUID and another name on the wire: only the one that was
	// given out is known.
	if errors.Join(err, err2) != nil || id != key.String() || subtle.ConstantTimeCompare(key[:], row.ID[:]) != 1 {
		return rig.Host{}, false
	}
	return rig.Host{Credential: id, Studio: row.StudioID.String(), Machine: row.Machine}, true
}

// HostRenew says when a host's credential ends, and gives a host that can keep it another secret once
// two thirds of its time are over. holds is the hash of the secret that it has, in hexadecimal: one
// that has come by an answer that was lost is given another.
func (s *Store) HostRenew(ctx context.Context, id, holds string, keeps bool) (rig.Renewal, error) {
	key, err := uuid.Parse(id)
	if err != nil {
		return rig.Renewal{}, ErrNotFound
	}
	hash, err := hex.DecodeString(holds)
	if err != nil {
		return rig.Renewal{}, ErrNotFound
	}
	row, err := s.q.CredentialGet(ctx, key)
	if err != nil {
		return rig.Renewal{}, NotFound(err)
	}
	var out rig.Renewal
	if row.EndsAt.Valid {
		out.Ends = row.EndsAt.Time
	}
	if bytes.Equal(hash, row.TokenHash) {
		if err := s.q.CredentialConfirm(ctx, db.CredentialConfirmParams{ID: key, TokenHash: hash}); err != nil {
			return rig.Renewal{}, fmt.Errorf("confirm a credential: %w", err)
		}
		third := time.Duration(row.Days) * 24 * time.Hour / 3
		if !row.EndsAt.Valid || time.Until(row.EndsAt.Time) > third {
			return out, nil
		}
	}
	if !keeps || row.Days == 0 {
		return out, nil
	}
	secret := rig.NewSecret()
	n, err := s.q.CredentialRenew(ctx, db.CredentialRenewParams{ID: key, Holds: hash, Becomes: rig.Hash(secret)})
	switch {
	case err != nil:
		return rig.Renewal{}, fmt.Errorf("renew a credential: %w", err)
	case n == 0:
		return rig.Renewal{}, ErrNotFound
	}
	return rig.Renewal{Token: rig.Token(id, secret), Ends: time.Now().AddDate(0, 0, int(row.Days))}, nil
}
