package seating

import (
	"cmp"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/packing"
	"fanfold/internal/core/template"
)

// packer shares rows among machines as items among bins: memory in every set that must
// fit, seats, and heavy ones are what a row needs and a machine has. What a riser
// also wants - output pairs, ports and players - is found out when the rows take
// their seats there.
type packer struct {
	p      *planner
	rows   [][]*template.Instrument // of each item: rows that feed one player go together
	solver *packing.Solver
	least  int
	spent  int // rounds
	idle   int // rounds since the last that was better
	// reserve keeps room for one more running player of each kind on each riser.
	reserve bool
}

// worthPacking tells whether sharing rows out again may help: somebody is left over, or
// more risers are in use than there need be.
func (p *planner) worthPacking() bool {
	cost := p.h.tally.cost()
	return len(p.movable) > 0 && len(p.h.t.Machines) > 0 && (cost.Unseated > 0 || p.fresh && cost.Risers > p.least)
}

func (p *planner) newPacker(reserve bool) *packer {
	k := &packer{p: p, least: p.least, reserve: reserve}
	bySpread := map[template.ID]int{}
	for _, i := range p.movable {
		n, together := bySpread[i.Spread]
		if i.Spread == "" || !together {
			n = len(k.rows)
			k.rows = append(k.rows, nil)
			if i.Spread != "" {
				bySpread[i.Spread] = n
			}
		}
		k.rows[n] = append(k.rows[n], i)
	}
	k.solver = packing.New(k.problem())
	return k
}

// Things that are needed beside memory: their numbers come after those of the sets.
func (h *hall) seatsNo() int { return len(h.glasses) }
func (h *hall) heavyNo() int { return len(h.glasses) + 1 }

func (k *packer) problem() packing.Problem {
	h := k.p.h
	out := packing.Problem{Things: len(h.glasses) + 2}
	machine := map[template.ID]int{}
	reserve := 0.0 // on each riser, MiB
	if k.reserve {
		reserve = h.ownMiB()
	}
	for n, m := range h.t.Machines {
		machine[m.ID] = n
		room := make([]float64, out.Things)
		for set, g := range h.glasses {
			room[set] = h.limit(m) - g.UsedMiB(m.ID) - float64(h.t.Risers(m))*reserve
		}
		seats, heavy := h.t.Risers(m)*h.usable(), h.t.Risers(m)*h.t.Settings.Seating.HeavyPerRiser
		bin := packing.Bin{Room: room, Unit: h.usable()}
		for r := 1; r <= h.t.Risers(m); r++ {
			use := h.use(template.Seat{Machine: m.ID, Riser: r})
			bin.Rows += use.seats
			heavy -= use.heavy
		}
		room[h.seatsNo()] = float64(seats - bin.Rows)
		room[h.heavyNo()] = float64(heavy)
		if h.t.Settings.Seating.HeavyPerRiser == 0 {
			room[h.heavyNo()] = float64(len(h.t.Instruments))
		}
		out.Bins = append(out.Bins, bin)
	}
	for _, rows := range k.rows {
		item := k.item(rows)
		if s, sits := k.p.seats[rows[0].ID]; sits { // it gives back what it takes
			b := &out.Bins[machine[s.Machine]]
			for _, n := range item.Needs {
				b.Room[n.Of] += n.Amount
			}
			b.Rows -= len(rows)
			if !k.p.fresh {
				item.Home = machine[s.Machine]
			}
		}
		out.Items = append(out.Items, item)
	}
	return out
}

