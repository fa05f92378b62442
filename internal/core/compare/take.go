package compare

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Pick is a difference to be taken.
type Pick struct {
	Noun Noun
	ID   template.ID // there, or here when it was removed
	// Field takes only what is so called in a row that both have; empty takes all.
	Field string
}

// Take makes the change that brings single differences from there to here. What
// a thing needs that is not here comes with it: its section, patches, libraries,
// players, machine, and the buses on its way; buses are found by kind and name.
// A seat that somebody else has here is left out. The error is a *change.Refused
// when a pick no longer differs or cannot be taken.
func Take(here, there *template.Template, picks []Pick, mint template.Mint) (change.Change, error) {
	if len(picks) == 0 {
		return nil, &change.Refused{Reason: "choose at least one difference to take"}
	}
	k := &taker{pairs: newPairs(here, there), now: here.Clone(), mint: mint, done: map[Pick]bool{}, gone: map[template.ID]bool{}, effects: map[template.ID]template.ID{}}
	known := map[Pick]Difference{}
	for _, d := range Pair(here, there) {
		known[Pick{Noun: d.Noun, ID: d.ID}] = d
		for _, f := range d.Fields {
			if d.Noun == Row {
				known[Pick{d.Noun, d.ID, f.Name}] = d
			}
		}
	}
	for _, n := range nouns {
		n.clone(k.now)
	}
	k.pairEffects()
	picks = slices.Clone(picks) // what others need goes first
	slices.SortStableFunc(picks, func(a, b Pick) int { return slices.Index(Nouns, a.Noun) - slices.Index(Nouns, b.Noun) })
	var steps change.Batch
	var gone []Difference
	for _, p := range picks {
		d, ok := known[p]
		if !ok {
			return nil, &change.Refused{Subject: p.ID, Reason: "one of the differences is no longer there; compare again"}
		}
		if d.How == Removed {
			gone = append(gone, d)
			continue
		}
		if p.Field == "" {
			err := k.take(p, true)
			if err != nil {
				return nil, err
			}
		} else if !slices.Contains(picks, Pick{Noun: p.Noun, ID: p.ID}) {
			if err := k.rowField(p); err != nil {
				return nil, err
			}
		}
	}
	removals := k.removals(gone) // which may take something out of what becomes
	if c := change.Between(here, k.now); c != nil {
		steps.Changes = append(steps.Changes, c)
	}
	steps.Changes = append(steps.Changes, removals...)
	steps.Label = fmt.Sprintf("Take %d differences from %s", len(picks), there.Name)
	return steps, nil
}

// leaving is the order in which things go: what others need goes last.
var leaving = []Noun{Casting, Sightline, Rule, Row, Call, Bus, Fold, Machine, Patch, Player, Library, Section, ReturnSet, Term}

func (k *taker) removals(gone []Difference) []change.Change {
	deep := func(d Difference) int { return len(k.here.Ancestry(d.ID)) }
	slices.SortStableFunc(gone, func(a, b Difference) int {
		return cmp.Or(slices.Index(leaving, a.Noun)-slices.Index(leaving, b.Noun), deep(b)-deep(a))
	})
	var out []change.Change
	for _, d := range gone {
		if c := nounOf(d.Noun).remove(k, d.ID); c != nil {
			out = append(out, c)
		}
	}
	return out
}

type taker struct {
	*pairs
	now  *template.Template // as it becomes; its lists are its own
	mint template.Mint
	done map[Pick]bool
	gone map[template.ID]bool // return sets that are taken away
	ids  map[template.ID]bool // in use here; nil until they are asked for

	effects map[template.ID]template.ID // of return sets: there → here
}

// take brings one thing as it is there; with over, also when it is here already.
func (k *taker) take(p Pick, over bool) error {
	if k.done[p] || !over && k.of[p.Noun][p.ID] != "" {
		return nil
	}
	k.done[p] = true
	if p.Noun == Settings {
		k.now.Name, k.now.Settings = k.there.Name, k.there.Settings
		k.now.Settings.Seating.Wishes = k.here.Settings.Seating.Wishes // they speak of what is here
		return nil
	}
	return nounOf(p.Noun).take(k, p.ID)
}

