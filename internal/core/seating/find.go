package seating

import (
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

// usable is how many seats of a riser plans take; the rest is kept free for
// growth.
func (h *hall) usable() int {
	seats := h.t.Settings.RiserPorts * template.PortChannels
	if h.packed {
		return seats
	}
	return max(1, int(float64(seats)*(1-h.t.Settings.Seating.FreeShare)+1e-9))
}

// room is how many more seats plans take on a riser.
func (h *hall) room(s template.Seat) int { return h.usable() - h.use(s).seats }

// everywhere tells whether no other seat of the machine will do either.
func (r *refusal) everywhere() bool {
	return r.kind == noMemory || r.kind == notInstalled || r.kind == elsewhere
}

// onRiser finds the first seat for an instrument on a riser.
func (h *hall) onRiser(i *template.Instrument, s template.Seat) (template.Seat, *refusal) {
	m := h.t.Index().Machines[s.Machine]
	if h.room(s) <= 0 {
		return s, refuse(taken, "%s has no free seat on its %d risers", m.Name, h.t.Risers(m))
	}
	pair, ok := h.pairFor(i, s)
	if !ok {
		return s, refuse(pairTaken, "%s has no output pair left for another group", m.Name)
	}
	s.Pair = pair
	last := refuse(taken, "%s has no free seat on its %d risers", m.Name, h.t.Risers(m))
	use := h.use(s)
	fed := h.fedPorts(i, s)
	for _, pass := range []bool{true, false} { // first where its player feeds the pair already
		for s.Port = 1; s.Port <= h.t.Settings.RiserPorts; s.Port++ {
			if use.taken(s.Port) == fullPort || pass != (fed&(1<<s.Port) != 0) {
				continue
			}
			seat, refusal := h.onPort(i, s)
			if refusal == nil || refusal.everywhere() || refusal.kind == tooHeavy {
				return seat, refusal
			}
			if refusal.kind == playerFull {
				last = refusal
			}
		}
	}
	return s, last
}

// next finds the first seat for an instrument on a riser, beside the rows it
// shares a player with.
func (h *hall) next(i *template.Instrument, at riserKey) (template.Seat, *refusal) {
	if x := h.spread[i.Spread]; x != nil && x.seated > 0 {
		return h.onPort(i, x.home)
	}
	return h.onRiser(i, template.Seat{Machine: at.machine, Riser: at.riser})
}

// fedPorts are the ports on which a player of many sounds feeds the pair for
// the instrument already, one bit each.
func (h *hall) fedPorts(i *template.Instrument, s template.Seat) uint64 {
	var fed uint64
	patch := h.t.Index().Patches[first(i.Patches)]
	if patch == nil {
		return 0
	}
	p := h.t.Index().Players[patch.Player]
	if p.Sounds < 2 {
		return 0
	}
	for s.Port = 1; s.Port <= min(63, h.t.Settings.RiserPorts); s.Port++ {
		if h.outputs[calls.PlayerAt(p, i, s)][s.Pair] > 0 {
			fed |= 1 << s.Port
		}
	}
	return fed
}

func first(ids []template.ID) template.ID {
	if len(ids) == 0 {
		return ""
	}
	return ids[0]
}

// onPort finds the first seat on a port, with the pair given or, if there is
// none, the instrument's.
func (h *hall) onPort(i *template.Instrument, s template.Seat) (template.Seat, *refusal) {
	if s.Pair == 0 {
		pair, ok := h.pairFor(i, s)
		if !ok {
			return s, refuse(pairTaken, "there is no output pair left for another group")
		}
		s.Pair = pair
	}
	channels := h.use(s).taken(s.Port)
	if channels == fullPort {
		return s, refuse(taken, "port %d is full", s.Port)
	}
	s.Channel = bits.TrailingZeros16(^channels) + 1
	return s, h.refuses(i, s)
}

// why says, machine by machine, why an instrument finds no seat.
func (h *hall) why(i *template.Instrument) string {
	if len(h.t.Machines) == 0 {
		return "there is no machine; add one"
	}
	if x := h.spread[i.Spread]; x != nil && x.seated > 0 {
		if _, refusal := h.onPort(i, x.home); refusal != nil {
			return refusal.text()
		}
	}
	var out []string
	for _, m := range h.t.Machines {
		if i.Style.Machine != "" && i.Style.Machine != m.ID {
			continue
		}
		out = append(out, h.whyNotOn(i, m))
	}
	if len(out) > 3 {
		out = append(slices.Clone(out[:3]), fmt.Sprintf("and %d more machines", len(out)-3))
	}
	return strings.Join(out, "; ")
}

// proof says what is lacking whatever is moved, when that is why an instrument finds no
// seat: all that must be ready at once takes more than there is, on the one machine that
// some are bound to, or on all together.
func (h *hall) proof(i *template.Instrument) string {
	if len(h.t.Machines) == 0 {
		return ""
	}
	bound, only := h.boundTo(i)
	if !only {
		bound = ""
	}
	all := h.neededBy(bound)
	need, rows := all.mib, all.rows
	who, limit, seats, large := "all machines together lack", 0.0, 0, false
	for _, m := range h.t.Machines {
		if only && m.ID != bound {
			continue
		}
		if only {
			who = m.Name + " lacks"
		}
		limit += h.limit(m)
		large = large || h.limit(m) >= h.atLeast[i.ID]
		seats += h.t.Risers(m) * h.usable()
	}
	short := 0.0
	for _, n := range h.member[i.ID] {
		short = max(short, need[n]-limit)
	}
	switch {
	case !large: // it would fit nowhere by itself
		return ""
	case short > 1e-6:
		return fmt.Sprintf("; %s %s, whatever is moved", who, amount(short))
	case seats > 0 && rows > seats:
		return fmt.Sprintf("; %s %d seats, whatever is moved", who, rows-seats)
	}
	return ""
}

// needed is what rows need at least: MiB in every set that must be ready at once.
type needed struct {
	mib  []float64
	rows int
}

// neededBy is what those need that are bound to a machine, or all without one. It is
// added up once.
func (h *hall) neededBy(bound template.ID) needed {
	if known, ok := h.needs[bound]; ok {
		return known
	}
	out := needed{mib: make([]float64, len(h.glasses))}
	for _, o := range h.t.Instruments {
		if m, also := h.boundTo(o); !o.NeedsSeat() || bound != "" && (!also || m != bound) {
			continue
		}
		out.rows++
		for _, n := range h.member[o.ID] {
			out.mib[n] += h.atLeast[o.ID]
		}
	}
	if h.needs == nil {
		h.needs = map[template.ID]needed{}
	}
	h.needs[bound] = out
	return out
}

func (h *hall) whyNotOn(i *template.Instrument, m *template.Machine) string {
	risers := h.t.Risers(m)
	if risers == 0 {
		return fmt.Sprintf("%s has %d cores, too few for a riser of %d", m.Name, m.Cores, h.t.RiserCores(m))
	}
	why := ""
	for r := 1; r <= risers; r++ {
		_, refusal := h.onRiser(i, template.Seat{Machine: m.ID, Riser: r})
		if refusal == nil {
			return fmt.Sprintf("there is a seat on %s; seat it again", m.Name)
		}
		if why = refusal.text(); refusal.everywhere() {
			break
		}
	}
	return why
}
