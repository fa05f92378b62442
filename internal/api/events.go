package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"fanfold/internal/app"
	"fanfold/internal/store"
)

// keepAlive is how often a silent stream says that it is still there.
const keepAlive = 15 * time.Second

// events streams a template's events. A browser resumes after the revision it
// names in the query, or, reconnecting, in Last-Event-ID.
func (s *server) events(c *echo.Context) error {
	r := c.Request()
	ctx, err := s.sessionOf(r)
	if err != nil {
		return err
	}
	p, err := s.personOf(ctx)
	if err != nil {
		return err
	}
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		return store.ErrNotFound
	}
	h, err := s.app.Open(ctx, p, id)
	if err != nil {
		return err
	}
	after := int64(-1)
	for _, text := range []string{r.Header.Get("Last-Event-ID"), r.URL.Query().Get("after")} {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			after = n
			break
		}
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	watcher := h.Watch(p, after)
	defer h.Unwatch(watcher)
	return stream(r.Context(), w, watcher)
}

// sessionOf loads the session of a request without the middleware.
func (s *server) sessionOf(r *http.Request) (context.Context, error) {
	cookie, err := r.Cookie(s.sessions.Cookie.Name)
	if errors.Is(err, http.ErrNoCookie) {
		return nil, errSignedOut
	}
	return s.sessions.Load(r.Context(), cookie.Value)
}

func stream(ctx context.Context, w http.ResponseWriter, watcher *app.Watcher) error {
	out := http.NewResponseController(w)
	tick := time.NewTicker(keepAlive)
	defer tick.Stop()
	for {
		var err error
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
			_, err = fmt.Fprint(w, ": still here\n\n")
		case e, open := <-watcher.Events:
			if !open {
				return nil // too slow; the browser resumes
			}
			if e.Revision > 0 {
				fmt.Fprintf(w, "id: %d\n", e.Revision)
			}
			_, err = fmt.Fprintf(w, "event: %s\ndata: %s\n\n", e.Name, e.Data)
		}
		if err != nil || out.Flush() != nil {
			return nil // the browser is gone
		}
	}
}
