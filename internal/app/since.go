package app

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/store"
)

// SinceStarted is a change of the template of a cue, since the cue was started from it.
type SinceStarted struct {
	Revision int64  `json:"revision"`
	By       string `json:"by"`
	Label    string `json:"label"`
	Taken    bool   `json:"taken"` // the cue has taken it into its own template
	Not      string `json:"not"`   // why it cannot be taken, or left, by itself; empty where it can
}

// mostSince bounds the changes of a template that are told of a cue: the first since it was started.
const mostSince = 300

// ownTemplate is the template of a cue as it was when the cue was started, and what has changed
// since.
type ownTemplate struct {
	id    uuid.UUID
	then  *template.Template
	since []document.Entry[change.Change] // that stand, oldest first
}

// ownOf reads the own template of a cue.
func (f *Film) ownOf(ctx context.Context, p Person, c *cue.Cue) (ownTemplate, error) {
	var out ownTemplate
	if c.Started == "" {
		return out, refused("", "%s is not started yet; then it has a template of its own", c.Called())
	}
	id, err := uuid.Parse(c.Template)
	if err != nil {
		return out, refused("", "the template of %s is no longer there", c.Called())
	}
	out.id = id
	if out.then, err = f.app.sheets.At(ctx, p.Studio, id, c.Version); err != nil {
		if errors.Is(err, store.ErrNotFound) || errors.Is(err, document.ErrNotFound) {
			return out, refused("", "the template of %s is no longer there", c.Called())
		}
		return out, err
	}
	h, err := f.app.Open(ctx, p, id)
	if err != nil {
		return out, err
	}
	log, err := f.app.sheets.Entries(ctx, id, c.Version, h.View().Revision)
	if err != nil {
		return out, fmt.Errorf("read the changes since: %w", err)
	}
	out.since = standing(log, c.Took)
	return out, nil
}

// standing leaves out what was undone, with its undoing; but not what was taken: the cue has it still.
func standing(log []document.Entry[change.Change], took []int64) []document.Entry[change.Change] {
	within, gone := map[int64]bool{}, map[int64]bool{}
	stands := map[int64]int64{} // for an undo or a redo, the change that it is about
	for _, e := range log {
		within[e.Revision] = true
		about, known := stands[e.Target]
		if !known {
			about = e.Target
		}
		switch {
		case e.Role == document.Undo && within[about]:
			gone[about], gone[e.Revision], stands[e.Revision] = true, true, about
		case e.Role == document.Redo && known:
			gone[about], gone[e.Revision], stands[e.Revision] = false, true, about
		}
	}
	return slices.DeleteFunc(slices.Clone(log), func(e document.Entry[change.Change]) bool {
		return gone[e.Revision] && !slices.Contains(took, e.Revision)
	})
}

// with is the template with the changes of some revisions, in their order. The error says which does
// not go by itself.
func (o ownTemplate) with(revisions []int64) (*template.Template, error) {
	t := o.then
	for _, e := range o.since {
		if !slices.Contains(revisions, e.Revision) {
			continue
		}
		next, _, err := change.Apply(t, e.Change)
		if err != nil {
			return nil, refused("", "“%s” does not work without others: %s", e.Label, err)
		}
		t = next
	}
	return t, nil
}

// Since lists what has changed in the template of a cue since it was started, and what of it the
// cue has taken.
func (f *Film) Since(ctx context.Context, p Person, id cue.ID) ([]SinceStarted, error) {
	c := f.View().Production.Cue(id)
	if c == nil {
		return nil, refused("", "the cue is no longer there")
	}
	own, err := f.ownOf(ctx, p, c)
	if err != nil {
		return nil, err
	}
	out := []SinceStarted{}
	for _, e := range own.since[:min(len(own.since), mostSince)] {
		x := SinceStarted{Revision: e.Revision, By: e.By, Label: e.Label, Taken: slices.Contains(c.Took, e.Revision)}
		if _, err := own.with(other(c.Took, e.Revision, !x.Taken)); err != nil {
			x.Not = err.Error()
		}
		out = append(out, x)
	}
	return out, nil
}

// other is a list of revisions in order, with one more or without it.
func other(took []int64, revision int64, with bool) []int64 {
	out := slices.DeleteFunc(slices.Clone(took), func(r int64) bool { return r == revision })
	if with {
		out = append(out, revision)
		slices.Sort(out)
	}
	return out
}

// TakeChange takes a change of the template into a cue's own, or leaves it out again.
func (f *Film) TakeChange(ctx context.Context, p Person, id cue.ID, revision int64, on bool) (int64, error) {
	c := f.View().Production.Cue(id)
	if c == nil {
		return 0, refused("", "the cue is no longer there")
	}
	own, err := f.ownOf(ctx, p, c)
	if err != nil {
		return 0, err
	}
	at := slices.IndexFunc(own.since, func(e document.Entry[change.Change]) bool { return e.Revision == revision })
	if at < 0 {
		return 0, refused("", "revision %d is not a change since %s was started", revision, c.Called())
	}
	took := other(c.Took, revision, on)
	if _, err := own.with(took); err != nil {
		return 0, err
	}
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		is := now.Cue(id)
		if is == nil || is.Version != c.Version || !slices.Equal(is.Took, c.Took) {
			return cue.Change{}, refused("", "somebody changed %s just now; look again", c.Called())
		}
		label := fmt.Sprintf("%s takes “%s”", c.Called(), own.since[at].Label)
		if !on {
			label = fmt.Sprintf("%s leaves “%s” out", c.Called(), own.since[at].Label)
		}
		return cue.Change{Label: label, Ops: []cue.Op{cue.Setting(cue.OfCue, id, "took", took)}}, nil
	})
}

// own is the template of a cue as it was started, with what it took since.
func (f *Film) own(ctx context.Context, p Person, c *cue.Cue) (*template.Template, uuid.UUID, error) {
	o, err := f.ownOf(ctx, p, c)
	if err != nil {
		return nil, o.id, err
	}
	t, err := o.with(c.Took)
	return t, o.id, err
}
