package app

import (
	"context"
	"fmt"
	"io"
	"strings"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
	"fanfold/internal/render"
)

// Followed is how memory can follow a piece of music in a template.
type Followed struct {
	calls.Following
	Title    string
	Template *template.Template
	Bars     int
	Silent   []render.Silence // parts that nobody plays

	time tempo.Time
}

// Follow computes memory by bar for a piece of music, as the template casts it: by what was learned
// of the machines, and beside what other templates hold there. hand says whom people chose, by the
// part's ID.
func (h *Hot) Follow(ctx context.Context, p Person, r io.Reader, hand map[string][]template.ID) (*Followed, error) {
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	piece, err := ReadPiece(ctx, r, words)
	if err != nil {
		return nil, err
	}
	s, err := h.Score(ctx, p, piece, hand, nil)
	if err != nil {
		return nil, err
	}
	return FollowScore(s.view.Template, s.title, s.score, h.Paces(), h.Elsewhere())
}

// FollowScore computes memory by bar for music as a template casts it: by what was learned of the
// machines and what others hold there, which may both be nil.
func FollowScore(t *template.Template, title string, score *render.Score, paces map[template.ID]calls.Pace, others map[template.ID][]calls.Held) (*Followed, error) {
	bars := score.Bars()
	ask := calls.FollowAsk{Plays: score.Soundings(), Bars: bars, Paces: paces, Others: others, Margin: calls.UsualMargin, Tail: calls.UsualTail}
	if len(ask.Plays) == 0 || len(bars) < 2 {
		return nil, refused("", "nobody plays: none of the parts has a row that can sound")
	}
	return &Followed{Following: calls.Follow(t, ask), Title: title, Template: t, Bars: len(bars) - 1, Silent: score.Silent, time: score.Time}, nil
}

// names are rows by their names.
func (f *Followed) names(ids []template.ID) string {
	var out []string
	for _, id := range ids {
		if i := f.Template.Instrument(id); i != nil {
			out = append(out, i.Name)
		}
	}
	return strings.Join(out, ", ")
}

// MIDI writes the steps as markers of a MIDI file in the time of the music, each with the rows that
// are woken and rest there.
func (f *Followed) MIDI(w io.Writer) error {
	c := smf.Cue{Ticks: f.time.Clock.TicksPerQuarter(), Tempi: f.time.Clock.Changes(), Metres: f.time.Bars.Metres()}
	for _, s := range f.Steps {
		var text []string
		if len(s.Wake) > 0 {
			text = append(text, "Call "+f.names(s.Wake))
		}
		if len(s.Rest) > 0 {
			text = append(text, "Rest "+f.names(s.Rest))
		}
		c.Markers = append(c.Markers, smf.Marker{Tick: f.time.Bars.Start(int64(max(1, s.Bar))), Name: strings.Join(text, "; ")})
	}
	return smf.WriteCue(w, handover.Song{Name: f.Title}, c)
}

// Addresses lists the steps as Open Sound Control messages that a music program sends.
func (f *Followed) Addresses() handover.Table {
	out := handover.Table{Headings: []string{"bar", "second", "address", "arguments"}}
	for _, s := range f.Steps {
		for _, x := range []struct {
			how string
			ids []template.ID
		}{{"rest", s.Rest}, {"call", s.Wake}} {
			if len(x.ids) > 0 {
				out.Rows = append(out.Rows, []string{fmt.Sprint(s.Bar), fmt.Sprintf("%.3f", s.Second), Root + x.how, f.names(x.ids)})
			}
		}
	}
	return out
}
