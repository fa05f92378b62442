package calls

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"fanfold/internal/core/template"
)

// Load is one instrument to bring to ready, in its place in the order.
type Load struct {
	Instrument *template.Instrument
	Machine    template.ID
	MiB        float64       // memory it takes, MiB
	Wake       time.Duration // waking its players
	Read       time.Duration // reading its preload from the machine's disk
}

// Estimate tells what one machine holds and waits for, before and after.
type Estimate struct {
	Machine   *template.Machine
	BeforeMiB float64
	AfterMiB  float64
	LimitMiB  float64
	Wait      time.Duration // as computed
	Learned   time.Duration // as loads took so far; Wait where none was measured
	Order     []Load
	Others    []Held   // what other templates hold on it, the most first
	Rest      []Remedy // what would make it fit, when it does not
}

// Held is what another template of the studio holds, or should hold, on a machine.
type Held struct {
	Template string // its ID
	Name     string
	Machine  template.ID // as that template calls the machine
	MiB      float64
}

// OthersMiB is what other templates hold on the machine, MiB.
func (e Estimate) OthersMiB() float64 {
	sum := 0.0
	for _, h := range e.Others {
		sum += h.MiB
	}
	return sum
}

// Fits tells whether the machine holds what it should, beside what it holds for
// other templates.
func (e Estimate) Fits() bool { return e.AfterMiB+e.OthersMiB() <= e.LimitMiB }

// ShortMiB is the memory missing, MiB; 0 when it fits.
func (e Estimate) ShortMiB() float64 { return max(0, e.AfterMiB+e.OthersMiB()-e.LimitMiB) }

// Remedy is one instrument that could be rested to make room.
type Remedy struct {
	Instrument *template.Instrument
	FreesMiB   float64
}

// Going is a way from one ready set to another, with what is known beside the
// template.
type Going struct {
	Before, After []template.ID
	Awaited       map[template.ID]bool            // what somebody waits for; it loads first
	Idle          func(template.ID) time.Duration // how long nobody used it; nil tells nothing
	Busy          map[template.ID]bool            // sounding or armed; never to be rested
	Paces         map[template.ID]Pace            // what was learned of each machine
	Others        map[template.ID][]Held          // what other templates hold on each machine, the most first
}

// Costs estimates, machine by machine, going from the ready set before to the
// ready set after, with nothing else known.
func Costs(t *template.Template, before, after []template.ID) []Estimate {
	return Reckon(t, Going{Before: before, After: after})
}

// Reckon estimates a way, machine by machine. The wait is the wake time of
// players not yet awake (longer for the first of its kind on a riser) plus the
// preload divided by the disk's rate, since parallel loads share the disk.
func Reckon(t *template.Template, g Going) []Estimate {
	g.Before, g.After = t.Sounds(g.Before), t.Sounds(g.After)
	was, will := NewGlass(t), NewGlass(t)
	was.Fill(g.Before)
	will.Fill(g.After)
	orders := order(t, g)
	out := make([]Estimate, 0, len(t.Machines))
	for _, m := range t.Machines {
		e := Estimate{
			Machine: m, LimitMiB: m.LimitMiB(),
			BeforeMiB: was.UsedMiB(m.ID), AfterMiB: will.UsedMiB(m.ID), Order: orders[m.ID], Others: g.Others[m.ID],
		}
		for _, l := range e.Order {
			e.Wait += l.Wake + l.Read
		}
		e.Learned = g.Paces[m.ID].Of(e.Wait)
		if !e.Fits() {
			e.Rest = roomFor(t, e, g)
		}
		out = append(out, e)
	}
	return out
}

// Unseated returns those of the set that cannot load because they have no
// seat.
func Unseated(t *template.Template, ids []template.ID) []*template.Instrument {
	var out []*template.Instrument
	for _, id := range t.Sounds(ids) {
		if i := t.Instrument(id); i != nil && i.NeedsSeat() && i.Seat == nil && i.Printed == nil && !i.Aside {
			out = append(out, i)
		}
	}
	return out
}

