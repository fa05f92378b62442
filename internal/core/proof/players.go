package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

// bank is what one bank of a running player holds.
type bank struct {
	sounds  int
	spreads []template.ID // whose rows are among them
}

// excess is what a running player or a bank of it has too much of, and the
// instruments that are too many.
type excess struct {
	where riser
	what  string
	rows  []*template.Instrument
}

// riserOverloads finds seats beyond a riser's ports, and players that hold
// more sounds, or feed more output pairs, than they can.
func riserOverloads(s *subject) []Mark {
	out := tooHeavy(s)
	for _, i := range s.t.Instruments {
		if i.Seat == nil || i.With != "" || i.Seat.Port <= s.t.Settings.RiserPorts {
			continue
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name,
			Message:  fmt.Sprintf("%s sits on port %d of %s, which has %d ports", i.Name, i.Seat.Port, s.riserName(riser{i.Seat.Machine, i.Seat.Riser}), s.t.Settings.RiserPorts),
			Remedies: []Remedy{s.reseat("Give it another seat", i.ID)},
		})
	}
	for _, e := range playersOver(s) {
		i, others := e.rows[0], ""
		var ids []template.ID
		for _, row := range e.rows {
			ids = append(ids, row.ID)
		}
		if len(ids) > 1 {
			others = fmt.Sprintf(" and %d more", len(ids)-1)
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name,
			Message:  fmt.Sprintf("On %s, %s, with %s%s", s.riserName(e.where), e.what, i.Name, others),
			Remedies: []Remedy{s.reseat("Give "+i.Name+others+" another seat", ids...)},
		})
	}
	return out
}

// playersOver finds the players that hold more sounds in a bank, or feed more
// output pairs, than they can.
func playersOver(s *subject) []*excess {
	x := s.t.Index()
	banks, pairs := map[calls.PlayerKey]*bank{}, map[calls.PlayerKey][]int{}
	found := map[string]*excess{}
	var out []*excess
	over := func(i *template.Instrument, what string) {
		where := riser{i.Seat.Machine, i.Seat.Riser}
		key := fmt.Sprint(where, what)
		e := found[key]
		if e == nil {
			e = &excess{where: where, what: what}
			found[key] = e
			out = append(out, e)
		}
		if !slices.Contains(e.rows, i) {
			e.rows = append(e.rows, i)
		}
	}
	for _, i := range s.t.Instruments {
		if i.Seat == nil || i.With != "" {
			continue
		}
		for _, id := range i.Patches {
			player := x.Players[x.Patches[id].Player]
			key := calls.BankAt(player, i, *i.Seat)
			b := banks[key]
			if b == nil {
				b = &bank{}
				banks[key] = b
			}
			if i.Spread == "" || !slices.Contains(b.spreads, i.Spread) { // rows spread out are one sound
				b.spreads = append(b.spreads, i.Spread)
				if b.sounds++; b.sounds > player.Sounds && player.Sounds > 1 {
					over(i, fmt.Sprintf("the %s on port %d holds more than its %d sounds", player.Name, i.Seat.Port, player.Sounds))
				}
			}
			key = calls.PlayerAt(player, i, *i.Seat)
			at := slices.Index(pairs[key], i.Seat.Pair)
			if at < 0 {
				at = len(pairs[key])
				pairs[key] = append(pairs[key], i.Seat.Pair)
			}
			if at >= player.Outputs {
				over(i, fmt.Sprintf("the %s on %s feeds more than its %d output pairs", player.Name, player.PortsText(i.Seat.Port), player.Outputs))
			}
		}
	}
	return out
}

// tooHeavy finds risers with more heavy instruments than the settings allow.
func tooHeavy(s *subject) []Mark {
	most := s.t.Settings.Seating.HeavyPerRiser
	if most == 0 {
		return nil
	}
	on := map[riser][]template.ID{}
	var order []riser
	for _, i := range s.t.Instruments {
		if i.Seat == nil || i.With != "" || !s.t.Heavy(i) {
			continue
		}
		r := riser{i.Seat.Machine, i.Seat.Riser}
		if on[r] == nil {
			order = append(order, r)
		}
		on[r] = append(on[r], i.ID)
	}
	var out []Mark
	for _, r := range order {
		if len(on[r]) > most {
			out = append(out, Mark{
				Subject: on[r][most], Name: s.t.Instrument(on[r][most]).Name,
				Message:  fmt.Sprintf("%s holds %d heavy instruments, %d more than it should", s.riserName(r), len(on[r]), len(on[r])-most),
				Remedies: []Remedy{s.reseat("Seat the others elsewhere", on[r][most:]...)},
			})
		}
	}
	return out
}
