package app

import (
	"encoding/json"
	"strings"
	"time"

	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

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
	ID       template.ID `json:"id"`
	Online   bool        `json:"online"`
	UsedMiB  float64     `json:"usedMib"`
	LimitMiB float64     `json:"limitMib"`
	LeftMs   int64       `json:"leftMs"` // until everything called there is ready, as its host expects
	Voices   int         `json:"voices"` // that sound now

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

func (h *Hot) reported(machine string, report rig.Report, away bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	m := find(h.t.Machines, func(m *template.Machine) bool { return m.Name == machine })
	if m == nil {
		return
	}
	now := time.Now()
	if h.machines == nil {
		h.machines = map[template.ID]MachineState{}
	}
	h.machines[m.ID] = MachineState{ID: m.ID, Online: !away, UsedMiB: report.UsedMiB, LeftMs: report.LeftMs, Voices: report.Voices}
	for id := range h.states {
		if at := machineOf(h.t.Instrument(id)); at == "" || at == m.ID {
			delete(h.states, id)
		}
	}
	for _, item := range report.Items {
		owner, id, _ := strings.Cut(item.ID, "/")
		if owner == h.id.String() && machineOf(h.t.Instrument(template.ID(id))) == m.ID { // or it has moved away since
			h.states[template.ID(id)] = State{
				ID: template.ID(id), State: string(item.State), Progress: item.Progress, Stalled: item.Stalled, Reason: item.Reason,
				Voices: item.Voices, Armed: item.Armed, Missed: item.Missed,
			}
			if item.Voices > 0 || item.Armed {
				h.usedAt[template.ID(id)] = now
			}
		}
	}
	h.endMeasuring(m, away, now)
	h.tellRig()
}

// Rig returns the running state.
func (h *Hot) Rig() RigState {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.rigState()
}

// rigState lists what is not tacet, and what is printed.
func (h *Hot) rigState() RigState {
	out := RigState{Instruments: []State{}, Machines: []MachineState{}}
	for _, i := range h.t.Instruments {
		if h.wanted[i.ID] || h.wanted[i.With] || i.Printed != nil {
			out.Instruments = append(out.Instruments, h.stateOf(i))
		}
	}
	for _, m := range h.t.Machines {
		s := h.machines[m.ID]
		s.ID, s.LimitMiB = m.ID, m.LimitMiB()
		last := h.lastLoad[m.ID]
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
func (h *Hot) stateOf(i *template.Instrument) State {
	if i.Printed != nil {
		s := State{ID: i.ID, State: printed}
		if h.t.Stale(i) {
			s.Reason = "its notes have changed since it was recorded"
		}
		return s
	}
	if i.With != "" {
		s := h.stateOf(h.t.Home(i))
		s.ID = i.ID
		return s
	}
	s, known := h.states[i.ID]
	if known {
		return s
	}
	s = State{ID: i.ID, State: string(rig.Tuning)}
	if i.Seat == nil {
		s.Reason = "it has lost its seat; seat it again"
	} else if !h.machines[i.Seat.Machine].Online {
		s.Reason = h.t.Index().Machines[i.Seat.Machine].Name + " is away"
	}
	return s
}

// tellRig tells every browser what changed in the running state since it was
// last told.
func (h *Hot) tellRig() {
	now := h.rigState()
	d := RigDelta{Instruments: []State{}, Tacet: []template.ID{}, Machines: []MachineState{}}
	told := make(map[template.ID]State, len(now.Instruments))
	for _, s := range now.Instruments {
		if was, ok := h.told[s.ID]; !ok || was != s {
			d.Instruments = append(d.Instruments, s)
		}
		told[s.ID] = s
	}
	for id := range h.told {
		if _, ok := told[id]; !ok {
			d.Tacet = append(d.Tacet, id)
		}
	}
	toldMachines := make(map[template.ID]MachineState, len(now.Machines))
	for _, m := range now.Machines {
		if was, ok := h.toldMachines[m.ID]; !ok || was != m {
			d.Machines = append(d.Machines, m)
		}
		toldMachines[m.ID] = m
	}
	h.told, h.toldMachines = told, toldMachines
	if len(d.Instruments)+len(d.Tacet)+len(d.Machines) > 0 {
		h.tell(rigEvent(d))
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
func (h *Hot) ReadyOn(machine template.ID) int {
	h.mu.Lock()
	defer h.mu.Unlock()
	n := 0
	for id, s := range h.states {
		if s.State == string(rig.Ready) && machineOf(h.t.Instrument(id)) == machine {
			n++
		}
	}
	return n
}