// order lists, for each machine, the instruments to load: what is waited for
// first; players in their stated order; of one player the small before the
// large, so that there is soon something to play; and what is equal riser by
// riser, port by port.
func order(t *template.Template, g Going) map[template.ID][]Load {
	ready := make(map[template.ID]bool, len(g.Before))
	awake := newAwake(t)
	for _, id := range g.Before {
		ready[id] = true
		if i := t.Instrument(id); i != nil && i.Loads() {
			awake.wake(i, *i.Seat)
		}
	}
	var todo []*template.Instrument
	size := map[template.ID]float64{}
	for _, id := range g.After {
		if i := t.Instrument(id); i != nil && i.Loads() && !ready[id] {
			ready[id] = true
			todo = append(todo, i)
			size[id] = PreloadMiB(t, i)
		}
	}
	later := func(i *template.Instrument) int {
		if g.Awaited[i.ID] {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(todo, func(a, b *template.Instrument) int {
		return cmp.Or(
			cmp.Compare(later(a), later(b)),
			cmp.Compare(playerOrder(t, a), playerOrder(t, b)),
			cmp.Compare(size[a.ID], size[b.ID]),
			cmp.Compare(a.Seat.Riser, b.Seat.Riser),
			cmp.Compare(a.Seat.Port, b.Seat.Port),
			cmp.Compare(a.Seat.Channel, b.Seat.Channel),
		)
	})
	out := map[template.ID][]Load{}
	glass := NewGlass(t)
	glass.Fill(g.Before)
	for _, i := range todo {
		m := t.Index().Machines[i.Seat.Machine]
		l := Load{Instrument: i, Machine: m.ID, MiB: glass.Adding(i, *i.Seat), Wake: awake.wake(i, *i.Seat)}
		l.Read = time.Duration(glass.reading(i, *i.Seat) / m.DiskMiBs * float64(time.Second))
		glass.Add(i, *i.Seat)
		out[m.ID] = append(out[m.ID], l)
	}
	return out
}

func playerOrder(t *template.Template, i *template.Instrument) int {
	if p := t.PlayerOf(i); p != nil {
		return p.Order
	}
	return 0
}

// awake knows which players run, and of which kinds on which riser.
type awake struct {
	t       *template.Template
	players map[PlayerKey]bool
	kinds   map[PlayerKey]bool // with port and channel 0: the kind on the riser
}

func newAwake(t *template.Template) *awake {
	return &awake{t: t, players: map[PlayerKey]bool{}, kinds: map[PlayerKey]bool{}}
}

// wake wakes the instrument's players and returns how long that takes.
func (a *awake) wake(i *template.Instrument, seat template.Seat) time.Duration {
	ms := 0
	for _, patch := range a.t.PatchesOf(i) {
		player := a.t.Index().Players[patch.Player]
		key := PlayerAt(player, i, seat)
		if a.players[key] {
			continue
		}
		a.players[key] = true
		kind := PlayerKey{Player: player.ID, Machine: seat.Machine, Riser: seat.Riser}
		if a.kinds[kind] {
			ms += player.WakeAgainMs
		} else {
			ms += player.WakeMs
			a.kinds[kind] = true
		}
	}
	return time.Duration(ms) * time.Millisecond
}

// roomFor names instruments to rest on the machine until enough memory is free:
// those ready now and not asked for, the longest unused first, and of equal
// ones the largest; if that is not enough, the largest of those asked for. What
// is kept, sounds or is armed is not named. A player's own memory is freed with
// the last instrument it plays.
func roomFor(t *template.Template, e Estimate, g Going) []Remedy {
	asked := make(map[template.ID]bool, len(e.Order))
	for _, l := range e.Order {
		asked[l.Instrument.ID] = true
	}
	idle := func(i *template.Instrument) time.Duration {
		if g.Idle == nil || asked[i.ID] {
			return 0
		}
		return g.Idle(i.ID)
	}
	var candidates []*template.Instrument
	plays, shared := map[PlayerKey]int{}, map[SharedKey]int{}
	for _, id := range g.After {
		i := t.Instrument(id)
		if i == nil || !i.Loads() || i.Seat.Machine != e.Machine.ID {
			continue
		}
		if !i.Keep && !g.Busy[id] {
			candidates = append(candidates, i)
		}
		for _, p := range t.PatchesOf(i) {
			plays[PlayerAt(t.Index().Players[p.Player], i, *i.Seat)]++
			if key, shares := SharedAt(p, i, *i.Seat); shares {
				shared[key]++
			}
		}
	}
	slices.SortStableFunc(candidates, func(a, b *template.Instrument) int {
		if x, y := asked[a.ID], asked[b.ID]; x != y {
			if y {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(idle(b), idle(a)), cmp.Compare(PreloadMiB(t, b), PreloadMiB(t, a)))
	})
	need := e.ShortMiB()
	var out []Remedy
	for _, i := range candidates {
		if need <= 0 {
			break
		}
		r := Remedy{Instrument: i}
		for _, p := range t.PatchesOf(i) {
			if key, shares := SharedAt(p, i, *i.Seat); !shares {
				r.FreesMiB += i.PreloadMiB(p)
			} else if shared[key]--; shared[key] == 0 {
				r.FreesMiB += i.PreloadMiB(p)
			}
			player := t.Index().Players[p.Player]
			key := PlayerAt(player, i, *i.Seat)
			if plays[key]--; plays[key] == 0 {
				r.FreesMiB += player.OwnMiB
			}
		}
		out = append(out, r)
		need -= r.FreesMiB
	}
	return out
}

// Shortage says what is missing on the machine, and who else holds how much there.
func (e Estimate) Shortage() string {
	s := fmt.Sprintf("%s is %s short: %s of %s", e.Machine.Name, FormatMiB(e.ShortMiB()), FormatMiB(e.AfterMiB), FormatMiB(e.LimitMiB))
	if len(e.Others) == 0 {
		return s
	}
	who := e.Others[0].Name + " holds"
	if more := len(e.Others) - 1; more > 0 {
		who = fmt.Sprintf("%s and %d more hold", e.Others[0].Name, more)
	}
	return s + fmt.Sprintf(", and %s %s there", who, FormatMiB(e.OthersMiB()))
}

// Refusal says why an estimate does not fit, who else holds memory there, and what
// would make it fit.
func (e Estimate) Refusal() string {
	s := e.Shortage()
	var ways []string
	if len(e.Others) > 0 {
		first := e.Others[0]
		ways = append(ways, fmt.Sprintf("rest %s there, which frees %s", first.Name, FormatMiB(first.MiB)))
	}
	if len(e.Rest) > 0 {
		freed, who := 0.0, e.Rest[0].Instrument.Name
		for _, r := range e.Rest {
			freed += r.FreesMiB
		}
		if more := len(e.Rest) - 1; more > 0 {
			who = fmt.Sprintf("%s and %d more", who, more)
		}
		ways = append(ways, fmt.Sprintf("rest %s, which frees %s", who, FormatMiB(freed)))
	}
	if len(ways) == 0 {
		return s
	}
	return s + ". R" + strings.Join(ways, "; or ")[1:]
}

// FormatMiB writes an amount of memory: "80 KiB", "310 MiB", "58 GiB".
func FormatMiB(mib float64) string {
	switch {
	case 0 < mib && mib < 1:
		return fmt.Sprintf("%.0f KiB", math.Ceil(1024*mib))
	case mib < 1024:
		return fmt.Sprintf("%.0f MiB", mib)
	case mib < 10*1024:
		return fmt.Sprintf("%.1f GiB", mib/1024)
	}
	return fmt.Sprintf("%.0f GiB", mib/1024)
}
