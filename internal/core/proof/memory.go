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
	standing := calls.Standing(s.t)
	for _, call := range s.t.Calls {
		used := calls.ReadyMiB(s.t, calls.Combine(s.t, call.Instruments, standing))
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

func (s *subject) overMark(what string, m *template.Machine, usedMiB float64) (Mark, bool) {
	short := calls.Estimate{Machine: m, AfterMiB: usedMiB, LimitMiB: m.LimitMiB()}
	if short.Fits() {
		return Mark{}, false
	}
	return Mark{Subject: m.ID, Name: m.Name, Message: fmt.Sprintf("%s does not fit: %s", what, short.Refusal())}, true
}

func (s *subject) seatAfresh() Remedy {
	return Remedy{Label: "Seat everyone afresh", Build: func() (change.Change, error) {
		plan := seating.Everyone(s.t, seating.Options{Fresh: true})
		return change.Batch{Label: "Seat everyone afresh", Changes: []change.Change{plan.Change()}}, nil
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
