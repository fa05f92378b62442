package api

import (
	"context"

	"fanfold/internal/api/gen"
)

// RecordedOver implements the contract.
func (s *server) RecordedOver(ctx context.Context, r gen.RecordedOverRequestObject) (gen.RecordedOverResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	rows, err := h.RecordedOver(ctx, p)
	return gen.RecordedOver200JSONResponse{Rows: rows}, err
}

// RecordOver implements the contract.
func (s *server) RecordOver(ctx context.Context, r gen.RecordOverRequestObject) (gen.RecordOverResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	id, err := h.RecordOver(ctx, p, *r.Body)
	return gen.RecordOver201JSONResponse{Id: id}, err
}
