package app

import (
	"context"

	"fanfold/internal/core/casting"
	"fanfold/internal/core/template"
	"fanfold/internal/render"
)

// PerformedRow is a row that plays in a piece.
type PerformedRow struct {
	ID      template.ID `json:"id"`
	Name    string      `json:"name"`
	Machine string      `json:"machine"`
	Notes   int         `json:"notes"`
}

// CastPiece tells of music that is about to be played.
type CastPiece struct {
	Title   string           `json:"title"`
	Bars    []float64        `json:"bars"`    // where each begins, s
	Seconds float64          `json:"seconds"` // to the end of the last note
	Rows    []PerformedRow   `json:"rows"`    // in score order
	Silent  []render.Silence `json:"silent"`  // who is asked for and can not play
	Parts   int              `json:"parts"`
}

// CastPiece tells who plays a piece, and its bars.
func (h *Hot) CastPiece(ctx context.Context, p Person, piece Piece, hand map[string][]template.ID) (CastPiece, error) {
	score, view, err := h.score(ctx, p, piece, hand)
	if err != nil {
		return CastPiece{}, err
	}
	out := CastPiece{
		Title: piece.Title, Bars: score.Bars(), Seconds: score.Seconds(score.End()), Parts: len(piece.Parts),
		Rows: []PerformedRow{}, Silent: append([]render.Silence{}, score.Silent...),
	}
	for _, v := range score.Voices {
		out.Rows = append(out.Rows, PerformedRow{v.Home.ID, v.Home.Name, view.Template.Index().Machines[v.Home.Seat.Machine].Name, v.Notes})
	}
	return out, nil
}

// score casts a piece within the template as it is now.
func (h *Hot) score(ctx context.Context, p Person, piece Piece, hand map[string][]template.ID) (*render.Score, View, error) {
	if len(piece.Parts) == 0 {
		return nil, View{}, refused("", "there are no notes in this file")
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, View{}, err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, View{}, err
	}
	view := h.View()
	parts := make([]casting.Music, len(piece.Parts))
	for n, x := range piece.Parts {
		parts[n] = musicOf(x)
	}
	return render.NewScore(view.Template, cat.View().Template, words, piece.Parts[0].Time, parts, hand), view, nil
}
