package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/google/uuid"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/template"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/format/wav"
	"fanfold/internal/printer"
	"fanfold/internal/render"
	"fanfold/internal/store"
)

// Rows are recorded over: the sound of each in the music of a cue becomes a recording that plays in
// its place, and takes no memory.

// OverAsk says which rows are recorded over, and in which music.
type OverAsk struct {
	Production uuid.UUID     `json:"production"`
	Cue        cue.ID        `json:"cue"`
	Rows       []template.ID `json:"rows"`
}

// Over is a row that was recorded over.
type Over struct {
	Row     template.ID `json:"row"`
	Name    string      `json:"name"`
	Section string      `json:"section"` // its name
	Cue     string      `json:"cue"`     // as people call it; empty for one no longer there
	Seconds float64     `json:"seconds"`
	MiB     float64     `json:"mib"`           // that its patches would take
	Why     string      `json:"why,omitempty"` // it does not play; empty where it does
	Of      string      `json:"of"`            // "production/cue"
}

// cueText names a cue in a template.
func cueText(production uuid.UUID, id cue.ID) string { return production.String() + "/" + string(id) }

// RecordOver queues that rows are recorded over.
func (h *Hot) RecordOver(ctx context.Context, p Person, ask OverAsk) (uuid.UUID, error) {
	if h.app.audio == nil || h.app.jobs == nil {
		return uuid.Nil, errNoAudio
	}
	t := h.View().Template
	if len(ask.Rows) == 0 || len(ask.Rows) > len(t.Instruments) {
		return uuid.Nil, refused("", "choose the rows that are recorded over")
	}
	for _, id := range ask.Rows {
		if t.Instrument(id) == nil {
			return uuid.Nil, refused(id, "a row to be recorded over is no longer in the template")
		}
	}
	film, err := h.app.OpenFilm(ctx, p, ask.Production)
	if err != nil {
		return uuid.Nil, err
	}
	c := film.View().Production.Cue(ask.Cue)
	if c == nil || c.Music == nil {
		return uuid.Nil, refused("", "the cue is no longer there, or keeps no music")
	}
	rate := film.View().Production.RateHz
	if !slices.Contains(render.Rates, rate) {
		rate = cue.UsualRateHz
	}
	return h.insertPrint(ctx, p, c.Called(), PrintAsk{Production: &ask.Production, Cue: ask.Cue, Over: ask.Rows, RateHz: rate, Samples: wav.Float32}, false)
}

// recordOver records rows over: their files are kept, and stand in for them in one change.
func (w *working) recordOver(ctx context.Context, h *Hot, view View) error {
	x, err := w.pieceOf(ctx, h, view)
	if err != nil {
		return err
	}
	wanted := map[template.ID]bool{}
	for _, id := range w.ask.Over {
		if i := view.Template.Instrument(id); i != nil {
			wanted[view.Template.Home(i).ID] = true
		}
	}
	var voices []*render.Voice
	for _, v := range x.piece.Score.Voices {
		if wanted[v.Home.ID] && v.Over == nil {
			voices = append(voices, v)
		}
	}
	if len(voices) == 0 {
		return errors.New("none of these rows plays in the cue, or all are recorded over already")
	}
	bytes := x.piece.BytesOf(len(voices))
	if _, err := w.app.roomForRecordings(ctx, w.p, bytes); err != nil {
		return err
	}
	if err := w.app.roomFor(bytes); err != nil {
		return err
	}
	spools := make([]audiostore.Spool, len(voices))
	defer closeSpools(spools)
	done, err := printer.PrintRows(ctx, x.piece, voices, func(n int) (io.WriteSeeker, error) {
		var err error
		spools[n], err = audiostore.NewSpool()
		return spools[n], err
	})
	if err != nil {
		return err
	}
	made := map[template.ID]*template.Printed{}
	freed := 0.0
	for n, v := range voices {
		mark, err := x.piece.Score.Fingerprint(v)
		if err != nil {
			return err
		}
		digest, err := w.app.store.RecordingInAudio(ctx, w.p.Studio, spools[n])
		if err != nil {
			return err
		}
		made[v.Home.ID] = &template.Printed{
			File: x.cue.Called() + ", " + v.Home.Name + ".wav", Seconds: min(template.MaxPrintedSeconds, float64(done.Frames)/float64(x.piece.RateHz)), Audio: digest,
			Cue: cueText(*w.ask.Production, w.ask.Cue), At: x.piece.Score.Seconds(x.piece.From), Music: mark,
		}
		freed += memoryOf(view.Template, v.Home)
	}
	_, err = h.Apply(ctx, w.p, func(t *template.Template) (change.Change, error) {
		var edits []change.Fields
		for id, x := range made {
			if i := t.Instrument(id); i != nil {
				edits = append(edits, change.Fields{ID: id, Printed: x})
			}
		}
		slices.SortFunc(edits, func(a, b change.Fields) int { return strings.Compare(string(a.ID), string(b.ID)) })
		if len(edits) == 0 {
			return nil, errors.New("the rows are no longer in the template")
		}
		return change.Edit{Edits: edits}, nil
	})
	w.line = fmt.Sprintf("%d rows are recorded over; their patches took %.1f GiB", len(voices), freed/1024)
	if len(voices) == 1 {
		w.line = fmt.Sprintf("1 row is recorded over; its patches took %.1f GiB", freed/1024)
	}
	return err
}

