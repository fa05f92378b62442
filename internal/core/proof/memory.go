package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

var memoryRules = []Rule{
	{Code: "over-memory", About: "a call does not fit into a machine", reads: seats | patches | machines | named, find: overMemory},
	{Code: "missing-patch", About: "a sampled instrument plays no patch", reads: rows | patches, find: missingPatches},
}

// overMemory asks that every named call fits by itself and, unless the
// template is mostly parked, everything at once.
func overMemory(s *subject) []Mark {
	var out []Mark
	ready := EachReady(s.t)
	for _, call := range s.t.Calls {
		used := ready(call)
		for _, m := range s.t.Machines {
			if mark, over := s.overMark(call.Name, m, used[m.ID]); over {
				mark.Subject, mark.Name = call.ID, call.Name
				mark.Remedies = []Remedy{s.thinOut(call, m), s.seatAfresh()}
				out = append(out, mark)
			}
		}
	}
	if s.t.Settings.MemoryRule != template.FitEverything {
		return out
	}
	used := calls.EverythingMiB(s.t)
	for _, m := range s.t.Machines {
		if mark, over := s.overMark("Everything at once", m, used[m.ID]); over {
			mark.Remedies = []Remedy{s.callsOnly(), s.seatAfresh()}
			out = append(out, mark)
		}
	}
	return out
}

// CrowdedCode is the code of marks that other templates cause.
const CrowdedCode = "crowded"

// Crowded are the marks that other templates cause: calls that fit by themselves, but
// not beside what those hold now. They come and go with what is called elsewhere, so
// they are told beside a template's own proof.
func Crowded(t *template.Template, others map[template.ID][]calls.Held, ready ReadyIn) []Mark {
	var out []Mark
	for _, call := range t.Calls {
		mark := Mark{Code: CrowdedCode, Subject: call.ID, Name: call.Name}
		for _, m := range t.Machines {
			if len(others[m.ID]) == 0 {
				continue
			}
			e := calls.Estimate{Machine: m, AfterMiB: ready(call)[m.ID], LimitMiB: m.LimitMiB()}
			if e.AfterMiB == 0 || !e.Fits() {
				continue // over-memory, whoever else is there
			}
			if e.Others = others[m.ID]; e.Fits() {
				continue
			}
			short := e.Shortage()
			if mark.Message == "" {
				mark.Message = call.Name + " does not fit now: " + short
			} else {
				mark.Message += "; " + short
			}
			mark.On = append(mark.On, m.ID)
			for _, h := range e.Others {
				mark.Remedies = append(mark.Remedies, Remedy{Label: fmt.Sprintf("Rest %s on %s", h.Name, m.Name), Rests: &h})
			}
		}
		if len(mark.On) > 0 {
			out = append(out, mark)
		}
	}
	return out
}

// ReadyIn tells what a call takes on each machine with what always stays, MiB.
type ReadyIn func(*template.Call) map[template.ID]float64

// EachReady computes a ReadyIn of a template, each call once.
func EachReady(t *template.Template) ReadyIn {
	takes := calls.NewTakes(t)
	known := make(map[template.ID]map[template.ID]float64, len(t.Calls))
	return func(call *template.Call) map[template.ID]float64 {
		if known[call.ID] == nil {
			known[call.ID] = takes(call.Instruments)
		}
		return known[call.ID]
	}
}

func (s *subject) overMark(what string, m *template.Machine, usedMiB float64) (Mark, bool) {
	short := calls.Estimate{Machine: m, AfterMiB: usedMiB, LimitMiB: m.LimitMiB()}
	if short.Fits() {
		return Mark{}, false
	}
	return Mark{Subject: m.ID, Name: m.Name, Message: fmt.Sprintf("%s does not fit: %s", what, short.Refusal())}, true
}

func (s *subject) seatAfresh() Remedy {
	return Remedy{Label: "Seat everyone again", Build: func() (change.Change, error) {
		plan := seating.Everyone(s.t, seating.Options{Fresh: true})
		return change.Batch{Label: "Seat everyone again", Changes: []change.Change{plan.Change()}}, nil
	}}
}

// thinOut takes the largest instruments on the machine out of the call until
// it fits.
func (s *subject) thinOut(call *template.Call, m *template.Machine) Remedy {
	return Remedy{Label: fmt.Sprintf("Take the largest on %s out of the call", m.Name), Build: func() (change.Change, error) {
		c := *call
		standing := calls.Standing(s.t)
		for _, e := range calls.Costs(s.t, standing, calls.Combine(s.t, call.Instruments, standing)) {
			if e.Machine != m {
				continue
			}
			for _, r := range e.Rest {
				c.Instruments = slices.DeleteFunc(slices.Clone(c.Instruments), func(id template.ID) bool { return id == r.Instrument.ID })
			}
		}
		return change.Put{Calls: []change.Entry[template.Call]{change.Append(&c)}}, nil
	}}
}

// callsOnly asks only that each call fits, since not everything is ever ready
// at once.
func (s *subject) callsOnly() Remedy {
	set := s.t.Settings
	set.MemoryRule = template.FitCalls
	return Remedy{Label: "Ask only that each call fits", Build: always(change.Configure{Name: s.t.Name, Settings: set})}
}

func missingPatches(s *subject) []Mark {
	var out []Mark
	for _, i := range s.t.Instruments {
		if i.Kind == template.Sampled && len(i.Patches) == 0 {
			spare := template.Spare
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name, Message: i.Name + " plays no patch",
				Remedies: []Remedy{
					{Label: "Choose its library in the orchestra"},
					{Label: "Make it a spare row", Build: always(change.Batch{Label: "Make it a spare row", Changes: []change.Change{
						change.Seat{Seats: []change.Seating{{ID: i.ID}}},
						change.Edit{Edits: []change.Fields{{ID: i.ID, Kind: &spare}}},
					}})},
				},
			})
		}
	}
	return out
}
