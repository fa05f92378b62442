package api

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// What a session knows of whose it is.
const (
	personInSession  = "person"
	agentInSession   = "agent"
	addressInSession = "address"
)

// mostAgent is how much of what a browser says of itself is kept.
const mostAgent = 200

// identify finds who asks. Without a session only signing in is open.
func (s *server) identify(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		p, err := s.personOf(r.Context())
		switch {
		case err == nil:
			c.Set("person", p)
		case !errors.Is(err, errSignedOut) || !openToAll(r.Method, r.URL.Path):
			return err
		}
		c.Set("address", r.RemoteAddr)
		ctx := context.WithValue(r.Context(), addressKey{}, r.RemoteAddr)
		ctx = context.WithValue(ctx, lengthKey{}, r.ContentLength)
		ctx = context.WithValue(ctx, agentKey{}, r.UserAgent())
		ctx = context.WithValue(ctx, placeKey{}, placeOf(r))
		c.SetRequest(r.WithContext(context.WithValue(ctx, hereKey{}, fromHere(r))))
		return next(c)
	}
}

// openToAll tells whether a path is open without signing in: signing in and out, and invitations.
func openToAll(method, path string) bool {
	switch path {
	case "/api/session":
		return method == http.MethodPost || method == http.MethodDelete
	case "/api/session/demo", "/api/session/passkey", "/api/session/passkey/begin":
		return method == http.MethodPost
	}
	return strings.HasPrefix(path, "/api/session/invitation/")
}

type (
	addressKey struct{}
	hereKey    struct{} // whether the request was made on this machine
	agentKey   struct{} // the browser, as it says
	lengthKey  struct{} // of the body as the request says, bytes; -1 when it does not
)

// lengthOf is how long the body of a request says it is, bytes; -1 when it does not.
func lengthOf(ctx context.Context) int64 {
	if n, ok := ctx.Value(lengthKey{}).(int64); ok {
		return n
	}
	return -1
}

func (s *server) personOf(ctx context.Context) (app.Person, error) {
	id, err := uuid.Parse(s.sessions.GetString(ctx, personInSession))
	if err != nil {
		return app.Person{}, errSignedOut
	}
	return s.known.personOf(ctx, s.sessions.Token(ctx), id)
}

// sessionEnded takes in that a session was ended, here or on another server.
func (s *server) sessionEnded(digest uuid.UUID) {
	s.known.ended(digest)
	s.streams.endOf(digest)
}

// Who implements the contract.
func (s *server) Who(ctx context.Context, _ gen.WhoRequestObject) (gen.WhoResponseObject, error) {
	row, err := s.store.Queries().PersonGet(ctx, person(ctx).ID)
	return gen.Who200JSONResponse(personAs(row)), err
}

// SignIn implements the contract.
func (s *server) SignIn(ctx context.Context, r gen.SignInRequestObject) (gen.SignInResponseObject, error) {
	address, _ := ctx.Value(addressKey{}).(string)
	if !s.attempts.allow(address, r.Body.Email) {
		return nil, errTooMany
	}
	row, err := s.store.Queries().PersonByEmail(ctx, strings.TrimSpace(r.Body.Email))
	if err = store.NotFound(err); err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if right, err := s.attempts.check(ctx, row.PasswordHash, r.Body.Password); err != nil {
		return nil, err
	} else if !right {
		if row.ID != uuid.Nil {
			s.note(ctx, app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name}, "gave a wrong password", "")
		}
		return nil, errWrongLogin
	}
	s.attempts.right(address, r.Body.Email)
	if err := s.checkCode(ctx, row, or(r.Body.Code, "")); err != nil {
		return nil, err
	}
	who, err := s.enter(ctx, row, "")
	return gen.SignIn200JSONResponse(who), err
}

