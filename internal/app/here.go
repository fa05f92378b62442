package app

import (
	"cmp"
	"encoding/json"
	"slices"
	"sync"

	"github.com/google/uuid"

	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/store"
)

// MaxSelected is how many selected rows of somebody the others see.
const MaxSelected = 500

// Here is a page on which somebody has the template open.
type Here struct {
	ID       string        `json:"id"` // of the page
	Name     string        `json:"name"`
	Selected []template.ID `json:"selected"` // the first MaxSelected
	Count    int           `json:"count"`    // of all selected
}

// presence is who looks at a template. It is not kept.
type presence struct {
	mu    sync.Mutex
	pages map[pageOf]*herePage
}

type pageOf struct {
	person uuid.UUID
	page   string
}

type herePage struct {
	name    string
	streams int           // that say it is here: a new one opens before the old one ends
	rows    []template.ID // selected there
	all     int           // how many those are in truth
}

func (p *presence) come(watchers *document.Watchers, who Person, page string) (leave func()) {
	p.mu.Lock()
	defer p.mu.Unlock()
	key := pageOf{who.ID, page}
	if p.pages == nil {
		p.pages = map[pageOf]*herePage{}
	}
	if p.pages[key] == nil {
		p.pages[key] = &herePage{name: who.Name}
	}
	p.pages[key].streams++
	watchers.Tell(p.list())
	return sync.OnceFunc(func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.pages[key].streams--; p.pages[key].streams == 0 {
			delete(p.pages, key)
			watchers.Tell(p.list())
		}
	})
}

func (p *presence) selects(watchers *document.Watchers, who Person, page string, rows []template.ID) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	here := p.pages[pageOf{who.ID, page}]
	if here == nil {
		return store.ErrNotFound
	}
	here.rows, here.all = rows[:min(len(rows), MaxSelected)], len(rows)
	watchers.Tell(p.list())
	return nil
}

// event says who is here.
func (p *presence) event() Event {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.list()
}

// list is event, for who holds the lock.
func (p *presence) list() Event {
	list := make([]Here, 0, len(p.pages))
	for key, x := range p.pages {
		list = append(list, Here{ID: key.page, Name: x.name, Selected: append([]template.ID{}, x.rows...), Count: x.all})
	}
	slices.SortFunc(list, func(a, b Here) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.ID, b.ID)) })
	data, err := json.Marshal(list)
	if err != nil { // names and IDs always can be written
		data = []byte("[]")
	}
	return Event{Name: "here", Data: data}
}
