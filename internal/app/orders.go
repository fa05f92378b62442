package app

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/rig"
	"fanfold/internal/roots"
)

// follows is what should be ready after a change of the template: deleted
// instruments and those that are set aside no longer, but who takes over their seats; moved ones where they
// sit then; those that lost their seat once they have one again. It is nil where
// nothing changes.
func follows(wanted map[template.ID]bool, before, after *template.Template) map[template.ID]bool {
	var next map[template.ID]bool
	for id := range wanted {
		i := after.Instrument(id)
		if i != nil && i.NeedsSeat() && !i.Aside {
			continue
		}
		if next == nil {
			next = maps.Clone(wanted)
		}
		delete(next, id)
		if heir := heirOf(before, after, id); heir != "" {
			next[heir] = true
		}
		if i != nil && i.With != "" {
			next[i.With] = true // it sits with another now
		}
	}
	return next
}

// heirOf is the row that has taken over the seat of one that is gone; empty when
// there is none.
func heirOf(before, after *template.Template, gone template.ID) template.ID {
	for _, i := range before.Instruments {
		if i.With != gone {
			continue
		}
		if now := after.Home(after.Instrument(i.ID)); now != nil {
			return now.ID
		}
	}
	return ""
}

// beside writes what a change of the template means for what should be ready, in
// the transaction of the change.
func (r *Running) beside(before, after *template.Template) document.Beside {
	r.mu.Lock()
	defer r.mu.Unlock()
	next := follows(r.wanted, before, after)
	if next == nil {
		return nil
	}
	add, remove := difference(r.wanted, next)
	return r.app.store.WantedFollow(r.id, add, remove, func(revision int64) {
		r.mu.Lock()
		defer r.mu.Unlock()
		r.following = revision
	})
}

// difference lists what a set gains, and loses, on the way to the next.
func difference(was, next map[template.ID]bool) (add, remove []string) {
	for id := range next {
		if !was[id] {
			add = append(add, string(id))
		}
	}
	for id := range was {
		if !next[id] {
			remove = append(remove, string(id))
		}
	}
	return add, remove
}

// changed follows a change of the template on the machines.
func (r *Running) changed(before, after *template.Template) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.t = after
	for id := range r.wanted {
		if i := after.Instrument(id); machineOf(i) == "" || machineOf(i) != machineOf(before.Instrument(id)) {
			delete(r.states, id) // what its old machine said
		}
	}
	if next := follows(r.wanted, before, after); next != nil {
		r.wanted = next
		if r.following == r.revision+1 {
			r.revision = r.following // what was written with the change
		}
	}
	isPrinted := func(i *template.Instrument) bool { return i.Printed != nil }
	if len(r.wanted) > 0 || len(before.Machines) != len(after.Machines) {
		r.order()
		r.tellRig()
	} else if slices.ContainsFunc(before.Instruments, isPrinted) || slices.ContainsFunc(after.Instruments, isPrinted) {
		r.tellRig()
	}
}

// machineOf is the machine an instrument sits on; empty when it sits nowhere.
func machineOf(i *template.Instrument) template.ID {
	if i == nil || i.Seat == nil {
		return ""
	}
	return i.Seat.Machine
}

// order tells the rig what each machine should hold for this template.
func (r *Running) order() {
	ids := r.scoreOrder(r.wanted)
	byMachine := map[template.ID][]rig.Load{}
	estimates := calls.Reckon(r.t, calls.Going{After: ids, Awaited: r.awaited})
	r.app.held.put(r.studio, r.id, r.t.Name, estimates)
	for _, e := range estimates {
		for _, l := range e.Order {
			byMachine[e.Machine.ID] = append(byMachine[e.Machine.ID], r.load(l))
		}
	}
	for id := range r.ordered {
		if r.t.Index().Machines[id] == nil {
			r.app.rig.Want(r.studio.String(), r.id.String(), string(id), nil)
		}
	}
	clear(r.ordered)
	for _, m := range r.t.Machines {
		r.app.rig.Want(r.studio.String(), r.id.String(), string(m.ID), byMachine[m.ID])
		r.ordered[m.ID] = true
	}
}

// loadOf is a row as its host loads it.
func (r *Running) loadOf(i *template.Instrument) rig.Load {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.load(calls.Load{Instrument: i})
}

func (r *Running) load(l calls.Load) rig.Load {
	out := rig.Load{ID: r.loadID(l.Instrument), Name: l.Instrument.Name}
	for _, p := range r.t.PatchesOf(l.Instrument) {
		load := rig.PatchLoad{Name: p.Name, PreloadMiB: l.Instrument.PreloadMiB(p)}
		load.Trim, load.WholeMiB = r.trimOf(l.Instrument, p)
		load.LevelDB = l.Instrument.LevelTrimDB + l.Instrument.LayerTrim(p.ID)
		from := roots.Of(r.t, l.Instrument, p)
		load.Library, load.File, load.Bank, load.Programme = from.Library, from.Source.File, from.Source.Bank, from.Source.Programme
		load.Mics = strings.Join(from.Mics, "\n")
		if key, shares := calls.SharedAt(p, l.Instrument, *l.Instrument.Seat); shares {
			load.Key = fmt.Sprintf("%s/%s/%s/%d/%d", r.id, key.Patch, key.Spread, key.Riser, key.Port)
		}
		out.Patches = append(out.Patches, load)
		player := r.t.Index().Players[p.Player]
		key := calls.PlayerAt(player, l.Instrument, *l.Instrument.Seat)
		out.Players = append(out.Players, rig.PlayerLoad{
			Key:    fmt.Sprintf("%s/%s/%d/%d/%d", r.id, key.Player, key.Riser, key.Port, key.Channel) + string(key.Spread),
			Kind:   fmt.Sprintf("%s/%s/%d", r.id, key.Player, key.Riser),
			OwnMiB: player.OwnMiB, WakeMs: player.WakeMs, WakeAgainMs: player.WakeAgainMs,
		})
	}
	return out
}

// trimOf is what a patch of a trimmed instrument is trimmed to, and what it
// would take whole, MiB; nothing when it is not trimmed.
func (r *Running) trimOf(i *template.Instrument, p *template.Patch) (keys string, wholeMiB float64) {
	if i.Trim == nil || !slices.ContainsFunc(i.Trim.Patches, func(x template.TrimmedPatch) bool { return x.Patch == p.ID }) {
		return "", 0
	}
	var list [][3]int
	if c := r.t.Index().Calls[i.Trim.Call]; c != nil {
		for _, u := range r.t.UsesOf(c, i) {
			for _, k := range u.Keys {
				list = append(list, [3]int{k.Key, k.Low, k.High})
			}
		}
	}
	return rig.KeysText(list), p.PreloadMiB
}
