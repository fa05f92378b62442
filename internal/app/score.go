package app

import (
	"context"
	"maps"
	"math"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// PerformedRow is a row that plays in a piece.
type PerformedRow struct {
	ID      template.ID `json:"id"`
	Name    string      `json:"name"`
	Machine string      `json:"machine"`
	Notes   int         `json:"notes"`
}

// SilentRow is a row, a part or a bus that is not heard, with the reason.
type SilentRow struct {
	Name   string `json:"name"`
	Reason string `json:"reason"`
}

// CastPiece tells of music that is about to be played.
type CastPiece struct {
	Title   string         `json:"title"`
	Bars    []float64      `json:"bars"`    // where each begins, s
	Seconds float64        `json:"seconds"` // to the end of the last note
	Rows    []PerformedRow `json:"rows"`    // in score order
	Silent  []SilentRow    `json:"silent"`  // who is asked for and can not play
	Parts   int            `json:"parts"`
}

// mostBarsTold bounds the bars of a piece that are told one by one.
const mostBarsTold = 4000

// CastPiece tells who plays a piece, and its bars.
func (h *Hot) CastPiece(ctx context.Context, p Person, piece Piece, hand map[string][]template.ID) (CastPiece, error) {
	score, err := h.scored(ctx, p, piece, hand)
	if err != nil {
		return CastPiece{}, err
	}
	out := CastPiece{Title: piece.Title, Bars: []float64{}, Rows: []PerformedRow{}, Silent: append([]SilentRow{}, score.silent...), Parts: len(piece.Parts)}
	for _, v := range score.voices {
		out.Rows = append(out.Rows, PerformedRow{v.home.ID, v.home.Name, score.t.Index().Machines[v.home.Seat.Machine].Name, v.notes})
	}
	end := score.end()
	out.Seconds = score.seconds(end)
	for bar := int64(1); bar <= mostBarsTold; bar++ {
		at := score.time.Bars.Start(bar)
		if at > end && bar > 1 {
			break
		}
		out.Bars = append(out.Bars, score.seconds(at))
	}
	return out, nil
}

// score is a piece as the rows of a template play it.
type score struct {
	t      *template.Template
	view   View
	words  *articulation.Vocabulary
	time   tempo.Time
	voices []*scoreVoice
	silent []SilentRow
}

// scoreVoice is a row on a seat, and what it and those that sit with it play.
type scoreVoice struct {
	home  *template.Instrument
	plays []scorePart
	notes int
}

type scorePart struct {
	row  *template.Instrument
	part articulation.Part
}

func (s *score) seconds(tick int64) float64 { return float64(s.time.Clock.Micros(tick)) / 1e6 }

// end is where the last note ends, ticks.
func (s *score) end() (end int64) {
	for _, v := range s.voices {
		for _, x := range v.plays {
			for _, n := range x.part.Notes {
				end = max(end, n.End)
			}
		}
	}
	return end
}

// scored casts a piece within the template.
func (h *Hot) scored(ctx context.Context, p Person, piece Piece, hand map[string][]template.ID) (*score, error) {
	if len(piece.Parts) == 0 {
		return nil, refused("", "there are no notes in this file")
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	view := h.View()
	s := &score{t: view.Template, view: view, words: words, time: piece.Parts[0].Time}
	parts := make([]casting.Music, len(piece.Parts))
	for n, x := range piece.Parts {
		parts[n] = musicOf(x)
	}
	byHome := map[template.ID]*scoreVoice{}
	for n, heard := range casting.New(s.t, cat.View().Template).Hear(parts, hand) {
		if len(heard.Uses) == 0 {
			why := heard.Why
			if heard.How == casting.ByChoice {
				why = "left out"
			}
			s.silent = append(s.silent, SilentRow{heard.Music.Name, why})
		}
		for _, u := range heard.Uses {
			s.add(byHome, s.t.Instrument(u.Instrument), articulation.Part{Notes: heard.Plays[u.Instrument], Controls: piece.Parts[n].Part.Controls})
		}
	}
	order := map[template.ID]int{}
	for n, i := range s.t.ScoreOrder() {
		order[i.ID] = n
	}
	s.voices = slices.SortedFunc(maps.Values(byHome), func(a, b *scoreVoice) int { return order[a.home.ID] - order[b.home.ID] })
	return s, nil
}

// add gives a row a part.
func (s *score) add(byHome map[template.ID]*scoreVoice, i *template.Instrument, part articulation.Part) {
	not := func(reason string) { s.silent = append(s.silent, SilentRow{i.Name, reason}) }
	home := s.t.Home(i)
	switch {
	case i.Printed != nil:
		not("it plays its recording, which no score moves")
		return
	case len(s.t.PatchesOf(i)) == 0:
		not("it plays no patch")
		return
	case home.Seat == nil:
		not("it has no seat")
		return
	}
	v := byHome[home.ID]
	if v == nil {
		v = &scoreVoice{home: home}
		byHome[home.ID] = v
	}
	at := slices.IndexFunc(v.plays, func(x scorePart) bool { return x.row == i })
	if at < 0 {
		at = len(v.plays)
		var upbeat []articulation.Control
		for _, c := range s.t.UpbeatOf(i) {
			if c.Number != volume {
				upbeat = append(upbeat, articulation.Control{Number: c.Number, Value: c.Value})
			}
		}
		v.plays = append(v.plays, scorePart{i, articulation.Part{Controls: upbeat}})
	}
	x := &v.plays[at].part
	part = articulation.WithDynamics(part, s.t.PatchesOf(i)[0].Dynamics)
	x.Notes, x.Controls = append(x.Notes, part.Notes...), append(x.Controls, part.Controls...)
	v.notes += len(part.Notes)
}

// messages compiles what a voice plays from a place on, ticks, by time in frames from there.
func (s *score) messages(v *scoreVoice, from int64) (out []sampler.Message, err error) {
	start := s.time.Clock.Micros(from)
	for _, x := range v.plays {
		target := articulation.TargetOf(s.t, x.row)
		if v.home.Seat != nil {
			target.Channel = v.home.Seat.Channel
		}
		slices.SortStableFunc(x.part.Controls, func(a, b articulation.Control) int { return int(a.Tick - b.Tick) })
		done, err := articulation.Compile(s.words, x.part, target, s.time.Clock, articulation.Options{From: from, Held: true})
		if err != nil {
			return nil, err
		}
		for _, m := range done.Messages {
			if kind, ok := sampler.KindOf(m.Status); ok {
				at := float64(s.time.Clock.Micros(m.Tick)-start) * rig.SoundRateHz / 1e6
				out = append(out, sampler.Message{At: int64(math.Round(at)), Kind: kind, Key: m.Data1, Value: m.Data2})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b sampler.Message) int { return int(a.At - b.At) })
	return out, nil
}

// quarter is how long a quarter lasts at a place, s.
func (s *score) quarter(tick int64) float64 {
	return s.seconds(tick+int64(s.time.Clock.TicksPerQuarter())) - s.seconds(tick)
}
