package api

import (
	"context"
	"crypto/md5" //nolint:gosec // a short name for a token, not a secret
	"errors"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/google/uuid"

	"fanfold/internal/app"
	"fanfold/internal/core/people"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// sessionStore keeps sessions in PostgreSQL, for scs. What was found a moment ago
// is not asked again, and stands while the database does not answer: reading what
// is open does not wait for it.
type sessionStore struct {
	q   *db.Queries
	now func() time.Time

	mu    sync.Mutex
	known map[string]knownSession
}

type knownSession struct {
	data   []byte
	expiry time.Time
	at     time.Time // when it was found
	person app.Person
	whoAt  time.Time // when the person was found
}

// How long what was found is taken for granted; how long where the database does
// not answer; and how long that is waited for.
const (
	sessionFresh   = 20 * time.Second
	sessionStale   = 10 * time.Minute
	sessionWait    = 2 * time.Second
	sessionForEver = 10_000 // sessions, before all are forgotten
)

func newSessionStore(q *db.Queries, now func() time.Time) *sessionStore {
	return &sessionStore{q: q, now: now, known: map[string]knownSession{}}
}

// look is what is known of a session, and whether that is fresh.
func (s *sessionStore) look(token string) (x knownSession, there, fresh bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	x, there = s.known[token]
	now := s.now()
	if there && (now.After(x.expiry) || now.Sub(x.at) > sessionStale) {
		delete(s.known, token)
		return x, false, false
	}
	return x, there, there && now.Sub(x.at) < sessionFresh
}

func (s *sessionStore) keep(token string, x knownSession) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.known) > sessionForEver {
		clear(s.known) // asked again
	}
	s.known[token] = x
}

func (s *sessionStore) forget(token string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.known, token)
}

// FindCtx implements scs.CtxStore.
func (s *sessionStore) FindCtx(ctx context.Context, token string) (data []byte, found bool, err error) {
	x, there, fresh := s.look(token)
	if fresh {
		return x.data, true, nil
	}
	within := ctx
	if there {
		short, stop := context.WithTimeout(ctx, sessionWait)
		defer stop()
		within = short
		s.keep(token, knownSession{x.data, x.expiry, s.now().Add(-sessionFresh + sessionWait), x.person, x.whoAt}) // one asks; others take it as it is
	}
	row, err := s.q.SessionFind(within, token)
	switch {
	case errors.Is(store.NotFound(err), store.ErrNotFound):
		s.forget(token)
		return nil, false, nil
	case err != nil && there && ctx.Err() == nil:
		return x.data, true, nil // the database does not answer
	case err != nil:
		return nil, false, err
	}
	x.data, x.expiry, x.at = row.Data, row.Expiry, s.now()
	s.keep(token, x)
	return row.Data, true, nil
}

// CommitCtx implements scs.CtxStore.
func (s *sessionStore) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	s.forget(token)
	row := db.SessionCommitParams{Token: token, Data: data, Expiry: expiry}
	if _, values, err := (scs.GobCodec{}).Decode(data); err == nil {
		text := func(key string) string { said, _ := values[key].(string); return said }
		if id, err := uuid.Parse(text(personInSession)); err == nil {
			row.PersonID = optional(id)
		}
		row.Agent, row.Address = text(agentInSession), text(addressInSession)
	}
	return s.q.SessionCommit(ctx, row)
}

// forgetWho has everybody's role asked for again.
func (s *sessionStore) forgetWho() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for token, x := range s.known {
		x.whoAt = time.Time{}
		s.known[token] = x
	}
}

// DeleteCtx implements scs.CtxStore.
func (s *sessionStore) DeleteCtx(ctx context.Context, token string) error {
	s.forget(token)
	return s.q.SessionDelete(ctx, token)
}

// Find implements scs.Store.
func (s *sessionStore) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit implements scs.Store.
func (s *sessionStore) Commit(token string, data []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, data, expiry)
}

// Delete implements scs.Store.
func (s *sessionStore) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }

// personOf finds the person of a session, as fresh as the session.
func (s *sessionStore) personOf(ctx context.Context, token string, id uuid.UUID) (app.Person, error) {
	x, there, _ := s.look(token)
	if there && x.person.ID == id && s.now().Sub(x.whoAt) < sessionFresh {
		return x.person, nil
	}
	known := there && x.person.ID == id
	within := ctx
	if known {
		short, stop := context.WithTimeout(ctx, sessionWait)
		defer stop()
		within = short
		x.whoAt = s.now().Add(-sessionFresh + sessionWait)
		s.keep(token, x)
	}
	row, err := s.q.PersonGet(within, id)
	switch {
	case errors.Is(store.NotFound(err), store.ErrNotFound):
		return app.Person{}, errSignedOut
	case err != nil && known && ctx.Err() == nil:
		return x.person, nil
	case err != nil:
		return app.Person{}, err
	}
	p := app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name, Role: people.Role(row.Role)}
	if there {
		x.person, x.whoAt = p, s.now()
		s.keep(token, x)
	}
	return p, nil
}

// digestOf is the name under which servers tell each other of a token.
func digestOf(token string) uuid.UUID { return uuid.UUID(md5.Sum([]byte(token))) } //nolint:gosec // as above

// ended forgets a session that was ended on some server.
func (s *sessionStore) ended(digest uuid.UUID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for token := range s.known {
		if digestOf(token) == digest {
			delete(s.known, token)
		}
	}
}

// cleanEvery is how often sessions that have run out are deleted.
const cleanEvery = 10 * time.Minute

// clean deletes sessions that have run out, now and then.
func (s *sessionStore) clean(ctx context.Context) {
	app.Every(ctx, cleanEvery, func() { _ = s.q.SessionsForget(ctx) }) // or next time
}
