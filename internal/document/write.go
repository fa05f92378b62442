package document

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// Ask says who asks for a change, and what they know.
type Ask struct {
	Author uuid.UUID
	By     string // the author's name
	// Seen is the revision that was looked at: what somebody else set since is
	// not overwritten. Any says that the present is meant, whatever it is.
	Seen int64
	// Key makes that the change is made once, however often it is asked for; the
	// zero value is a key of its own. Its first half is that of the page that asks:
	// what one page sets twice in a row is not a clash.
	Key uuid.UUID
	// Beside is written in the transaction of the change; nil for nothing.
	Beside Beside
}

// samePage tells whether a change was asked for by the page that asks now.
func (a Ask) samePage(author, key uuid.UUID) bool {
	return a.Author == author && bytes.Equal(a.Key[:len(a.Key)/2], key[:len(key)/2])
}

// Any is the Seen of a change that goes by the present.
const Any = -1

// Maker makes a change for the document as it is. It may be called again, when
// another server was quicker.
type Maker[S, C, V any] func(*View[S, C, V]) (C, error)

// trying bounds how long a change is made again because another server was quicker:
// each time it is written on what that one wrote.
const trying = 10 * time.Second

// Apply makes a change and applies it. The errors are those of the Maker and the
// Kind, *LockedError, *TooOldError, and *AgainError; what others set since
// Ask.Seen is the error of Kind.Clashes.
func (d *Document[S, C, V]) Apply(ctx context.Context, a Ask, make Maker[S, C, V]) (int64, error) {
	return d.apply(ctx, a, func(v *View[S, C, V]) (C, Role, int64, error) {
		c, err := make(v)
		if err != nil {
			return c, Do, 0, err
		}
		return c, Do, 0, v.clash(ctx, d.kind, a, c)
	})
}

// Follow applies what follows from a change elsewhere. ok false makes nothing.
func (d *Document[S, C, V]) Follow(ctx context.Context, a Ask, make func(*View[S, C, V]) (c C, ok bool)) error {
	_, err := d.apply(ctx, a, func(v *View[S, C, V]) (C, Role, int64, error) {
		c, ok := make(v)
		if !ok {
			return c, Follow, 0, errNoNeed
		}
		return c, Follow, 0, nil
	})
	if errors.Is(err, errNoNeed) {
		return nil
	}
	return err
}

var errNoNeed = errors.New("nothing to do")

// clash tells whether what a change sets was set since a revision.
func (v *View[S, C, V]) clash(ctx context.Context, kind Kind[S, C, V], a Ask, c C) error {
	base := a.Seen
	if base < 0 || base == v.Revision {
		return nil
	}
	later, err := v.since(ctx, base)
	if err != nil {
		return err
	}
	if base > v.Revision || len(later) == 0 || later[0].Revision > base+1 {
		return &TooOldError{base, v.Revision}
	}
	meets := kind.Clashes(v.State, c)
	for _, e := range later {
		if a.samePage(e.Author, e.Key) {
			continue
		}
		if err := meets(e.Change); err != nil {
			return err
		}
	}
	return nil
}

// chooser makes the change to be written on a view, with its role and target.
type chooser[S, C, V any] func(*View[S, C, V]) (C, Role, int64, error)

func (d *Document[S, C, V]) apply(ctx context.Context, a Ask, choose chooser[S, C, V]) (int64, error) {
	fresh := a.Key == uuid.Nil // no earlier change has it
	if fresh {
		a.Key = uuid.New()
	}
	release, err := d.take(ctx)
	if err != nil {
		return 0, err
	}
	defer release()
	for began := time.Now(); time.Since(began) < trying; {
		v := d.View()
		if a.Seen > v.Revision { // written elsewhere a moment ago
			if err := d.catchUp(ctx); err != nil {
				return 0, err
			}
			v = d.View()
		}
		if !fresh {
			if n, err := made(ctx, v, a.Key); err != nil || n > 0 {
				return n, err
			}
		}
		c, role, target, err := choose(v)
		if err != nil {
			return 0, err
		}
		n, err := d.write(ctx, v, a, c, role, target)
		switch {
		case errors.Is(err, ErrStale):
			if err := d.catchUp(ctx); err != nil {
				return 0, err
			}
		case errors.Is(err, ErrTwice):
			n, err := d.log.ByKey(ctx, v.ID, a.Key)
			if err != nil {
				return 0, fmt.Errorf("this was asked for before: %w", err)
			}
			return n, &AgainError{n}
		default:
			return n, err
		}
	}
	return 0, fmt.Errorf("%s is changed elsewhere all the time: %w", d.View().Name, ErrStale)
}

