package app

import (
	"context"
	"fmt"
	"time"

	"fanfold/internal/store/db"
)

// mostLooked is how many changes since the last visit are listed.
const mostLooked = 200

// SinceHere is what others changed since somebody was here.
type SinceHere struct {
	At      time.Time // of the visit before this one; zero at the first
	Changes []db.ChangesByOthersRow
}

// Look notes that somebody looks at the template as it is now, and tells what others changed since the
// visit before. A visit ends after half an hour without a look.
func (h *Hot) Look(ctx context.Context, p Person) (SinceHere, error) {
	q := h.app.store.Queries()
	row, err := q.Look(ctx, db.LookParams{DocumentID: h.ID(), PersonID: p.ID, Revision: h.View().Revision})
	if err != nil {
		return SinceHere{}, fmt.Errorf("note the visit: %w", err)
	}
	if row.BeforeRevision == nil || !row.BeforeAt.Valid {
		return SinceHere{}, nil
	}
	list, err := q.ChangesByOthers(ctx, db.ChangesByOthersParams{DocumentID: h.ID(), After: *row.BeforeRevision, PersonID: p.ID, Most: mostLooked})
	if err != nil {
		return SinceHere{}, fmt.Errorf("list what others changed: %w", err)
	}
	return SinceHere{row.BeforeAt.Time, list}, nil
}
