// Package api is the HTTP interface: the contract of openapi.yaml, sign-in,
// events, and the built browser application. Requests come in; use cases of
// package app are called; answers, or problems as in RFC 9457, go out.
package api

import (
	"context"
	"io/fs"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/people"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store"
)

// Config configures the HTTP interface.
type Config struct {
	App   *app.App     // required
	Store *store.Store // required, for people and sessions
	Web   fs.FS        // the built browser application; nil serves none
	// DemoEmail is the account that signs in with one click. Empty for none.
	DemoEmail string
	// Context ends what runs beside requests. Nil runs nothing beside them.
	Context context.Context
	// Observe is told how long each request took, but for streams. Nil for nobody.
	Observe func(method, route string, status int, took time.Duration)
	// BodyLimit bounds most requests, bytes. Defaults to 8 MiB; files have
	// limits of their own.
	BodyLimit int64
	// Secure says that browsers come over TLS, so that they send the session's cookie over nothing else.
	Secure bool
	// Names are those that browsers may reach the server under, beside addresses in
	// figures and the machine's own names.
	Names []string
}

// server implements the generated interface.
type server struct {
	app      *app.App
	store    *store.Store
	sessions *scs.SessionManager
	known    *sessionStore
	attempts *attempts
	flights  flights
	streams  streams
	readings *readings
	demo     string
}

// New returns the HTTP interface.
func New(c Config) http.Handler {
	if c.BodyLimit == 0 {
		c.BodyLimit = 8 << 20
	}
	s := &server{app: c.App, store: c.Store, sessions: scs.New(), attempts: newAttempts(time.Now), readings: newReadings(), demo: c.DemoEmail}
	s.known = newSessionStore(c.Store.Queries(), time.Now)
	s.sessions.Store = s.known
	c.App.Hear("session", s.sessionEnded)
	if c.Context != nil {
		go s.known.clean(c.Context)
	}
	s.sessions.Lifetime, s.sessions.Cookie.Name = 30*24*time.Hour, "fanfold"
	s.sessions.Cookie.Secure = c.Secure
	s.sessions.Cookie.SameSite = http.SameSiteStrictMode
	s.sessions.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) { fail(w, err) }

	e := echo.New()
	e.HTTPErrorHandler = func(ctx *echo.Context, err error) { fail(ctx.Response(), err) }
	if c.Observe != nil {
		e.Use(timed(c.Observe))
	}
	own := http.NewCrossOriginProtection()
	own.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fail(w, echo.NewHTTPError(http.StatusForbidden, "the request comes from a page of another site"))
	}))
	e.Use(middleware.Recover(), headers, knownNames(c.Names), unhurried, limitBody(c.BodyLimit), compress())
	e.Use(echo.WrapMiddleware(own.Handler))
	if c.Web != nil {
		e.GET("/*", pages(c.Web))
	}
	s.sharing(e)
	guiding(e)
	e.GET("/api/events", s.events)
	e.GET("/api/templates/:id/listen", s.listen)
	e.GET("/api/templates/:id/perform", s.perform)
	e.Use(inSession(echo.WrapMiddleware(s.sessions.LoadAndSave)), inSession(s.identify), inSession(s.inLine), inSession(checked), inSession(s.once))
	gen.RegisterHandlers(e, gen.NewStrictHandler(s, []gen.StrictMiddlewareFunc{s.gate}))
	return e
}

// lasts tells whether a request lasts as long as somebody looks or listens.
func lasts(path string) bool {
	return path == "/api/events" || strings.HasPrefix(path, "/api/templates/") && (strings.HasSuffix(path, "/listen") || strings.HasSuffix(path, "/perform"))
}

// inSession runs a middleware for the contract's paths only. Requests that last hold no
// session to write back and would be held up by its buffer.
func inSession(m echo.MiddlewareFunc) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		within := m(next)
		return func(c *echo.Context) error {
			if path := c.Request().URL.Path; !strings.HasPrefix(path, "/api/") || lasts(path) {
				return next(c)
			}
			return within(c)
		}
	}
}

// timed tells how long requests took.
func timed(observe func(method, route string, status int, took time.Duration)) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			began := time.Now()
			err := next(c)
			if lasts(c.Request().URL.Path) {
				return err
			}
			status := http.StatusOK
			if err != nil {
				status = problemOf(err).Status
			} else if r, err := echo.UnwrapResponse(c.Response()); err == nil && r.Status > 0 {
				status = r.Status
			}
			observe(c.Request().Method, c.Path(), status, time.Since(began))
			return err
		}
	}
}

// headers keeps the page to its own scripts and out of frames.
func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		return next(c)
	}
}

// upload is what a path takes.
type upload int

const (
	noFile   upload = iota // a small request
	someFile               // a list, a score, MIDI, a template
	someAudio
	aSession  // with recordings in it
	muchAudio // as much as the studio may keep
)