// item is what rows that go together need.
func (k *packer) item(rows []*template.Instrument) packing.Item {
	h := k.p.h
	item := packing.Item{Rows: len(rows), Home: -1}
	ready := map[int][]*template.Instrument{}
	for _, i := range rows {
		for _, set := range h.member[i.ID] {
			ready[set] = append(ready[set], i)
		}
	}
	alone := 0.0
	if len(rows) == 1 {
		alone = h.sizeOf(rows)
	}
	for set := range h.glasses {
		mib := alone
		if len(rows) > 1 || len(ready[set]) == 0 {
			mib = h.sizeOf(ready[set])
		}
		if mib > 0 {
			item.Needs = append(item.Needs, packing.Need{Of: set, Amount: mib})
		}
	}
	item.Needs = append(item.Needs, packing.Need{Of: h.seatsNo(), Amount: float64(len(rows))})
	heavy := 0
	for _, i := range rows {
		if h.t.Heavy(i) {
			heavy++
		}
	}
	if heavy > 0 {
		item.Needs = append(item.Needs, packing.Need{Of: h.heavyNo(), Amount: float64(heavy)})
	}
	item.Bins = k.where(rows)
	return item
}

// ownMiB is the own memory of one of each player of many sounds that rows play, MiB.
func (h *hall) ownMiB() float64 {
	sum := 0.0
	seen := map[template.ID]bool{}
	for _, i := range h.t.Instruments {
		for _, patch := range h.t.PatchesOf(i) {
			if p := h.t.Index().Players[patch.Player]; p.Sounds > 1 && !seen[p.ID] {
				seen[p.ID] = true
				sum += p.OwnMiB
			}
		}
	}
	return sum
}

// where tells on which machines rows can sit at all; nil for all of them.
func (k *packer) where(rows []*template.Instrument) []bool {
	h := k.p.h
	can, all := make([]bool, len(h.t.Machines)), true
	at := template.Seat{Machine: "any", Riser: 1, Port: 1, Channel: 1}
	alone := 0.0
	for _, i := range rows {
		alone = max(alone, h.empty.Adding(i, at))
	}
	for n, m := range h.t.Machines {
		can[n] = h.t.Risers(m) > 0 && alone <= h.limit(m)+1e-6
	}
	for _, i := range rows {
		has := h.installed(i)
		for n, m := range h.t.Machines {
			can[n] = can[n] && has[n] && (i.Style.Machine == "" || i.Style.Machine == m.ID)
		}
	}
	for _, here := range can {
		all = all && here
	}
	if all {
		return nil
	}
	return can
}

// sizeOf is the memory that rows take together, MiB: what they load, and their players'
// own, of a player of many sounds only the share of so many.
func (h *hall) sizeOf(rows []*template.Instrument) float64 {
	if len(rows) == 0 {
		return 0
	}
	g := calls.NewGlass(h.t)
	at := template.Seat{Machine: "any", Riser: 1, Port: 1}
	for n, i := range rows {
		at.Channel = n + 1
		g.Add(i, at)
	}
	sum := g.UsedMiB("any")
	woken := map[*template.Player]bool{}
	for _, i := range rows {
		for _, patch := range h.t.PatchesOf(i) {
			p := h.t.Index().Players[patch.Player]
			if p.Sounds > 1 && !woken[p] && i.Spread == "" {
				woken[p] = true
				sum -= p.OwnMiB * (1 - 1/float64(min(p.Sounds, template.PortChannels)))
			}
		}
	}
	return sum
}

// pack shares rows out again when that may help. Where players' own memory takes more
// than rows were computed with, so that somebody is left over, it is reserved.
func (p *planner) pack(o Options) {
	if len(o.Only) > 0 {
		return
	}
	stop := func() bool { return o.Stop != nil && o.Stop() }
	for reserve := range 2 {
		if !p.worthPacking() || stop() {
			return
		}
		k := p.newPacker(reserve == 1)
		k.begin()
		for !k.done() && !stop() {
			k.more()
		}
		if k.solver.Score().Left > 0 || p.h.tally.cost().Unseated == 0 {
			break // there is no room, or no need to reserve any
		}
	}
	if p.worthPacking() && !stop() {
		p.firstFit()
	}
}

