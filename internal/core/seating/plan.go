// Package seating places instruments on machines: a template goes in, a plan
// with a seat for each instrument, or the reason why not, comes out. No plan
// breaks a limit; what it makes small is in Cost. A plan is first built group
// by group, then improved by taking a part of it out and seating that again.
package seating

import (
	"slices"

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
	Cost       Cost
	freed      []template.ID // set by hand before, seated by the plan now
}

// Change is the plan as an edit of the template.
func (p Plan) Change() change.Change {
	seats := change.Seat{Seats: p.Seats}
	if len(p.freed) == 0 {
		return seats
	}
	no := false
	var edit change.Edit
	for _, id := range p.freed {
		edit.Edits = append(edit.Edits, change.Fields{ID: id, SeatByHand: &no})
	}
	return change.Batch{Label: "Seat", Changes: []change.Change{seats, edit}}
}

// Options of a plan.
type Options struct {
	Fresh  bool          // forget the seats there are, but for those set by hand; defaults to keeping the valid ones
	Only   []template.ID // place just these, all others stay; empty places everyone
	Held   Held          // what other templates hold on the machines: new seats leave it to them
	Rounds int           // of improvement; 0 takes as many as suit the size, less than 0 none
	Stop   func() bool   // asked before every round whether the best so far will do; nil never stops
}

// Held is memory that others take on machines, MiB.
type Held map[template.ID]float64

// Everyone seats every sampled instrument. Seats that break no limit are kept
// unless o.Fresh. The same template and options give the same plan, unless it
// was stopped.
func Everyone(t *template.Template, o Options) Plan {
	p := newPlanner(t, o)
	p.build()
	p.least = lowerBound(p.h)
	p.pack(o)
	p.improve(o)
	p.tidy()
	return p.plan()
}

// planner makes one plan.
type planner struct {
	h       *hall
	seats   map[template.ID]template.Seat // of all that sit
	movable []*template.Instrument        // in score order
	rank    map[template.ID]int
	dice    dice
	fresh   bool              // moving counts nothing
	least   int               // risers, whatever the plan
	opened  map[riserKey]bool // in use when the round began
	within  *template.Machine // the one machine that is seated; nil for all
}

func newPlanner(t *template.Template, o Options) *planner {
	p := &planner{h: newHall(t), seats: map[template.ID]template.Seat{}, rank: make(map[template.ID]int, len(t.Instruments)), dice: 1}
	only := make(map[template.ID]bool, len(o.Only))
	for _, id := range o.Only {
		only[id] = true
	}
	order := t.ScoreOrder()
	for n, i := range order {
		p.rank[i.ID] = n
		if i.Seat != nil && i.With == "" && len(only) == 0 {
			p.h.tally.from[i.ID] = i.Seat
		}
	}
	if p.fresh = o.Fresh; p.fresh {
		p.h.tally.weights.Moved = 0
	}
	for _, i := range order {
		if i.With != "" {
			continue // it follows the row it sits with
		}
		fixed := i.Seat != nil && (i.SeatByHand || !o.Fresh) && i.TakesSeat()
		if len(only) > 0 {
			fixed = i.Seat != nil && !only[i.ID]
		}
		switch {
		case fixed && (len(only) > 0 || p.h.refuses(i, *i.Seat) == nil):
			p.sit(i, *i.Seat)
			if len(only) == 0 && !i.SeatByHand {
				p.movable = append(p.movable, i)
			}
		case seatable(i, only):
			p.movable = append(p.movable, i)
		}
	}
	p.h.held = o.Held // from here on: who sits already does not go because another template loads
	return p
}

// seatable tells whether plans seat an instrument: one that sounds, and a spare
// row that has a seat already or is asked for by name.
func seatable(i *template.Instrument, only map[template.ID]bool) bool {
	if len(only) > 0 {
		return only[i.ID] && i.TakesSeat()
	}
	return i.NeedsSeat() || i.Kind == template.Spare && i.Seat != nil
}

func (p *planner) sit(i *template.Instrument, s template.Seat) {
	p.h.take(i, s)
	p.seats[i.ID] = s
}

func (p *planner) rise(i *template.Instrument) {
	p.h.leave(i, p.seats[i.ID])
	delete(p.seats, i.ID)
}

// build seats all that have no seat yet, the largest group first.
func (p *planner) build() { p.seatAll(p.unseated(), bySize, nil) }

func (p *planner) unseated() []*template.Instrument {
	var out []*template.Instrument
	for _, i := range p.movable {
		if _, sits := p.seats[i.ID]; !sits {
			out = append(out, i)
		}
	}
	return out
}

func bySize(a, b []*template.Instrument) int { return len(b) - len(a) }

// seatAll seats instruments group by group. A riser that is barred is not
// taken.
func (p *planner) seatAll(list []*template.Instrument, order func(a, b []*template.Instrument) int, barred map[riserKey]bool) {
	groups := byGroup(list, p.h)
	slices.SortStableFunc(groups, order)
	for _, group := range groups {
		for left := len(group) + 1; len(group) > 0 && len(group) < left; {
			left = len(group)
			group = p.seatGroup(group, p.risersFor(group, barred))
		}
	}
}

