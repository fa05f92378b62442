package app

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/rig"
	"fanfold/internal/store"
)

// Running is what runs of one template: which instruments should be ready, and
// what the machines report. It is not a part of the document, and has a lock of its
// own, which is never held over the database. What should be ready is written
// under a revision, so that several servers agree.
type Running struct {
	app    *App
	doc    *sheetDoc
	id     uuid.UUID // of the template
	studio uuid.UUID
	turn   chan struct{} // held by who writes what should be ready

	mu           sync.Mutex
	t            *template.Template    // as it is
	revision     int64                 // of what is wanted
	following    int64                 // the revision of what is wanted that is written with a change on its way
	wanted       map[template.ID]bool  // should be ready
	asked        bool                  // somebody has called or rested since the server started
	states       map[template.ID]State // as hosts report
	machines     map[template.ID]MachineState
	awaited      map[template.ID]bool      // of the last call: these load first
	usedAt       map[template.ID]time.Time // when somebody last called or sounded them
	measuring    map[template.ID]*measuring
	lastLoad     map[template.ID]Measured
	told         map[template.ID]State // what browsers know
	toldMachines map[template.ID]MachineState
	readyOf      *template.Template // what readyIn is computed of
	readyIn      proof.ReadyIn
	ordered      map[template.ID]bool // machines that were told what to hold
}

func openRunning(ctx context.Context, a *App, doc *sheetDoc) (*Running, error) {
	v := doc.View()
	r := &Running{
		app: a, doc: doc, id: v.ID, studio: v.Studio, turn: make(chan struct{}, 1), t: v.State,
		states: map[template.ID]State{}, machines: map[template.ID]MachineState{}, ordered: map[template.ID]bool{}, usedAt: map[template.ID]time.Time{},
		measuring: map[template.ID]*measuring{}, lastLoad: map[template.ID]Measured{},
	}
	kept, err := a.store.WantedLoad(ctx, v.ID)
	if err != nil {
		return nil, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.take(kept)
	if len(r.wanted) > 0 {
		r.order()
	}
	return r, nil
}

// take makes what was read from the store what is wanted. Rows that are gone are
// left out. The caller holds the lock.
func (r *Running) take(kept store.Wanted) {
	r.revision, r.wanted, r.awaited = kept.Revision, map[template.ID]bool{}, map[template.ID]bool{}
	for _, id := range kept.Instruments {
		if i := r.t.Instrument(template.ID(id)); i != nil && i.NeedsSeat() {
			r.wanted[i.ID] = true
		}
	}
	for _, id := range kept.Awaited {
		r.awaited[template.ID(id)] = true
	}
}

// reload reads again what should be ready.
func (r *Running) reload(ctx context.Context) error {
	kept, err := r.app.store.WantedLoad(ctx, r.id)
	if err != nil {
		return err
	}
	r.mu.Lock()
	behind := kept.Revision > r.revision
	if behind {
		r.asked = true // somebody has, elsewhere
		before := r.wanted
		r.take(kept)
		if now := r.wanted; len(kept.Awaited) > 0 && !slices.ContainsFunc(slices.Collect(maps.Keys(before)), func(id template.ID) bool { return !now[id] }) {
			r.tryAnew(now, maps.Keys(r.awaited)) // nothing was rested: they were called
			r.wanted = now
		}
		r.order()
		r.tellRig()
	}
	r.mu.Unlock()
	if behind {
		r.tellOthers()
	}
	return nil
}

// heard says that a revision of what is wanted may have been written, here or
// elsewhere.
func (r *Running) heard(revision int64) {
	r.mu.Lock()
	behind := revision > r.revision
	r.mu.Unlock()
	if !behind {
		return
	}
	go func() {
		ctx, stop := context.WithTimeout(context.Background(), asideWithin)
		defer stop()
		release, err := r.write(ctx) // what is being written here comes first
		if err == nil {
			err = r.reload(ctx)
			release()
		}
		if err != nil {
			slog.Warn("could not reload what should be ready", "template", r.id, "error", err)
		}
	}()
}

// write waits for the turn to write what should be ready.
func (r *Running) write(ctx context.Context) (release func(), err error) {
	select {
	case r.turn <- struct{}{}:
		return func() { <-r.turn }, nil
	case <-ctx.Done():
		return nil, errors.Join(errors.New("others call or rest just now"), ctx.Err())
	}
}

// busy tells whether something runs, or should.
func (r *Running) busy() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.wanted) > 0
}

