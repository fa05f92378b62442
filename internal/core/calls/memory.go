// Package calls computes memory and time: what each machine holds when a set
// of instruments is ready, what a call costs before it is made, whether it
// fits, and in what order and how long a machine loads it.
package calls

import (
	"slices"

	"fanfold/internal/core/template"
)

// PlayerKey names one running player, or one bank of it. A player of many
// sounds serves the channels of one port, or of as many in a row as it has
// banks; a player of one sound serves one seat, or the rows that are spread out
// over several.
type PlayerKey struct {
	Player        template.ID
	Machine       template.ID
	Riser         int
	Port, Channel int         // its first port; Channel is 0 for a player of many sounds
	Spread        template.ID // the rows it serves, for a player of one sound
}

// PlayerAt returns the running player that serves an instrument on a seat.
func PlayerAt(p *template.Player, i *template.Instrument, s template.Seat) PlayerKey {
	key := BankAt(p, i, s)
	key.Port = p.FirstPort(s.Port)
	return key
}

// BankAt returns the bank of a running player that holds the sound of an
// instrument on a seat: the player on that port alone.
func BankAt(p *template.Player, i *template.Instrument, s template.Seat) PlayerKey {
	key := PlayerKey{Player: p.ID, Machine: s.Machine, Riser: s.Riser, Port: s.Port}
	switch {
	case p.Sounds > 1:
	case i.Spread != "":
		key.Spread = i.Spread
	default:
		key.Channel = s.Channel
	}
	return key
}

// SharedKey names a patch that rows spread out over several channels load
// once.
type SharedKey struct {
	Patch, Spread, Machine template.ID
	Riser, Port            int
}

// SharedAt returns the key of a patch an instrument shares with others, and
// whether it shares it.
func SharedAt(p *template.Patch, i *template.Instrument, s template.Seat) (SharedKey, bool) {
	return SharedKey{p.ID, i.Spread, s.Machine, s.Riser, s.Port}, i.Spread != ""
}

// PreloadMiB is the preload of all patches the instrument plays, with their
// chosen microphone positions, MiB.
func PreloadMiB(t *template.Template, i *template.Instrument) float64 {
	sum := 0.0
	if i.With != "" {
		return 0 // the row it sits with takes it
	}
	patches := t.Index().Patches
	for _, id := range i.Patches {
		if p := patches[id]; p != nil {
			sum += i.PreloadMiB(p)
		}
	}
	return sum
}

// Glass adds up the memory of one or more machines, player by player.
type Glass struct {
	t       *template.Template
	players map[PlayerKey]int // how many instruments each plays
	shared  map[SharedKey]int // how many play each
	used    map[template.ID]float64
}

// NewGlass returns an empty glass.
func NewGlass(t *template.Template) *Glass {
	return &Glass{t: t, players: map[PlayerKey]int{}, shared: map[SharedKey]int{}, used: map[template.ID]float64{}}
}

// UsedMiB is the memory in use on a machine, MiB.
func (g *Glass) UsedMiB(machine template.ID) float64 { return g.used[machine] }

// Adding returns the memory a machine takes more when the instrument becomes
// ready in that seat, MiB: the preload of its patches, and each player's own
// memory if it is not awake yet.
func (g *Glass) Adding(i *template.Instrument, seat template.Seat) float64 {
	sum := 0.0
	var woken []PlayerKey
	var loaded []SharedKey
	x := g.t.Index()
	for _, id := range i.Patches {
		patch := x.Patches[id]
		if key, shares := SharedAt(patch, i, seat); !shares {
			sum += i.PreloadMiB(patch)
		} else if g.shared[key] == 0 && !slices.Contains(loaded, key) {
			sum += i.PreloadMiB(patch)
			loaded = append(loaded, key)
		}
		player := x.Players[patch.Player]
		if key := PlayerAt(player, i, seat); g.players[key] == 0 && !slices.Contains(woken, key) {
			sum += player.OwnMiB
			woken = append(woken, key)
		}
	}
	return sum
}

// reading is what is read from the disk for the instrument, MiB.
func (g *Glass) reading(i *template.Instrument, seat template.Seat) float64 {
	sum := 0.0
	for _, p := range g.t.PatchesOf(i) {
		if key, shares := SharedAt(p, i, seat); !shares || g.shared[key] == 0 {
			sum += i.PreloadMiB(p)
		}
	}
	return sum
}

