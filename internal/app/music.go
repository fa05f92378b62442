package app

import (
	"context"
	"slices"

	"fanfold/internal/core/casting"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// MusicAsk asks for the call of a piece of music.
type MusicAsk struct {
	Piece Piece
	Hand  map[string][]template.ID // whom a person chose, by the part's ID; none leaves it out
	Name  string                   // of the call
	Take  bool                     // keep it; otherwise only tell
}

// HeardMusic is what the call of a piece came to.
type HeardMusic struct {
	Parts    []casting.Heard
	Used     []template.ID // everybody who plays, in score order
	Call     template.ID   // empty until it is kept
	Revision int64         // of the template; 0 when it was only asked
}

// CallFromMusic finds the instruments a piece of music uses and, when asked to,
// keeps them as a call.
func (h *Hot) CallFromMusic(ctx context.Context, p Person, ask MusicAsk) (HeardMusic, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return HeardMusic{}, err
	}
	parts := make([]casting.Music, len(ask.Piece.Parts))
	for n, x := range ask.Piece.Parts {
		parts[n] = musicOf(x)
	}
	var out HeardMusic
	hear := func(t *template.Template) {
		out.Parts = casting.New(t, cat.View().Template).Hear(parts, ask.Hand)
		out.Used = usedBy(t, out.Parts)
	}
	hear(h.View().Template)
	if !ask.Take {
		return out, nil
	}
	out.Revision, err = h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		hear(t)
		c, err := casting.CueCall(t, out.Parts, ask.Name, NewID)
		if put, ok := c.(change.Put); ok {
			out.Call = put.Calls[0].Value.ID
		}
		return c, err
	})
	return out, err
}

// musicOf is a part of a piece as casting looks at it.
func musicOf(x PiecePart) casting.Music {
	m := casting.Music{
		Part: casting.Part{ID: x.ID, Name: x.Name, Sound: casting.SoundOf(x.Sounds, x.Name), Notes: len(x.Part.Notes), Low: 127},
		Port: x.Port, Device: x.Device, Channel: x.Channel, Played: x.Part,
	}
	at := map[string]int{}
	for _, n := range x.Part.Notes {
		m.Low, m.High = min(m.Low, n.Key), max(m.High, n.Key)
		for _, w := range n.Articulations {
			k, known := at[w]
			if !known {
				k = len(m.Ways)
				at[w] = k
				m.Ways = append(m.Ways, casting.Way{Name: w})
			}
			m.Ways[k].Notes++
		}
	}
	return m
}

func usedBy(t *template.Template, parts []casting.Heard) []template.ID {
	used := map[template.ID]bool{}
	for _, h := range parts {
		for _, u := range h.Uses {
			used[u.Instrument] = true
		}
	}
	ids := []template.ID{}
	for _, i := range t.ScoreOrder() {
		if used[i.ID] {
			ids = append(ids, i.ID)
		}
	}
	return slices.Clip(ids)
}
