package app

import (
	"context"
	"fmt"
	"log/slog"

	"fanfold/internal/core/template"
	"fanfold/internal/store/db"
)

// CallUsed notes that a saved call was made now. That it is not noted stops nobody from playing.
func (h *Hot) CallUsed(ctx context.Context, call template.ID) {
	if err := h.app.store.Queries().CallUsed(ctx, db.CallUsedParams{DocumentID: h.ID(), CallID: string(call)}); err != nil {
		slog.Warn("could not note that a call was used", "error", err)
	}
}

// CallsUsed tells when each saved call was last made, the last first.
func (h *Hot) CallsUsed(ctx context.Context) ([]db.CallsUsedRow, error) {
	rows, err := h.app.store.Queries().CallsUsed(ctx, h.ID())
	if err != nil {
		return nil, fmt.Errorf("ask when calls were used: %w", err)
	}
	return rows, nil
}
