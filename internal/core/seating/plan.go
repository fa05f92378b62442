// Package seating places instruments on machines: a template goes in, a plan
// with a seat for each instrument, or the reason why not, comes out. The rule
// is simple and never breaks a limit: groups in score order, each to the
// machine with most memory to spare, first free seat on the first riser.
package seating

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Unseated is an instrument that found no seat, and why.
type Unseated struct {
	Instrument *template.Instrument
	Reason     string
}

// Plan is a seating plan.
type Plan struct {
	Seats      []change.Seating // new or changed seats, in score order
	Unseated   []Unseated
	RisersUsed int
	LowerBound int // no plan can use fewer risers
}

// Change is the plan as an edit of the template.
func (p Plan) Change() change.Change { return change.Seat{Seats: p.Seats} }

// Options of a plan.
type Options struct {
	Fresh bool          // forget the seats there are; defaults to keeping the sound ones
	Only  []template.ID // place just these, all others stay; empty places everyone
}

// Everyone seats every sampled instrument. Seats that break no limit are kept
// unless o.Fresh.
func Everyone(t *template.Template, o Options) Plan {
	h := newHall(t)
	only := make(map[template.ID]bool, len(o.Only))
	for _, id := range o.Only {
		only[id] = true
	}
	keep := func(i *template.Instrument) bool {
		if len(only) > 0 {
			return !only[i.ID]
		}
		return !o.Fresh
	}
	var plan Plan
	var todo []*template.Instrument
	for _, i := range t.ScoreOrder() {
		if !i.NeedsSeat() {
			continue
		}
		if i.Seat != nil && keep(i) && (len(only) > 0 || h.refuses(i, *i.Seat) == nil) {
			h.take(i, *i.Seat)
			continue
		}
		if len(only) == 0 || only[i.ID] {
			todo = append(todo, i)
		}
	}
	for _, group := range byGroup(todo, h) {
		h.seatGroup(group, &plan)
	}
	plan.RisersUsed, plan.LowerBound = h.risersUsed(), lowerBound(t, h)
	sortScore(t, &plan)
	return plan
}

func sortScore(t *template.Template, plan *Plan) {
	rank := make(map[template.ID]int, len(t.Instruments))
	for n, i := range t.ScoreOrder() {
		rank[i.ID] = n
	}
	slices.SortFunc(plan.Seats, func(a, b change.Seating) int { return rank[a.ID] - rank[b.ID] })
	slices.SortFunc(plan.Unseated, func(a, b Unseated) int { return rank[a.Instrument.ID] - rank[b.Instrument.ID] })
}

// byGroup gathers instruments that may share output pairs, in score order of
// their first.
func byGroup(list []*template.Instrument, h *hall) [][]*template.Instrument {
	place := map[groupKey]int{}
	var out [][]*template.Instrument
	for _, i := range list {
		key := h.group(i)
		n, ok := place[key]
		if !ok {
			n = len(out)
			place[key] = n
			out = append(out, nil)
		}
		out[n] = append(out[n], i)
	}
	return out
}

// seatGroup seats a group together where it can: on the machines in order of
// how full they would be.
func (h *hall) seatGroup(group []*template.Instrument, plan *Plan) {
	machines := h.machinesFor(group)
	for _, i := range group {
		seat, refusals := h.find(i, machines)
		if seat == nil {
			plan.Unseated = append(plan.Unseated, Unseated{Instrument: i, Reason: reason(refusals)})
			if i.Seat != nil {
				plan.Seats = append(plan.Seats, change.Seating{ID: i.ID})
			}
			continue
		}
		h.take(i, *seat)
		if i.Seat == nil || *i.Seat != *seat {
			plan.Seats = append(plan.Seats, change.Seating{ID: i.ID, Seat: seat})
		}
	}
}

