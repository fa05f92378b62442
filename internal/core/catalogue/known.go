package catalogue

import (
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Known returns a change of a template in which the libraries, players, patches and
// machines it would make new are those of the catalogue, where the catalogue
// has them by name: a row list that names a library the studio owns means that
// library, with what is known of it.
func Known(c change.Change, t, cat *template.Template) change.Change {
	if !brings(c) {
		return c
	}
	r := &recogniser{known: newKnown(cat), there: t.Index(), ids: map[template.ID]template.ID{}}
	return r.change(c)
}

// brings tells whether a change puts a library, player, patch or machine.
func brings(c change.Change) bool {
	switch c := change.Value(c).(type) {
	case change.Batch:
		return slices.ContainsFunc(c.Changes, brings)
	case change.Put:
		return len(c.Libraries)+len(c.Players)+len(c.Patches)+len(c.Machines) > 0
	}
	return false
}

// NameTaken refuses a change that gives a machine the name of another of the studio.
func NameTaken(c change.Change, cat *template.Template) error {
	switch c := change.Value(c).(type) {
	case change.Batch:
		for _, x := range c.Changes {
			if err := NameTaken(x, cat); err != nil {
				return err
			}
		}
	case change.RenameMachine:
		for _, m := range cat.Machines {
			if m.ID != c.ID && template.FoldName(m.Name) == template.FoldName(c.Name) {
				return &change.Refused{Subject: c.ID, Reason: fmt.Sprintf("the studio has a machine called %s already; choose another name", m.Name)}
			}
		}
	}
	return nil
}

// Shelf is a template that also holds the libraries, players, patches and machines of
// the catalogue which it has none of the ID or name of: what rows may name.
func Shelf(t, cat *template.Template) *template.Template {
	out := t.Clone()
	out.Libraries, out.Players = slices.Clip(out.Libraries), slices.Clip(out.Players)
	out.Patches, out.Machines = slices.Clip(out.Patches), slices.Clip(out.Machines)
	has := newKnown(t)
	libraries := map[template.ID]template.ID{} // of the catalogue, by another ID in the template
	for _, l := range cat.Libraries {
		if is := has.libraries[template.FoldName(l.Name)]; is != nil {
			libraries[l.ID] = is.ID
		} else if has.index.Libraries[l.ID] == nil {
			out.Libraries = append(out.Libraries, l)
		}
	}
	for _, p := range cat.Players {
		if has.index.Players[p.ID] == nil && has.players[template.FoldName(p.Name)] == nil {
			out.Players = append(out.Players, p)
		}
	}
	for _, p := range cat.Patches {
		library := or(libraries, p.Library)
		if has.index.Patches[p.ID] == nil && has.patches.Find(library, p.Name, p.Source) == nil && library == p.Library {
			out.Patches = append(out.Patches, p)
		}
	}
	for _, m := range cat.Machines {
		if has.index.Machines[m.ID] == nil && has.machines[template.FoldName(m.Name)] == nil {
			out.Machines = append(out.Machines, m)
		}
	}
	return out
}

// Lent is a change that was made on Shelf(t, cat), with copies of what it refers to
// and t lacks.
func Lent(c change.Batch, t, cat *template.Template) change.Batch {
	var put change.Put
	x, from := t.Index(), cat.Index()
	player := func(id template.ID) {
		if p := from.Players[id]; p != nil {
			put.Players = need(put.Players, x.Players, p, playerID)
		}
	}
	library := func(id template.ID) {
		if l := from.Libraries[id]; l != nil {
			put.Libraries = need(put.Libraries, x.Libraries, l, libraryID)
		}
	}
	var patches []*template.Patch
	for _, one := range c.Changes {
		switch one := one.(type) {
		case change.Put:
			for _, e := range one.Patches {
				library(e.Value.Library)
				player(e.Value.Player)
			}
		case change.Add:
			for _, placed := range one.Instruments {
				if m := from.Machines[placed.Instrument.Style.Machine]; m != nil {
					put.Machines = need(put.Machines, x.Machines, m, machineID)
				}
				for _, id := range placed.Instrument.Patches {
					if p := from.Patches[id]; p != nil && x.Patches[id] == nil {
						library(p.Library)
						player(p.Player)
						patches = append(patches, p)
					}
				}
			}
		}
	}
	seen := map[template.ID]bool{}
	for _, p := range patches {
		if !seen[p.ID] {
			seen[p.ID] = true
			put.Patches = append(put.Patches, change.Append(p))
		}
	}
	return change.Batch{Label: c.Label, Changes: append([]change.Change{put}, c.Changes...)}
}

type recogniser struct {
	known *known
	there *template.Index
	ids   map[template.ID]template.ID // what was to be new, and what it is
}

func (r *recogniser) change(c change.Change) change.Change {
	switch c := change.Value(c).(type) {
	case change.Batch:
		out := change.Batch{Label: c.Label, Changes: make([]change.Change, len(c.Changes))}
		for n := range c.Changes {
			out.Changes[n] = r.change(c.Changes[n])
		}
		return out
	case change.Put:
		return r.put(c)
	case change.Add:
		if len(r.ids) == 0 {
			return c
		}
		out := change.Add{Instruments: make([]change.Placed, len(c.Instruments))}
		for n, p := range c.Instruments {
			if p.Instrument != nil {
				i := *p.Instrument // the rest is shared
				i.Patches = r.all(i.Patches)
				i.Style.Machine, i.Seat = or(r.ids, i.Style.Machine), r.seat(i.Seat)
				p.Instrument = &i
			}
			out.Instruments[n] = p
		}
		return out
	case change.Edit:
		out := change.Edit{Edits: make([]change.Fields, len(c.Edits))}
		for n, f := range c.Edits {
			if f.Patches != nil {
				patches := r.all(*f.Patches)
				f.Patches = &patches
			}
			if f.Style != nil {
				style := *f.Style
				style.Machine = or(r.ids, style.Machine)
				f.Style = &style
			}
			out.Edits[n] = f
		}
		return out
	case change.Seat:
		out := change.Seat{Seats: slices.Clone(c.Seats)}
		for n := range out.Seats {
			out.Seats[n].Seat = r.seat(out.Seats[n].Seat)
		}
		return out
	}
	return c
}

func (r *recogniser) seat(s *template.Seat) *template.Seat {
	if s == nil || r.ids[s.Machine] == "" {
		return s
	}
	there := *s
	there.Machine = r.ids[s.Machine]
	return &there
}

func (r *recogniser) all(ids []template.ID) []template.ID {
	out := make([]template.ID, len(ids))
	for n, id := range ids {
		out[n] = or(r.ids, id)
	}
	return out
}

func (r *recogniser) put(c change.Put) change.Put {
	c.Libraries = recognise(r, c.Libraries, r.there.Libraries, libraryID, func(l *template.Library) *template.Library {
		return r.known.libraries[template.FoldName(l.Name)]
	})
	c.Players = recognise(r, c.Players, r.there.Players, playerID, func(p *template.Player) *template.Player {
		return r.known.players[template.FoldName(p.Name)]
	})
	c.Machines = recognise(r, c.Machines, r.there.Machines, machineID, func(m *template.Machine) *template.Machine {
		return r.known.machines[template.FoldName(m.Name)]
	})
	patches := make([]change.Entry[template.Patch], len(c.Patches))
	for n, e := range c.Patches {
		if e.Value != nil {
			p := *e.Value
			p.Library, p.Player = or(r.ids, p.Library), or(r.ids, p.Player)
			e.Value = &p
		}
		patches[n] = e
	}
	c.Patches = recognise(r, patches, r.there.Patches, func(p *template.Patch) template.ID { return p.ID }, func(p *template.Patch) *template.Patch {
		return r.known.patches.Find(p.Library, p.Name, p.Source)
	})
	for _, e := range c.Patches { // a known patch may need a player the change does not make
		if e.Value != nil && r.there.Players[e.Value.Player] == nil {
			if p := r.known.index.Players[e.Value.Player]; p != nil {
				c.Players = need(c.Players, r.there.Players, p, playerID)
			}
		}
	}
	return c
}

// recognise puts the catalogue's thing in place of a new one of that name.
func recognise[T any](r *recogniser, entries []change.Entry[T], there map[template.ID]*T, id func(*T) template.ID, find func(*T) *T) []change.Entry[T] {
	out := make([]change.Entry[T], 0, len(entries))
	for _, e := range entries {
		if e.Value == nil || there[id(e.Value)] != nil {
			out = append(out, e)
			continue
		}
		is := find(e.Value)
		if is == nil || id(is) == id(e.Value) {
			out = append(out, e)
			continue
		}
		r.ids[id(e.Value)] = id(is)
		if there[id(is)] == nil {
			out = append(out, change.Append(is))
		}
	}
	return out
}
