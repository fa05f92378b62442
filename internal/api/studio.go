package api

import (
	"context"
	"log/slog"
	"mime"
	"net/http"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
)

// ArchiveStudio implements the contract.
func (s *server) ArchiveStudio(ctx context.Context, _ gen.ArchiveStudioRequestObject) (gen.ArchiveStudioResponseObject, error) {
	x, err := s.app.ArchiveStudio(ctx, person(ctx))
	return studioArchive{ctx, x}, err
}

// studioArchive answers with an archive, as it is written.
type studioArchive struct {
	ctx context.Context
	*app.StudioArchive
}

// VisitArchiveStudioResponse implements the generated response.
func (x studioArchive) VisitArchiveStudioResponse(w http.ResponseWriter) error {
	defer func() {
		if err := x.Close(); err != nil {
			slog.Warn("could not delete a temporary file", "error", err)
		}
	}()
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": x.Name + " studio.zip"}))
	if err := x.Write(x.ctx, w); err != nil {
		slog.Warn("an archive of a studio was not written to its end", "error", err)
		panic(http.ErrAbortHandler) // who receives it must not take it for whole
	}
	return nil
}

// EndStudio implements the contract.
func (s *server) EndStudio(ctx context.Context, r gen.EndStudioRequestObject) (gen.EndStudioResponseObject, error) {
	return gen.EndStudio204Response{}, s.app.EndStudio(ctx, person(ctx), r.Body.Name)
}

// KeepStudio implements the contract.
func (s *server) KeepStudio(ctx context.Context, _ gen.KeepStudioRequestObject) (gen.KeepStudioResponseObject, error) {
	return gen.KeepStudio204Response{}, s.app.KeepStudio(ctx, person(ctx))
}
