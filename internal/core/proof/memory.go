package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

var memoryRules = []Rule{
	{Code: "over-memory", About: "a call does not fit into a machine", find: overMemory},
	{Code: "missing-patch", About: "a sampled instrument plays no patch", find: missingPatches},
}

func overMemory(s *subject) []Mark {
	var out []Mark
	for _, call := range s.readySets() {
		used := calls.ReadyMiB(s.t, call.Instruments)
		for _, m := range s.t.Machines {
			if used[m.ID] <= m.LimitMiB() {
				continue
			}
			short := calls.Estimate{Machine: m, AfterMiB: used[m.ID], LimitMiB: m.LimitMiB()}
			mark := Mark{Subject: m.ID, Name: m.Name, Message: fmt.Sprintf("%s does not fit: %s", call.Name, short.Refusal())}
			if call.ID != "" {
				mark.Subject, mark.Name = call.ID, call.Name
				mark.Remedies = append(mark.Remedies, s.thinOut(call, m))
			} else {
				mark.Remedies = append(mark.Remedies, s.callsOnly())
			}
			mark.Remedies = append(mark.Remedies, Remedy{Label: "Seat everyone afresh", Build: s.seatAll().Build})
			out = append(out, mark)
		}
	}
	return out
}

// thinOut takes the largest instruments on the machine out of the call until
// it fits.
func (s *subject) thinOut(call *template.Call, m *template.Machine) Remedy {
	return Remedy{Label: fmt.Sprintf("Take the largest on %s out of the call", m.Name), Build: func() (change.Change, error) {
		c := *call
		for _, e := range calls.Costs(s.t, nil, call.Instruments) {
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
