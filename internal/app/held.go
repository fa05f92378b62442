package app

import (
	"cmp"
	"maps"
	"slices"
	"sync"

	"github.com/google/uuid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// heldBook keeps what each template should hold on each machine of its studio, so
// that the others know what is left. Its lock is taken last and held over nothing.
type heldBook struct {
	mu    sync.Mutex
	known map[machineKey]map[uuid.UUID]calls.Held // by template
}

// put notes what a template holds now, by machine.
func (b *heldBook) put(studio, id uuid.UUID, name string, estimates []calls.Estimate) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for key, held := range b.known {
		if delete(held, id); len(held) == 0 {
			delete(b.known, key)
		}
	}
	for _, e := range estimates {
		if e.AfterMiB == 0 {
			continue
		}
		key := machineKey{studio, e.Machine.ID}
		if b.known[key] == nil {
			b.known[key] = map[uuid.UUID]calls.Held{}
		}
		b.known[key][id] = calls.Held{Template: id.String(), Name: name, Machine: e.Machine.ID, MiB: e.AfterMiB}
	}
}

// others lists what templates other than one hold on a machine, the most first.
func (b *heldBook) others(studio, id uuid.UUID, machine template.ID) []calls.Held {
	b.mu.Lock()
	defer b.mu.Unlock()
	held := maps.Clone(b.known[machineKey{studio, machine}])
	delete(held, id)
	return slices.SortedFunc(maps.Values(held), func(x, y calls.Held) int {
		return cmp.Or(cmp.Compare(y.MiB, x.MiB), cmp.Compare(x.Template, y.Template))
	})
}

// others is what other templates hold, by machine; the caller holds the lock.
func (r *Running) others() map[template.ID][]calls.Held {
	out := make(map[template.ID][]calls.Held, len(r.t.Machines))
	for _, m := range r.t.Machines {
		out[m.ID] = r.app.held.others(r.studio, r.id, m.ID)
	}
	return out
}

// Elsewhere is what other templates hold on each of the template's machines.
func (r *Running) Elsewhere() map[template.ID][]calls.Held {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.others()
}

// HeldByOthers is what other templates hold on each of the template's machines, MiB.
func (r *Running) HeldByOthers() seating.Held {
	out := seating.Held{}
	for id, list := range r.Elsewhere() {
		for _, h := range list {
			out[id] += h.MiB
		}
	}
	return out
}

// Crowded are the calls that fit by themselves, but not beside what other templates
// hold now.
func (r *Running) Crowded() []proof.Mark {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.crowded(r.others())
}

// crowded is Crowded; the caller holds the lock.
func (r *Running) crowded(others map[template.ID][]calls.Held) []proof.Mark {
	if r.readyOf != r.t {
		r.readyOf, r.readyIn = r.t, proof.EachReady(r.t)
	}
	return proof.Crowded(r.t, others, r.readyIn)
}

// tellOthers tells who looks at other templates what this one holds now. The caller
// holds no lock.
func (r *Running) tellOthers() {
	r.app.each(r.studio, func(h *Hot) {
		if h.Running != r {
			h.tell()
		}
	})
}

func (r *Running) tell() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.tellRig()
}

// HeldOn lists what is called on a machine, in list order.
func (r *Running) HeldOn(machine template.ID) []template.ID {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.DeleteFunc(r.scoreOrder(r.wanted), func(id template.ID) bool {
		i := r.t.Instrument(id)
		return !i.Loads() || machineOf(i) != machine
	})
}
