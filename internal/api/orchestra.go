package api

import (
	"context"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/order"
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
