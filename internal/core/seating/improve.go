package seating

import (
	"cmp"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

// dice is a small stream of chance that gives the same numbers every time
// (xorshift32, Marsaglia 2003: shifts 13, 17, 5).
type dice uint32

func (d *dice) luck() uint32 {
	x := uint32(*d)
	x ^= x << 13
	x ^= x >> 17
	x ^= x << 5
	*d = dice(x)
	return x
}

func (d *dice) below(n int) int { return int(d.luck() % uint32(n)) }

// improve takes a part of the plan out, seats it again, and keeps what became
// cheaper. It ends after some rounds in vain, unless risers might be spared: where
// memory alone makes them scarce, sharing rows out has seen to that.
func (p *planner) improve(o Options) {
	rounds, patience := o.Rounds, o.Rounds
	if rounds == 0 {
		rounds, patience = 60, 20
	}
	if rounds < 0 || len(o.Only) > 0 || !p.canImprove() {
		return
	}
	if p.h.tally.used > manyRisers {
		rounds, patience = max(4, rounds*manyRisers/(4*p.h.tally.used)), patience/4
	}
	fruitless := 0
	for round := range rounds {
		if fruitless > patience && (p.h.tally.used <= p.least || !p.crowded()) || o.Stop != nil && o.Stop() {
			return
		}
		if fruitless++; p.round(round) {
			fruitless = 0
		}
	}
}

// manyRisers is from how many risers in use on a round of improvement costs so much that
// fewer are gone through.
const manyRisers = 200

// canImprove tells whether any other plan could be cheaper: somebody is left
// over, or moving somebody may pay.
func (p *planner) canImprove() bool {
	if len(p.movable) == 0 {
		return false
	}
	cost, w := p.h.tally.cost(), p.h.tally.weights
	for _, i := range p.movable {
		if p.h.tally.from[i.ID] == nil {
			return true
		}
	}
	return p.fresh || cost.Unseated > 0 || cost.Moved > 0 || w.Moved < cost.Total-w.Unseated*float64(cost.Unseated)
}

// round tries one other plan, and tells whether it is cheaper.
func (p *planner) round(n int) bool {
	before := p.h.tally.cost()
	barred, fit := map[riserKey]bool{}, false
	p.opened = map[riserKey]bool{}
	for _, r := range p.used() {
		p.opened[r] = true
	}
	var out []*template.Instrument
	switch used := p.used(); {
	case len(used) == 0:
	case n%12 == 6 && before.Risers > p.least && p.crowded() && len(p.movable) <= mostFittedAnew:
		open := p.roomiest(before.Risers - 1)
		for _, r := range used {
			barred[r] = !open[r]
		}
		p.opened, fit = open, true
		out = slices.Clone(p.movable)
	case n%6 == 0 && before.Risers > p.least && p.crowded():
		barred[used[0]] = true // the emptiest
		fit = true
		for n, r := range used {
			if n == 0 || len(out) < mostFitted {
				out = append(out, p.on(r)...)
			}
		}
	case n%3 == 0 && before.Risers > p.least:
		barred[used[0]] = true
		out = append(p.on(used[0]), p.on(used[p.dice.below(len(used))])...)
	case n%3 == 1:
		out = p.on(used[p.dice.below(len(used))])
		if other := used[p.dice.below(len(used))]; len(used) > 1 {
			out = append(out, p.on(other)...)
		}
	default:
		out = p.someGroups(2 + p.dice.below(5))
	}
	out = append(out, p.some(p.unseated())...)
	slices.SortFunc(out, func(a, b *template.Instrument) int { return p.rank[a.ID] - p.rank[b.ID] })
	out = slices.Compact(out)
	return p.try(out, func() {
		if fit {
			p.fit(out, barred)
		} else {
			p.seatAll(out, p.anyOrder(n), barred)
		}
	})
}

// crowded tells whether risers are scarce by their seats, and not by memory alone.
func (p *planner) crowded() bool { return p.h.tally.seated > p.h.tally.used*p.h.usable()/4 }

// mostFitted is how many instruments are fitted one by one in one round.
const mostFitted = 1500

// mostFittedAnew is how many may be fitted when all are taken out.
const mostFittedAnew = 4000

// roomiest picks risers one by one, each on the machine that has most memory
// for one more.
func (p *planner) roomiest(n int) map[riserKey]bool {
	picked, open := map[template.ID]int{}, map[riserKey]bool{}
	for range n {
		var best *template.Machine
		most := 0.0
		for _, m := range p.h.t.Machines {
			if each := p.h.limit(m) / float64(picked[m.ID]+1); picked[m.ID] < p.h.t.Risers(m) && each > most {
				best, most = m, each
			}
		}
		if best == nil {
			break
		}
		picked[best.ID]++
		open[riserKey{best.ID, picked[best.ID]}] = true
	}
	return open
}

// fit seats instruments one by one, whatever their group, the one with most
// memory first, on the riser in use that has most memory for each of its seats:
// so that neither memory nor seats run out before the other.
func (p *planner) fit(list []*template.Instrument, barred map[riserKey]bool) {
	h := p.h
	memory := func(i *template.Instrument) float64 { return calls.PreloadMiB(h.t, i) }
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b *template.Instrument) int {
		x, y := h.group(a), h.group(b)
		return cmp.Or(cmp.Compare(memory(b), memory(a)), cmp.Compare(x.bus, y.bus), cmp.Compare(x.own, y.own))
	})
	var open []template.Seat
	for _, m := range h.t.Machines {
		for r := 1; r <= h.t.Risers(m); r++ {
			if s := (template.Seat{Machine: m.ID, Riser: r}); !barred[riserOf(s)] && p.opened[riserOf(s)] {
				open = append(open, s)
			}
		}
	}
	for _, i := range list {
		rooms := map[template.ID]int{} // seats of a machine's open risers
		for _, s := range open {
			rooms[s.Machine] += max(0, h.room(s))
		}
		each := func(s template.Seat) float64 {
			return (h.limit(h.t.Index().Machines[s.Machine]) - h.preload[s.Machine]) / float64(max(1, rooms[s.Machine]))
		}
		slices.SortStableFunc(open, func(a, b template.Seat) int {
			if a.Machine != b.Machine {
				return cmp.Compare(each(b), each(a))
			}
			return cmp.Compare(h.tally.joining(i, a), h.tally.joining(i, b))
		})
		if s, ok := p.seatOn(i, open); ok {
			p.sit(i, s)
		} else if !p.makeRoom(i, open) {
			return // one left over is a worse plan
		}
	}
}

