package api

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"fanfold/internal/app"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// onceHeader is the header that has a request's key, as in the IETF's draft
// "The Idempotency-Key HTTP Header Field".
const onceHeader = "Idempotency-Key"

// keptAnswer is the largest answer that is kept for a second arrival, bytes.
const keptAnswer = 1 << 20

// answerWithin bounds keeping an answer.
const answerWithin = 10 * time.Second

// once answers a request that has a key of an earlier one with what that was
// answered, and does nothing. Changes are kept together with the key, so that
// they are made once even where the answer was lost.
func (s *server) once(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		text := r.Header.Get(onceHeader)
		if text == "" || r.Method == http.MethodGet {
			return next(c)
		}
		key, err := uuid.Parse(text)
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("%s is a UUID, not %q", onceHeader, text))
		}
		who, _ := c.Get("person").(app.Person)
		release, err := s.flights.take(r.Context(), key)
		if err != nil {
			return err
		}
		row, err := s.store.Queries().AnswerGet(r.Context(), db.AnswerGetParams{Key: key, PersonID: who.ID})
		if err == nil {
			release()
			return c.Blob(int(row.Status), row.Media, row.Body)
		}
		if !errors.Is(store.NotFound(err), store.ErrNotFound) {
			release()
			return err
		}
		kept := &recorder{ResponseWriter: c.Response(), status: http.StatusOK}
		c.SetResponse(kept)
		c.SetRequest(r.WithContext(app.WithKey(r.Context(), key)))
		err = next(c)
		c.SetResponse(kept.ResponseWriter)
		if revision, again := app.AgainOf(err); again {
			release()
			return c.JSON(http.StatusOK, map[string]int64{"revision": revision})
		}
		if err != nil || kept.status >= 300 || kept.body.Len() > keptAnswer || who.ID == uuid.Nil || tellsSecret(r.URL.Path, kept.body.Bytes()) {
			release()
			return err
		}
		answer := db.AnswerPutParams{Key: key, PersonID: who.ID, Status: int32(kept.status), Media: kept.Header().Get("Content-Type"), Body: append([]byte{}, kept.body.Bytes()...)}
		go s.keepAnswer(answer, release)
		return nil
	}
}

// tellsSecret tells whether an answer has the secret of a link or of a host in it, which is told once and
// kept nowhere: a request whose answer is lost makes another.
func tellsSecret(path string, body []byte) bool {
	return path == "/api/machines/credential" || path == "/api/session/codes" || bytes.Contains(body, []byte(`"secret":"`))
}

// keepAnswer keeps an answer for a second arrival of its request.
func (s *server) keepAnswer(answer db.AnswerPutParams, release func()) {
	defer release()
	ctx, stop := context.WithTimeout(context.Background(), answerWithin)
	defer stop()
	if err := s.store.Queries().AnswerPut(ctx, answer); err != nil {
		slog.Warn("could not keep an answer", "error", err)
	}
}

// recorder keeps what is answered.
type recorder struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
}

func (r *recorder) WriteHeader(status int) {
	r.status = status
	r.ResponseWriter.WriteHeader(status)
}

func (r *recorder) Write(data []byte) (int, error) {
	if r.body.Len() <= keptAnswer {
		r.body.Write(data)
	}
	return r.ResponseWriter.Write(data)
}

// Unwrap lets others find the writer below.
func (r *recorder) Unwrap() http.ResponseWriter { return r.ResponseWriter }

// flights lets one request of a key be answered at a time.
type flights struct {
	mu  sync.Mutex
	now map[uuid.UUID]chan struct{}
}

// take waits until no other request of the key is being answered.
func (f *flights) take(ctx context.Context, key uuid.UUID) (release func(), err error) {
	for {
		f.mu.Lock()
		other := f.now[key]
		if other == nil {
			if f.now == nil {
				f.now = map[uuid.UUID]chan struct{}{}
			}
			mine := make(chan struct{})
			f.now[key] = mine
			f.mu.Unlock()
			return func() {
				f.mu.Lock()
				delete(f.now, key)
				f.mu.Unlock()
				close(mine)
			}, nil
		}
		f.mu.Unlock()
		select {
		case <-other:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}
