package document

import (
	"context"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"
)

// Shelf keeps what is open, and lets go of what nobody uses, least recently used
// first, when it takes more memory than it may.
type Shelf[T any] struct {
	// Bound is how much may be kept open, bytes.
	Bound int64
	// Grace is how long what was just opened is kept, whatever it takes.
	Grace time.Duration
	// Size estimates what one takes, bytes.
	Size func(T) int64
	// InUse tells whether one must stay open.
	InUse func(T) bool
	// Now is the clock.
	Now func() time.Time

	mu    sync.Mutex
	slots map[uuid.UUID]*slot[T]
}

type slot[T any] struct {
	loaded chan struct{} // closed once item or err is there
	item   T
	err    error
	used   time.Time
}

// loadWithin bounds opening one, since several may wait for it.
const loadWithin = time.Minute

// Open returns what is open under an ID, or loads it; several who ask at once
// wait for one loading.
func (s *Shelf[T]) Open(ctx context.Context, id uuid.UUID, load func(context.Context) (T, error)) (T, error) {
	s.mu.Lock()
	x := s.slots[id]
	fresh := x == nil
	if fresh {
		x = &slot[T]{loaded: make(chan struct{})}
		if s.slots == nil {
			s.slots = map[uuid.UUID]*slot[T]{}
		}
		s.slots[id] = x
	}
	x.used = s.Now()
	s.mu.Unlock()
	if fresh {
		go s.load(context.WithoutCancel(ctx), id, x, load)
	}
	select {
	case <-x.loaded:
		return x.item, x.err
	case <-ctx.Done():
		var none T
		return none, ctx.Err()
	}
}

func (s *Shelf[T]) load(ctx context.Context, id uuid.UUID, x *slot[T], load func(context.Context) (T, error)) {
	ctx, stop := context.WithTimeout(ctx, loadWithin)
	defer stop()
	x.item, x.err = load(ctx)
	close(x.loaded)
	if x.err != nil {
		s.mu.Lock()
		delete(s.slots, id)
		s.mu.Unlock()
		return
	}
	s.Trim()
}

// Look returns what is open under an ID, without counting as use.
func (s *Shelf[T]) Look(id uuid.UUID) (item T, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if x := s.slots[id]; x != nil && x.open() {
		return x.item, true
	}
	return item, false
}

// All lists what is open.
func (s *Shelf[T]) All() []T {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := make([]T, 0, len(s.slots))
	for _, x := range s.slots {
		if x.open() {
			out = append(out, x.item)
		}
	}
	return out
}

// open tells whether it has been loaded.
func (x *slot[T]) open() bool {
	select {
	case <-x.loaded:
		return x.err == nil
	default:
		return false
	}
}

// Trim lets go of what nobody uses while more is open than may be, and returns
// how much is open then, bytes.
func (s *Shelf[T]) Trim() int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	type candidate struct {
		id   uuid.UUID
		size int64
		used time.Time
	}
	var sum int64
	var idle []candidate
	now := s.Now()
	for id, x := range s.slots {
		if !x.open() {
			continue
		}
		size := s.Size(x.item)
		sum += size
		if now.Sub(x.used) >= s.Grace && !s.InUse(x.item) {
			idle = append(idle, candidate{id, size, x.used})
		}
	}
	slices.SortFunc(idle, func(a, b candidate) int { return a.used.Compare(b.used) })
	for _, c := range idle {
		if sum <= s.Bound {
			break
		}
		delete(s.slots, c.id)
		sum -= c.size
	}
	return sum
}
