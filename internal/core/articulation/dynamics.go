package articulation

import (
	"cmp"
	"slices"

	"fanfold/internal/core/template"
)

// dynamicsWheel is the controller of a part's dynamics.
const dynamicsWheel = 1

// WithDynamics lets a part that does not move the dynamics wheel move it as strong as its
// notes are, for a patch that takes its loudness from there: a printed score says how strong
// notes are, and nobody has played it in. Between notes the wheel stays.
func WithDynamics(p Part, d template.Dynamics) Part {
	switch d {
	case template.DynamicsController, template.DynamicsControllerVelocity, template.DynamicsExpression:
	default:
		return p
	}
	if slices.ContainsFunc(p.Controls, func(c Control) bool { return c.Number == dynamicsWheel }) {
		return p
	}
	notes := slices.SortedStableFunc(slices.Values(p.Notes), func(a, b Note) int { return cmp.Compare(a.Start, b.Start) })
	out := Part{Notes: p.Notes, Controls: slices.Clone(p.Controls)}
	now := -1
	for n := 0; n < len(notes); {
		at, strong := notes[n].Start, 0
		for ; n < len(notes) && notes[n].Start == at; n++ {
			strong = max(strong, notes[n].Velocity)
		}
		if strong != now {
			out.Controls = append(out.Controls, Control{at, dynamicsWheel, strong})
			now = strong
		}
	}
	slices.SortStableFunc(out.Controls, func(a, b Control) int { return cmp.Compare(a.Tick, b.Tick) })
	return out
}
