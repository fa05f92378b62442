package api

import (
	"context"
	"mime"
	"net/http"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/cue"
)

// Archive implements the contract.
func (s *server) Archive(ctx context.Context, r gen.ArchiveRequestObject) (gen.ArchiveResponseObject, error) {
	x, err := s.app.Archive(ctx, person(ctx), r.Id, cue.ID(or(r.Params.Cue, "")))
	return archive{ctx, x}, err
}

// archive answers with an archive, as it is written.
type archive struct {
	ctx context.Context
	*app.Archive
}

// VisitArchiveResponse implements the generated response.
func (x archive) VisitArchiveResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": x.Name + " archive.zip"}))
	if err := x.Write(x.ctx, w); err != nil {
		panic(http.ErrAbortHandler) // who receives it must not take it for whole
	}
	return nil
}

// OpenArchive implements the contract.
func (s *server) OpenArchive(ctx context.Context, r gen.OpenArchiveRequestObject) (gen.OpenArchiveResponseObject, error) {
	x, err := s.app.TakeArchive(ctx, person(ctx), r.Body)
	return gen.OpenArchive201JSONResponse(x), err
}