// Add makes the instrument ready in that seat.
func (g *Glass) Add(i *template.Instrument, seat template.Seat) {
	g.used[seat.Machine] += g.Adding(i, seat)
	g.count(i, seat, 1)
}

// Take rests an instrument that was added in that seat.
func (g *Glass) Take(i *template.Instrument, seat template.Seat) {
	g.count(i, seat, -1)
	g.used[seat.Machine] -= g.Adding(i, seat)
}

func (g *Glass) count(i *template.Instrument, seat template.Seat, by int) {
	x := g.t.Index()
	for _, id := range i.Patches {
		patch := x.Patches[id]
		if key, shares := SharedAt(patch, i, seat); shares {
			g.shared[key] += by
		}
		g.players[PlayerAt(x.Players[patch.Player], i, seat)] += by
	}
}

// Fill adds every instrument of the set that loads.
func (g *Glass) Fill(ids []template.ID) {
	for _, id := range g.t.Sounds(ids) {
		if i := g.t.Instrument(id); i != nil && i.Loads() {
			g.Add(i, *i.Seat)
		}
	}
}

// ReadyMiB is the memory of each machine with the given instruments ready,
// MiB. Unseated and printed instruments take none.
func ReadyMiB(t *template.Template, ids []template.ID) map[template.ID]float64 {
	g := NewGlass(t)
	g.Fill(ids)
	return g.used
}

// EverythingMiB is ReadyMiB with every instrument ready.
func EverythingMiB(t *template.Template) map[template.ID]float64 {
	g := NewGlass(t)
	for _, i := range t.Instruments {
		if i.Loads() {
			g.Add(i, *i.Seat)
		}
	}
	return g.used
}

// Standing lists the instruments that stay ready beside any call, in list
// order: those of the opening call, so that there is always something to play,
// and those that are kept.
func Standing(t *template.Template) []template.ID {
	var opening map[template.ID]bool
	for _, c := range t.Calls {
		if c.Opening {
			opening = known(t.Sounds(c.Instruments))
		}
	}
	var out []template.ID
	for _, i := range t.Instruments {
		if i.NeedsSeat() && (i.Keep || opening[i.ID]) {
			out = append(out, i.ID)
		}
	}
	return out
}

// Beside lists which of the instruments that are wanted now stay when another
// call is brought in alone, and which come with it: what is kept comes, what is
// wanted of the opening call stays. Whoever is rested by hand does not come back
// with the opening call.
func Beside(t *template.Template, wanted []template.ID) []template.ID {
	now := known(wanted)
	return slices.DeleteFunc(Standing(t), func(id template.ID) bool { return !now[id] && !t.Instrument(id).Keep })
}

// Takes is the one amount that a set of instruments is said to take, on each machine, MiB:
// with its players, beside what stays ready with any call, whatever is ready now. What a
// call would change now is computed by Costs; what rows take by themselves is ReadyMiB.
type Takes func(ids []template.ID) map[template.ID]float64

// NewTakes prepares Takes for a template.
func NewTakes(t *template.Template) Takes {
	standing := Standing(t)
	return func(ids []template.ID) map[template.ID]float64 { return ReadyMiB(t, Combine(t, ids, standing)) }
}

// InAll is Takes of all machines together, MiB.
func (f Takes) InAll(ids []template.ID) float64 {
	sum := 0.0
	for _, mib := range f(ids) {
		sum += mib
	}
	return sum
}

// AlwaysReady returns the sets that the template's memory rule asks to fit:
// everything at once, or each call by itself, beside what stays ready.
func AlwaysReady(t *template.Template) [][]template.ID {
	if t.Settings.MemoryRule == template.FitCalls {
		standing := Standing(t)
		sets := [][]template.ID{standing}
		for _, c := range t.Calls {
			sets = append(sets, Combine(t, c.Instruments, standing))
		}
		return sets
	}
	all := make([]template.ID, 0, len(t.Instruments))
	for _, i := range t.Instruments {
		all = append(all, i.ID)
	}
	return [][]template.ID{all}
}
