package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
)

// Attempts lets tests count sign-in attempts without hashing passwords.
type Attempts struct{ a *attempts }

// NewAttempts counts by a clock that tests set.
func NewAttempts(now func() time.Time) Attempts { return Attempts{newAttempts(now)} }

// Allow tells whether an attempt may go on.
func (a Attempts) Allow(address, email string) bool { return a.a.allow(address, email) }

// HurryBodies makes the time for bodies short, until what it returns is called.
func HurryBodies(within time.Duration, rate int64) func() {
	was, wasRate := bodyWithin, bodyRate
	bodyWithin, bodyRate = within, rate
	return func() { bodyWithin, bodyRate = was, wasRate }
}

// Unhurried serves a function with bodies paced.
func Unhurried(f func(w http.ResponseWriter, r *http.Request) error) http.Handler {
	e := echo.New()
	e.HTTPErrorHandler = func(c *echo.Context, err error) { fail(c.Response(), err) }
	e.Use(unhurried)
	e.POST("/", func(c *echo.Context) error { return f(c.Response(), c.Request()) })
	return e
}

// Readings lets tests take turns.
type Readings struct{ x *readings }

// NewReadings makes a new line.
func NewReadings() Readings { return Readings{newReadings()} }

// Take waits for a turn.
func (r Readings) Take(ctx context.Context, studio uuid.UUID) (func(), error) {
	return r.x.take(ctx, studio)
}

// Lines counts the lines there are.
func (r Readings) Lines() int { return len(r.x.lines) }

// Door is the contract's check alone before handlers that do nothing, and the paths of
// all POST requests, with something in the place of their parameters.
func Door() (http.Handler, []string) {
	e := echo.New()
	e.HTTPErrorHandler = func(c *echo.Context, err error) { fail(c.Response(), err) }
	e.Use(checked)
	all, err := routes()
	if err != nil {
		panic(err)
	}
	var paths []string
	for _, r := range all {
		if r.Method != http.MethodPost {
			continue
		}
		e.POST(routed(r.Path), func(c *echo.Context) error { return c.NoContent(http.StatusNoContent) })
		paths = append(paths, inBraces.ReplaceAllString(strings.Replace(r.Path, "{id}", uuid.NewString(), 1), "1"))
	}
	return e, paths
}

// DoingOf is what an operation does.
var DoingOf = doingOf

// Noted tells whether an operation is noted.
func Noted(operation string) bool { _, ok := noted[operation]; return ok }