// firstFit seats all again, the one with most memory first, each on the first machine that
// has a seat for it, and keeps that if it is cheaper.
func (p *planner) firstFit() {
	p.try(p.movable, func() {
		list := slices.Clone(p.movable)
		slices.SortStableFunc(list, func(a, b *template.Instrument) int { return cmp.Compare(p.h.atLeast[b.ID], p.h.atLeast[a.ID]) })
		for _, i := range list {
			for _, m := range p.h.t.Machines {
				if p.h.full(i, m) {
					continue
				}
				p.within = m
				if s, ok := p.seatOn(i, p.risersFor([]*template.Instrument{i}, nil)); ok {
					p.sit(i, s)
					break
				}
			}
		}
		p.within = nil
	})
}

// try has some rise, seats them in another way, and takes that back when it is no
// cheaper. It tells whether it was.
func (p *planner) try(some []*template.Instrument, seat func()) bool {
	before, was := p.h.tally.cost(), map[template.ID]template.Seat{}
	for _, i := range some {
		if s, sits := p.seats[i.ID]; sits {
			was[i.ID] = s
			p.rise(i)
		}
	}
	seat()
	if p.h.tally.cost().Total < before.Total-1e-9 {
		return true
	}
	for _, i := range some {
		if _, sits := p.seats[i.ID]; sits {
			p.rise(i)
		}
	}
	for _, i := range some {
		if s, sat := was[i.ID]; sat {
			p.sit(i, s)
		}
	}
	return false
}

// The rounds of sharing out again: at once, in all, and in vain.
const (
	packAtOnce   = 250
	packRounds   = 3_000
	packPatience = 250
)

// begin shares rows out in several ways and takes the best.
func (k *packer) begin() bool {
	if k.p.fresh {
		k.solver.Begin(k.least)
	}
	return k.settle()
}

// more goes on for some rounds, and tells whether the plan became cheaper. Once spent, it
// does nothing.
func (k *packer) more() bool {
	before := k.solver.Score()
	for range packAtOnce {
		if k.done() {
			break
		}
		k.spent++
		k.idle++
		if k.solver.Improve() {
			k.idle = 0
		}
	}
	return k.solver.Score().Less(before) && k.settle()
}

func (k *packer) done() bool {
	return k.spent >= packRounds || k.idle >= packPatience || k.solver.Perfect(k.least)
}

// settle seats rows on the machines they are shared out to, and takes that back when it
// is no cheaper.
func (k *packer) settle() bool {
	p := k.p
	on := make([][]*template.Instrument, len(p.h.t.Machines))
	var moved []*template.Instrument
	touched := make([]bool, len(on))
	for n, b := range k.solver.Packing() {
		for _, i := range k.rows[n] {
			s, sits := p.seats[i.ID]
			if b >= 0 {
				on[b] = append(on[b], i)
				touched[b] = touched[b] || !sits || s.Machine != p.h.t.Machines[b].ID
			}
			if !sits || b < 0 || s.Machine != p.h.t.Machines[b].ID {
				moved = append(moved, i)
			}
		}
	}
	over := 0 // shared out, and without a seat there
	seat := func() {
		for b, m := range p.h.t.Machines {
			if touched[b] {
				over += p.seatWithin(m, on[b])
			}
		}
	}
	if len(moved) == 0 {
		return false
	}
	return p.try(moved, seat) || over > 0 && p.try(p.movable, seat)
}

// seatWithin seats those rows on one machine that have no seat, and tells how many find
// none.
func (p *planner) seatWithin(m *template.Machine, rows []*template.Instrument) int {
	sits := func(i *template.Instrument) bool { _, sits := p.seats[i.ID]; return sits }
	standing := slices.DeleteFunc(slices.Clone(rows), sits)
	slices.SortFunc(standing, func(a, b *template.Instrument) int { return p.rank[a.ID] - p.rank[b.ID] })
	p.within = m
	p.seatAll(standing, bySize, nil)
	p.within = nil
	return len(slices.DeleteFunc(standing, sits))
}