// put puts a copy of a thing of there in the place of its pair, or at the end.
func put[T any](k *taker, is Noun, x *T) {
	all := nounOf(is).(of[T])
	id, list := all.id(x), all.at(k.now)
	from := *id
	to, known := k.of[is][from]
	if !known || to == "" {
		if k.used(from) {
			*id = k.mint(string(is))
		}
		k.of[is][from], k.ids[*id] = *id, true
		*list = append(*list, x)
		return
	}
	*id = to
	for n, old := range *list {
		if *all.id(old) == to {
			(*list)[n] = x
			return
		}
	}
	*list = append(*list, x)
}

// used tells whether an ID is in use here.
func (k *taker) used(id template.ID) bool {
	if k.ids == nil {
		k.ids = map[template.ID]bool{}
		for _, n := range nouns {
			n.ids(k.here, k.ids)
		}
	}
	return k.ids[id]
}

// need brings a thing that another speaks of, and returns its ID here.
func (k *taker) need(noun Noun, id *template.ID) error {
	if *id == "" {
		return nil
	}
	if err := k.take(Pick{Noun: noun, ID: *id}, false); err != nil {
		return err
	}
	*id = k.of[noun][*id]
	return nil
}

func (k *taker) section(s *template.Section) error {
	c := *s
	if err := k.need(Section, &c.Parent); err != nil {
		return err
	}
	if !k.now.ThePalette().Has(c.Tint) {
		c.Tint = ""
	}
	c.Sends = nil
	for _, x := range s.Sends {
		if x.Effect = k.effects[x.Effect]; x.Effect != "" {
			c.Sends = append(c.Sends, x)
		}
	}
	put(k, Section, &c)
	return nil
}

// pairEffects finds which effect there is which here: those of one ID, or of one
// name in return sets that are one.
func (k *taker) pairEffects() {
	for _, set := range k.there.ReturnSets {
		mine := k.now.ReturnSet(k.of[ReturnSet][set.ID])
		if mine == nil {
			continue
		}
		for _, e := range set.Effects {
			for _, o := range mine.Effects {
				if o.ID == e.ID || k.effects[e.ID] == "" && template.FoldName(o.Name) == template.FoldName(e.Name) {
					k.effects[e.ID] = o.ID
				}
			}
		}
	}
}

func (k *taker) returnSet(s *template.ReturnSet) error {
	c := *s
	c.Effects = slices.Clone(s.Effects)
	for n, e := range c.Effects {
		id := k.effects[e.ID]
		if id == "" {
			if id = e.ID; k.effectHere(id) {
				id = k.mint("effect")
			}
			k.effects[e.ID] = id
		}
		c.Effects[n].ID = id
	}
	put(k, ReturnSet, &c)
	return nil
}

func (k *taker) effectHere(id template.ID) bool {
	return slices.ContainsFunc(k.now.ReturnSets, func(s *template.ReturnSet) bool {
		return slices.ContainsFunc(s.Effects, func(e template.ReturnEffect) bool { return e.ID == id })
	})
}

func (k *taker) fold(f *template.Fold) error {
	c := *f
	if k.of[Fold][f.ID] == "" { // it stands where it does there
		put(k, Fold, &c)
		at := min(slices.IndexFunc(k.there.Folds, func(x *template.Fold) bool { return x.ID == f.ID }), len(k.now.Folds)-1)
		last := len(k.now.Folds) - 1
		k.now.Folds = slices.Insert(k.now.Folds[:last:last], at, k.now.Folds[last])
		return nil
	}
	put(k, Fold, &c)
	return nil
}

func (k *taker) rule(r *template.StemRule) error {
	c := *r
	for _, need := range []struct {
		noun Noun
		id   *template.ID
	}{{Bus, &c.Stem}, {Section, &c.Section}, {Library, &c.Library}} {
		if err := k.need(need.noun, need.id); err != nil {
			return err
		}
	}
	put(k, Rule, &c)
	return nil
}

