package app

import (
	"context"

	"fanfold/internal/core/deliver"
	"fanfold/internal/core/furnish"
	"fanfold/internal/core/template"
)

// FurnishAsk says how a template is made ready to play.
type FurnishAsk struct {
	Fill       bool        // free rows are filled from the studio's libraries
	List       template.ID // by this casting list; empty takes the studio's default
	Stems      string      // a starting point of stems; empty keeps those there are
	Seats      bool        // whoever has no seat gets one
	OpeningMiB float64     // memory of an opening call, MiB; 0 makes none
}

// Furnish makes the template ready to play, in one change. What it comes to is computed
// before anything is written, and refused when the template has changed meanwhile where it
// matters.
func (h *Hot) Furnish(ctx context.Context, p Person, ask FurnishAsk) (furnish.Report, int64, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return furnish.Report{}, 0, err
	}
	c, v := cat.View().Template, h.View()
	wish := furnish.Ask{Seats: ask.Seats, Held: h.HeldByOthers(), OpeningMiB: ask.OpeningMiB}
	if ask.Fill {
		list, err := castingList(c, ask.List)
		if err != nil {
			return furnish.Report{}, 0, err
		}
		wish.Fill = list.Entries
	}
	if ask.Stems != "" {
		var stems []*deliver.Wanted
		if err := wanted(v.Template, StemAsk{Start: ask.Stems}, &stems); err != nil {
			return furnish.Report{}, 0, err
		}
		wish.Stems = stems
	}
	made, report, err := furnish.Ready(v.Template, c, wish, NewID)
	if err != nil {
		return report, 0, err
	}
	revision, err := h.ApplyFrom(ctx, p, v.Revision, made)
	return report, revision, err
}
