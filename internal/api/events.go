package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/store"
)

// keepAlive is how often a silent stream says that it is still there.
const keepAlive = 15 * time.Second

// mostWatched bounds the documents, and the pages, of one stream.
const mostWatched = 200

// eventHead is the first line of an event; what it tells is the second.
type eventHead struct {
	Document uuid.UUID `json:"document,omitzero"`
	Name     string    `json:"name"`
	Revision int64     `json:"revision,omitempty"`
}

type streamed struct {
	eventHead
	data []byte
}

// events streams what happens to documents, for all pages of a browser at once:
//
//	?watch=ID:REVISION   a document, after the revision that is known of it
//	&here=ID:PAGE        a page that has it open, by an ID of the page's own
//
// Both may be given again.
func (s *server) events(c *echo.Context) error {
	r := c.Request()
	session, err := s.sessionOf(r)
	if err != nil {
		return err
	}
	p, err := s.personOf(session)
	if err != nil {
		return err
	}
	ctx, end := s.streams.begin(r.Context(), s.sessions.Token(session))
	defer end()
	all := make(chan streamed)
	gone := sync.WaitGroup{}
	defer gone.Wait()
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	query := r.URL.Query()
	if len(query["watch"])+len(query["here"]) > mostWatched {
		return &change.Refused{Reason: fmt.Sprintf("a stream follows at most %d documents and pages", mostWatched)}
	}
	for _, text := range query["watch"] {
		h, after, err := s.watched(ctx, p, text)
		if err != nil {
			return err
		}
		revision, err := strconv.ParseInt(after, 10, 64)
		if err != nil {
			revision = -1
		}
		watcher := h.Watch(revision)
		gone.Go(func() {
			defer h.Unwatch(watcher)
			if forward(ctx, h.ID(), watcher, all) {
				stop(errSlow) // the browser resumes
			}
		})
	}
	for _, text := range query["here"] {
		h, page, err := s.named(ctx, p, text)
		if err != nil {
			return err
		}
		leave := h.Come(p, page)
		defer leave()
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	return s.stream(ctx, r, w, all)
}

// named opens the document of "ID:REST".
func (s *server) named(ctx context.Context, p app.Person, text string) (*app.Hot, string, error) {
	name, rest, _ := strings.Cut(text, ":")
	id, err := uuid.Parse(name)
	if err != nil {
		return nil, "", store.ErrNotFound
	}
	h, err := s.app.Open(ctx, p, id)
	return h, rest, err
}

// watched opens the document of "ID:REST", of whatever kind.
func (s *server) watched(ctx context.Context, p app.Person, text string) (app.Watched, string, error) {
	name, rest, _ := strings.Cut(text, ":")
	id, err := uuid.Parse(name)
	if err != nil {
		return nil, "", store.ErrNotFound
	}
	h, err := s.app.Watchable(ctx, p, id)
	return h, rest, err
}

// forward takes a document's events to the stream. It tells whether the stream
// was too slow for them.
func forward(ctx context.Context, id uuid.UUID, watcher *app.Watcher, all chan<- streamed) (slow bool) {
	for {
		select {
		case <-ctx.Done():
			return false
		case e, open := <-watcher.Events:
			if !open {
				return true
			}
			select {
			case all <- streamed{eventHead{id, e.Name, e.Revision}, e.Data}:
			case <-ctx.Done():
				return false
			}
		}
	}
}

var errSlow = errors.New("the browser is too slow")

// sessionOf loads the session of a request without the middleware.
func (s *server) sessionOf(r *http.Request) (context.Context, error) {
	cookie, err := r.Cookie(s.sessions.Cookie.Name)
	if errors.Is(err, http.ErrNoCookie) {
		return nil, errSignedOut
	}
	return s.sessions.Load(r.Context(), cookie.Value)
}

func (s *server) stream(ctx context.Context, r *http.Request, w http.ResponseWriter, all <-chan streamed) error {
	out := http.NewResponseController(w)
	tick := time.NewTicker(keepAlive)
	defer tick.Stop()
	if _, err := fmt.Fprint(w, ": here\n\n"); err != nil || out.Flush() != nil {
		return nil // the browser is gone
	}
	for {
		var err error
		select {
		case <-ctx.Done():
			if errors.Is(context.Cause(ctx), errSignedOut) {
				err = writeEvent(w, streamed{eventHead: eventHead{Name: "signed-out"}})
				_ = errors.Join(err, out.Flush()) // the browser may be gone
			}
			return nil
		case <-tick.C:
			go func() { // which may have to wait for the database
				if s.signedOut(r) {
					s.streams.end(s.tokenOf(r))
				}
			}()
			_, err = fmt.Fprint(w, ": still here\n\n")
		case e := <-all:
			err = writeEvent(w, e)
		}
		if err != nil || out.Flush() != nil {
			return nil // the browser is gone
		}
	}
}

func writeEvent(w http.ResponseWriter, e streamed) error {
	head, err := json.Marshal(e.eventHead)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "data: %s\ndata: %s\n\n", head, e.data)
	return err
}

// signedOut tells whether the session of a stream has ended, here or on another
// server. While that cannot be found out, it goes on.
func (s *server) signedOut(r *http.Request) bool {
	ctx, stop := context.WithTimeout(r.Context(), keepAlive/2)
	defer stop()
	session, err := s.sessionOf(r.WithContext(ctx))
	if err == nil {
		_, err = s.personOf(session)
	}
	return errors.Is(err, errSignedOut)
}

func (s *server) tokenOf(r *http.Request) string {
	cookie, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return ""
	}
	return cookie.Value
}

// streams are the event streams that are open, by session.
type streams struct {
	mu   sync.Mutex
	next int
	open map[string]map[int]context.CancelCauseFunc
}

// begin notes a stream of a session; the context ends with the session.
func (s *streams) begin(parent context.Context, token string) (ctx context.Context, end func()) {
	ctx, cancel := context.WithCancelCause(parent)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.open == nil {
		s.open = map[string]map[int]context.CancelCauseFunc{}
	}
	if s.open[token] == nil {
		s.open[token] = map[int]context.CancelCauseFunc{}
	}
	s.next++
	n := s.next
	s.open[token][n] = cancel
	return ctx, func() {
		cancel(nil)
		s.mu.Lock()
		defer s.mu.Unlock()
		if delete(s.open[token], n); len(s.open[token]) == 0 {
			delete(s.open, token)
		}
	}
}

// endOf ends the streams of a session, by its digest.
func (s *streams) endOf(digest uuid.UUID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for token, list := range s.open {
		if digestOf(token) != digest {
			continue
		}
		for _, cancel := range list {
			cancel(errSignedOut)
		}
	}
}

// end ends the streams of a session.
func (s *streams) end(token string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, cancel := range s.open[token] {
		cancel(errSignedOut)
	}
}
