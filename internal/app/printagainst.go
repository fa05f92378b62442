package app

import (
	"context"
	"errors"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/printing"
	"fanfold/internal/recorded"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// PrintAgainst compares a file of a print with the same stem, or mix, of an earlier one.
func (a *App) PrintAgainst(ctx context.Context, p Person, id uuid.UUID, number int, before uuid.UUID) (audit.Differs, error) {
	now, err := a.printPair(ctx, p, id, func(f db.PrintFile) bool { return int(f.Number) == number })
	if err != nil {
		return audit.Differs{}, err
	}
	f := now[0]
	then, err := a.printPair(ctx, p, before, func(x db.PrintFile) bool {
		if f.Bus != "" {
			return x.Bus == f.Bus && x.Role == f.Role
		}
		return x.Role == f.Role && printing.Key(x.Path) == printing.Key(f.Path)
	})
	if errors.Is(err, store.ErrNotFound) {
		return audit.Differs{Line: "the earlier print has no such file"}, nil
	}
	if err != nil {
		return audit.Differs{}, err
	}
	x, err := a.auditFile(ctx, p, now)
	if err != nil {
		return audit.Differs{}, err
	}
	y, err := a.auditFile(ctx, p, then)
	if err != nil {
		return audit.Differs{}, err
	}
	return audit.Against(ctx, x, y)
}

// PrintShape is what a file of a print is like as a whole.
func (a *App) PrintShape(ctx context.Context, p Person, id uuid.UUID, number int) (audit.Shape, error) {
	pair, err := a.printPair(ctx, p, id, func(f db.PrintFile) bool { return int(f.Number) == number })
	if err != nil {
		return audit.Shape{}, err
	}
	x, err := a.auditFile(ctx, p, pair)
	if err != nil {
		return audit.Shape{}, err
	}
	return audit.ShapeOf(ctx, x)
}

// printPair finds a file of a print, with the other half where it is one of two.
func (a *App) printPair(ctx context.Context, p Person, id uuid.UUID, is func(db.PrintFile) bool) ([]db.PrintFile, error) {
	x, err := a.Print(ctx, p, id)
	if err != nil {
		return nil, err
	}
	if a.audio == nil {
		return nil, errNoAudio
	}
	for _, pair := range pairsOf(x.Files) {
		if slices.ContainsFunc(pair, is) {
			return pair, nil
		}
	}
	return nil, store.ErrNotFound
}

func (a *App) auditFile(ctx context.Context, p Person, pair []db.PrintFile) (audit.File, error) {
	s, err := a.soundOf(ctx, p.Studio, pair)
	if err != nil {
		return audit.File{}, err
	}
	return recorded.File(pair[0].Path, audit.Role(pair[0].Role), s, nil), nil
}