func (h *hall) machinesFor(group []*template.Instrument) []*template.Machine {
	need := 0.0
	for _, i := range group {
		for _, p := range h.t.PatchesOf(i) {
			need += i.PreloadMiB(p)
		}
	}
	full := make(map[template.ID]float64, len(h.t.Machines))
	for _, m := range h.t.Machines {
		full[m.ID] = (h.preload[m.ID] + need) / max(1, m.LimitMiB())
	}
	machines := slices.Clone(h.t.Machines)
	slices.SortStableFunc(machines, func(a, b *template.Machine) int { return cmp.Compare(full[a.ID], full[b.ID]) })
	return machines
}

// find returns the first seat the instrument can take, or for each machine
// why not.
func (h *hall) find(i *template.Instrument, machines []*template.Machine) (*template.Seat, []string) {
	if len(machines) == 0 {
		return nil, []string{"there is no machine; add one"}
	}
	var refusals []string
	for _, m := range machines {
		if i.Style.Machine != "" && i.Style.Machine != m.ID {
			continue
		}
		seat, why := h.findOn(i, m)
		if seat != nil {
			return seat, nil
		}
		refusals = append(refusals, why)
	}
	return nil, refusals
}

func (h *hall) findOn(i *template.Instrument, m *template.Machine) (*template.Seat, string) {
	risers := h.t.Risers(m)
	if risers == 0 {
		return nil, fmt.Sprintf("%s has %d cores, too few for a riser of %d", m.Name, m.Cores, h.t.RiserCores(m))
	}
	why := fmt.Sprintf("%s has no free seat on its %d risers", m.Name, risers)
	for r := 1; r <= risers; r++ {
		seat := template.Seat{Machine: m.ID, Riser: r}
		pair, ok := h.pairFor(i, seat)
		if !ok {
			why = fmt.Sprintf("%s has no output pair left for another group", m.Name)
			continue
		}
		seat.Pair = pair
		for seat.Port = 1; seat.Port <= h.t.Settings.RiserPorts; seat.Port++ {
			seat.Channel = h.freeChannel(seat)
			if seat.Channel == 0 {
				continue
			}
			refusal := h.refuses(i, seat)
			if refusal == nil {
				return &seat, ""
			}
			if refusal.kind == noMemory || refusal.kind == notInstalled {
				return nil, refusal.text // no other seat of this machine will do
			}
		}
	}
	return nil, why
}

func reason(refusals []string) string {
	if len(refusals) > 3 {
		refusals = append(slices.Clone(refusals[:3]), fmt.Sprintf("and %d more machines", len(refusals)-3))
	}
	return strings.Join(refusals, "; ")
}

// lowerBound is the least number of risers any plan needs: by seats, by
// output pairs, and by the fewest machines whose memory holds everything.
func lowerBound(t *template.Template, h *hall) int {
	seats, groups, memory := 0, map[groupKey]bool{}, 0.0
	for _, i := range t.Instruments {
		if i.NeedsSeat() {
			seats++
			groups[h.group(i)] = true
			for _, p := range t.PatchesOf(i) {
				memory += i.PreloadMiB(p)
			}
		}
	}
	bySeats := ceilDiv(seats, t.Settings.RiserPorts*template.PortChannels)
	byPairs := ceilDiv(len(groups), t.Settings.RiserPairs-t.Settings.FirstPair+1)
	byMemory := 0
	if t.Settings.MemoryRule == template.FitEverything {
		byMemory = machinesFor(t, memory)
	}
	return max(bySeats, byPairs, byMemory)
}

func machinesFor(t *template.Template, mib float64) int {
	var limits []float64
	for _, m := range t.Machines {
		limits = append(limits, m.LimitMiB())
	}
	slices.SortFunc(limits, func(a, b float64) int { return cmp.Compare(b, a) })
	for n, limit := range limits {
		if mib <= 0 {
			return n
		}
		mib -= limit
	}
	return len(limits)
}

func ceilDiv(a, b int) int { return (a + b - 1) / max(1, b) }
