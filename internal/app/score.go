package app

import (
	"context"
	"maps"
	"slices"

	"fanfold/internal/core/articulation"
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
	Silent  []render.Silence `json:"silent"`  // who is asked for and cannot play
	Parts   int              `json:"parts"`
}

// Scored is a piece as it is cast within a template as it was.
type Scored struct {
	score     *render.Score
	view      View
	catalogue int64 // its revision
	hand      map[string][]template.ID
	title     string
	parts     int
}

// Score casts a piece within the template as it is now; hand says whom people chose, by the
// part's ID. What was cast before is given back while nothing has changed since.
func (h *Hot) Score(ctx context.Context, p Person, piece Piece, hand map[string][]template.ID, before *Scored) (*Scored, error) {
	if len(piece.Parts) == 0 {
		return nil, refused("", "there are no notes in this file")
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	s := &Scored{view: h.View(), catalogue: cat.View().Revision, hand: hand, title: piece.Title, parts: len(piece.Parts)}
	if before != nil && before.view.Revision == s.view.Revision && before.catalogue == s.catalogue && maps.EqualFunc(before.hand, hand, slices.Equal[[]template.ID]) {
		return before, nil
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	s.score = ScoreOf(s.view.Template, cat.View().Template, words, piece, hand)
	return s, nil
}

// ScoreOf casts a piece, of which there are parts, within a template; hand says whom people
// chose, by the part's ID.
func ScoreOf(t, catalogue *template.Template, words *articulation.Vocabulary, piece Piece, hand map[string][]template.ID) *render.Score {
	parts := make([]casting.Music, len(piece.Parts))
	for n, x := range piece.Parts {
		parts[n] = musicOf(x)
	}
	return render.NewScore(t, catalogue, words, piece.Parts[0].Time, parts, hand)
}

// Tell tells who plays, and the bars of the piece.
func (s *Scored) Tell() CastPiece {
	out := CastPiece{
		Title: s.title, Bars: s.score.Bars(), Seconds: s.score.Seconds(s.score.End()), Parts: s.parts,
		Rows: []PerformedRow{}, Silent: append([]render.Silence{}, s.score.Silent...),
	}
	for _, v := range s.score.Voices {
		out.Rows = append(out.Rows, PerformedRow{v.Home.ID, v.Home.Name, s.view.Template.Index().Machines[v.Home.Seat.Machine].Name, v.Notes})
	}
	return out
}
