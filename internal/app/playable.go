package app

import (
	"context"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/playable"
)

// Playability is what people could not play of a piece.
type Playability struct {
	Orchestra []playable.Desk
	Unread    []casting.Unread // of the line that says who plays
	Parts     int              // that were looked at
	Unknown   []string         // parts whose instrument is not known
	Findings  []playable.Finding
}

// Playable holds a piece against the people of the template's orchestra: those that its
// settings name, else the desks that have rows.
func (h *Hot) Playable(ctx context.Context, p Person, piece Piece) (Playability, error) {
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return Playability{}, err
	}
	t := h.View().Template
	var out Playability
	if t.Settings.Orchestra == "" {
		out.Orchestra = playable.OfTemplate(t)
	} else if out.Orchestra, out.Unread, err = playable.OfLine(t.Settings.Orchestra); err != nil {
		return out, refused("", "who plays cannot be read: %s", err)
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return out, err
	}
	music := make([]casting.Music, len(piece.Parts))
	for n, x := range piece.Parts {
		music[n] = musicOf(x)
	}
	var parts []playable.Part
	for n, heard := range casting.New(t, cat.View().Template).Hear(music, nil) {
		x := piece.Parts[n]
		if heard.Music.Sound == "" {
			out.Unknown = append(out.Unknown, x.Name)
			continue
		}
		notes := x.Part.Notes
		if (heard.How == casting.ByName || heard.How == casting.BySeat) && len(heard.Uses) > 0 { // played on the row, with its switches
			notes = articulation.Decode(articulation.MapOf(t, t.Instrument(heard.Uses[0].Instrument)), x.Part)
		}
		parts = append(parts, playable.Part{Name: x.Name, Sound: heard.Music.Sound, Notes: notes, Time: x.Time})
	}
	out.Parts = len(parts)
	out.Findings = playable.Check(words, parts, out.Orchestra, t.MiddleC())
	return out, nil
}
