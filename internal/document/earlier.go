package document

import (
	"context"
	"fmt"
	"sync"
	"time"
)

// earlier are the changes before a document was opened. They are read when they are
// first asked for: only undo and clashes need them, and whoever looks does not wait.
type earlier[C any] struct {
	read func(context.Context) ([]Entry[C], error)
	once sync.Once
	done chan struct{} // closed once they are read
	list []Entry[C]    // oldest first
	err  error
}

// readWithin bounds reading the earlier changes.
const readWithin = 30 * time.Second

// newEarlier is nil when there is nothing to read.
func newEarlier[C any](read func(context.Context) ([]Entry[C], error)) *earlier[C] {
	if read == nil {
		return nil
	}
	return &earlier[C]{read: read, done: make(chan struct{})}
}

// get waits for the changes, and reads them again when that failed.
func (e *earlier[C]) get(ctx context.Context) ([]Entry[C], error) {
	if e == nil {
		return nil, nil
	}
	e.once.Do(func() {
		go func() { // others wait for it, too
			defer close(e.done)
			ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), readWithin)
			defer stop()
			e.list, e.err = e.read(ctx)
		}()
	})
	select {
	case <-e.done:
	case <-ctx.Done():
		return nil, fmt.Errorf("wait for earlier changes: %w", ctx.Err())
	}
	if e.err != nil {
		return e.read(ctx)
	}
	return e.list, nil
}

// since are the changes after a revision, oldest first, as far back as they are kept.
// Those since the document was opened wait for nothing.
func (v *View[S, C, V]) since(ctx context.Context, revision int64) ([]Entry[C], error) {
	list := v.log
	if len(list) == 0 || list[0].Revision > revision+1 {
		before, err := v.earlier.get(ctx)
		if err != nil {
			return nil, err
		}
		if len(before) > 0 {
			list = append(before[:len(before):len(before)], v.log...)
		}
	}
	for n := range list {
		if list[n].Revision > revision {
			return list[n:], nil
		}
	}
	return nil, nil
}
