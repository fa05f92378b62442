package document_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/document"
)

// shelf is the toy that these tests edit: words under names.
type shelf map[string]string

// put sets one word; an empty one takes the name away.
type put struct{ Name, Word string }

type (
	toyDoc  = document.Document[shelf, put, int]
	toyView = document.View[shelf, put, int]
	toyLog  = document.Entry[put]
)

var errTooLong = errors.New("a word has at most 20 letters")

type clashError struct{ name, theirs, yours string }

func (e *clashError) Error() string { return e.name + " was set to " + e.theirs }

// toys is the kind: its facts are how many names there are.
type toys struct{}

func (toys) Apply(s shelf, c put) (after shelf, inverse put, err error) {
	if len(c.Word) > 20 {
		return nil, put{}, errTooLong
	}
	after = maps.Clone(s)
	inverse = put{c.Name, s[c.Name]}
	if after[c.Name] = c.Word; c.Word == "" {
		delete(after, c.Name)
	}
	return after, inverse, nil
}
func (toys) Name(s shelf) string                 { return "toy " + s["name"] }
func (toys) Label(_, _ shelf, c put) string      { return "Set " + c.Name }
func (toys) TakenBack(_ string, inverse put) put { return inverse }
func (toys) Facts(s shelf, _ *toyView) int       { return len(s) }
func (toys) Clashes(now shelf, c put) func(put) error {
	return func(other put) error {
		if other.Name != c.Name {
			return nil
		}
		return &clashError{c.Name, now[c.Name], c.Word}
	}
}
func (toys) Delta(e toyLog, _, _ *toyView) ([]byte, error) { return json.Marshal(e.Change) }

// memory is a log that several servers share. It can be told to fail.
type memory struct {
	mu      sync.Mutex
	head    document.Head
	entries []toyLog
	fail    error         // of the next append
	keeps   bool          // though it fails
	stall   chan struct{} // appends wait until it is closed
	unread  atomic.Int64  // how often reading earlier entries fails
}

func newMemory() *memory {
	return &memory{head: document.Head{ID: uuid.New(), Studio: uuid.New(), Kind: "toy"}}
}

func (m *memory) Load(_ context.Context, studio, id uuid.UUID) (document.Loaded[shelf, put], error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if studio != m.head.Studio || id != m.head.ID {
		return document.Loaded[shelf, put]{}, document.ErrNotFound
	}
	state := shelf{}
	for _, e := range m.entries {
		state, _, _ = toys{}.Apply(state, e.Change)
	}
	late := len(m.entries) / 2 // the others are read when they are asked for
	return document.Loaded[shelf, put]{Head: m.head, State: state, Log: slices.Clone(m.entries[late:]), Earlier: func(ctx context.Context) ([]toyLog, error) {
		if m.unread.Add(-1) >= 0 {
			return nil, errors.New("the line is down")
		}
		return m.Entries(ctx, m.head.ID, 0, int64(late))
	}}, nil
}

func (m *memory) Since(_ context.Context, _, _ uuid.UUID, revision int64) (document.Head, []toyLog, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.head, slices.Clone(m.entries[revision:]), nil
}

func (m *memory) Append(ctx context.Context, _ document.Head, e toyLog, _ shelf, beside document.Beside) error {
	m.mu.Lock()
	stall := m.stall
	m.mu.Unlock()
	if stall != nil {
		select {
		case <-stall:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	failed := m.fail
	m.fail = nil
	switch {
	case failed != nil && !m.keeps:
		return failed
	case m.head.Locked || e.Revision != m.head.Revision+1:
		return document.ErrStale
	case slices.ContainsFunc(m.entries, func(x toyLog) bool { return x.Key == e.Key }):
		return document.ErrTwice
	}
	if beside != nil {
		if err := beside(ctx, nil); err != nil {
			return err
		}
	}
	m.entries = append(m.entries, e)
	m.head.Revision = e.Revision
	return failed
}

func (m *memory) ByKey(_ context.Context, _, key uuid.UUID) (int64, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, e := range m.entries {
		if e.Key == key {
			return e.Revision, nil
		}
	}
	return 0, document.ErrNotFound
}

func (m *memory) Entries(_ context.Context, _ uuid.UUID, after, upto int64) ([]toyLog, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	var out []toyLog
	for _, e := range m.entries {
		if e.Revision > after && e.Revision <= upto {
			out = append(out, e)
		}
	}
	return out, nil
}

func (m *memory) SetLocked(_ context.Context, _, _ uuid.UUID, on bool) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.head.Of != uuid.Nil {
		return document.ErrNotFound
	}
	m.head.Locked = on
	return nil
}

var (
	ctx      = context.Background()
	ada, ben = document.Ask{Author: uuid.New(), By: "Ada", Seen: document.Any}, document.Ask{Author: uuid.New(), By: "Ben", Seen: document.Any}
)

// open opens the toy on one server.
func (m *memory) open(t *testing.T) *toyDoc {
	t.Helper()
	d, err := document.Open(ctx, toys{}, m, m.head.Studio, m.head.ID)
	require.NoError(t, err)
	return d
}

// set sets a word and returns the revision.
func set(t *testing.T, d *toyDoc, a document.Ask, name, word string) int64 {
	t.Helper()
	n, err := setting(d, a, name, word)
	require.NoError(t, err)
	return n
}

func setting(d *toyDoc, a document.Ask, name, word string) (int64, error) {
	return d.Apply(ctx, a, func(*toyView) (put, error) { return put{name, word}, nil })
}

func seen(a document.Ask, revision int64) document.Ask {
	a.Seen = revision
	return a
}

func keyed(a document.Ask, key uuid.UUID) document.Ask {
	a.Key = key
	return a
}

func numbered(n int) string { return fmt.Sprintf("word %d", n) }