// uploadOf tells what the path of a request takes.
func uploadOf(path string) upload {
	switch {
	case path == "/api/archives", strings.HasPrefix(path, "/api/prints/") && strings.HasSuffix(path, "/files"):
		return muchAudio
	case strings.HasSuffix(path, "/drift"), strings.Contains(path, "/drift/") && strings.HasSuffix(path, "/right"):
		return aSession
	case strings.HasSuffix(path, "/printed"), path == "/api/recordings", strings.Contains(path, "/balance/calibration/recordings/"):
		return someAudio
	case strings.HasSuffix(path, "/import"), strings.HasSuffix(path, "/cast"), strings.Contains(path, "/follow"), strings.HasSuffix(path, "/calls/music"),
		strings.HasPrefix(path, "/api/productions/") && (strings.HasSuffix(path, "/spotting") || strings.HasSuffix(path, "/cuts") || strings.HasSuffix(path, "/midi") || strings.HasSuffix(path, "/music")),
		path == "/api/catalogue/list", strings.Contains(path, "/compile/"), path == "/api/templates/file":
		return someFile
	}
	return noFile
}

// mostUpload bounds a file of a print, and an archive: those beyond 4 GiB are usual, and the room
// that the studio has is looked at as they come.
const mostUpload = 1 << 40

func limitBody(most int64) echo.MiddlewareFunc {
	limits := map[upload]echo.MiddlewareFunc{
		noFile: middleware.BodyLimit(most), someFile: middleware.BodyLimit(templatefile.MaxBytes + 1<<20), someAudio: middleware.BodyLimit(app.MaxRecordingBytes), aSession: middleware.BodyLimit(app.MaxSessionBytes + 1<<20), muchAudio: middleware.BodyLimit(mostUpload),
	}
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		within := map[upload]echo.HandlerFunc{}
		for kind, limit := range limits {
			within[kind] = limit(next)
		}
		return func(c *echo.Context) error { return within[uploadOf(c.Request().URL.Path)](c) }
	}
}

func compress() echo.MiddlewareFunc {
	return middleware.GzipWithConfig(middleware.GzipConfig{
		Level: 4, MinLength: 1024,
		Skipper: func(c *echo.Context) bool {
			path := c.Request().URL.Path
			return lasts(path) || strings.HasPrefix(path, "/api/recordings/") || strings.HasSuffix(path, "/play") || strings.HasPrefix(path, "/api/prints/") || strings.HasPrefix(path, "/api/deliveries/") || strings.HasSuffix(path, "/archive") || strings.HasPrefix(path, sharedPath) || onThisMachine(c.Request())
		},
	})
}

// onThisMachine tells whether a browser runs on the server's own machine: to pack and
// unpack what never leaves it takes longer than to copy it. What comes through a
// balancer there does not count.
func onThisMachine(r *http.Request) bool {
	for _, through := range []string{"Forwarded", "X-Forwarded-For", "Via", "X-Real-Ip"} {
		if r.Header.Get(through) != "" {
			return false
		}
	}
	from, err := netip.ParseAddrPort(r.RemoteAddr)
	return err == nil && from.Addr().Unmap().IsLoopback()
}

// pages serves the browser application; any path of the application's own
// gives its one page. Built files carry a hash in their names and are kept.
func pages(web fs.FS) echo.HandlerFunc {
	files := http.FileServerFS(web)
	return func(c *echo.Context) error {
		r := c.Request()
		name := strings.TrimPrefix(r.URL.Path, "/")
		if strings.HasPrefix(name, "api/") {
			return store.ErrNotFound
		}
		if _, err := fs.Stat(web, name); err != nil || name == "" {
			r.URL.Path = "/"
			c.Response().Header().Set("Cache-Control", "no-cache")
		} else if strings.HasPrefix(name, "assets/") {
			c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		files.ServeHTTP(c.Response(), r)
		return nil
	}
}

type personKey struct{}

// gate is the one place where it is decided who may do what: by role and operation. What lets people
// in, hands something out or deletes it for good is noted there.
func (s *server) gate(next gen.StrictHandlerFunc, operation string) gen.StrictHandlerFunc {
	return func(c *echo.Context, request any) (any, error) {
		p, ok := c.Get("person").(app.Person)
		if !ok {
			return next(c, request)
		}
		if doing := doingOf(operation, c.Request().Method); !p.Role.May(doing) {
			return nil, &people.Refused{Role: p.Role, Doing: doing}
		}
		ctx := context.WithValue(c.Request().Context(), personKey{}, p)
		c.SetRequest(c.Request().WithContext(ctx))
		done := s.noting(ctx, operation, p, request)
		answer, err := next(c, request)
		if err == nil {
			done()
		}
		return answer, err
	}
}

func person(ctx context.Context) app.Person {
	p, _ := ctx.Value(personKey{}).(app.Person)
	return p
}
