package app

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
	"fanfold/internal/store/db"
)

// paceBook keeps what measured loads have taught of each machine.
type paceBook struct {
	mu    sync.Mutex
	known map[machineKey]calls.Pace
}

func (b *paceBook) of(key machineKey) calls.Pace {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.known[key]
}

func (b *paceBook) learn(key machineKey, computed, measured time.Duration) calls.Pace {
	b.mu.Lock()
	defer b.mu.Unlock()
	p := b.known[key].Learn(computed, measured)
	b.known[key] = p
	return p
}

// loadPaces brings back what was learned before.
func (a *App) loadPaces(ctx context.Context) error {
	rows, err := a.store.Queries().PaceList(ctx)
	if err != nil {
		return fmt.Errorf("list what was learned of machines: %w", err)
	}
	a.paces.mu.Lock()
	defer a.paces.mu.Unlock()
	for _, r := range rows {
		a.paces.known[machineKey{r.StudioID, template.ID(r.Machine)}] = calls.Pace{Computed: r.Computed, Measured: r.Measured, Loads: int(r.Loads)}
	}
	return nil
}

// paceHeard takes in what another server learned.
func (a *App) paceHeard() {
	ctx, stop := context.WithTimeout(context.Background(), asideWithin)
	defer stop()
	if err := a.loadPaces(ctx); err != nil {
		slog.Warn("could not reload what was learned of machines", "error", err)
	}
}

// learn learns from a measured load. What was learned is written beside the work.
func (a *App) learn(studio uuid.UUID, machine template.ID, computed, measured time.Duration) {
	key := machineKey{studio, machine}
	before := a.paces.of(key)
	p := a.paces.learn(key, computed, measured)
	if p != before {
		a.beside.Go(func() { a.keepPace(studio, machine, p) })
	}
}

func (a *App) keepPace(studio uuid.UUID, machine template.ID, p calls.Pace) {
	ctx, stop := context.WithTimeout(context.Background(), asideWithin)
	defer stop()
	err := a.store.Queries().PacePut(ctx, db.PacePutParams{StudioID: studio, Machine: string(machine), Computed: p.Computed, Measured: p.Measured, Loads: int32(p.Loads)})
	if err != nil {
		slog.Warn("could not keep what was learned of a machine", "machine", machine, "error", err)
	}
}

// measuring is a load that is being timed: from a machine at rest until all it
// was told to load is ready.
type measuring struct {
	since    time.Time
	computed time.Duration
	pending  map[template.ID]bool
	spoiled  bool // something failed or was rested meanwhile: it teaches nothing
}

// Measured is how long the last load of a machine was computed to take, and
// how long it took.
type Measured struct{ Computed, Took time.Duration }

// beginMeasuring notes what a call gives machines to load. The caller holds
// the lock.
func (r *Running) beginMeasuring(estimates []calls.Estimate, next map[template.ID]bool, now time.Time) {
	for _, m := range r.measuring {
		for id := range m.pending {
			if !next[id] {
				m.spoiled = true
				delete(m.pending, id)
			}
		}
	}
	for _, e := range estimates {
		if len(e.Order) == 0 || !r.machines[e.Machine.ID].Online {
			continue
		}
		m := r.measuring[e.Machine.ID]
		if m == nil {
			m = &measuring{since: now, pending: map[template.ID]bool{}, spoiled: r.loading(e.Machine.ID)}
			r.measuring[e.Machine.ID] = m
		}
		m.computed += e.Wait
		for _, l := range e.Order {
			m.pending[l.Instrument.ID] = true
		}
	}
}

// loading tells whether a machine has something to load already.
func (r *Running) loading(machine template.ID) bool {
	for id, s := range r.states {
		if s.State == string(rig.Tuning) && machineOf(r.t.Instrument(id)) == machine {
			return true
		}
	}
	return false
}

// endMeasuring looks whether a load has ended, and learns from it. The caller
// holds the lock.
func (r *Running) endMeasuring(machine *template.Machine, away bool, now time.Time) {
	m := r.measuring[machine.ID]
	if m == nil {
		return
	}
	if away {
		delete(r.measuring, machine.ID)
		return
	}
	for id := range m.pending {
		switch s := r.states[id]; {
		case s.State == string(rig.Ready):
			delete(m.pending, id)
		case s.State == string(rig.Failed) || r.t.Instrument(id) == nil:
			m.spoiled = true
			delete(m.pending, id)
		}
	}
	if len(m.pending) > 0 {
		return
	}
	delete(r.measuring, machine.ID)
	if m.spoiled {
		return
	}
	took := now.Sub(m.since)
	r.lastLoad[machine.ID] = Measured{m.computed, took}
	r.app.learn(r.studio, machine.ID, m.computed, took)
}

// Paces is what was learned of the template's machines.
func (r *Running) Paces() map[template.ID]calls.Pace {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.paceOfAll()
}

// paceOfAll is Paces, for a caller that holds the lock.
func (r *Running) paceOfAll() map[template.ID]calls.Pace {
	out := map[template.ID]calls.Pace{}
	for _, m := range r.t.Machines {
		out[m.ID] = r.app.paces.of(machineKey{r.studio, m.ID})
	}
	return out
}

// use notes that somebody used instruments. The caller holds the lock.
func (r *Running) use(ids []template.ID, now time.Time) {
	for _, id := range ids {
		r.usedAt[id] = now
	}
	maps.DeleteFunc(r.usedAt, func(id template.ID, _ time.Time) bool { return r.t.Instrument(id) == nil })
}
