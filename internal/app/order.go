package app

import (
	"fanfold/internal/core/change"
	"fanfold/internal/core/order"
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
			return nil, refused(within, "all rows stand so already")
		}
		return plan.Change, nil
	}
}
