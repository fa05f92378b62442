package proof

import (
	"fmt"
	"slices"
	"sync"

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
	{Code: "late", About: "a machine sounds later than the settings allow", reads: machines, find: lateMachines},
	{Code: "off-machine", About: "an instrument sits elsewhere than on the machine it stays on", reads: seats | machines, find: offMachine},
	{Code: "pair-shared", About: "an instrument that has an output pair of its own shares it", reads: seats | rows | gone, find: pairsShared},
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
		if i.Seat == nil || i.With != "" || len(s.stems[n]) == 0 {
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
	for _, stem := range s.t.Delivered(s.fold.ID) {
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
		if i.Seat != nil && i.Seat.Machine == p.machine && i.Seat.Riser == p.number && i.Seat.Pair == p.pair && i.With == "" && !slices.Contains(on[main], i) {
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

// offMachine marks rows that were set to stay on a machine, and sit on another.
func offMachine(s *subject) []Mark {
	var out []Mark
	for _, i := range s.t.Instruments {
		m := s.t.Index().Machines[i.Style.Machine]
		if m == nil || i.Seat == nil || i.Seat.Machine == m.ID || i.With != "" {
			continue
		}
		there := s.t.Index().Machines[i.Seat.Machine]
		stays := i.Style
		stays.Machine = there.ID
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name,
			Message: fmt.Sprintf("%s is set to stay on %s, but sits on %s", i.Name, m.Name, there.Name),
			Remedies: []Remedy{
				s.reseat("Seat it on "+m.Name, i.ID),
				{Label: "Let it stay on " + there.Name, Build: always(change.Edit{Edits: []change.Fields{{ID: i.ID, Style: &stays}}})},
			},
		})
	}
	return out
}

// pairsShared marks rows that were given an output pair of their own, and share it.
func pairsShared(s *subject) []Mark {
	own := map[pair]bool{} // pairs that somebody is to have alone
	for _, i := range s.t.Instruments {
		if i.Style.OwnPair && i.Seat != nil && i.With == "" {
			own[pair{riser{i.Seat.Machine, i.Seat.Riser}, i.Seat.Pair}] = true
		}
	}
	if len(own) == 0 {
		return nil
	}
	on := map[pair][]*template.Instrument{}
	for _, i := range s.t.Instruments {
		if i.Seat != nil && i.With == "" && own[pair{riser{i.Seat.Machine, i.Seat.Riser}, i.Seat.Pair}] {
			p := pair{riser{i.Seat.Machine, i.Seat.Riser}, i.Seat.Pair}
			on[p] = append(on[p], i)
		}
	}
	var out []Mark
	for _, i := range s.t.Instruments {
		if !i.Style.OwnPair || i.Seat == nil || i.With != "" {
			continue
		}
		p := pair{riser{i.Seat.Machine, i.Seat.Riser}, i.Seat.Pair}
		if len(on[p]) < 2 {
			continue
		}
		other := on[p][0]
		if other == i {
			other = on[p][1]
		}
		with := other.Name
		if len(on[p]) > 2 {
			with = fmt.Sprintf("%s and %d more", other.Name, len(on[p])-2)
		}
		shares := i.Style
		shares.OwnPair = false
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name,
			Message: fmt.Sprintf("%s is set to have an output pair of its own, but shares %s of %s with %s", i.Name, i.Seat.Outputs(), s.riserName(p.riser), with),
			Remedies: []Remedy{
				s.reseat("Give "+i.Name+" another output pair", i.ID),
				{Label: "Let it share its outputs", Build: always(change.Edit{Edits: []change.Fields{{ID: i.ID, Style: &shares}}})},
			},
		})
	}
	return out
}

func unseated(s *subject) []Mark {
	var out []Mark
	all := s.seatAll()
	for _, i := range s.t.Instruments {
		if i.NeedsSeat() && i.Seat == nil {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name, Message: i.Name + " has no seat",
				Remedies: []Remedy{s.reseat("Seat it", i.ID), all},
			})
		}
	}
	return out
}

// seatAll plans once, for however many marks it is tried.
func (s *subject) seatAll() Remedy {
	return Remedy{Label: "Seat everyone", Build: sync.OnceValues(func() (change.Change, error) {
		plan := seating.Everyone(s.t, seating.Options{})
		return change.Batch{Label: "Seat everyone", Changes: []change.Change{plan.Change()}}, nil
	})}
}

func seatClashes(s *subject) []Mark {
	taken := make(map[template.Seat]*template.Instrument, len(s.t.Instruments))
	homes := map[template.ID]*template.Instrument{}
	var out []Mark
	for _, i := range s.t.Instruments {
		if i.Seat == nil || i.With != "" { // it shares the seat on purpose
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
			Remedies: append([]Remedy{s.reseat("Give "+i.Name+" another seat", i.ID)}, share(i, other)...),
		})
	}
	return out
}

// share lets a row sit with another on purpose, where it plays the same sound.
func share(i, home *template.Instrument) []Remedy {
	if !i.PlaysAs(home) {
		return nil
	}
	return []Remedy{{Label: "Let it share the seat of " + home.Name, Build: always(change.Edit{Edits: []change.Fields{{ID: i.ID, With: &home.ID}}})}}
}

func samePort(a, b template.Seat) bool {
	return a.Machine == b.Machine && a.Riser == b.Riser && a.Port == b.Port
}

func machineOverloads(s *subject) []Mark {
	beyond := map[template.ID][]template.ID{}
	highest := map[template.ID]int{}
	for _, i := range s.t.Instruments {
		if i.Seat == nil || i.With != "" {
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
		if i.Seat != nil && i.With == "" && (i.Seat.Pair > s.t.Settings.RiserPairs || i.Seat.Pair < s.t.Settings.FirstPair) {
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
