package app

import (
	"cmp"
	"encoding/json"
	"reflect"
	"slices"
	"sync"
	"time"

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
	say func(pages []Here) // tells other servers who is here; nil where there are none

	mu     sync.Mutex
	pages  map[pageOf]*herePage
	others map[uuid.UUID]otherPages // by server
}

// otherPages are pages that another server told of.
type otherPages struct {
	at    time.Time
	pages []Here
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
	p.told(watchers)
	return sync.OnceFunc(func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.pages[key].streams--; p.pages[key].streams == 0 {
			delete(p.pages, key)
			p.told(watchers)
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
	p.told(watchers)
	return nil
}

// told tells everybody who is here. The caller holds the lock.
func (p *presence) told(watchers *document.Watchers) {
	watchers.Tell(p.list())
	if p.say != nil {
		p.say(p.mine())
	}
}

// own lists the pages of this server.
func (p *presence) own() []Here {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.mine()
}

// mine is own, for who holds the lock.
func (p *presence) mine() []Here {
	list := make([]Here, 0, len(p.pages))
	for key, x := range p.pages {
		list = append(list, Here{ID: key.page, Name: x.name, Selected: append([]template.ID{}, x.rows...), Count: x.all})
	}
	return list
}

// elsewhere takes in the pages of another server.
func (p *presence) elsewhere(watchers *document.Watchers, server uuid.UUID, pages []Here, now time.Time) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.others == nil {
		p.others = map[uuid.UUID]otherPages{}
	}
	was := p.others[server].pages
	p.others[server] = otherPages{now, pages}
	if !reflect.DeepEqual(was, pages) {
		watchers.Tell(p.list())
	}
}

// forget forgets what other servers told before a time.
func (p *presence) forget(watchers *document.Watchers, before time.Time) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for server, x := range p.others {
		if x.at.Before(before) {
			delete(p.others, server)
			if len(x.pages) > 0 {
				watchers.Tell(p.list())
			}
		}
	}
}

// event says who is here.
func (p *presence) event() Event {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.list()
}

// list is event, for who holds the lock.
func (p *presence) list() Event {
	list := p.mine()
	for _, x := range p.others {
		list = append(list, x.pages...)
	}
	slices.SortFunc(list, func(a, b Here) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.ID, b.ID)) })
	data, err := json.Marshal(list)
	if err != nil { // names and IDs always can be written
		data = []byte("[]")
	}
	return Event{Name: "here", Data: data}
}
