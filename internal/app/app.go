// Package app holds the use cases: what a person asks for, joined from the
// core, the store and the rig. Requests go in; new revisions, answers and
// events for every open browser come out.
package app

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// App serves all studios.
type App struct {
	store     *store.Store
	rig       Rig
	jobs      *Jobs                             // nil until StartJobs
	scanRoots []string                          // folders of the server that may be scanned
	hostRoots map[uuid.UUID]map[string][]string // and of machines, by studio and name
	hosts     hostBook
	paces     paceBook

	mu         sync.Mutex
	hot        map[uuid.UUID]*Hot
	catalogues map[uuid.UUID]uuid.UUID // by studio
}

// Person is who asks.
type Person struct {
	ID     uuid.UUID
	Studio uuid.UUID
	Name   string
}

// New returns an App on a store, driving machines through a rig.
func New(s *store.Store, rig Rig) *App {
	return &App{store: s, rig: rig, hot: map[uuid.UUID]*Hot{}, catalogues: map[uuid.UUID]uuid.UUID{}, hostRoots: map[uuid.UUID]map[string][]string{},
		paces: paceBook{known: map[machineKey]calls.Pace{}}}
}

// NewID makes a random ID for a thing of a kind: "instrument-h3k2...".
func NewID(kind string) template.ID {
	var b [10]byte
	_, _ = rand.Read(b[:]) // never fails: see crypto/rand
	return template.ID(kind + "-" + strings.ToLower(base32.StdEncoding.EncodeToString(b[:])))
}

// Templates lists the studio's templates, oldest first.
func (a *App) Templates(ctx context.Context, p Person) ([]db.Template, error) {
	return a.store.Queries().TemplateList(ctx, p.Studio)
}

// Create makes a template of the studio. What its libraries, players and
// patches have in common with the catalogue, by name, is one with it.
func (a *App) Create(ctx context.Context, p Person, t *template.Template) (db.Template, error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return db.Template{}, err
	}
	row, err := a.store.TemplateCreate(ctx, p.Studio, catalogue.Adopt(t, cat.View().Template, NewID))
	if err != nil {
		return row, err
	}
	if _, err := a.Open(ctx, p, row.ID); err != nil {
		return row, err
	}
	return a.store.Queries().TemplateGet(ctx, db.TemplateGetParams{ID: row.ID, StudioID: p.Studio})
}

// Open returns the template, loading it if nobody has it open yet. A template
// of another studio is store.ErrNotFound.
func (a *App) Open(ctx context.Context, p Person, id uuid.UUID) (*Hot, error) {
	h, err := a.load(ctx, p, id)
	if err != nil || h.catalogue || h.Locked() || p.ID == uuid.Nil || h.agrees.Swap(true) {
		return h, err
	}
	if err := a.agree(ctx, p, h); err != nil {
		h.agrees.Store(false)
		return nil, err
	}
	return h, nil
}

func (a *App) load(ctx context.Context, p Person, id uuid.UUID) (*Hot, error) {
	a.mu.Lock()
	h := a.hot[id]
	a.mu.Unlock()
	if h != nil {
		if h.studio != p.Studio {
			return nil, store.ErrNotFound
		}
		return h, h.refresh(ctx)
	}
	fresh := &Hot{app: a, id: id, studio: p.Studio, stale: true, watchers: map[*Watcher]bool{}, wanted: map[template.ID]bool{}, states: map[template.ID]State{},
		usedAt: map[template.ID]time.Time{}, measuring: map[template.ID]*measuring{}, lastLoad: map[template.ID]Measured{}}
	if err := fresh.refresh(ctx); err != nil {
		return nil, err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if h := a.hot[id]; h != nil {
		return h, nil // somebody else was quicker
	}
	a.hot[id] = fresh
	return fresh, nil
}

// openAll loads every template, so that what is wanted ready is known.
func (a *App) openAll(ctx context.Context) error {
	rows, err := a.store.Queries().TemplateAll(ctx)
	if err != nil {
		return fmt.Errorf("list templates: %w", err)
	}
	var failed error
	for _, row := range rows {
		if _, err := a.load(ctx, Person{Studio: row.StudioID}, row.ID); err != nil {
			failed = errors.Join(failed, fmt.Errorf("open template %s: %w", row.Name, err))
		}
	}
	return failed
}

// each calls f for every open template of a studio.
func (a *App) each(studio uuid.UUID, f func(*Hot)) {
	a.mu.Lock()
	var list []*Hot
	for _, h := range a.hot {
		if h.studio == studio {
			list = append(list, h)
		}
	}
	a.mu.Unlock()
	for _, h := range list {
		f(h)
	}
}