// watch starts watching the template, beginning with the whole running state.
func (r *Running) watch(after int64, more ...document.Event) *document.Watcher {
	r.mu.Lock()
	defer r.mu.Unlock()
	now := r.rigState()
	whole := rigEvent(RigDelta{Whole: true, Instruments: now.Instruments, Tacet: []template.ID{}, Machines: now.Machines})
	return r.doc.Watchers.Add(after, append([]document.Event{whole}, more...)...)
}

// State is the running state of one instrument.
type State struct {
	ID       template.ID `json:"id"`
	State    string      `json:"state"` // tuning, ready or failed; tacet ones are not listed
	Progress float64     `json:"progress"`
	Stalled  bool        `json:"stalled,omitempty"` // tuning, but it does not move
	Reason   string      `json:"reason,omitempty"`
	Voices   int         `json:"voices,omitempty"` // that sound now
	Armed    bool        `json:"armed,omitempty"`  // somebody is about to play it
	Missed   int         `json:"missed,omitempty"` // notes outside what it was trimmed to
}

// MachineState is the running state of one machine.
type MachineState struct {
	ID        template.ID `json:"id"`
	Online    bool        `json:"online"`
	UsedMiB   float64     `json:"usedMib"`
	LimitMiB  float64     `json:"limitMib"`
	OthersMiB float64     `json:"othersMib"` // of that, what other templates hold, or should hold
	Crowded   int         `json:"crowded"`   // calls that would fit without what others hold there
	LeftMs    int64       `json:"leftMs"`    // until everything called there is ready, as its host expects
	Voices    int         `json:"voices"`    // that sound now

	ComputedMs int64 `json:"computedMs,omitempty"` // what its last load was computed to take
	TookMs     int64 `json:"tookMs,omitempty"`     // and what it took
}

// RigState is the running state of a template: what is not tacet.
type RigState struct {
	Instruments []State        `json:"instruments"`
	Machines    []MachineState `json:"machines"`
}

// RigDelta tells a browser what became of the running state. A whole one
// replaces what the browser knows.
type RigDelta struct {
	Whole       bool           `json:"whole,omitempty"`
	Instruments []State        `json:"instruments"` // new or changed
	Tacet       []template.ID  `json:"tacet"`       // no longer listed
	Machines    []MachineState `json:"machines"`
}

func (r *Running) reported(machine template.ID, report rig.Report, away bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	m := find(r.t.Machines, func(m *template.Machine) bool { return m.ID == machine })
	if m == nil {
		return
	}
	now := time.Now()
	r.machines[m.ID] = MachineState{ID: m.ID, Online: !away, UsedMiB: report.UsedMiB, LeftMs: report.LeftMs, Voices: report.Voices}
	for id := range r.states {
		if at := machineOf(r.t.Instrument(id)); at == "" || at == m.ID {
			delete(r.states, id)
		}
	}
	for _, item := range report.Items {
		owner, id, _ := strings.Cut(item.ID, "/")
		if owner == r.id.String() && machineOf(r.t.Instrument(template.ID(id))) == m.ID { // or it has moved away since
			r.states[template.ID(id)] = State{
				ID: template.ID(id), State: string(item.State), Progress: item.Progress, Stalled: item.Stalled, Reason: item.Reason,
				Voices: item.Voices, Armed: item.Armed, Missed: item.Missed,
			}
			if item.Voices > 0 || item.Armed {
				r.usedAt[template.ID(id)] = now
			}
		}
	}
	r.endMeasuring(m, away, now)
	r.tellRig()
}

