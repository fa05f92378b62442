package api

import (
	"bytes"
	"context"
	"fanfold/internal/core/handover"
	"net/http"
	"time"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/store/db"
)

// History implements the contract.
func (s *server) History(ctx context.Context, r gen.HistoryRequestObject) (gen.HistoryResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	rows, err := h.History(ctx, or(r.Params.Before, 0))
	if err != nil {
		return nil, err
	}
	return gen.History200JSONResponse(pastChanges(rows)), nil
}

func pastChanges(rows []db.HistoryPageRow) []gen.PastChange {
	out := []gen.PastChange{}
	for _, x := range rows {
		out = append(out, gen.PastChange{Revision: x.Revision, Author: x.Author, At: x.MadeAt, Role: gen.PastChangeRole(x.Role), Target: x.Target, Label: x.Label})
	}
	return out
}

// TakeBackOne implements the contract.
func (s *server) TakeBackOne(ctx context.Context, r gen.TakeBackOneRequestObject) (gen.TakeBackOneResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.TakeBackOne(ctx, p, r.Revision)
	return gen.TakeBackOne200JSONResponse{Revision: revision}, err
}

// Versions implements the contract.
func (s *server) Versions(ctx context.Context, r gen.VersionsRequestObject) (gen.VersionsResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	rows, err := h.Versions(ctx)
	if err != nil {
		return nil, err
	}
	out := gen.Versions200JSONResponse{}
	for _, x := range rows {
		out = append(out, gen.Version{Id: x.ID, Revision: x.Revision, Name: x.Name, Note: x.Note, Author: x.Author, At: x.CreatedAt})
	}
	return out, nil
}

// NameVersion implements the contract.
func (s *server) NameVersion(ctx context.Context, r gen.NameVersionRequestObject) (gen.NameVersionResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	row, err := h.NameVersion(ctx, p, or(r.Body.Revision, app.Present), r.Body.Name, or(r.Body.Note, ""))
	return gen.NameVersion201JSONResponse{Id: row.ID, Revision: row.Revision, Name: row.Name, Note: row.Note, Author: p.Name, At: row.CreatedAt}, err
}

// ForgetVersion implements the contract.
func (s *server) ForgetVersion(ctx context.Context, r gen.ForgetVersionRequestObject) (gen.ForgetVersionResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.ForgetVersion204Response{}, h.ForgetVersion(ctx, r.Version)
}

// LookAt implements the contract.
func (s *server) LookAt(ctx context.Context, r gen.LookAtRequestObject) (gen.LookAtResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	row, err := h.LookAt(ctx, r.Revision)
	return gen.LookAt200JSONResponse{Id: row.ID, Name: row.Name, Revision: row.Revision}, err
}

// Restore implements the contract.
func (s *server) Restore(ctx context.Context, r gen.RestoreRequestObject) (gen.RestoreResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.Restore(ctx, p, r.Revision)
	return gen.Restore200JSONResponse{Revision: revision}, err
}

// Branch implements the contract.
func (s *server) Branch(ctx context.Context, r gen.BranchRequestObject) (gen.BranchResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	row, err := h.Branch(ctx, p, or(r.Body.Revision, app.Present), r.Body.Name)
	return gen.Branch201JSONResponse{Id: row.ID, Name: row.Name, Revision: row.Revision}, err
}

// Lock implements the contract.
func (s *server) Lock(ctx context.Context, r gen.LockRequestObject) (gen.LockResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.Lock204Response{}, h.Lock(ctx, r.Body.Locked)
}

// CompareTemplates implements the contract.
func (s *server) CompareTemplates(ctx context.Context, r gen.CompareTemplatesRequestObject) (gen.CompareTemplatesResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	with := app.Other{Template: r.Body.With, Revision: or(r.Body.Revision, app.Present)}
	out := gen.TemplateComparison{}
	if r.Body.Take != nil {
		revision, err := h.TakeFrom(ctx, p, with, picksOf(r.Body.Take))
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	list, err := h.CompareWith(ctx, p, with)
	if err != nil {
		return nil, err
	}
	out.Differences = differencesOf(list)
	return gen.CompareTemplates200JSONResponse(out), nil
}

// Handbook implements the contract.
func (s *server) Handbook(ctx context.Context, r gen.HandbookRequestObject) (gen.HandbookResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	d := download{name: handover.FileName(h.View().Template.Name) + " handbook." + string(r.Format), mediaType: "application/pdf"}
	read := r.Format == gen.HandbookParamsFormatHtml
	if read {
		d.mediaType = "text/html; charset=utf-8"
	}
	err = writeHandbook(ctx, &b, h, read)
	d.data = b.Bytes()
	return d, err
}

// VisitHandbookResponse implements the generated response.
func (d download) VisitHandbookResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// Looked implements the contract.
func (s *server) Looked(ctx context.Context, r gen.LookedRequestObject) (gen.LookedResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	since, err := h.Look(ctx, p)
	out := gen.Looked200JSONResponse{}
	if !since.At.IsZero() {
		out.At = &since.At
	}
	out.Changes = make([]struct {
		At       time.Time `json:"at"`
		Author   string    `json:"author"`
		Label    string    `json:"label"`
		Revision int64     `json:"revision"`
	}, len(since.Changes))
	for n, c := range since.Changes {
		x := &out.Changes[n]
		x.At, x.Author, x.Label, x.Revision = c.MadeAt, c.Author, c.Label, c.Revision
	}
	return out, err
}

// Here implements the contract.
func (s *server) Here(ctx context.Context, r gen.HereRequestObject) (gen.HereResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.Here204Response{}, h.Select(p, r.Body.Browser, r.Body.Selected)
}
