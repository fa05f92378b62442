// Package catalogue keeps what a studio knows of its libraries, and its machines, in
// step with the templates that use them. The catalogue is a template without
// instruments: each template holds copies, under the same IDs, of the libraries,
// players and patches it plays and of the machines it sits on. Catalogue and template
// go in; changes that bring one up to the other, search results, and instruments made
// of patches come out.
package catalogue

import (
	"reflect"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
)

// Missing is the change that takes into the catalogue what a template holds
// and it does not. It has no keys when there is nothing.
func Missing(cat, t *template.Template) change.Put {
	x := cat.Index()
	var put change.Put
	put.Libraries = lacking(t.Libraries, func(l *template.Library) bool { return x.Libraries[l.ID] == nil })
	put.Players = lacking(t.Players, func(p *template.Player) bool { return x.Players[p.ID] == nil })
	put.Patches = lacking(t.Patches, func(p *template.Patch) bool { return x.Patches[p.ID] == nil })
	machines := machinesByName(cat)
	put.Machines = lacking(t.Machines, func(m *template.Machine) bool {
		return x.Machines[m.ID] == nil && machines[template.FoldName(m.Name)] == nil
	})
	names := map[string]bool{}
	for _, term := range cat.Vocabulary {
		names[template.FoldName(term.Name)] = true
	}
	put.Terms = lacking(t.Vocabulary, func(w *template.Term) bool { return x.Terms[w.ID] == nil && !names[template.FoldName(w.Name)] })
	return put
}

// Learned is the change that carries on to the catalogue what a change of a
// template said of its libraries, players, patches, machines and articulations.
func Learned(cat, before, after *template.Template) change.Put {
	x, was := cat.Index(), before.Index()
	var put change.Put
	put.Libraries = lacking(after.Libraries, func(l *template.Library) bool {
		return was.Libraries[l.ID] != l && news(x.Libraries[l.ID], l)
	})
	put.Players = lacking(after.Players, func(p *template.Player) bool { return was.Players[p.ID] != p && news(x.Players[p.ID], p) })
	put.Patches = lacking(after.Patches, func(p *template.Patch) bool { return was.Patches[p.ID] != p && news(x.Patches[p.ID], p) })
	put.Machines = lacking(after.Machines, func(m *template.Machine) bool { return was.Machines[m.ID] != m && news(x.Machines[m.ID], m) })
	put.Terms = lacking(after.Vocabulary, func(w *template.Term) bool { return was.Terms[w.ID] != w && news(x.Terms[w.ID], w) })
	return put
}

// news tells whether something is not known, or not so.
func news[T any](known, said *T) bool { return known == nil || differs(known, said) }

// Behind is the change that brings a template's copies up to the catalogue:
// those that differ, and the studio's own articulations.
func Behind(t, cat *template.Template) change.Put {
	x := t.Index()
	var put change.Put
	put.Libraries = lacking(cat.Libraries, func(l *template.Library) bool { return differs(x.Libraries[l.ID], l) })
	put.Players = lacking(cat.Players, func(p *template.Player) bool { return differs(x.Players[p.ID], p) })
	put.Patches = lacking(cat.Patches, func(p *template.Patch) bool { return differs(x.Patches[p.ID], p) })
	for _, e := range put.Patches { // a copy that moved to another library or player needs that too
		put.Libraries = need(put.Libraries, x.Libraries, cat.Index().Libraries[e.Value.Library], libraryID)
		put.Players = need(put.Players, x.Players, cat.Index().Players[e.Value.Player], playerID)
	}
	put.Machines = otherMachines(t, cat)
	put.Terms = lacking(cat.Vocabulary, func(w *template.Term) bool {
		return x.Terms[w.ID] == nil || !reflect.DeepEqual(x.Terms[w.ID], w)
	})
	return put
}

// otherMachines are the studio's machines that a template has otherwise.
func otherMachines(t, cat *template.Template) []change.Entry[template.Machine] {
	return lacking(cat.Machines, func(m *template.Machine) bool { return differs(t.Index().Machines[m.ID], m) })
}

