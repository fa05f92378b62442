package seating

import (
	"cmp"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/packing"
	"fanfold/internal/core/template"
)

// lowerBound is a number of risers that no plan can do with less of: what all
// instruments need by seats, output pairs, heavy ones and ports, or what those
// bound to a machine need there, or the fewest machines that have the memory.
func lowerBound(h *hall) int {
	var all []*template.Instrument
	bound := map[template.ID][]*template.Instrument{}
	for _, i := range h.t.Instruments {
		if !i.NeedsSeat() {
			continue
		}
		all = append(all, i)
		if m, only := h.boundTo(i); only {
			bound[m] = append(bound[m], i)
		}
	}
	apart := 0
	for _, list := range bound {
		apart += h.risersNeeded(list)
	}
	return max(apart, h.risersNeeded(all), h.machinesNeeded())
}

// boundTo is the one machine an instrument can sit on: it is pinned there, or
// its libraries are installed nowhere else.
func (h *hall) boundTo(i *template.Instrument) (template.ID, bool) {
	if i.Style.Machine != "" {
		return i.Style.Machine, true
	}
	found, times := template.ID(""), 0
	for n, has := range h.installed(i) {
		if has {
			found, times = h.t.Machines[n].ID, times+1
		}
	}
	return found, times == 1
}

// risersNeeded is how many risers a set of instruments needs at least.
func (h *hall) risersNeeded(list []*template.Instrument) int {
	set := h.t.Settings
	groups, heavy := map[groupKey]bool{}, 0
	for _, i := range list {
		groups[h.group(i)] = true
		if h.t.Heavy(i) {
			heavy++
		}
	}
	need := max(ceilDiv(len(list), h.usable()), ceilDiv(len(groups), set.RiserPairs-set.FirstPair+1))
	if most := set.Seating.HeavyPerRiser; most > 0 {
		need = max(need, ceilDiv(heavy, most))
	}
	return max(need, h.risersForPlayers(list))
}

// risersForPlayers is how many risers the player that needs most of them takes:
// on each port it holds so many sounds, and over the ports of its banks it
// feeds so many output pairs.
func (h *hall) risersForPlayers(list []*template.Instrument) int {
	type share struct {
		player *template.Player
		group  groupKey
	}
	sounds, shares := map[*template.Player]int{}, map[share]int{}
	for _, i := range list {
		for _, patch := range h.t.PatchesOf(i) {
			if p := h.t.Index().Players[patch.Player]; p.Sounds > 1 && i.Spread == "" {
				sounds[p]++
				shares[share{p, h.group(i)}]++
			}
		}
	}
	ports := h.t.Settings.RiserPorts
	holds := func(p *template.Player, ports int) int { return ports * min(p.Sounds, template.PortChannels) }
	times := map[*template.Player]int{} // a pair is fed from a player
	for s, n := range shares {
		times[s.player] += ceilDiv(n, holds(s.player, min(ports, s.player.Ports())))
	}
	most := 0
	for p, n := range sounds {
		onRiser := ceilDiv(ports, p.Ports()) // running players of a riser
		most = max(most, ceilDiv(n, holds(p, ports)), ceilDiv(ceilDiv(times[p], p.Outputs), onRiser))
	}
	return most
}

// machinesNeeded is the fewest machines that have the memory for every set
// that must be ready at once.
func (h *hall) machinesNeeded() int {
	var limits []float64
	for _, m := range h.t.Machines {
		limits = append(limits, m.LimitMiB())
	}
	slices.SortFunc(limits, func(a, b float64) int { return cmp.Compare(b, a) })
	most := 0
	for _, set := range calls.AlwaysReady(h.t) {
		mib := 0.0
		var sizes []float64
		spreads := map[template.ID]bool{}
		for _, id := range set {
			i := h.t.Instrument(id)
			if i == nil || !i.NeedsSeat() || spreads[i.Spread] {
				continue
			}
			spreads[i.Spread] = i.Spread != ""
			sizes = append(sizes, calls.PreloadMiB(h.t, i))
			mib += sizes[len(sizes)-1]
		}
		n := 0
		for n < len(limits) && mib > 0 {
			mib -= limits[n]
			n++
		}
		most = max(most, n)
		if len(limits) > 0 { // no machine has more than the largest
			most = max(most, packing.Fewest(sizes, limits[0]))
		}
	}
	return most
}

func ceilDiv(a, b int) int { return (a + b - 1) / max(1, b) }
