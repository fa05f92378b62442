package app

import (
	"context"
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

// afterChange follows a change of the template on the machines: deleted
// instruments are no longer wanted, moved ones load elsewhere, and those that
// lost their seat load when they have one again.
func (h *Hot) afterChange(before *template.Template) {
	for id := range h.wanted {
		i := h.t.Instrument(id)
		if i == nil || !i.NeedsSeat() {
			delete(h.wanted, id)
			h.wantHeir(before, id)
			if i != nil && i.With != "" {
				h.wanted[i.With] = true // it sits with another now
			}
		}
		if machineOf(i) == "" || machineOf(i) != machineOf(before.Instrument(id)) {
			delete(h.states, id) // what its old machine said
		}
	}
	isPrinted := func(i *template.Instrument) bool { return i.Printed != nil }
	if len(h.wanted) > 0 || len(before.Machines) != len(h.t.Machines) {
		h.order()
		h.tellRig()
	} else if slices.ContainsFunc(before.Instruments, isPrinted) || slices.ContainsFunc(h.t.Instruments, isPrinted) {
		h.tellRig()
	}
}

// wantHeir wants the row that has taken over the seat of one that is gone.
func (h *Hot) wantHeir(before *template.Template, gone template.ID) {
	for _, i := range before.Instruments {
		if i.With != gone {
			continue
		}
		if now := h.t.Home(h.t.Instrument(i.ID)); now != nil {
			h.wanted[now.ID] = true
		}
	}
}

// machineOf is the machine an instrument sits on; empty when it sits nowhere.
func machineOf(i *template.Instrument) template.ID {
	if i == nil || i.Seat == nil {
		return ""
	}
	return i.Seat.Machine
}

// order tells the rig what each machine shall hold for this template.
func (h *Hot) order() {
	ids := h.scoreOrder(h.wanted)
	byMachine := map[template.ID][]rig.Load{}
	for _, e := range calls.Reckon(h.t, calls.Going{After: ids, Awaited: h.awaited}) {
		for _, l := range e.Order {
			byMachine[e.Machine.ID] = append(byMachine[e.Machine.ID], h.load(l))
		}
	}
	for _, m := range h.t.Machines {
		h.app.rig.Want(h.studio.String(), h.id.String(), m.Name, byMachine[m.ID])
	}
}

func (h *Hot) load(l calls.Load) rig.Load {
	out := rig.Load{ID: h.id.String() + "/" + string(l.Instrument.ID), Name: l.Instrument.Name}
	for _, p := range h.t.PatchesOf(l.Instrument) {
		load := rig.PatchLoad{Name: p.Name, PreloadMiB: l.Instrument.PreloadMiB(p)}
		load.Trim, load.WholeMiB = h.trimOf(l.Instrument, p)
		if key, shares := calls.SharedAt(p, l.Instrument, *l.Instrument.Seat); shares {
			load.Key = fmt.Sprintf("%s/%s/%s/%d/%d", h.id, key.Patch, key.Spread, key.Riser, key.Port)
		}
		out.Patches = append(out.Patches, load)
		player := h.t.Index().Players[p.Player]
		key := calls.PlayerAt(player, l.Instrument, *l.Instrument.Seat)
		out.Players = append(out.Players, rig.PlayerLoad{
			Key:    fmt.Sprintf("%s/%s/%d/%d/%d", h.id, key.Player, key.Riser, key.Port, key.Channel) + string(key.Spread),
			Kind:   fmt.Sprintf("%s/%s/%d", h.id, key.Player, key.Riser),
			OwnMiB: player.OwnMiB, WakeMs: player.WakeMs, WakeAgainMs: player.WakeAgainMs,
		})
	}
	return out
}

// Start brings back what was wanted when the server last ran.
func (a *App) Start(ctx context.Context) error {
	credentials, err := a.store.Queries().CredentialList(ctx)
	if err != nil {
		return fmt.Errorf("list credentials: %w", err)
	}
	for _, c := range credentials {
		a.rig.Know(rig.Host{Credential: c.ID.String(), Studio: c.StudioID.String(), Machine: c.Machine})
	}
	if err := a.loadPaces(ctx); err != nil {
		return err
	}
	if err := a.openAll(ctx); err != nil {
		return err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, h := range a.hot {
		h.mu.Lock()
		h.order()
		h.mu.Unlock()
	}
	return nil
}

// trimOf is what a patch of a trimmed instrument is trimmed to, and what it
// would take whole, MiB; nothing when it is not trimmed.
func (h *Hot) trimOf(i *template.Instrument, p *template.Patch) (keys string, wholeMiB float64) {
	if i.Trim == nil || !slices.ContainsFunc(i.Trim.Patches, func(x template.TrimmedPatch) bool { return x.Patch == p.ID }) {
		return "", 0
	}
	var list [][3]int
	if c := h.t.Index().Calls[i.Trim.Call]; c != nil {
		for _, u := range h.t.UsesOf(c, i) {
			for _, k := range u.Keys {
				list = append(list, [3]int{k.Key, k.Low, k.High})
			}
		}
	}
	return rig.KeysText(list), p.PreloadMiB
}
