package document

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/google/uuid"
)

// Undo takes back the author's last change that still stands; ErrNothing when
// there is none. What somebody else has set since is not taken back: the error of
// Kind.Clashes.
func (d *Document[S, C, V]) Undo(ctx context.Context, a Ask) (int64, error) {
	return d.takeBack(ctx, a, Undo)
}

// Redo brings back the author's last undone change.
func (d *Document[S, C, V]) Redo(ctx context.Context, a Ask) (int64, error) {
	return d.takeBack(ctx, a, Redo)
}

func (d *Document[S, C, V]) takeBack(ctx context.Context, a Ask, role Role) (int64, error) {
	revision, err := d.takeBackSeen(ctx, a, role)
	if !errors.Is(err, ErrNothing) {
		return revision, err
	}
	// It may have been done elsewhere a moment ago.
	before := d.View().Revision
	if d.CatchUp(ctx) != nil || d.View().Revision == before {
		return revision, err
	}
	return d.takeBackSeen(ctx, a, role)
}

// takeBackSeen is takeBack as far as is known here.
func (d *Document[S, C, V]) takeBackSeen(ctx context.Context, a Ask, role Role) (int64, error) {
	return d.apply(ctx, a, func(v *View[S, C, V]) (c C, _ Role, target int64, err error) {
		all, err := v.since(ctx, 0)
		if err != nil {
			return c, role, 0, err
		}
		undo, redo := stacks(all, a.Author)
		stack := undo
		if role == Redo {
			stack = redo
		}
		if len(stack) == 0 {
			return c, role, 0, ErrNothing
		}
		last := stack[len(stack)-1]
		meets := d.kind.Clashes(v.State, last.Inverse)
		for _, e := range all {
			if e.Revision > last.Revision && e.Author != a.Author {
				if err := meets(e.Change); err != nil {
					return c, role, 0, err
				}
			}
		}
		return last.Inverse, role, last.Revision, nil
	})
}

// stacks replays the log: what a person can undo, and redo.
func stacks[C any](log []Entry[C], author uuid.UUID) (undo, redo []Entry[C]) {
	for _, e := range log {
		if e.Author != author {
			continue
		}
		switch e.Role {
		case Do:
			undo, redo = append(undo, e), nil
		case Undo:
			undo, redo = undo[:max(0, len(undo)-1)], append(redo, e)
		case Redo:
			redo, undo = redo[:max(0, len(redo)-1)], append(undo, e)
		}
	}
	return undo, redo
}

// Undoable names what Undo and Redo would take back; empty when nothing.
func (v *View[S, C, V]) Undoable(ctx context.Context, author uuid.UUID) (undo, redo string, err error) {
	all, err := v.since(ctx, 0)
	if err != nil {
		return "", "", err
	}
	u, r := stacks(all, author)
	if len(u) > 0 {
		undo = u[len(u)-1].Label
	}
	if len(r) > 0 {
		redo = r[len(r)-1].Label
	}
	return undo, redo, nil
}

// Later is a change that depends on an earlier one.
type Later struct {
	Revision int64
	Label    string
}

// DependsError is a change that cannot be taken back alone, since later ones
// set the same things.
type DependsError struct {
	Label string
	Later []Later // which depend on it, oldest first
}

func (e *DependsError) Error() string {
	var later []string
	for n, x := range e.Later {
		if n == 3 {
			later = append(later, fmt.Sprintf("and %d more", len(e.Later)-n))
			break
		}
		later = append(later, fmt.Sprintf("%s (revision %d)", x.Label, x.Revision))
	}
	return fmt.Sprintf("%s cannot be taken back alone; later changes set the same: %s. Take these back first", e.Label, strings.Join(later, ", "))
}

// TakenError is a change that was taken back already.
type TakenError struct {
	Label string
	With  int64 // the revision that took it back
}

func (e *TakenError) Error() string {
	return fmt.Sprintf("%s was taken back already, with revision %d", e.Label, e.With)
}

// TakeBackOne undoes one earlier change alone, whoever made it, as a change of
// its own. Where later changes that still stand set the same things, it is
// refused with a *DependsError; ErrNotFound when there is no such revision.
func (d *Document[S, C, V]) TakeBackOne(ctx context.Context, a Ask, revision int64) (int64, error) {
	v := d.View()
	known, err := d.log.Entries(ctx, v.ID, revision-1, v.Revision)
	if err != nil {
		return 0, err
	}
	if len(known) == 0 || known[0].Revision != revision {
		return 0, ErrNotFound
	}
	return d.apply(ctx, a, func(v *View[S, C, V]) (c C, _ Role, _ int64, err error) {
		all, err := d.upTo(ctx, known, v)
		if err != nil {
			return c, Do, 0, err
		}
		e := all[0]
		meets := d.kind.Clashes(v.State, e.Inverse)
		var depends []Later
		for _, x := range standing(all[1:], revision) {
			if x.Target == revision {
				return c, Do, 0, &TakenError{e.Label, x.Revision}
			}
			if meets(x.Change) != nil {
				depends = append(depends, Later{x.Revision, x.Label})
			}
		}
		if len(depends) > 0 {
			return c, Do, 0, &DependsError{e.Label, depends}
		}
		return d.kind.TakenBack(e.Label, e.Inverse), Do, revision, nil
	})
}

// upTo extends entries that are known to those of a view.
func (d *Document[S, C, V]) upTo(ctx context.Context, known []Entry[C], v *View[S, C, V]) ([]Entry[C], error) {
	last := known[len(known)-1].Revision
	if last == v.Revision {
		return known, nil
	}
	more, err := d.log.Entries(ctx, v.ID, last, v.Revision)
	return append(known[:len(known):len(known)], more...), err
}

// standing leaves out changes that were undone since, with their undoing.
func standing[C any](list []Entry[C], after int64) []Entry[C] {
	undone := map[int64]bool{}
	for n := len(list) - 1; n >= 0; n-- {
		e := list[n]
		if e.Target > after && !undone[e.Revision] {
			undone[e.Revision], undone[e.Target] = true, true
		}
	}
	var out []Entry[C]
	for _, e := range list {
		if !undone[e.Revision] {
			out = append(out, e)
		}
	}
	return out
}
