package seating

import (
	"fmt"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

// hall knows which seats are taken while a plan is made.
type hall struct {
	t        *template.Template
	kinds    map[template.ID]template.BusKind
	places   map[template.Seat]template.ID // with Pair 0
	pairs    map[pairKey]groupKey
	first    map[groupOn]int // the pair of a group on a riser
	sounds   map[calls.PlayerKey]int
	outputs  map[calls.PlayerKey]map[int]int
	preload  map[template.ID]float64 // preload of all that sits on a machine, MiB
	glasses  []*calls.Glass          // one for each set that must fit
	member   []map[template.ID]bool  // the sets; nil holds everything
	spread   map[template.ID]*spread // by what rows spread out share
	reserved map[template.Seat]int   // channels of a port that such rows still need
}

// spread is a set of rows that feed one player, and sit on one port.
type spread struct {
	rows   int           // how many there are
	seated int           // how many sit
	home   template.Seat // where, with channel and pair 0
}

type pairKey struct {
	machine     template.ID
	riser, pair int
}

// groupKey names instruments that may share an output pair: those that leave
// for the same bus. One that wants a pair of its own is a group by itself.
type groupKey struct{ bus, own template.ID }

type groupOn struct {
	machine template.ID
	riser   int
	group   groupKey
}

func newHall(t *template.Template) *hall {
	h := &hall{
		t: t, kinds: map[template.ID]template.BusKind{},
		places: map[template.Seat]template.ID{}, pairs: map[pairKey]groupKey{}, first: map[groupOn]int{},
		sounds: map[calls.PlayerKey]int{}, outputs: map[calls.PlayerKey]map[int]int{},
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
	for _, set := range calls.AlwaysReady(t) {
		member := make(map[template.ID]bool, len(set))
		for _, id := range set {
			member[id] = true
		}
		h.glasses = append(h.glasses, calls.NewGlass(t))
		h.member = append(h.member, member)
	}
	return h
}

func (h *hall) group(i *template.Instrument) groupKey {
	if i.Style.OwnPair {
		return groupKey{own: i.ID}
	}
	for _, r := range i.Routes {
		if h.kinds[r.To] != template.Return {
			return groupKey{bus: r.To}
		}
	}
	return groupKey{}
}

// refusal says why a seat can not be taken.
type refusal struct {
	kind refusalKind
	text string
}

type refusalKind int

const (
	outside refusalKind = iota
	taken
	noMemory
	playerFull
	pairTaken
	notInstalled
)

func refuse(kind refusalKind, text string, args ...any) *refusal {
	return &refusal{kind, fmt.Sprintf(text, args...)}
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
		return refuse(outside, "%s stays on another machine", i.Name)
	}
	if l := h.t.MissingOn(i, m); l != nil {
		return refuse(notInstalled, "%s is not installed on %s", l.Name, m.Name)
	}
	if other, ok := h.places[place(s)]; ok && other != i.ID {
		return refuse(taken, "%s, riser %d, port %d, channel %d is taken by %s", m.Name, s.Riser, s.Port, s.Channel, h.t.Instrument(other).Name)
	}
	if group, ok := h.pairs[pairKey{s.Machine, s.Riser, s.Pair}]; ok && group != h.group(i) {
		return refuse(pairTaken, "outputs %s carry another group", s.Outputs())
	}
	if r := h.spreadRefuses(i, s); r != nil {
		return r
	}
	if r := h.playersRefuse(i, s); r != nil {
		return r
	}
	return h.memoryRefuses(i, s, m)
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
	free := -h.reserved[at]
	for c := 1; c <= template.PortChannels; c++ {
		place := at
		place.Channel = c
		if other, ok := h.places[place]; !ok || other == i.ID {
			free++
		}
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
		if h.sounds[key] >= p.Sounds && !shared {
			return refuse(playerFull, "the %s on port %d holds its %d sounds", p.Name, s.Port, p.Sounds)
		}
		if out := h.outputs[key]; out[s.Pair] == 0 && len(out) >= p.Outputs {
			return refuse(playerFull, "the %s on port %d uses its %d output pairs", p.Name, s.Port, p.Outputs)
		}
	}
	return nil
}

func (h *hall) memoryRefuses(i *template.Instrument, s template.Seat, m *template.Machine) *refusal {
	limit := m.LimitMiB()
	if alone := calls.NewGlass(h.t).Adding(i, s); alone > limit {
		return refuse(noMemory, "needs %s, more than the %s of %s", calls.FormatMiB(alone), calls.FormatMiB(limit), m.Name)
	}
	for n, g := range h.glasses {
		if !h.member[n][i.ID] {
			continue
		}
		if need, free := g.Adding(i, s), limit-g.UsedMiB(m.ID); need > free {
			return refuse(noMemory, "%s has %s of memory left, %s needed", m.Name, calls.FormatMiB(max(0, free)), calls.FormatMiB(need))
		}
	}
	return nil
}

// take puts the instrument on the seat.
func (h *hall) take(i *template.Instrument, s template.Seat) {
	group := h.group(i)
	h.places[place(s)] = i.ID
	h.pairs[pairKey{s.Machine, s.Riser, s.Pair}] = group
	if on := (groupOn{s.Machine, s.Riser, group}); h.first[on] == 0 {
		h.first[on] = s.Pair
	}
	for _, patch := range h.t.PatchesOf(i) {
		h.preload[s.Machine] += i.PreloadMiB(patch)
		key := calls.PlayerAt(h.t.Index().Players[patch.Player], i, s)
		if x := h.spread[i.Spread]; x == nil || x.seated == 0 {
			h.sounds[key]++
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
	for n, g := range h.glasses {
		if h.member[n][i.ID] {
			g.Add(i, s)
		}
	}
}

func place(s template.Seat) template.Seat {
	s.Pair = 0
	return s
}

// pairFor returns the output pair the instrument takes on the riser of the
// seat: its group's, or the first free one.
func (h *hall) pairFor(i *template.Instrument, s template.Seat) (int, bool) {
	group := h.group(i)
	if pair := h.first[groupOn{s.Machine, s.Riser, group}]; pair > 0 {
		return pair, true
	}
	for pair := h.t.Settings.FirstPair; pair <= h.t.Settings.RiserPairs; pair++ {
		if _, ok := h.pairs[pairKey{s.Machine, s.Riser, pair}]; !ok {
			return pair, true
		}
	}
	return 0, false
}

// freeChannel returns the first free channel of the seat's port, or 0.
func (h *hall) freeChannel(s template.Seat) int {
	for s.Channel = 1; s.Channel <= template.PortChannels; s.Channel++ {
		if _, ok := h.places[place(s)]; !ok {
			return s.Channel
		}
	}
	return 0
}

func (h *hall) risersUsed() int {
	used := map[template.Seat]bool{}
	for s := range h.places {
		used[template.Seat{Machine: s.Machine, Riser: s.Riser}] = true
	}
	return len(used)
}

// RisersUsed counts the risers that somebody sits on.
func RisersUsed(t *template.Template) int {
	used := map[template.Seat]bool{}
	for _, i := range t.Instruments {
		if i.Seat != nil {
			used[template.Seat{Machine: i.Seat.Machine, Riser: i.Seat.Riser}] = true
		}
	}
	return len(used)
}
