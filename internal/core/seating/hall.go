package seating

import (
	"fmt"
	"math/bits"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

// hall knows which seats are taken while a plan is made, and what the plan
// costs so far.
type hall struct {
	t        *template.Template
	kinds    map[template.ID]template.BusKind
	places   map[template.Seat]template.ID // with Pair 0
	pairs    map[pairKey]*pairUse
	first    map[groupOn][]int       // the pairs of a group on a riser
	sounds   map[calls.PlayerKey]int // of each bank
	outputs  map[calls.PlayerKey]map[int]int
	preload  map[template.ID]float64 // preload of all that sits on a machine, MiB
	glasses  []*calls.Glass          // one for each set that must fit
	member   map[template.ID][]int   // the sets that an instrument is in
	atLeast  map[template.ID]float64 // the memory it takes wherever it sits, MiB
	spread   map[template.ID]*spread // by what rows spread out share
	held     Held                    // what others take
	reserved map[template.Seat]int   // channels of a port that such rows still need
	groups   map[template.ID]groupKey
	risers   map[riserKey]*riserUse
	empty    *calls.Glass
	absent   map[absence]*template.Library // what is known of libraries
	has      map[string][]bool             // machines, by the libraries they have
	tally    *tally
	packed   bool                   // seats kept free for growth are taken, too
	needs    map[template.ID]needed // by the machine that rows are bound to; see neededBy
}

// spread is a set of rows that feed one player, and sit on one port.
type spread struct {
	rows   int           // how many there are
	seated int           // how many sit
	home   template.Seat // where, with channel and pair 0
}

type riserKey struct {
	machine template.ID
	riser   int
}

func riserOf(s template.Seat) riserKey { return riserKey{s.Machine, s.Riser} }

// riserUse is what sits on a riser.
type riserUse struct {
	seats  int
	heavy  int
	voices int
	pairs  int
	ports  []uint16 // the channels taken of each port, one bit each
}

const fullPort = 1<<template.PortChannels - 1

// taken are the channels taken of a port.
func (u *riserUse) taken(port int) uint16 {
	if port < 1 || port > len(u.ports) {
		return 0
	}
	return u.ports[port-1]
}

type pairKey struct {
	machine     template.ID
	riser, pair int
}

// pairUse is how many of one group leave over a pair.
type pairUse struct {
	group groupKey
	rows  int
}

// groupKey names instruments that may share an output pair: those that leave
// for the same bus. One that wants a pair of its own is a group by itself.
type groupKey struct{ bus, own template.ID }

type groupOn struct {
	riserKey
	group groupKey
}

func newHall(t *template.Template) *hall {
	h := &hall{
		t: t, kinds: map[template.ID]template.BusKind{},
		places: map[template.Seat]template.ID{}, pairs: map[pairKey]*pairUse{}, first: map[groupOn][]int{},
		groups: map[template.ID]groupKey{}, risers: map[riserKey]*riserUse{},
		empty: calls.NewGlass(t), absent: map[absence]*template.Library{}, has: map[string][]bool{},
		sounds: map[calls.PlayerKey]int{}, outputs: map[calls.PlayerKey]map[int]int{},
		member: make(map[template.ID][]int, len(t.Instruments)), atLeast: make(map[template.ID]float64, len(t.Instruments)),
		preload: map[template.ID]float64{}, spread: map[template.ID]*spread{}, reserved: map[template.Seat]int{},
	}
	for _, i := range t.Instruments {
		if i.Spread != "" && i.NeedsSeat() {
			if h.spread[i.Spread] == nil {
				h.spread[i.Spread] = &spread{}
			}
			h.spread[i.Spread].rows++
		}
	}
	for _, b := range t.Buses {
		h.kinds[b.ID] = b.Kind
	}
	for n, set := range calls.AlwaysReady(t) {
		h.glasses = append(h.glasses, calls.NewGlass(t))
		for _, id := range set {
			if sets := h.member[id]; len(sets) == 0 || sets[len(sets)-1] != n {
				h.member[id] = append(sets, n)
			}
		}
	}
	for _, i := range t.Instruments {
		h.groups[i.ID] = h.groupOf(i)
		if i.Spread == "" {
			h.atLeast[i.ID] = calls.PreloadMiB(t, i)
		}
	}
	h.tally = newTally(h)
	return h
}

func (h *hall) group(i *template.Instrument) groupKey { return h.groups[i.ID] }

func (h *hall) groupOf(i *template.Instrument) groupKey {
	if i.Style.OwnPair {
		return groupKey{own: i.ID}
	}
	for _, r := range i.Routes {
		if !h.kinds[r.To].Is().Sends {
			return groupKey{bus: r.To}
		}
	}
	return groupKey{}
}

// refusal says why a seat cannot be taken.
type refusal struct {
	kind   refusalKind
	format string
	args   []any
}

// text is put together only when somebody reads it: plans refuse a lot.
func (r *refusal) text() string { return fmt.Sprintf(r.format, r.args...) }

type refusalKind int

const (
	outside refusalKind = iota
	taken
	noMemory
	playerFull
	pairTaken
	notInstalled
	tooHeavy
	elsewhere // pinned to another machine
)

func refuse(kind refusalKind, text string, args ...any) *refusal {
	return &refusal{kind, text, args}
}

// refuses checks every limit for one instrument on one seat.
func (h *hall) refuses(i *template.Instrument, s template.Seat) *refusal {
	set, m := h.t.Settings, h.t.Index().Machines[s.Machine]
	switch {
	case m == nil:
		return refuse(outside, "there is no such machine")
	case s.Riser < 1 || s.Riser > h.t.Risers(m):
		return refuse(outside, "%s has %d risers, not %d", m.Name, h.t.Risers(m), s.Riser)
	case s.Port < 1 || s.Port > set.RiserPorts || s.Channel < 1 || s.Channel > template.PortChannels:
		return refuse(outside, "a riser has %d ports of %d channels", set.RiserPorts, template.PortChannels)
	case s.Pair < set.FirstPair || s.Pair > set.RiserPairs:
		return refuse(outside, "output pairs run from %d to %d", set.FirstPair, set.RiserPairs)
	case i.Style.Machine != "" && i.Style.Machine != s.Machine:
		return refuse(elsewhere, "%s stays on another machine", i.Name)
	}
	if l := h.missing(i, m); l != nil {
		return refuse(notInstalled, "%s is not installed on %s", l.Name, m.Name)
	}
	if other, ok := h.places[place(s)]; ok && other != i.ID {
		return refuse(taken, "%s, riser %d, port %d, channel %d is taken by %s", m.Name, s.Riser, s.Port, s.Channel, h.t.Instrument(other).Name)
	}
	if use := h.pairs[pairKey{s.Machine, s.Riser, s.Pair}]; use != nil && use.group != h.group(i) {
		return refuse(pairTaken, "outputs %s carry another group", s.Outputs())
	}
	if most := set.Seating.HeavyPerRiser; most > 0 && h.t.Heavy(i) && h.use(s).heavy >= most {
		return refuse(tooHeavy, "%s, riser %d holds its %d heavy instruments", m.Name, s.Riser, most)
	}
	if r := h.spreadRefuses(i, s); r != nil {
		return r
	}
	if r := h.playersRefuse(i, s); r != nil {
		return r
	}
	return h.memoryRefuses(i, s, m)
}

// installed tells of each machine whether it has the libraries that an instrument plays;
// rows of the same libraries are looked up once.
func (h *hall) installed(i *template.Instrument) []bool {
	key := ""
	for _, p := range h.t.PatchesOf(i) {
		key += string(p.Library) + " "
	}
	known, ok := h.has[key]
	if !ok {
		known = make([]bool, len(h.t.Machines))
		for n, m := range h.t.Machines {
			known[n] = h.t.MissingOn(i, m) == nil
		}
		h.has[key] = known
	}
	return known
}

type absence struct{ instrument, machine template.ID }

// missing is the library an instrument needs that a machine does not have.
func (h *hall) missing(i *template.Instrument, m *template.Machine) *template.Library {
	key := absence{i.ID, m.ID}
	l, known := h.absent[key]
	if !known {
		l = h.t.MissingOn(i, m)
		h.absent[key] = l
	}
	return l
}

// port is the port of a seat.
func port(s template.Seat) template.Seat {
	s.Channel, s.Pair = 0, 0
	return s
}

// spreadRefuses keeps rows that feed one player on one port, and keeps room
// for all of them there.
func (h *hall) spreadRefuses(i *template.Instrument, s template.Seat) *refusal {
	at := port(s)
	mine := h.spread[i.Spread]
	if mine != nil && mine.seated > 0 {
		if mine.home != at {
			return refuse(outside, "%s shares its player with rows on another port", i.Name)
		}
		return nil
	}
	need := 1
	if mine != nil {
		need = mine.rows
	}
	if need == 1 && h.reserved[at] == 0 {
		return nil
	}
	free := template.PortChannels - bits.OnesCount16(h.use(s).taken(s.Port)) - h.reserved[at]
	if h.places[place(s)] == i.ID {
		free++
	}
	if free < need {
		return refuse(taken, "port %d has %d free channels, %d needed", s.Port, max(0, free), need)
	}
	return nil
}

func (h *hall) playersRefuse(i *template.Instrument, s template.Seat) *refusal {
	for _, patch := range h.t.PatchesOf(i) {
		p := h.t.Index().Players[patch.Player]
		key := calls.PlayerAt(p, i, s)
		shared := i.Spread != "" && h.spread[i.Spread] != nil && h.spread[i.Spread].seated > 0
		if h.sounds[calls.BankAt(p, i, s)] >= p.Sounds && !shared {
			return refuse(playerFull, "the %s on port %d holds its %d sounds", p.Name, s.Port, p.Sounds)
		}
		if out := h.outputs[key]; out[s.Pair] == 0 && len(out) >= p.Outputs {
			return refuse(playerFull, "the %s on %s uses its %d output pairs", p.Name, p.PortsText(s.Port), p.Outputs)
		}
	}
	return nil
}

// amount is an amount of memory, MiB, in words.
type amount float64

func (a amount) String() string { return calls.FormatMiB(float64(a)) }

func (h *hall) memoryRefuses(i *template.Instrument, s template.Seat, m *template.Machine) *refusal {
	limit := h.limit(m)
	if alone := h.empty.Adding(i, s); alone > limit+1e-6 {
		return refuse(noMemory, "needs %s, more than the %s of %s%s", amount(alone), amount(limit), m.Name, h.beside(m))
	}
	for _, n := range h.member[i.ID] {
		g := h.glasses[n]
		if need, free := g.Adding(i, s), limit-g.UsedMiB(m.ID); need > free+1e-6 {
			return refuse(noMemory, "%s has %s of memory left%s, %s needed", m.Name, amount(max(0, free)), h.beside(m), amount(need))
		}
	}
	return nil
}

// full tells whether a machine has too little memory for an instrument on whatever seat.
func (h *hall) full(i *template.Instrument, m *template.Machine) bool {
	need, limit := h.atLeast[i.ID], h.limit(m)
	for _, n := range h.member[i.ID] {
		if h.glasses[n].UsedMiB(m.ID)+need > limit+1e-6 {
			return true
		}
	}
	return false
}

// limit is the memory that seats on a machine may take, MiB.
func (h *hall) limit(m *template.Machine) float64 { return max(0, m.LimitMiB()-h.held[m.ID]) }

// beside tells what others hold on a machine.
func (h *hall) beside(m *template.Machine) held { return held(h.held[m.ID]) }

type held float64

func (mib held) String() string {
	if mib <= 0 {
		return ""
	}
	return " beside the " + calls.FormatMiB(float64(mib)) + " that other templates hold"
}

// use is what sits on the riser of a seat.
func (h *hall) use(s template.Seat) *riserUse {
	use := h.risers[riserOf(s)]
	if use == nil {
		use = &riserUse{ports: make([]uint16, h.t.Settings.RiserPorts)}
		h.risers[riserOf(s)] = use
	}
	return use
}

// take puts the instrument on the seat.
func (h *hall) take(i *template.Instrument, s template.Seat) {
	h.places[place(s)] = i.ID
	h.tally.before(s)
	use := h.use(s)
	h.count(use, i, s, 1)
	key, group := pairKey{s.Machine, s.Riser, s.Pair}, h.group(i)
	if h.pairs[key] == nil {
		h.pairs[key] = &pairUse{group: group}
		on := groupOn{riserOf(s), group}
		h.first[on] = append(h.first[on], s.Pair)
		use.pairs++
	}
	h.pairs[key].rows++
	for _, patch := range h.t.PatchesOf(i) {
		h.preload[s.Machine] += i.PreloadMiB(patch)
		p := h.t.Index().Players[patch.Player]
		key := calls.PlayerAt(p, i, s)
		if x := h.spread[i.Spread]; x == nil || x.seated == 0 {
			h.sounds[calls.BankAt(p, i, s)]++
		}
		if h.outputs[key] == nil {
			h.outputs[key] = map[int]int{}
		}
		h.outputs[key][s.Pair]++
	}
	if x := h.spread[i.Spread]; x != nil {
		if x.seated++; x.seated == 1 {
			x.home = port(s)
			h.reserved[x.home] += x.rows
		}
		h.reserved[x.home]--
	}
	for _, n := range h.member[i.ID] {
		h.glasses[n].Add(i, s)
	}
	h.tally.after(s)
	h.tally.enter(i, s, 1)
}

// leave takes the instrument from the seat it was put on.
func (h *hall) leave(i *template.Instrument, s template.Seat) {
	delete(h.places, place(s))
	h.tally.before(s)
	use := h.use(s)
	h.count(use, i, s, -1)
	key := pairKey{s.Machine, s.Riser, s.Pair}
	if h.pairs[key].rows--; h.pairs[key].rows == 0 {
		on := groupOn{riserOf(s), h.group(i)}
		if h.first[on] = slices.DeleteFunc(h.first[on], func(p int) bool { return p == s.Pair }); len(h.first[on]) == 0 {
			delete(h.first, on)
		}
		delete(h.pairs, key)
		use.pairs--
	}
	if x := h.spread[i.Spread]; x != nil {
		h.reserved[x.home]++
		if x.seated--; x.seated == 0 {
			if h.reserved[x.home] -= x.rows; h.reserved[x.home] == 0 {
				delete(h.reserved, x.home)
			}
		}
	}
	for _, patch := range h.t.PatchesOf(i) {
		h.preload[s.Machine] -= i.PreloadMiB(patch)
		p := h.t.Index().Players[patch.Player]
		key := calls.PlayerAt(p, i, s)
		if x := h.spread[i.Spread]; x == nil || x.seated == 0 {
			h.sounds[calls.BankAt(p, i, s)]--
		}
		if h.outputs[key][s.Pair]--; h.outputs[key][s.Pair] == 0 {
			delete(h.outputs[key], s.Pair)
		}
	}
	for _, n := range h.member[i.ID] {
		h.glasses[n].Take(i, s)
	}
	h.tally.after(s)
	h.tally.enter(i, s, -1)
}

func (h *hall) count(use *riserUse, i *template.Instrument, s template.Seat, by int) {
	use.seats += by
	if s.Port <= len(use.ports) {
		use.ports[s.Port-1] ^= 1 << (s.Channel - 1)
	}
	use.voices += by * h.t.Voices(i)
	if h.t.Heavy(i) {
		use.heavy += by
	}
}

func place(s template.Seat) template.Seat {
	s.Pair = 0
	return s
}

// pairFor returns the output pair the instrument takes on the riser of the
// seat: its group's, or the first free one.
func (h *hall) pairFor(i *template.Instrument, s template.Seat) (int, bool) {
	if pairs := h.first[groupOn{riserOf(s), h.group(i)}]; len(pairs) > 0 {
		return pairs[0], true
	}
	for pair := h.t.Settings.FirstPair; pair <= h.t.Settings.RiserPairs; pair++ {
		if h.pairs[pairKey{s.Machine, s.Riser, pair}] == nil {
			return pair, true
		}
	}
	return 0, false
}

// RisersUsed counts the risers that somebody sits on.
func RisersUsed(t *template.Template) int {
	used := map[riserKey]bool{}
	for _, i := range t.Instruments {
		if i.Seat != nil {
			used[riserOf(*i.Seat)] = true
		}
	}
	return len(used)
}