// mostSwaps is how many swaps make room for one instrument.
const mostSwaps = 4

// makeRoom seats an instrument where seats are free but memory is not, after
// swapping a large instrument there for a small one from where memory is free.
func (p *planner) makeRoom(i *template.Instrument, open []template.Seat) bool {
	h := p.h
	spare := func(m template.ID) float64 { return h.limit(h.t.Index().Machines[m]) - h.preload[m] }
	for _, at := range open {
		if h.room(at) == 0 {
			continue
		}
		for range mostSwaps {
			if s, ok := p.seatOn(i, []template.Seat{at}); ok {
				p.sit(i, s)
				return true
			}
			short := calls.PreloadMiB(h.t, i) - spare(at.Machine)
			if short <= 0 || !p.swap(at.Machine, short, spare) {
				break
			}
		}
	}
	return false
}

// swap frees memory on a machine: of two instruments that change places, the
// larger leaves it. It frees what is short, or as much as it can.
func (p *planner) swap(machine template.ID, short float64, spare func(template.ID) float64) bool {
	type found struct {
		large, small *template.Instrument
		frees        float64
	}
	var best found
	sizes := p.sizes()
	for _, a := range sizes[machine] {
		for _, m := range p.h.t.Machines {
			room := spare(m.ID)
			if m.ID == machine || room <= 0 {
				continue
			}
			for _, b := range sizes[m.ID] {
				frees := calls.PreloadMiB(p.h.t, a) - calls.PreloadMiB(p.h.t, b)
				if frees <= 0 || frees > room {
					continue
				}
				if better := min(frees, short) > min(best.frees, short) || min(frees, short) == min(best.frees, short) && frees < best.frees; better || best.large == nil {
					best = found{a, b, frees}
				}
			}
		}
	}
	return best.large != nil && p.exchange(best.large, best.small)
}

