package api

import (
	"bytes"
	"context"
	"net/http"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/handover"
	"fanfold/internal/store"
)

// Movies implements the contract.
func (s *server) Movies(_ context.Context, r gen.MoviesRequestObject) (gen.MoviesResponseObject, error) {
	list, err := s.app.Movies(or(r.Params.Folder, ""))
	return gen.Movies200JSONResponse(list), err
}

// ChooseFilm implements the contract.
func (s *server) ChooseFilm(ctx context.Context, r gen.ChooseFilmRequestObject) (gen.ChooseFilmResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.ChooseFilm(ctx, p, cue.ID(r.Cut), cue.ID(r.Reel), r.Body.Folder, r.Body.File, r.Body.Begin)
	return gen.ChooseFilm200JSONResponse{Revision: revision}, err
}

// RemoveFilm implements the contract.
func (s *server) RemoveFilm(ctx context.Context, r gen.RemoveFilmRequestObject) (gen.RemoveFilmResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.RemoveFilm(ctx, p, cue.ID(r.Cut), cue.ID(r.Reel))
	return gen.RemoveFilm200JSONResponse{Revision: revision}, err
}

// PlayFilm implements the contract.
func (s *server) PlayFilm(ctx context.Context, r gen.PlayFilmRequestObject) (gen.PlayFilmResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	film, err := f.PlayFilm(cue.ID(r.Cut), cue.ID(r.Reel))
	return watching{ctx, film, or(r.Params.Range, "")}, err
}

// watching answers with a film, or the part of it that is asked for.
type watching struct {
	ctx  context.Context
	film app.PlayedFilm
	part string // as HTTP's Range says it
}

// VisitPlayFilmResponse implements the generated response. Browsers look into what they play, so
// that a MOV file may go by the name of its sister.
func (x watching) VisitPlayFilmResponse(w http.ResponseWriter) error {
	defer func() { _ = x.film.Close() }() // only read
	w.Header().Set("Content-Type", "video/mp4")
	w.Header().Set("Cache-Control", "private, no-cache")
	return serveParts(x.ctx, w, x.part, x.film.Changed, x.film)
}

// ClickTrack implements the contract.
func (s *server) ClickTrack(ctx context.Context, r gen.ClickTrackRequestObject) (gen.ClickTrackResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	c := f.View().Production.Cue(cue.ID(r.Cue))
	if c == nil {
		return nil, store.ErrNotFound
	}
	var b bytes.Buffer
	if err := f.Click(c.ID, &b); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: handover.FileName(c.Called()) + " click.wav", mediaType: "audio/wav"}, nil
}

// VisitClickTrackResponse implements the generated response.
func (d download) VisitClickTrackResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// KeepMusic implements the contract.
func (s *server) KeepMusic(ctx context.Context, r gen.KeepMusicRequestObject) (gen.KeepMusicResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.KeepMusic(ctx, p, cue.ID(r.Cue), or(r.Params.Name, "music"), r.Body)
	return gen.KeepMusic200JSONResponse{Revision: revision}, err
}

// TakeMusicTime implements the contract.
func (s *server) TakeMusicTime(ctx context.Context, r gen.TakeMusicTimeRequestObject) (gen.TakeMusicTimeResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.TakeMusicTime(ctx, p, cue.ID(r.Cue))
	return gen.TakeMusicTime200JSONResponse{Revision: revision}, err
}

// MusicOfCue implements the contract.
func (s *server) MusicOfCue(ctx context.Context, r gen.MusicOfCueRequestObject) (gen.MusicOfCueResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	data, name, err := f.MusicOf(ctx, p, cue.ID(r.Cue))
	return download{data: data, name: name, mediaType: "application/octet-stream"}, err
}

// VisitMusicOfCueResponse implements the generated response.
func (d download) VisitMusicOfCueResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// Dust implements the contract.
func (s *server) Dust(ctx context.Context, r gen.DustRequestObject) (gen.DustResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	dust, err := h.Dust(ctx, p, or(r.Params.Since, ""))
	return gen.Dust200JSONResponse(dust), err
}
