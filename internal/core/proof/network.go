package proof

import (
	"fmt"
	"math"
	"math/bits"

	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

func networkOverloads(s *subject) []Mark {
	var out []Mark
	for _, l := range seating.Links(s.t) {
		if !l.Over() {
			continue
		}
		m := l.Machine
		wider := *m
		for wider.NetworkMbits *= 10; (seating.Link{Machine: &wider, Pairs: l.Pairs}).Over(); {
			wider.NetworkMbits *= 10
		}
		out = append(out, Mark{
			Subject: m.ID, Name: m.Name,
			Message: fmt.Sprintf("The %d output pairs of %s take %.1f Mbit/s; its link carries %.1f of %g", l.Pairs, m.Name, l.Mbits(), m.CarriesMbits(), m.NetworkMbits),
			Remedies: []Remedy{
				{Label: "Move the smallest groups to other machines", Build: func() (change.Change, error) {
					moves, err := seating.FreeLink(s.t, m.ID)
					return change.Batch{Label: moves.Text, Changes: []change.Change{moves.Change()}}, err
				}},
				{Label: fmt.Sprintf("Say that its link is one of %g Mbit/s", wider.NetworkMbits), Build: always(change.Put{Machines: []change.Entry[template.Machine]{change.Append(&wider)}})},
			},
		})
	}
	return out
}

// lateMachines finds machines whose instruments sound later than the settings
// allow, whether or not somebody sits there yet.
func lateMachines(s *subject) []Mark {
	most := s.t.Settings.LatestMs
	if most == 0 {
		return nil
	}
	var out []Mark
	for _, m := range s.t.Machines {
		late := m.LatencyMs()
		if late <= most {
			continue
		}
		set := s.t.Settings
		set.LatestMs = math.Ceil(late*10) / 10
		mark := Mark{
			Subject: m.ID, Name: m.Name,
			Message:  fmt.Sprintf("%s sounds %.1f ms late, of %g allowed", m.Name, late, most),
			Remedies: []Remedy{{Label: fmt.Sprintf("Allow %.1f ms", set.LatestMs), Build: always(change.Configure{Name: s.t.Name, Settings: set})}},
		}
		if buffer := bufferWithin(m, most); buffer > 0 {
			quick := *m
			quick.BufferSamples = buffer
			mark.Remedies = append([]Remedy{{
				Label: fmt.Sprintf("Say that its buffer is %d samples", buffer),
				Build: always(change.Put{Machines: []change.Entry[template.Machine]{change.Append(&quick)}}),
			}}, mark.Remedies...)
		}
		out = append(out, mark)
	}
	return out
}

// bufferWithin is the largest power of two of samples with which a machine is
// no later than most, ms; 0 when even one sample is.
func bufferWithin(m *template.Machine, most float64) int {
	samples := uint(most / 1000 * template.SampleRateHz / (1 + m.BufferTimes))
	return 1 << bits.Len(samples) >> 1
}
