package store

import (
	"context"
	"crypto/subtle"
	"errors"
	"fmt"

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
