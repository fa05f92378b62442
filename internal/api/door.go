package api

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"net/netip"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"fanfold/internal/app"
)

// knownNames lets in requests for the names this server goes by alone: a page elsewhere that
// gives its own name this server's address (DNS rebinding) reaches nothing. An address in
// figures, and this machine's own names, need not be said.
func knownNames(names []string) echo.MiddlewareFunc {
	own := append(slices.Clone(names), "localhost")
	if host, err := os.Hostname(); err == nil {
		own = append(own, host, host+".local")
	}
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			host := hostOf(c.Request())
			_, err := netip.ParseAddr(host)
			if err != nil && !slices.ContainsFunc(own, func(name string) bool { return strings.EqualFold(name, host) }) {
				return echo.NewHTTPError(http.StatusMisdirectedRequest, "this server does not go by that name; start it with --name to add one")
			}
			return next(c)
		}
	}
}

// hostOf is the name a request was sent to, without its port.
func hostOf(r *http.Request) string {
	host := r.Host
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	return strings.TrimSuffix(strings.Trim(host, "[]"), ".")
}

// fromHere tells whether a request was made on this machine, under one of its own names.
func fromHere(r *http.Request) bool {
	host := hostOf(r)
	if at, err := netip.ParseAddr(host); err == nil {
		return at.IsLoopback() && onThisMachine(r)
	}
	return strings.EqualFold(host, "localhost") && onThisMachine(r)
}

// How fast a request must come: all of it within a time, or longer for each part that
// has come at no less than a rate, as large files over slow lines do.
var (
	bodyWithin       = 30 * time.Second
	bodyRate   int64 = 16 << 10 // bytes/s
)

// unhurried cuts off bodies that come more slowly.
func unhurried(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Body == nil || r.ContentLength == 0 {
			return next(c)
		}
		control := http.NewResponseController(c.Response())
		body := &pacedBody{ReadCloser: r.Body, began: time.Now(), until: control.SetReadDeadline}
		r.Body = body
		err := next(c)
		_ = control.SetReadDeadline(time.Time{}) // the next request has its own time
		return err
	}
}

// pacedBody moves the deadline on as bytes come.
type pacedBody struct {
	io.ReadCloser
	began time.Time
	bytes int64
	until func(time.Time) error
}

func (b *pacedBody) Read(p []byte) (int, error) {
	_ = b.until(b.began.Add(bodyWithin + time.Duration(b.bytes)*time.Second/time.Duration(bodyRate))) // where there is no connection to cut, none is
	n, err := b.ReadCloser.Read(p)
	b.bytes += int64(n)
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = errTooSlow
	}
	return n, err
}

var errTooSlow = echo.NewHTTPError(http.StatusRequestTimeout, "what was sent came too slowly; send it again")

// readings lets so many files of one studio come and be read at a time; the others wait
// in line. Of all studios, so many are read at a time once they are here: one that comes
// slowly keeps nobody else's waiting.
type readings struct {
	mu    sync.Mutex
	all   chan struct{}
	lines map[uuid.UUID]*line
}

type line struct {
	slots chan struct{}
	users int
}

// Files read at once, of one studio and of all.
const (
	readAtOnce    = 2
	readAtOnceAll = 6
)

func newReadings() *readings {
	return &readings{all: make(chan struct{}, readAtOnceAll), lines: map[uuid.UUID]*line{}}
}

// take waits for a turn in a studio's line; the function given back ends it.
func (x *readings) take(ctx context.Context, studio uuid.UUID) (func(), error) {
	x.mu.Lock()
	l := x.lines[studio]
	if l == nil {
		l = &line{slots: make(chan struct{}, readAtOnce)}
		x.lines[studio] = l
	}
	l.users++
	x.mu.Unlock()
	leave := func() {
		x.mu.Lock()
		defer x.mu.Unlock()
		if l.users--; l.users == 0 {
			delete(x.lines, studio)
		}
	}
	done, err := turn(ctx, l.slots)
	if err != nil {
		leave()
		return nil, err
	}
	return func() { done(); leave() }, nil
}

// turn waits for a place; the function given back leaves it.
func turn(ctx context.Context, places chan struct{}) (func(), error) {
	select {
	case places <- struct{}{}:
		return func() { <-places }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// inLine has files read a few at a time.
func (s *server) inLine(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if uploadOf(c.Request().URL.Path) != someFile {
			return next(c)
		}
		who, _ := c.Get("person").(app.Person)
		r := c.Request()
		done, err := s.readings.take(r.Context(), who.Studio)
		if err != nil {
			return err
		}
		defer done()
		body, err := io.ReadAll(r.Body)
		if err != nil {
			return err
		}
		r.Body = io.NopCloser(bytes.NewReader(body))
		read, err := turn(r.Context(), s.readings.all)
		if err != nil {
			return err
		}
		defer read()
		return next(c)
	}
}
