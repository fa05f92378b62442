package app

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/document"
)

// LongestPlanning is how long a plan is improved unless somebody stops it.
const LongestPlanning = 2 * time.Minute

// Planning is one person's seating plan in the making.
type Planning struct {
	revision int64
	now      seating.Cost // of the seats there are
	started  time.Time
	stop     context.CancelFunc
	done     chan struct{}

	mu    sync.Mutex
	cost  seating.Cost
	tried int
	plan  seating.Plan // once done
	ended time.Time
}

// PlanState is how far a plan has come.
type PlanState struct {
	Revision int64 // of the template it is for
	Running  bool
	For      time.Duration // how long it has been improved
	Tried    int           // plans
	Now      seating.Cost  // of the present seats
	Then     seating.Cost  // of the best so far
	Plan     seating.Plan  // once it no longer runs
}

// plannings are a template's plans in the making, by person.
type plannings struct {
	mu   sync.Mutex
	list map[uuid.UUID]*Planning
}

// running tells whether somebody's plan is being made.
func (p *plannings) running() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, run := range p.list {
		if run.state().Running {
			return true
		}
	}
	return false
}

// StartPlan begins a plan for a person, in place of an earlier one.
func (h *Hot) StartPlan(p Person, fresh bool) PlanState {
	v := h.View()
	ctx, stop := context.WithTimeout(context.Background(), LongestPlanning)
	run := &Planning{revision: v.Revision, now: seating.Judge(v.Template), started: time.Now(), stop: stop, done: make(chan struct{})}
	draft := seating.Begin(v.Template, seating.Options{Fresh: fresh, Held: h.HeldByOthers()})
	run.cost = draft.Cost()
	h.plans.mu.Lock()
	if h.plans.list == nil {
		h.plans.list = map[uuid.UUID]*Planning{}
	}
	if earlier := h.plans.list[p.ID]; earlier != nil {
		earlier.stop()
	}
	h.plans.list[p.ID] = run
	h.plans.mu.Unlock()
	go run.improve(ctx, draft)
	return run.state()
}

// fruitless is how many plans in a row may be no cheaper before planning ends.
const fruitless = 400

func (run *Planning) improve(ctx context.Context, draft *seating.Draft) {
	defer close(run.done)
	defer run.stop()
	for since := 0; since < fruitless && ctx.Err() == nil; since++ {
		if draft.Improve() {
			since = 0
		}
		run.mu.Lock()
		run.cost, run.tried = draft.Cost(), draft.Rounds()
		run.mu.Unlock()
		if draft.Rounds() == 0 {
			break // nothing can be better
		}
	}
	plan := draft.Plan()
	run.mu.Lock()
	run.plan, run.ended = plan, time.Now()
	run.mu.Unlock()
}

func (run *Planning) state() PlanState {
	run.mu.Lock()
	defer run.mu.Unlock()
	s := PlanState{Revision: run.revision, Running: run.ended.IsZero(), Tried: run.tried, Now: run.now, Then: run.cost, Plan: run.plan}
	if s.Running {
		s.For = time.Since(run.started)
	} else {
		s.For = run.ended.Sub(run.started)
	}
	return s
}

func (h *Hot) planning(p Person) (*Planning, error) {
	h.plans.mu.Lock()
	defer h.plans.mu.Unlock()
	run := h.plans.list[p.ID]
	if run == nil {
		return nil, &change.Refused{Reason: "no plan has been started"}
	}
	return run, nil
}

// PlanState tells how far a person's plan has come.
func (h *Hot) PlanState(p Person) (PlanState, error) {
	run, err := h.planning(p)
	if err != nil {
		return PlanState{}, err
	}
	return run.state(), nil
}

// StopPlan ends the improving; the best so far is kept.
func (h *Hot) StopPlan(p Person) (PlanState, error) {
	run, err := h.planning(p)
	if err != nil {
		return PlanState{}, err
	}
	run.stop()
	<-run.done
	return run.state(), nil
}

// TakePlan makes a person's plan the seating, stopping it if it still runs. It
// is refused if the template has changed since the plan was started.
func (h *Hot) TakePlan(ctx context.Context, p Person) (int64, error) {
	s, err := h.StopPlan(p)
	if err != nil {
		return 0, err
	}
	return h.apply(ctx, p.ask(ctx, document.Any), p, func(v *sheetView) (change.Change, error) {
		switch {
		case v.Revision != s.Revision:
			return nil, &change.Refused{Reason: "the template has changed since this plan was started; plan again"}
		case len(s.Plan.Seats) == 0:
			return nil, &change.Refused{Reason: "the plan moves nobody"}
		}
		return change.Batch{Label: "Seat by plan", Changes: []change.Change{s.Plan.Change()}}, nil
	})
}