// sizes lists one movable instrument of each size that sits on each machine.
func (p *planner) sizes() map[template.ID][]*template.Instrument {
	type size struct {
		machine template.ID
		mib     float64
	}
	out, seen := map[template.ID][]*template.Instrument{}, map[size]bool{}
	for _, i := range p.movable {
		s, sits := p.seats[i.ID]
		if key := (size{s.Machine, calls.PreloadMiB(p.h.t, i)}); sits && i.Spread == "" && !seen[key] {
			seen[key] = true
			out[s.Machine] = append(out[s.Machine], i)
		}
	}
	return out
}

// exchange has two instruments change risers, if both find a seat.
func (p *planner) exchange(a, b *template.Instrument) bool {
	x, y := p.seats[a.ID], p.seats[b.ID]
	p.rise(a)
	p.rise(b)
	if s, ok := p.seatOn(a, []template.Seat{{Machine: y.Machine, Riser: y.Riser}}); ok {
		p.sit(a, s)
		if s, ok := p.seatOn(b, []template.Seat{{Machine: x.Machine, Riser: x.Riser}}); ok {
			p.sit(b, s)
			return true
		}
		p.rise(a)
	}
	p.sit(a, x)
	p.sit(b, y)
	return false
}

// mostLeft is how many of those left over are tried in one round.
const mostLeft = 40

// some is a run of a list, by chance.
func (p *planner) some(list []*template.Instrument) []*template.Instrument {
	if len(list) <= mostLeft {
		return list
	}
	from := p.dice.below(len(list) - mostLeft)
	return list[from : from+mostLeft]
}

// anyOrder is by size, or by chance.
func (p *planner) anyOrder(n int) func(a, b []*template.Instrument) int {
	if n%2 == 0 {
		return bySize
	}
	luck := map[*template.Instrument]uint32{}
	of := func(group []*template.Instrument) uint32 {
		x, ok := luck[group[0]]
		if !ok {
			x = p.dice.luck()
			luck[group[0]] = x
		}
		return x
	}
	return func(a, b []*template.Instrument) int { return cmp.Compare(of(a), of(b)) }
}

// used lists the risers in use, the emptiest first.
func (p *planner) used() []riserKey {
	var out []riserKey
	for _, m := range p.h.t.Machines {
		for r := 1; r <= template.MaxRisers; r++ {
			if use := p.h.risers[riserKey{m.ID, r}]; use != nil && use.seats > 0 {
				out = append(out, riserKey{m.ID, r})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b riserKey) int { return p.h.risers[a].seats - p.h.risers[b].seats })
	return out
}

// on lists who can be moved from a riser: rows that feed one player go
// together.
func (p *planner) on(r riserKey) []*template.Instrument {
	var out []*template.Instrument
	for _, i := range p.movable {
		if s, sits := p.seats[i.ID]; sits && riserOf(s) == r {
			out = append(out, i)
		}
	}
	return out
}

// mostMoved is how many instruments are taken out in one round, but for a
// riser's or a group's.
const mostMoved = 256

// someGroups lists the instruments of a few groups, wherever they sit.
func (p *planner) someGroups(n int) []*template.Instrument {
	sizes := map[groupKey]int{}
	for _, i := range p.movable {
		sizes[p.h.group(i)]++
	}
	chosen, rows := map[groupKey]bool{}, 0
	for range n {
		g := p.h.group(p.movable[p.dice.below(len(p.movable))])
		if rows += sizes[g]; rows > mostMoved && len(chosen) > 0 {
			break
		}
		chosen[g] = true
	}
	spreads := map[template.ID]bool{}
	var out []*template.Instrument
	for _, i := range p.movable {
		if chosen[p.h.group(i)] {
			out = append(out, i)
			spreads[i.Spread] = i.Spread != ""
		}
	}
	for _, i := range p.movable {
		if spreads[i.Spread] && !chosen[p.h.group(i)] {
			out = append(out, i)
		}
	}
	if more := len(out) - 2*mostMoved; more > 0 { // one very large group: a part of it
		from := p.dice.below(more)
		out = out[from : from+2*mostMoved]
	}
	return out
}
