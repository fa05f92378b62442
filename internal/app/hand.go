package app

import (
	"context"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
)

// Hand is the studio's one hand for all libraries, and one that is proposed: a key for
// each articulation that its patches have.
func (a *App) Hand(ctx context.Context, p Person) (own, proposed []template.Mapping, err error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return nil, nil, err
	}
	t := cat.View().Template
	return t.Settings.Hand, ProposedHand(t), nil
}

// ProposedHand is a hand for the patches of a template or catalogue.
func ProposedHand(t *template.Template) []template.Mapping {
	return articulation.ProposeHand(articulation.NewVocabulary(t.Vocabulary), articulationsOf(t))
}

// articulationsOf are those of the patches, the commonest first.
func articulationsOf(t *template.Template) []string {
	count := map[string]int{}
	var out []string
	for _, p := range t.Patches {
		for _, m := range p.Map {
			if count[m.Articulation]++; count[m.Articulation] == 1 {
				out = append(out, m.Articulation)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b string) int { return count[b] - count[a] })
	return out
}

// SetHand replaces the studio's hand. One whose switches clash is refused.
func (a *App) SetHand(ctx context.Context, p Person, hand []template.Mapping) error {
	if clashes := articulation.Clashes(hand); len(clashes) > 0 {
		c := clashes[0]
		return refused("", "%s is both %s and %s; give one of them another switch", c.Message, hand[c.A].Articulation, hand[c.B].Articulation)
	}
	for _, m := range hand {
		if slices.ContainsFunc(m.Switches, func(s template.Switch) bool {
			return s.Kind == template.ByProgramme || s.Kind == template.ByChannel
		}) {
			return refused("", "%s: a hand has keys, controllers and velocities; programmes and channels are not looked at in what is played", m.Articulation)
		}
	}
	return a.setStudio(ctx, p, func(set *template.Settings) { set.Hand = hand })
}

// HandRow is how the hand comes out on a row.
type HandRow struct {
	Instrument *template.Instrument
	Reaches    []articulation.Reach
	InTheWay   []string // articulations whose key is a note of the row
}

// HandOn tells how the studio's hand comes out on rows.
func (h *Hot) HandOn(ctx context.Context, p Person, ids []template.ID) ([]HandRow, error) {
	hand, words, err := h.hand(ctx, p)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	out := []HandRow{}
	for _, id := range ids {
		i := t.Instrument(id)
		if i == nil {
			return nil, refused(id, "the instrument is no longer in the template")
		}
		if len(t.PatchesOf(i)) == 0 {
			continue
		}
		row := HandRow{Instrument: i, Reaches: words.Reaches(hand, articulation.MapOf(t, i))}
		target := articulation.TargetOf(t, i)
		for _, n := range articulation.InRange(hand, target.KeyLow, target.KeyHigh) {
			row.InTheWay = append(row.InTheWay, hand[n].Articulation)
		}
		out = append(out, row)
	}
	return out, nil
}

func (h *Hot) hand(ctx context.Context, p Person) ([]template.Mapping, *articulation.Vocabulary, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, nil, err
	}
	c := cat.View().Template
	if len(c.Settings.Hand) == 0 {
		return nil, nil, refused("", "the studio has no hand yet; take the one that is proposed, or make one")
	}
	return c.Settings.Hand, articulation.NewVocabulary(c.Vocabulary), nil
}

// TranslatedPart is a part of a piece, and what its rows play.
type TranslatedPart struct {
	Name string
	Why  string // how its rows were found
	Rows []TranslatedRow
}

// TranslatedRow is what a row plays of it.
type TranslatedRow struct {
	Instrument *template.Instrument
	Notes      int
	articulation.Translated
}

// Translate turns a piece that was played with the studio's hand into what its rows need.
// Which rows they are is found as for a call from music.
func (h *Hot) Translate(ctx context.Context, p Person, piece Piece) ([]TranslatedPart, error) {
	hand, words, err := h.hand(ctx, p)
	if err != nil {
		return nil, err
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	return TranslatePiece(h.View().Template, cat.View().Template, words, hand, piece)
}

// TranslatePiece turns a piece that was played with a hand into what its rows in a template need.
func TranslatePiece(t, catalogue *template.Template, words *articulation.Vocabulary, hand []template.Mapping, piece Piece) ([]TranslatedPart, error) {
	parts := make([]casting.Music, len(piece.Parts))
	for n, x := range piece.Parts {
		x.Part = articulation.Played(hand, x.Part)
		parts[n] = musicOf(x)
	}
	out := []TranslatedPart{}
	for n, heard := range casting.New(t, catalogue).Hear(parts, nil) {
		part := TranslatedPart{Name: piece.Parts[n].Name, Why: heard.Why, Rows: []TranslatedRow{}}
		var rows []*template.Instrument
		var maps [][]template.Mapping
		for _, u := range heard.Uses {
			i := t.Instrument(u.Instrument)
			rows, maps = append(rows, i), append(maps, articulation.MapOf(t, i))
		}
		if len(rows) == 0 {
			out = append(out, part)
			continue
		}
		for k, notes := range articulation.Share(words, parts[n].Played.Notes, maps) {
			if len(notes) == 0 {
				continue
			}
			done, err := articulation.Translate(words, articulation.Part{Notes: notes, Controls: parts[n].Played.Controls}, articulation.TargetOf(t, rows[k]), piece.Parts[n].Time.Clock, articulation.Options{})
			if err != nil {
				return nil, refused(rows[k].ID, "%s: %s", rows[k].Name, err)
			}
			part.Rows = append(part.Rows, TranslatedRow{rows[k], len(notes), done})
		}
		out = append(out, part)
	}
	return out, nil
}

// PlayedParts are the tracks of a translated piece in its template, and their time; there must be one.
func PlayedParts(t *template.Template, piece Piece, parts []TranslatedPart) (tempo.Time, []smf.Played, error) {
	ports := t.Ports()
	var out []smf.Played
	var time tempo.Time
	for n, p := range parts {
		for _, r := range p.Rows {
			x := smf.Played{Name: r.Instrument.Name, Port: -1, Messages: r.Messages}
			if s := r.Instrument.Seat; s != nil {
				x.Device, x.Port = t.DeviceName(*s), ports[s.PortOf()]
			}
			out = append(out, x)
			time = piece.Parts[n].Time
		}
	}
	if len(out) == 0 {
		return time, nil, refused("", "no track finds a row that plays it; name the tracks as the rows, or put them on their ports and channels")
	}
	return time, out, nil
}