// sightline takes over as much of what it speaks of as is here.
func (k *taker) sightline(s *template.Sightline) error {
	c := *s
	c.Rows, c.Folded = k.those(Row, s.Rows), k.those(Section, s.Folded)
	c.Match.Sections, c.Match.Stems = k.those(Section, s.Match.Sections), k.those(Bus, s.Match.Stems)
	c.Match.Libraries, c.Match.Machines = k.those(Library, s.Match.Libraries), k.those(Machine, s.Match.Machines)
	c.Fold = k.of[Fold][s.Fold]
	mine := k.of[Sightline][s.ID]
	if slices.ContainsFunc(k.now.Sightlines, func(o *template.Sightline) bool { return o.Key == c.Key && o.ID != mine }) {
		c.Key = 0 // another has the digit
	}
	put(k, Sightline, &c)
	return nil
}

// those are the things that are here, by their IDs here.
func (k *taker) those(is Noun, ids []template.ID) []template.ID {
	var out []template.ID
	for _, id := range ids {
		if to := k.of[is][id]; to != "" {
			out = append(out, to)
		}
	}
	return out
}

func (k *taker) casting(l *template.CastingList) error {
	c := *l
	c.Entries = slices.Clone(l.Entries)
	for n := range c.Entries {
		e := &c.Entries[n]
		if err := k.need(Library, &e.Library); err != nil {
			return err
		}
		e.Patches = slices.Clone(e.Patches)
		for p := range e.Patches {
			if err := k.need(Patch, &e.Patches[p]); err != nil {
				return err
			}
		}
	}
	put(k, Casting, &c)
	return nil
}

func copiedMachine(k *taker, x *template.Machine) error { return copied(k, Machine, x) }
func copiedLibrary(k *taker, x *template.Library) error { return copied(k, Library, x) }
func copiedPlayer(k *taker, x *template.Player) error   { return copied(k, Player, x) }
func copiedTerm(k *taker, x *template.Term) error       { return copied(k, Term, x) }

// copied takes a thing that speaks of no other.
func copied[T any](k *taker, is Noun, x *T) error {
	c := *x
	put(k, is, &c)
	return nil
}

func (k *taker) bus(b *template.Bus) error {
	c := b.Clone()
	if err := k.need(Fold, &c.Fold); err != nil {
		return err
	}
	if err := k.need(Section, &c.Section); err != nil {
		return err
	}
	if err := k.need(ReturnSet, &c.Returns); err != nil {
		return err
	}
	c.Effect = k.effects[c.Effect]
	if c.Number != 0 && slices.ContainsFunc(k.now.Buses, func(o *template.Bus) bool { return o.Number == c.Number && o.ID != k.of[Bus][b.ID] }) {
		c.Number = 0
	}
	routes := c.Routes
	c.Routes = nil
	put(k, Bus, c) // before its ways, which may lead back
	for n := range routes {
		if err := k.need(Bus, &routes[n].To); err != nil {
			return err
		}
	}
	c.Routes = template.SortRoutes(routes)
	return nil
}

func (k *taker) patch(p *template.Patch) error {
	c := *p
	if err := k.need(Library, &c.Library); err != nil {
		return err
	}
	if err := k.need(Player, &c.Player); err != nil {
		return err
	}
	put(k, Patch, &c)
	return nil
}

func (k *taker) call(c *template.Call) error {
	x := *c
	x.Instruments = []template.ID{}
	for _, id := range c.Instruments {
		if to := k.of[Row][id]; to != "" {
			x.Instruments = append(x.Instruments, to)
		}
	}
	x.Uses = nil
	for _, u := range c.Uses {
		if to := k.of[Row][u.Instrument]; to != "" {
			u.Instrument = to
			x.Uses = append(x.Uses, u)
		}
	}
	x.Opening = x.Opening && !slices.ContainsFunc(k.here.Calls, func(o *template.Call) bool { return o.Opening && o.ID != k.of[Call][c.ID] })
	put(k, Call, &x)
	return nil
}

func (k *taker) row(i *template.Instrument) error {
	c, err := k.fitted(i)
	if err != nil {
		return err
	}
	put(k, Row, c)
	return nil
}

