package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

var seatRules = []Rule{
	{Code: "split-output", About: "one output pair carries two stems", reads: routes | buses | seats | patches, find: splitOutputs},
	{Code: "unseated", About: "an instrument has no seat", reads: rows | seats, find: unseated},
	{Code: "seat-clash", About: "two instruments share one seat", reads: seats, find: seatClashes},
	{Code: "riser-overload", About: "a riser holds more than it can", reads: seats | patches | machines, find: riserOverloads},
	{Code: "machine-overload", About: "a machine carries more risers than its cores allow", reads: seats | machines, find: machineOverloads},
	{Code: "network-overload", About: "a machine's open output pairs take more than its link carries", reads: seats | machines, find: networkOverloads},
	{Code: "outputs-overflow", About: "a riser uses outputs it does not have", reads: seats | machines, find: outputsOverflow},
}

type riser struct {
	machine template.ID
	number  int
}

func (s *subject) riserName(r riser) string {
	return fmt.Sprintf("%s, riser %d", s.t.Index().Machines[r.machine].Name, r.number)
}

func (s *subject) reseat(label string, ids ...template.ID) Remedy {
	return Remedy{Label: label, Build: func() (change.Change, error) {
		plan := seating.Everyone(s.t, seating.Options{Only: ids})
		for _, u := range plan.Unseated {
			if u.Instrument.Seat == nil {
				return nil, &change.Refused{Subject: u.Instrument.ID, Reason: fmt.Sprintf("%s finds no seat: %s", u.Instrument.Name, u.Reason)}
			}
		}
		return change.Batch{Label: label, Changes: []change.Change{plan.Change()}}, nil
	}}
}

func splitOutputs(s *subject) []Mark {
	on := map[pair]map[*template.Bus][]*template.Instrument{}
	var order []pair
	for n, i := range s.t.Instruments {
		if i.Seat == nil || len(s.stems[n]) == 0 {
			continue
		}
		p := pair{riser{i.Seat.Machine, i.Seat.Riser}, i.Seat.Pair}
		if on[p] == nil {
			on[p] = map[*template.Bus][]*template.Instrument{}
			order = append(order, p)
		}
		stem := s.stems[n][0]
		on[p][stem] = append(on[p][stem], i)
	}
	var out []Mark
	for _, p := range order {
		if len(on[p]) > 1 {
			out = append(out, s.splitMark(p, on[p]))
		}
	}
	return append(out, splitPlayers(s)...)
}

type pair struct {
	riser
	pair int
}

// splitMark keeps the stem with most instruments on the pair; the others are
// the ones to move.
func (s *subject) splitMark(p pair, on map[*template.Bus][]*template.Instrument) Mark {
	var main *template.Bus
	var names []string
	for _, stem := range s.t.StemsOf(s.fold.ID) {
		if len(on[stem]) > 0 {
			names = append(names, stem.Name)
		}
		if len(on[stem]) > 0 && (main == nil || len(on[stem]) > len(on[main])) {
			main = stem
		}
	}
	var odd []template.ID
	var first *template.Instrument
	for _, i := range s.t.Instruments {
		if i.Seat != nil && i.Seat.Machine == p.machine && i.Seat.Riser == p.number && i.Seat.Pair == p.pair && !slices.Contains(on[main], i) {
			odd = append(odd, i.ID)
			if first == nil {
				first = i
			}
		}
	}
	who := first.Name
	if len(odd) > 1 {
		who = fmt.Sprintf("%s and %d more", who, len(odd)-1)
	}
	return Mark{
		Subject: first.ID, Name: first.Name,
		Message: fmt.Sprintf("Outputs %s of %s carry %s", first.Seat.Outputs(), s.riserName(p.riser), list(names)),
		Remedies: []Remedy{
			s.reseat("Give "+who+" another output pair", odd...),
			{Label: "Send " + who + " to " + main.Name, Build: always(change.AssignStem{IDs: odd, Stem: main.ID})},
		},
	}
}

func unseated(s *subject) []Mark {
	var out []Mark
	for _, i := range s.t.Instruments {
		if i.NeedsSeat() && i.Seat == nil {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name, Message: i.Name + " has no seat",
				Remedies: []Remedy{s.reseat("Seat it", i.ID), s.seatAll()},
			})
		}
	}
	return out
}