// Rig returns the running state.
func (r *Running) Rig() RigState {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.rigState()
}

// rigState lists what is not tacet, and what is printed.
func (r *Running) rigState() RigState {
	out := RigState{Instruments: []State{}, Machines: []MachineState{}}
	for _, i := range r.t.Instruments {
		if r.wanted[i.ID] || r.wanted[i.With] || i.Printed != nil {
			out.Instruments = append(out.Instruments, r.stateOf(i))
		}
	}
	others := r.others()
	crowded := r.crowded(others)
	for _, m := range r.t.Machines {
		s := r.machines[m.ID]
		s.ID, s.LimitMiB = m.ID, m.LimitMiB()
		for _, h := range others[m.ID] {
			s.OthersMiB += h.MiB
		}
		for _, mark := range crowded {
			if mark.On[0] == m.ID { // each mark counts once
				s.Crowded++
			}
		}
		last := r.lastLoad[m.ID]
		s.ComputedMs, s.TookMs = last.Computed.Milliseconds(), last.Took.Milliseconds()
		out.Machines = append(out.Machines, s)
	}
	return out
}

// printed is the state of a wanted instrument that recorded audio stands in
// for.
const printed = "printed"

// stateOf is the state of a wanted instrument. One that no host speaks of yet
// is tuning; if its machine is away, the reason says so.
func (r *Running) stateOf(i *template.Instrument) State {
	if i.Printed != nil {
		s := State{ID: i.ID, State: printed}
		if r.t.Stale(i) {
			s.Reason = "its notes have changed since it was recorded"
		}
		return s
	}
	if i.With != "" {
		s := r.stateOf(r.t.Home(i))
		s.ID = i.ID
		return s
	}
	s, known := r.states[i.ID]
	if known {
		return s
	}
	s = State{ID: i.ID, State: string(rig.Tuning)}
	if i.Seat == nil {
		s.Reason = "it has lost its seat; seat it again"
	} else if !r.machines[i.Seat.Machine].Online {
		s.Reason = r.t.Index().Machines[i.Seat.Machine].Name + " is away"
	}
	return s
}

// tellRig tells every browser what changed in the running state since it was
// last told.
func (r *Running) tellRig() {
	now := r.rigState()
	d := RigDelta{Instruments: []State{}, Tacet: []template.ID{}, Machines: []MachineState{}}
	told := make(map[template.ID]State, len(now.Instruments))
	for _, s := range now.Instruments {
		if was, ok := r.told[s.ID]; !ok || was != s {
			d.Instruments = append(d.Instruments, s)
		}
		told[s.ID] = s
	}
	for id := range r.told {
		if _, ok := told[id]; !ok {
			d.Tacet = append(d.Tacet, id)
		}
	}
	toldMachines := make(map[template.ID]MachineState, len(now.Machines))
	for _, m := range now.Machines {
		if was, ok := r.toldMachines[m.ID]; !ok || was != m {
			d.Machines = append(d.Machines, m)
		}
		toldMachines[m.ID] = m
	}
	r.told, r.toldMachines = told, toldMachines
	if len(d.Instruments)+len(d.Tacet)+len(d.Machines) > 0 {
		r.doc.Watchers.Tell(rigEvent(d))
	}
}

func rigEvent(d RigDelta) Event {
	data, err := json.Marshal(d)
	if err != nil {
		return Event{Name: "reset"}
	}
	return Event{Name: "rig", Data: data}
}

// ReadyOn counts the instruments of the template that are ready on a machine.
func (r *Running) ReadyOn(machine template.ID) int {
	r.mu.Lock()
	defer r.mu.Unlock()
	n := 0
	for id, s := range r.states {
		if s.State == string(rig.Ready) && machineOf(r.t.Instrument(id)) == machine {
			n++
		}
	}
	return n
}
