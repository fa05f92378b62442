package app

import (
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/order"
	"fanfold/internal/core/sight"
	"fanfold/internal/core/template"
)

// Ordered tells what putting a section, or the whole template when within is
// empty, in order would mean.
func (h *Hot) Ordered(within template.ID, by order.By) (order.Plan, error) {
	return order.Arrange(h.View().Template, within, by, NewID)
}

// PutInOrder makes the change that puts a section, or the whole template, in
// order.
func PutInOrder(within template.ID, by order.By) Maker {
	return func(t *template.Template) (change.Change, error) {
		plan, err := order.Arrange(t, within, by, NewID)
		if err != nil {
			return nil, err
		}
		if plan.Change == nil {
			return nil, refused(within, "all rows are in this order already")
		}
		return plan.Change, nil
	}
}

// MakeSightlines makes the change that adds sets of sightlines in one go, but
// for those that are there already.
func MakeSightlines(sets []sight.Set, fold template.ID) Maker {
	return func(t *template.Template) (change.Change, error) {
		now := t.Clone()
		for _, set := range sets {
			now.Sightlines = append(slices.Clone(now.Sightlines), sight.Make(now, set, fold, NewID)...)
		}
		if len(now.Sightlines) == len(t.Sightlines) {
			return nil, refused("", "they are all there already")
		}
		return change.SetSightlines{Sightlines: now.Sightlines}, nil
	}
}

// KeepSpares makes the change that adds the spare rows which sections lack.
func KeepSpares(t *template.Template) (change.Change, error) {
	if t.Settings.SpareRows == 0 && t.Settings.SpareShare == 0 {
		return nil, refused("", "say first how many spare rows a section keeps, in the settings")
	}
	c := order.Spares(t, nil, NewID)
	if c == nil {
		return nil, refused("", "every section has its spare rows already")
	}
	return c, nil
}