func (s *subject) seatAll() Remedy {
	return Remedy{Label: "Seat everyone", Build: func() (change.Change, error) {
		plan := seating.Everyone(s.t, seating.Options{})
		return change.Batch{Label: "Seat everyone", Changes: []change.Change{plan.Change()}}, nil
	}}
}

func seatClashes(s *subject) []Mark {
	taken := make(map[template.Seat]*template.Instrument, len(s.t.Instruments))
	homes := map[template.ID]*template.Instrument{}
	var out []Mark
	for _, i := range s.t.Instruments {
		if i.Seat == nil {
			continue
		}
		if home := homes[i.Spread]; i.Spread != "" && home == nil {
			homes[i.Spread] = i
		} else if i.Spread != "" && !samePort(*home.Seat, *i.Seat) {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name,
				Message:  fmt.Sprintf("%s and %s feed one player and sit on two ports", home.Name, i.Name),
				Remedies: []Remedy{s.reseat("Seat "+i.Name+" beside it", i.ID)},
			})
		}
		place := *i.Seat
		place.Pair = 0
		other := taken[place]
		if other == nil {
			taken[place] = i
			continue
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name,
			Message: fmt.Sprintf("%s and %s both sit on %s, port %d, channel %d", other.Name, i.Name,
				s.riserName(riser{place.Machine, place.Riser}), place.Port, place.Channel),
			Remedies: []Remedy{s.reseat("Give "+i.Name+" another seat", i.ID)},
		})
	}
	return out
}

func samePort(a, b template.Seat) bool {
	return a.Machine == b.Machine && a.Riser == b.Riser && a.Port == b.Port
}

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
		if i.Seat == nil || i.Seat.Port <= s.t.Settings.RiserPorts {
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
		if i.Seat == nil {
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

func machineOverloads(s *subject) []Mark {
	beyond := map[template.ID][]template.ID{}
	highest := map[template.ID]int{}
	for _, i := range s.t.Instruments {
		if i.Seat == nil {
			continue
		}
		m := s.t.Index().Machines[i.Seat.Machine]
		if i.Seat.Riser > s.t.Risers(m) {
			beyond[m.ID] = append(beyond[m.ID], i.ID)
			highest[m.ID] = max(highest[m.ID], i.Seat.Riser)
		}
	}
	var out []Mark
	for _, m := range s.t.Machines {
		if ids := beyond[m.ID]; len(ids) > 0 {
			out = append(out, Mark{
				Subject: m.ID, Name: m.Name,
				Message: fmt.Sprintf("%s has %d cores, enough for %d risers of %d; %d instruments sit on risers up to %d",
					m.Name, m.Cores, s.t.Risers(m), s.t.RiserCores(m), len(ids), highest[m.ID]),
				Remedies: []Remedy{s.reseat("Seat those instruments elsewhere", ids...)},
			})
		}
	}
	return out
}

func outputsOverflow(s *subject) []Mark {
	var out []Mark
	for _, i := range s.t.Instruments {
		if i.Seat != nil && (i.Seat.Pair > s.t.Settings.RiserPairs || i.Seat.Pair < s.t.Settings.FirstPair) {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name,
				Message: fmt.Sprintf("%s plays on outputs %s of %s; in use are pairs %d to %d", i.Name, i.Seat.Outputs(),
					s.riserName(riser{i.Seat.Machine, i.Seat.Riser}), s.t.Settings.FirstPair, s.t.Settings.RiserPairs),
				Remedies: []Remedy{s.reseat("Give it another output pair", i.ID)},
			})
		}
	}
	return out
}

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

// tooHeavy finds risers with more heavy instruments than the settings allow.
func tooHeavy(s *subject) []Mark {
	most := s.t.Settings.Seating.HeavyPerRiser
	if most == 0 {
		return nil
	}
	on := map[riser][]template.ID{}
	var order []riser
	for _, i := range s.t.Instruments {
		if i.Seat == nil || !s.t.Heavy(i) {
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
				Message:  fmt.Sprintf("%s holds %d heavy instruments, %d more than it shall", s.riserName(r), len(on[r]), len(on[r])-most),
				Remedies: []Remedy{s.reseat("Seat the others elsewhere", on[r][most:]...)},
			})
		}
	}
	return out
}