// rowField takes one field of a row that both have, with what that needs.
func (k *taker) rowField(p Pick) error {
	key := ""
	there := fieldsOf(k.there.Instrument(p.ID))
	here := fieldsOf(k.now.Instrument(k.of[Row][p.ID]))
	for _, of := range []map[string]json.RawMessage{there, here} {
		for name := range of {
			if called(name) == p.Field {
				key = name
			}
		}
	}
	only := &template.Instrument{}
	if err := json.Unmarshal(objectOf(map[string]json.RawMessage{key: there[key]}), only); err != nil {
		return fmt.Errorf("take %s: %w", p.Field, err)
	}
	only.ID = p.ID // which says whose seat it may have
	fitting, err := k.fitted(only)
	if err != nil {
		return err
	}
	switch value, fits := fieldsOf(fitting)[key]; {
	case there[key] == nil:
		delete(here, key)
	case fits:
		here[key] = value
	default:
		return &change.Refused{Subject: p.ID, Reason: fmt.Sprintf("the %s of %s cannot be taken: what it speaks of is not free here", p.Field, k.there.Instrument(p.ID).Name)}
	}
	c := &template.Instrument{}
	if err := json.Unmarshal(objectOf(here), c); err != nil {
		return fmt.Errorf("take %s: %w", p.Field, err)
	}
	c.ID = p.ID
	put(k, Row, c)
	return nil
}

// fieldsOf is a row field by field; a row can always be written.
func fieldsOf(i *template.Instrument) map[string]json.RawMessage {
	out := map[string]json.RawMessage{}
	data, err := json.Marshal(i)
	if err != nil || json.Unmarshal(data, &out) != nil {
		return nil
	}
	return out
}

// objectOf writes fields that are there.
func objectOf(fields map[string]json.RawMessage) []byte {
	maps.DeleteFunc(fields, func(_ string, value json.RawMessage) bool { return value == nil })
	data, err := json.Marshal(fields)
	if err != nil {
		return []byte("{}")
	}
	return data
}

// fitted is a row as it can be here, once all that it speaks of is.
func (k *taker) fitted(i *template.Instrument) (*template.Instrument, error) {
	c := i.Clone()
	if !k.now.ThePalette().Has(c.Colour) {
		c.Colour = ""
	}
	if err := k.need(Section, &c.Section); err != nil {
		return nil, err
	}
	for n := range c.Patches {
		if err := k.need(Patch, &c.Patches[n]); err != nil {
			return nil, err
		}
	}
	for n := range c.Routes {
		if err := k.need(Bus, &c.Routes[n].To); err != nil {
			return nil, err
		}
	}
	c.Routes = template.SortRoutes(c.Routes)
	if err := k.need(Machine, &c.Style.Machine); err != nil {
		return nil, err
	}
	if c.With != "" { // with the row it sits with, if that is here; else by itself
		if c.With = k.of[Row][c.With]; c.With == "" {
			c.Seat = nil
		}
	}
	if c.Seat != nil {
		if err := k.need(Machine, &c.Seat.Machine); err != nil {
			return nil, err
		}
		if c.With == "" && k.sits(*c.Seat, k.of[Row][i.ID]) {
			c.Seat, c.SeatByHand = nil, false
		}
	}
	if c.Printed != nil {
		c.Printed.Call = k.callHere(c.Printed.Call)
	}
	if c.Trim != nil {
		c.Trim.Call = k.callHere(c.Trim.Call)
		for n, x := range c.Trim.Patches {
			if to := k.of[Patch][x.Patch]; to != "" {
				c.Trim.Patches[n].Patch = to
			}
		}
	}
	return c, nil
}

// callHere is a call as it is here; one that is nowhere is spoken of all the same.
func (k *taker) callHere(id template.ID) template.ID {
	if to := k.of[Call][id]; to != "" {
		return to
	}
	return id
}

// sits tells whether another row has the seat.
func (k *taker) sits(s template.Seat, but template.ID) bool {
	return slices.ContainsFunc(k.now.Instruments, func(o *template.Instrument) bool {
		return o.ID != but && o.With == "" && o.Seat != nil && o.Seat.SamePlace(s)
	})
}