// made returns an *AgainError with the revision that a change of that key made, as far
// as is known here; 0 when there is none.
func made[S, C, V any](ctx context.Context, v *View[S, C, V], key uuid.UUID) (int64, error) {
	n := keyed(v.log, key)
	if n == 0 {
		before, err := v.earlier.get(ctx)
		if err != nil {
			return 0, err
		}
		n = keyed(before, key)
	}
	if n > 0 {
		return n, &AgainError{n}
	}
	return 0, nil
}

func keyed[C any](log []Entry[C], key uuid.UUID) int64 {
	for n := len(log) - 1; n >= 0; n-- {
		if log[n].Key == key {
			return log[n].Revision
		}
	}
	return 0
}

// write writes a change and shows it to everybody. The facts are computed while
// the log does its work.
func (d *Document[S, C, V]) write(ctx context.Context, v *View[S, C, V], a Ask, c C, role Role, target int64) (int64, error) {
	if v.Locked {
		return 0, &LockedError{v.Name, v.Of != uuid.Nil}
	}
	after, inverse, err := d.kind.Apply(v.State, c)
	if err != nil {
		return 0, err
	}
	if d.hooks.Refuse != nil {
		if err := d.hooks.Refuse(ctx, v.State, after); err != nil {
			return 0, err
		}
	}
	e := Entry[C]{
		Revision: v.Revision + 1, Author: a.Author, By: a.By, Role: role, Target: target,
		Label: d.kind.Label(v.State, after, c), Key: a.Key, Change: c, Inverse: inverse,
	}
	next := d.next(v, e, after)
	facts := make(chan V, 1)
	go func() { facts <- d.kind.Facts(after, v) }()
	if err := d.log.Append(ctx, next.Head, e, after, d.beside(v.State, after, a.Beside)); err != nil {
		<-facts // nobody else computes on the earlier ones meanwhile
		if errors.Is(err, ErrStale) || errors.Is(err, ErrTwice) || errors.Is(err, ErrUnfit) {
			return 0, err
		}
		return d.lookAgain(ctx, e, err)
	}
	next.Facts = <-facts
	d.publish(v, next, e)
	return e.Revision, nil
}

// beside joins what the asker and the document write with a change.
func (d *Document[S, C, V]) beside(before, after S, asked Beside) Beside {
	if d.hooks.Beside == nil {
		return asked
	}
	own := d.hooks.Beside(before, after)
	return both(asked, own)
}

func both(a, b Beside) Beside {
	switch {
	case a == nil:
		return b
	case b == nil:
		return a
	}
	return func(ctx context.Context, tx Tx) error {
		if err := a(ctx, tx); err != nil {
			return err
		}
		return b(ctx, tx)
	}
}

// lookWithin bounds looking for a change whose fate is not known.
const lookWithin = 2 * time.Second

// lookAgain finds out whether a change was kept although writing it failed, as
// when the connection breaks between the commit and its answer. What cannot be
// found out now is seen as soon as the log is heard again.
func (d *Document[S, C, V]) lookAgain(ctx context.Context, e Entry[C], failed error) (int64, error) {
	look, stop := context.WithTimeout(context.WithoutCancel(ctx), lookWithin)
	defer stop()
	if d.catchUp(look) != nil {
		return 0, failed
	}
	if n := keyed(d.View().log, e.Key); n > 0 {
		return n, nil
	}
	return 0, failed
}
