package app

import (
	"cmp"
	"encoding/json"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

// NewIDText is an ID that nothing else has.
func NewIDText() string { return uuid.NewString() }

// MaxSelected is how many selected rows of somebody the others see.
const MaxSelected = 500

// Here is somebody who has the template open.
type Here struct {
	ID       string        `json:"id"` // of the browser
	Name     string        `json:"name"`
	Selected []template.ID `json:"selected"` // the first MaxSelected
	Count    int           `json:"count"`    // of all selected
}

// Select tells the others what a person has selected in a browser, by the ID it
// was told. store.ErrNotFound when it is not here.
func (h *Hot) Select(p Person, browser string, rows []template.ID) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	for w := range h.watchers {
		if w.id != browser || w.who.ID != p.ID {
			continue
		}
		w.rows, w.all = rows[:min(len(rows), MaxSelected)], len(rows)
		h.tellHere()
		return nil
	}
	return store.ErrNotFound
}

// tellHere tells every browser who is here. The caller holds the lock.
func (h *Hot) tellHere() {
	list := make([]Here, 0, len(h.watchers))
	for w := range h.watchers {
		list = append(list, Here{ID: w.id, Name: w.who.Name, Selected: append([]template.ID{}, w.rows...), Count: w.all})
	}
	slices.SortFunc(list, func(a, b Here) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.ID, b.ID)) })
	data, err := json.Marshal(list)
	if err != nil {
		return // names and IDs always can be written
	}
	h.tell(Event{Name: "here", Data: data})
}