// SignInDemo implements the contract.
func (s *server) SignInDemo(ctx context.Context, _ gen.SignInDemoRequestObject) (gen.SignInDemoResponseObject, error) {
	if s.demo == "" {
		return nil, errNoDemo
	}
	if here, _ := ctx.Value(hereKey{}).(bool); !here {
		return nil, errDemoElsewhere
	}
	row, err := s.store.Queries().PersonByEmail(ctx, s.demo)
	if err != nil {
		return nil, store.NotFound(err)
	}
	who, err := s.enter(ctx, row, "")
	return gen.SignInDemo200JSONResponse(who), err
}

// enter starts a new session, so that an old token is worth nothing. how somebody came in is noted.
func (s *server) enter(ctx context.Context, row db.Person, how string) (gen.Person, error) {
	if err := s.sessions.RenewToken(ctx); err != nil {
		return gen.Person{}, err
	}
	s.sessions.Put(ctx, personInSession, row.ID.String())
	agent, _ := ctx.Value(agentKey{}).(string)
	address, _ := ctx.Value(addressKey{}).(string)
	s.sessions.Put(ctx, agentInSession, agent[:min(len(agent), mostAgent)])
	s.sessions.Put(ctx, addressInSession, hostIn(address))
	s.note(ctx, app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name}, "signed in", how)
	full, err := s.store.Queries().PersonGet(ctx, row.ID)
	return personAs(full), err
}

func personAs(row db.PersonGetRow) gen.Person {
	out := gen.Person{Id: row.ID, Name: row.Name, Email: row.Email, Studio: row.StudioName, Role: gen.Role(row.Role)}
	if row.StudioEnds.Valid {
		out.StudioEnds = &row.StudioEnds.Time
	}
	return out
}

// SignOut implements the contract.
func (s *server) SignOut(ctx context.Context, _ gen.SignOutRequestObject) (gen.SignOutResponseObject, error) {
	token := s.sessions.Token(ctx)
	if err := s.sessions.Destroy(ctx); err != nil {
		return nil, err
	}
	s.streams.end(token)
	return gen.SignOut204Response{}, nil
}

// attempts limits sign-in: five at once for one account from one address,
// then one every twelve seconds; thirty from one address, then one every two
// seconds; and two passwords at a time, since each takes 64 MiB to check.
type attempts struct {
	mu       sync.Mutex
	now      func() time.Time
	limit    map[string]*rate.Limiter
	checking chan struct{}
}

func newAttempts(now func() time.Time) *attempts {
	return &attempts{now: now, limit: map[string]*rate.Limiter{}, checking: make(chan struct{}, 2)}
}

func (a *attempts) allow(address, email string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.from(address) && a.allowOne(accountFrom(address, email), rate.Every(12*time.Second), 5)
}

// right begins the count of an account from an address again, once the password was right: codes have
// a count of their own.
func (a *attempts) right(address, email string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	delete(a.limit, accountFrom(address, email))
}

func accountFrom(address, email string) string { return hostIn(address) + " " + strings.ToLower(email) }

// allowFrom is allow for what is not an account: a link, which nobody guesses.
func (a *attempts) allowFrom(address string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.from(address)
}

// allowCode is allow for the codes of one person, wherever they come from: there are only a million.
func (a *attempts) allowCode(id uuid.UUID) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.allowOne("code "+id.String(), rate.Every(30*time.Second), 6)
}

func (a *attempts) from(address string) bool {
	if len(a.limit) > 10_000 {
		clear(a.limit) // forgetting is better than growing without end
	}
	return a.allowOne(hostIn(address), rate.Every(2*time.Second), 30)
}

// hostIn is an address without its port.
func hostIn(address string) string {
	if host, _, err := net.SplitHostPort(address); err == nil {
		return host
	}
	return address
}

func (a *attempts) allowOne(key string, every rate.Limit, burst int) bool {
	if a.limit[key] == nil {
		a.limit[key] = rate.NewLimiter(every, burst)
	}
	return a.limit[key].AllowN(a.now(), 1)
}

// check compares a password with its hash when its turn has come.
func (a *attempts) check(ctx context.Context, hash, password string) (bool, error) {
	select {
	case a.checking <- struct{}{}:
		defer func() { <-a.checking }()
		return store.CheckPassword(hash, password), nil
	case <-ctx.Done():
		return false, ctx.Err()
	}
}
