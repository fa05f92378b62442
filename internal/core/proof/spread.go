package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// splitPlayers finds rows spread out over one player that belong to several
// stems: the player plays them through one output.
func splitPlayers(s *subject) []Mark {
	sets := map[template.ID][]int{}
	var order []template.ID
	for n, i := range s.t.Instruments {
		if i.Spread != "" && len(s.stems[n]) > 0 {
			if sets[i.Spread] == nil {
				order = append(order, i.Spread)
			}
			sets[i.Spread] = append(sets[i.Spread], n)
		}
	}
	var out []Mark
	for _, set := range order {
		rows := sets[set]
		of := map[*template.Bus][]template.ID{}
		var names []string
		for _, n := range rows {
			stem := s.stems[n][0]
			if of[stem] == nil {
				names = append(names, stem.Name)
			}
			of[stem] = append(of[stem], s.t.Instruments[n].ID)
		}
		if len(of) < 2 {
			continue
		}
		first := s.t.Instruments[rows[0]]
		main := s.stems[rows[0]][0]
		out = append(out, Mark{
			Subject: first.ID, Name: first.Name,
			Message: fmt.Sprintf("One player plays %s and %d more rows of its set, which go to %s", first.Name, len(rows)-1, list(names)),
			Remedies: []Remedy{
				{Label: "Split the player, one for each stem", Build: func() (change.Change, error) { return s.splitPlayer(set, of, main) }},
				{Label: "Send them all to " + main.Name, Build: always(change.AssignStem{IDs: slices.Concat(slices.Collect(values(of, s.t))...), Stem: main.ID})},
			},
		})
	}
	return out
}

// values are the rows of each stem, in the order of buses.
func values(of map[*template.Bus][]template.ID, t *template.Template) func(func([]template.ID) bool) {
	return func(yield func([]template.ID) bool) {
		for _, b := range t.Buses {
			if ids := of[b]; ids != nil && !yield(ids) {
				return
			}
		}
	}
}

// splitPlayer gives the rows of every stem but the first a player of their
// own, and seats them.
func (s *subject) splitPlayer(set template.ID, of map[*template.Bus][]template.ID, main *template.Bus) (change.Change, error) {
	var edit change.Edit
	var moved []template.ID
	for _, b := range s.t.Buses {
		if b == main || of[b] == nil {
			continue
		}
		own := template.ID(fmt.Sprintf("%s-%s", set, b.ID))
		if len(own) > 64 {
			own = own[len(own)-64:]
		}
		for _, id := range of[b] {
			edit.Edits = append(edit.Edits, change.Fields{ID: id, Spread: &own})
			if s.t.Instrument(id).Seat != nil {
				moved = append(moved, id)
			}
		}
	}
	after, _, err := change.Apply(s.t, edit)
	if err != nil {
		return nil, err
	}
	c := change.Batch{Label: "Split the player", Changes: []change.Change{edit}}
	if len(moved) > 0 {
		c.Changes = append(c.Changes, seating.Everyone(after, seating.Options{Only: moved}).Change())
	}
	return c, nil
}