// OnTheStudios is a template as it was, on the machines as the studio has them now: to
// bring a template back does not take memory out of a machine, or its name back.
func OnTheStudios(then, cat *template.Template) *template.Template {
	now, _, err := change.Apply(then, change.Renaming(then, change.Put{Machines: otherMachines(then, cat)}))
	if err != nil {
		return then // two of its machines would have one name
	}
	return now
}

func libraryID(l *template.Library) template.ID { return l.ID }
func playerID(p *template.Player) template.ID   { return p.ID }
func machineID(m *template.Machine) template.ID { return m.ID }

// machinesByName finds a template's machines by their folded names.
func machinesByName(t *template.Template) map[string]*template.Machine {
	names := make(map[string]*template.Machine, len(t.Machines))
	for _, m := range t.Machines {
		names[template.FoldName(m.Name)] = m
	}
	return names
}

// Sit is the change that brings into a template those of the studio's machines that
// it has none of the name of.
func Sit(t, cat *template.Template) change.Put {
	names := machinesByName(t)
	return change.Put{Machines: lacking(cat.Machines, func(m *template.Machine) bool { return names[template.FoldName(m.Name)] == nil })}
}

// Left are the changes that take machines out of the catalogue which nobody sits on
// any more.
func Left(cat *template.Template, machines []template.ID) []change.Change {
	var out []change.Change
	for _, id := range machines {
		if cat.Index().Machines[id] != nil {
			out = append(out, change.RemoveMachine{ID: id})
		}
	}
	return out
}

// differs tells whether there is a copy that differs from the original.
func differs[T any](copied, original *T) bool {
	return copied != nil && copied != original && !reflect.DeepEqual(copied, original)
}

func lacking[T any](list []*T, lacks func(*T) bool) []change.Entry[T] {
	var out []change.Entry[T]
	for _, v := range list {
		if lacks(v) {
			out = append(out, change.Append(v))
		}
	}
	return out
}

// need adds a thing that neither the template nor the change has yet.
func need[T any](list []change.Entry[T], there map[template.ID]*T, v *T, id func(*T) template.ID) []change.Entry[T] {
	if there[id(v)] != nil {
		return list
	}
	for _, e := range list {
		if id(e.Value) == id(v) {
			return list
		}
	}
	return append(list, change.Append(v))
}

// Copies is the change that brings patches of the catalogue, and what they
// need, into a template that has no copy of them.
func Copies(t, cat *template.Template, patches []*template.Patch) change.Put {
	var put change.Put
	x, from := t.Index(), cat.Index()
	for _, p := range patches {
		put.Libraries = need(put.Libraries, x.Libraries, from.Libraries[p.Library], libraryID)
		put.Players = need(put.Players, x.Players, from.Players[p.Player], playerID)
		put.Patches = need(put.Patches, x.Patches, p, func(p *template.Patch) template.ID { return p.ID })
	}
	return put
}

// known finds things of the catalogue by what people call them.
type known struct {
	libraries map[string]*template.Library
	players   map[string]*template.Player
	patches   *intake.Patches
	machines  map[string]*template.Machine
	index     *template.Index
}

func newKnown(cat *template.Template) *known {
	k := &known{
		libraries: map[string]*template.Library{}, players: map[string]*template.Player{},
		patches: intake.NewPatches(cat.Patches), machines: machinesByName(cat), index: cat.Index(),
	}
	for _, l := range cat.Libraries {
		k.libraries[template.FoldName(l.Name)] = l
	}
	for _, p := range cat.Players {
		k.players[template.FoldName(p.Name)] = p
	}
	return k
}

// Mint makes a new ID for a thing of a kind.
type Mint = template.Mint

