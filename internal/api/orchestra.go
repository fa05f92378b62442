package api

import (
	"context"
	"errors"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/naming"
	"fanfold/internal/core/order"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/sight"
	"fanfold/internal/core/template"
)

// named is how many rows of a section a preview names.
const named = 6

// Order implements the contract.
func (s *server) Order(ctx context.Context, r gen.OrderRequestObject) (gen.OrderResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	within, by := or(r.Body.Within, ""), order.By(r.Body.By)
	plan, err := h.Ordered(within, by)
	if err != nil {
		return nil, err
	}
	out := gen.OrderPlan{
		Moved: plan.Moved, Made: list(plan.Made), Gone: list(plan.Gone), Kept: list(plan.Kept), Stems: plan.Stems,
		Changes: plan.Change != nil, Sections: outline(plan.After, within),
	}
	if or(r.Body.Take, false) {
		revision, err := h.Apply(ctx, p, app.PutInOrder(within, by))
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	return gen.Order200JSONResponse(out), nil
}

func list[T any](x []T) []T {
	if x == nil {
		return []T{}
	}
	return x
}

// outline lists the sections of a template, or those in one of them, with the
// first rows that stand in each.
func outline(t *template.Template, within template.ID) []gen.OrderedSection {
	rows := map[template.ID][]*template.Instrument{}
	for _, i := range t.Instruments {
		rows[i.Section] = append(rows[i.Section], i)
	}
	out := []gen.OrderedSection{}
	for _, x := range t.SectionsInOrder() {
		line := t.Ancestry(x.ID)
		depth := len(line) - 1
		if within != "" {
			inside := false
			for n, above := range line {
				if above.ID == within {
					inside, depth = true, n
				}
			}
			if !inside {
				continue
			}
		}
		o := gen.OrderedSection{Name: x.Name, Depth: depth, Count: len(rows[x.ID]), First: []string{}}
		for n, i := range rows[x.ID] {
			if n == named {
				break
			}
			o.First = append(o.First, i.Name)
		}
		out = append(out, o)
	}
	return out
}

// NameRows implements the contract.
func (s *server) NameRows(ctx context.Context, r gen.NameRowsRequestObject) (gen.NameRowsResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	ask := naming.Ask{
		Rows: r.Body.Ids, Pattern: or(r.Body.Pattern, ""), ShortPattern: or(r.Body.ShortPattern, ""),
		Shorten: or(r.Body.Shorten, false), Limit: or(r.Body.Limit, 0), ByHand: or(r.Body.ByHand, false),
	}
	named, err := h.NamesOf(ctx, p, ask)
	if err != nil {
		return nil, err
	}
	out := gen.NamedRows{Rows: []gen.NamedRow{}}
	for _, x := range named {
		out.Rows = append(out.Rows, gen.NamedRow{
			Id: x.Instrument.ID, Before: x.Instrument.Name, Name: x.Name, ShortBefore: x.Instrument.Short, Short: x.Short,
			Kept: x.Kept, KeptShort: x.KeptShort, Twice: x.Twice,
		})
	}
	if or(r.Body.Take, false) {
		revision, err := h.NameRows(ctx, p, ask)
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	return gen.NameRows200JSONResponse(out), nil
}

// ReplaceText implements the contract.
func (s *server) ReplaceText(ctx context.Context, r gen.ReplaceTextRequestObject) (gen.ReplaceTextResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	search := naming.Search{
		Field: naming.Field(r.Body.Field), Find: r.Body.Find, With: r.Body.With, Expression: or(r.Body.Expression, false), Case: or(r.Body.Case, false),
	}
	if r.Body.Ids != nil {
		search.Rows = *r.Body.Ids
	}
	found, err := h.Replaced(search)
	if err != nil {
		return nil, err
	}
	out := gen.ReplacedTexts{Found: []gen.ReplacedText{}}
	for _, f := range found {
		out.Found = append(out.Found, gen.ReplacedText{Id: f.ID, Name: f.Name, Before: f.Before, After: f.After})
	}
	if or(r.Body.Take, false) {
		revision, err := h.Apply(ctx, p, app.ReplaceText(search))
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	return gen.ReplaceText200JSONResponse(out), nil
}

// Abbreviations implements the contract.
func (s *server) Abbreviations(ctx context.Context, _ gen.AbbreviationsRequestObject) (gen.AbbreviationsResponseObject, error) {
	own, err := s.app.Abbreviations(ctx, person(ctx))
	return gen.Abbreviations200JSONResponse{Own: list(own), Standard: naming.Standard()}, err
}

// SetAbbreviations implements the contract.
func (s *server) SetAbbreviations(ctx context.Context, r gen.SetAbbreviationsRequestObject) (gen.SetAbbreviationsResponseObject, error) {
	err := s.app.SetAbbreviations(ctx, person(ctx), r.Body.Own)
	return gen.SetAbbreviations200JSONResponse{Own: r.Body.Own, Standard: naming.Standard()}, err
}

// MakeSightlines implements the contract.
func (s *server) MakeSightlines(ctx context.Context, r gen.MakeSightlinesRequestObject) (gen.MakeSightlinesResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var sets []sight.Set
	for _, x := range r.Body.Sets {
		sets = append(sets, sight.Set(x))
	}
	revision, err := h.Apply(ctx, p, app.MakeSightlines(sets, or(r.Body.Fold, "")))
	return gen.MakeSightlines200JSONResponse{Revision: revision}, err
}

// CheckPalette implements the contract.
func (s *server) CheckPalette(ctx context.Context, r gen.CheckPaletteRequestObject) (gen.CheckPaletteResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	faults, mended, why := h.CheckPalette(*r.Body)
	var invalid *template.Invalid
	if errors.As(why, &invalid) {
		return nil, why
	}
	out := gen.CheckPalette200JSONResponse{}
	out.Faults = make([]struct {
		Kind    string `json:"kind"`
		Message string `json:"message"`
	}, len(faults))
	for n, f := range faults {
		out.Faults[n].Kind, out.Faults[n].Message = string(f.Kind), f.Message
	}
	if why != nil {
		out.Why = said(why.Error())
	} else {
		out.Mended = &mended
	}
	return out, nil
}

// Palettes implements the contract.
func (s *server) Palettes(ctx context.Context, _ gen.PalettesRequestObject) (gen.PalettesResponseObject, error) {
	own, err := s.app.Palettes(ctx, person(ctx))
	return gen.Palettes200JSONResponse{Own: list(own), Shipped: palette.Shipped()}, err
}

// SetPalettes implements the contract.
func (s *server) SetPalettes(ctx context.Context, r gen.SetPalettesRequestObject) (gen.SetPalettesResponseObject, error) {
	err := s.app.SetPalettes(ctx, person(ctx), r.Body.Own)
	return gen.SetPalettes200JSONResponse{Own: r.Body.Own, Shipped: palette.Shipped()}, err
}

// ReadPalette implements the contract.
func (s *server) ReadPalette(_ context.Context, r gen.ReadPaletteRequestObject) (gen.ReadPaletteResponseObject, error) {
	p, err := app.ReadPalette(r.Body)
	return gen.ReadPalette200JSONResponse(p), err
}

// KeepSpares implements the contract.
func (s *server) KeepSpares(ctx context.Context, r gen.KeepSparesRequestObject) (gen.KeepSparesResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.Apply(ctx, p, app.KeepSpares)
	return gen.KeepSpares200JSONResponse{Revision: revision}, err
}