// memoryOf is what the patches of a row take, MiB.
func memoryOf(t *template.Template, i *template.Instrument) (mib float64) {
	for _, p := range t.PatchesOf(i) {
		mib += i.PreloadMiB(p)
	}
	return mib
}

// RecordedOver lists the rows that were recorded over, in score order, and whether they still play: not
// where the music has other notes now.
func (h *Hot) RecordedOver(ctx context.Context, p Person) ([]Over, error) {
	view := h.View()
	t := view.Template
	out := []Over{}
	of := map[string][]int{}
	for _, i := range t.ScoreOrder() {
		if !i.Printed.Over() {
			continue
		}
		x := Over{Row: i.ID, Name: i.Name, Of: i.Printed.Cue, Seconds: i.Printed.Seconds, MiB: memoryOf(t, i)}
		if s := t.Index().Sections[i.Section]; s != nil {
			x.Section = s.Name
		}
		of[x.Of] = append(of[x.Of], len(out))
		out = append(out, x)
	}
	for text, list := range of {
		called, why, err := h.staleOf(ctx, p, view, text)
		if err != nil {
			return nil, err
		}
		for _, n := range list {
			out[n].Cue, out[n].Why = called, why[out[n].Row]
			if why == nil {
				out[n].Why = "the cue is no longer there, or keeps no music"
			}
		}
	}
	return out, nil
}

// staleOf tells which rows that were recorded over in a cue do not play, and why; nil where the cue
// has no music.
func (h *Hot) staleOf(ctx context.Context, p Person, view View, text string) (called string, why map[template.ID]string, err error) {
	production, id, _ := strings.Cut(text, "/")
	which, err := uuid.Parse(production)
	if err != nil {
		return "", nil, nil //nolint:nilerr // it is of no cue that is here
	}
	film, err := h.app.OpenFilm(ctx, p, which)
	if errors.Is(err, store.ErrNotFound) {
		return "", nil, nil
	}
	if err != nil {
		return "", nil, err
	}
	c := film.View().Production.Cue(cue.ID(id))
	if c == nil {
		return "", nil, nil
	}
	if c.Music == nil {
		return c.Called(), nil, nil
	}
	score, err := h.scoreOf(ctx, p, view, film, c)
	if err != nil {
		return c.Called(), nil, err
	}
	why = map[template.ID]string{}
	plays := map[template.ID]bool{}
	for _, v := range score.Voices {
		plays[v.Home.ID] = v.Over != nil
	}
	for _, i := range view.Template.Instruments {
		if i.Printed.Over() && i.Printed.Cue == text && !plays[i.ID] {
			why[i.ID] = render.Stale
		}
	}
	return c.Called(), why, nil
}

// recordedOver opens what plays in a row's place, from a place of the piece on, s.
func (a *App) recordedOver(ctx context.Context, p Person, over *template.Printed, from, rateHz float64) (*render.Recording, error) {
	s, err := a.recordingSound(ctx, p, over.Audio)
	if err != nil {
		return nil, fmt.Errorf("its recording is not here (%w): let the row play again", err)
	}
	return render.NewRecording(render.Recorded{Channels: s.Channels, RateHz: s.RateHz, Frames: s.Frames, ReadAt: s.ReadAt}, from-over.At, rateHz)
}

// recordingSound opens a recording as sound.
func (a *App) recordingSound(ctx context.Context, p Person, digest string) (*soundfile.Sound, error) {
	r, err := a.store.RecordingOpen(ctx, p.Studio, digest)
	if err != nil {
		return nil, err
	}
	return soundfile.Open(r, r.Bytes)
}
