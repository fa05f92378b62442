package app

import (
	"context"
	"errors"
	"fmt"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

// Dust looks through the music of all cues of the studio that are started from the template, or from
// none yet: what of it was never played since a day, yyyy-mm-dd; empty is all days.
func (h *Hot) Dust(ctx context.Context, p Person, since string) (calls.Dust, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return calls.Dust{}, err
	}
	rows, err := h.app.Productions(ctx, p)
	if err != nil {
		return calls.Dust{}, err
	}
	t := h.View().Template
	caster := casting.New(t, cat.View().Template)
	ask := calls.DustAsk{Since: since, Paces: h.Paces()}
	for _, row := range rows {
		film, err := h.app.OpenFilm(ctx, p, row.ID)
		if errors.Is(err, store.ErrNotFound) {
			continue // it was deleted just now
		}
		if err != nil {
			return calls.Dust{}, err
		}
		for _, c := range film.View().Production.InOrder() {
			if c.Music == nil || c.Template != "" && c.Template != h.ID().String() {
				continue
			}
			piece, err := film.heard(ctx, p, c)
			if err != nil {
				return calls.Dust{}, err
			}
			parts := make([]casting.Music, len(piece.Parts))
			for n, x := range piece.Parts {
				parts[n] = musicOf(x)
			}
			ask.Pieces = append(ask.Pieces, calls.Piece{Name: c.Called(), On: c.Music.On, Rows: usedBy(t, caster.Hear(parts, handOf(c, piece)))})
		}
	}
	return calls.FindDust(t, ask), nil
}

// heard reads the music that a cue keeps.
func (f *Film) heard(ctx context.Context, p Person, c *cue.Cue) (Piece, error) {
	data, _, err := f.musicOf(ctx, p, c)
	if errors.Is(err, store.ErrNotFound) {
		return Piece{}, refused("", "%s: its music, %s, is no longer kept; give it again", c.Called(), c.Music.File)
	}
	if err != nil {
		return Piece{}, err
	}
	piece, err := f.app.piece(ctx, p, data)
	if err != nil {
		return Piece{}, fmt.Errorf("the music of %s: %w", c.Called(), err)
	}
	return piece, nil
}

// handOf is whom a person chose for the parts of a cue's music, by the parts' IDs: a cue knows them
// by their names, which outlast another file.
func handOf(c *cue.Cue, piece Piece) map[string][]template.ID {
	out := map[string][]template.ID{}
	for _, part := range piece.Parts {
		ids, chosen := c.Hand[part.Name]
		if !chosen {
			continue
		}
		out[part.ID] = []template.ID{} // nobody, where it is left out
		for _, id := range ids {
			out[part.ID] = append(out[part.ID], template.ID(id))
		}
	}
	return out
}