// seatGroup seats a group on the risers given and returns who is left over. Of
// empty risers only the first is among them, so more may be found for the rest.
func (p *planner) seatGroup(group []*template.Instrument, risers []template.Seat) []*template.Instrument {
	var left []*template.Instrument
	for _, i := range group {
		if s, ok := p.seatOn(i, risers); ok {
			p.sit(i, s)
		} else {
			left = append(left, i)
		}
	}
	return left
}

// byGroup gathers instruments that may share output pairs, in score order of
// their first. Rows that feed one player come one after another.
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

// option is a riser a group may come to.
type option struct {
	seat   template.Seat // machine and riser
	cost   float64
	room   int // free seats
	luck   uint32
	filled float64 // share of the machine's memory that is taken
}

// risersFor lists the risers a group may come to, the cheapest first: where it
// leaves already, then where it just fits, then where most room is, then empty
// ones on the machine with most memory to spare.
func (p *planner) risersFor(group []*template.Instrument, barred map[riserKey]bool) []template.Seat {
	h := p.h
	var options []option
	machines := h.t.Machines
	if p.within != nil {
		machines = []*template.Machine{p.within}
	}
	for _, m := range machines {
		filled := h.preload[m.ID] / max(1, h.limit(m))
		free := false // of several empty risers the first will do
		for r := 1; r <= h.t.Risers(m); r++ {
			s := template.Seat{Machine: m.ID, Riser: r}
			if barred[riserOf(s)] {
				continue
			}
			if h.use(s).seats == 0 {
				if free {
					continue
				}
				free = true
			}
			if room := h.room(s); room > 0 {
				options = append(options, option{seat: s, cost: h.tally.joining(group[0], s), room: room, luck: p.dice.luck(), filled: filled})
			}
		}
	}
	slices.SortStableFunc(options, func(a, b option) int { return a.compare(b, len(group), h.usable()) })
	out := make([]template.Seat, len(options))
	for n, o := range options {
		out[n] = o.seat
	}
	return out
}

func (o option) compare(other option, need, usable int) int {
	before := func(is bool) int {
		if is {
			return -1
		}
		return 1
	}
	switch {
	case o.cost != other.cost:
		return before(o.cost < other.cost)
	case (o.room == usable) != (other.room == usable):
		return before(other.room == usable)
	case o.room == usable && o.filled != other.filled:
		return before(o.filled < other.filled)
	case (o.room >= need) != (other.room >= need):
		return before(o.room >= need)
	case o.luck != other.luck:
		return before(o.luck < other.luck)
	case o.room == other.room:
		return 0
	}
	return before((o.room < other.room) == (o.room >= need))
}

// seatOn finds the first seat for an instrument on the risers.
func (p *planner) seatOn(i *template.Instrument, risers []template.Seat) (template.Seat, bool) {
	if x := p.h.spread[i.Spread]; x != nil && x.seated > 0 {
		s, refusal := p.h.onPort(i, x.home)
		return s, refusal == nil
	}
	full := template.ID("") // a machine without memory for it
	for _, s := range risers {
		if s.Machine == full {
			continue
		}
		if p.h.full(i, p.h.t.Index().Machines[s.Machine]) {
			full = s.Machine
			continue
		}
		seat, refusal := p.h.onRiser(i, s)
		if refusal == nil {
			return seat, true
		}
		if refusal.everywhere() {
			full = s.Machine
		}
	}
	return template.Seat{}, false
}

// tidy gives those that come new to a riser their seats and output pairs in
// score order, so that people find them.
func (p *planner) tidy() {
	for _, at := range p.used() {
		rows := slices.DeleteFunc(p.on(at), func(i *template.Instrument) bool {
			was := p.h.tally.from[i.ID]
			return !p.fresh && was != nil && *was == p.seats[i.ID]
		})
		was := map[template.ID]template.Seat{}
		for _, i := range rows {
			was[i.ID] = p.seats[i.ID]
			p.rise(i)
		}
		if p.inOrder(rows, at) {
			continue
		}
		for _, i := range rows {
			if _, sits := p.seats[i.ID]; sits {
				p.rise(i)
			}
		}
		for _, i := range rows {
			p.sit(i, was[i.ID])
		}
	}
}

func (p *planner) inOrder(rows []*template.Instrument, at riserKey) bool {
	for _, i := range rows {
		s, refusal := p.h.next(i, at)
		if refusal != nil {
			return false
		}
		p.sit(i, s)
	}
	return true
}

// plan is the state of the planner as a plan.
func (p *planner) plan() Plan {
	out := Plan{Cost: p.h.tally.cost(), LowerBound: p.least}
	out.RisersUsed = out.Cost.Risers
	for _, i := range p.movable {
		s, sits := p.seats[i.ID]
		switch {
		case !sits:
			out.Unseated = append(out.Unseated, Unseated{Instrument: i, Reason: p.h.why(i) + p.h.proof(i)})
			if i.Seat != nil {
				out.Seats = append(out.Seats, change.Seating{ID: i.ID})
			}
		case i.Seat == nil || *i.Seat != s:
			out.Seats = append(out.Seats, change.Seating{ID: i.ID, Seat: &s})
		default:
			continue
		}
		if i.SeatByHand {
			out.freed = append(out.freed, i.ID)
		}
	}
	return out
}