// Adopt returns a template from elsewhere whose libraries, players, patches and
// machines have the IDs of the catalogue where they are the same by name, and IDs of
// their own where theirs mean something else there. A machine is then as the studio
// has it. t is not altered.
func Adopt(t, cat *template.Template, mint Mint) *template.Template {
	k := newKnown(cat)
	ids := map[template.ID]template.ID{}
	for _, l := range t.Libraries {
		there := k.libraries[template.FoldName(l.Name)]
		rename(ids, l.ID, k.index.Libraries[l.ID] != nil, there, libraryID, "library", mint)
	}
	for _, p := range t.Players {
		there := k.players[template.FoldName(p.Name)]
		rename(ids, p.ID, k.index.Players[p.ID] != nil, there, playerID, "player", mint)
	}
	for _, p := range t.Patches {
		there := k.patches.Find(or(ids, p.Library), p.Name, p.Source)
		rename(ids, p.ID, k.index.Patches[p.ID] != nil, there, func(p *template.Patch) template.ID { return p.ID }, "patch", mint)
	}
	for _, m := range t.Machines {
		rename(ids, m.ID, k.index.Machines[m.ID] != nil, k.machines[template.FoldName(m.Name)], machineID, "machine", mint)
	}
	if len(ids) > 0 {
		t = renamed(t, ids)
	}
	return t
}

// rename notes the new ID of a thing, unless it may keep its own.
func rename[T any](ids map[template.ID]template.ID, own template.ID, taken bool, there *T, id func(*T) template.ID, kind string, mint Mint) {
	switch {
	case there != nil && id(there) != own:
		ids[own] = id(there)
	case there == nil && taken:
		ids[own] = mint(kind)
	}
}

func or(ids map[template.ID]template.ID, id template.ID) template.ID {
	if other, ok := ids[id]; ok {
		return other
	}
	return id
}

func renamed(t *template.Template, ids map[template.ID]template.ID) *template.Template {
	out := t.Clone()
	out.Libraries = each(t.Libraries, func(l *template.Library) { l.ID = or(ids, l.ID) })
	out.Players = each(t.Players, func(p *template.Player) { p.ID = or(ids, p.ID) })
	out.Patches = each(t.Patches, func(p *template.Patch) {
		p.ID, p.Library, p.Player = or(ids, p.ID), or(ids, p.Library), or(ids, p.Player)
	})
	out.Machines = each(t.Machines, func(m *template.Machine) { m.ID = or(ids, m.ID) })
	out.Sightlines = each(t.Sightlines, func(s *template.Sightline) { s.Match.Machines = ors(ids, s.Match.Machines) })
	out.Instruments = each(t.Instruments, func(i *template.Instrument) {
		i.Style.Machine = or(ids, i.Style.Machine)
		if i.Seat != nil {
			seat := *i.Seat
			seat.Machine = or(ids, seat.Machine)
			i.Seat = &seat
		}
		i.Patches = ors(ids, i.Patches)
	})
	return out
}

// ors is or of each; no list stays none.
func ors(ids map[template.ID]template.ID, list []template.ID) []template.ID {
	out := slices.Clone(list)
	for n, id := range out {
		out[n] = or(ids, id)
	}
	return out
}

func each[T any](list []*T, edit func(*T)) []*T {
	out := make([]*T, len(list))
	for n, v := range list {
		c := *v
		edit(&c)
		out[n] = &c
	}
	return out
}

// Gone is the change that takes out of a template the copies of what the
// catalogue no longer holds and nothing in the template refers to.
func Gone(t, before, now *template.Template) change.Drop {
	played, libraries, players := map[template.ID]bool{}, map[template.ID]bool{}, map[template.ID]bool{}
	for _, i := range t.Instruments {
		for _, id := range i.Patches {
			played[id] = true
		}
	}
	var drop change.Drop
	was, is := before.Index(), now.Index()
	for _, p := range t.Patches {
		if was.Patches[p.ID] != nil && is.Patches[p.ID] == nil && !played[p.ID] {
			drop.Patches = append(drop.Patches, p.ID)
			continue
		}
		libraries[p.Library], players[p.Player] = true, true
	}
	for _, l := range t.Libraries {
		if was.Libraries[l.ID] != nil && is.Libraries[l.ID] == nil && !libraries[l.ID] {
			drop.Libraries = append(drop.Libraries, l.ID)
		}
	}
	for _, p := range t.Players {
		if was.Players[p.ID] != nil && is.Players[p.ID] == nil && !players[p.ID] {
			drop.Players = append(drop.Players, p.ID)
		}
	}
	for _, w := range t.Vocabulary {
		if was.Terms[w.ID] != nil && is.Terms[w.ID] == nil {
			drop.Terms = append(drop.Terms, w.ID)
		}
	}
	return drop
}
