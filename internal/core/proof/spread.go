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
		if i.Spread != "" && i.With == "" && len(s.stems[n]) > 0 {
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
				{Label: "Send them all to " + main.Name, Build: func() (change.Change, error) {
					others := s.others(of, main)
					return s.seated("Send them to "+main.Name, change.AssignStem{IDs: others, Stem: main.ID}, others)
				}},
			},
		})
	}
	return out
}

// others are the rows of every stem but one, in the order of buses.
func (s *subject) others(of map[*template.Bus][]template.ID, main *template.Bus) []template.ID {
	var out []template.ID
	for _, b := range s.t.Buses {
		if b != main {
			out = append(out, of[b]...)
		}
	}
	return out
}

// splitPlayer gives the rows of every stem but the first a player of their
// own, and seats them.
func (s *subject) splitPlayer(set template.ID, of map[*template.Bus][]template.ID, main *template.Bus) (change.Change, error) {
	var edit change.Edit
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
		}
	}
	return s.seated("Split the player", edit, s.others(of, main))
}

// seated makes a change, and gives those of the rows that sat before seats that
// fit what they are now.
func (s *subject) seated(label string, c change.Change, rows []template.ID) (change.Change, error) {
	after, _, err := change.Apply(s.t, c)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(id template.ID) bool { return s.t.Instrument(id).Seat == nil })
	out := change.Batch{Label: label, Changes: []change.Change{c}}
	if len(rows) > 0 {
		out.Changes = append(out.Changes, seating.Everyone(after, seating.Options{Only: rows}).Change())
	}
	return out, nil
}
