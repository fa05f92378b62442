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
// when a pick no longer differs or can not be taken.
func Take(here, there *template.Template, picks []Pick, mint template.Mint) (change.Change, error) {
	if len(picks) == 0 {
		return nil, &change.Refused{Reason: "choose at least one difference to take"}
	}
	k := &taker{pairs: newPairs(here, there), now: here.Clone(), mint: mint, done: map[Pick]bool{}}
	known := map[Pick]Difference{}
	for _, d := range Pair(here, there) {
		known[Pick{Noun: d.Noun, ID: d.ID}] = d
		for _, f := range d.Fields {
			if d.Noun == Row {
				known[Pick{d.Noun, d.ID, f.Name}] = d
			}
		}
	}
	k.now.Sections, k.now.Instruments, k.now.Buses = slices.Clone(here.Sections), slices.Clone(here.Instruments), slices.Clone(here.Buses)
	k.now.Machines, k.now.Calls, k.now.Libraries = slices.Clone(here.Machines), slices.Clone(here.Calls), slices.Clone(here.Libraries)
	k.now.Players, k.now.Patches = slices.Clone(here.Players), slices.Clone(here.Patches)
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
	if c := change.Between(here, k.now); c != nil {
		steps.Changes = append(steps.Changes, c)
	}
	steps.Changes = append(steps.Changes, k.removals(gone)...)
	steps.Label = fmt.Sprintf("Take %d differences from %s", len(picks), there.Name)
	return steps, nil
}

// leaving is the order in which things go: what others need goes last.
var leaving = []Noun{Row, Call, Bus, Machine, Patch, Player, Library, Section}

func (k *taker) removals(gone []Difference) []change.Change {
	deep := func(d Difference) int { return len(k.here.Ancestry(d.ID)) }
	slices.SortStableFunc(gone, func(a, b Difference) int {
		return cmp.Or(slices.Index(leaving, a.Noun)-slices.Index(leaving, b.Noun), deep(b)-deep(a))
	})
	var out []change.Change
	for _, d := range gone {
		out = append(out, removal(d))
	}
	return out
}

// removal takes away what only here has.
func removal(d Difference) change.Change {
	ids := []template.ID{d.ID}
	switch d.Noun {
	case Row:
		return change.Delete{IDs: ids}
	case Bus:
		return change.RemoveBus{ID: d.ID}
	case Machine:
		return change.RemoveMachine{ID: d.ID}
	case Section:
		return change.Drop{Sections: ids}
	case Call:
		return change.Drop{Calls: ids}
	case Library:
		return change.Drop{Libraries: ids}
	case Player:
		return change.Drop{Players: ids}
	}
	return change.Drop{Patches: ids}
}

type taker struct {
	*pairs
	now  *template.Template // as it becomes; its lists are its own
	mint template.Mint
	done map[Pick]bool
}

// take brings one thing as it is there; with over, also when it is here already.
func (k *taker) take(p Pick, over bool) error {
	if k.done[p] || !over && k.of[p.Noun][p.ID] != "" {
		return nil
	}
	k.done[p] = true
	x := k.there.Index()
	switch p.Noun {
	case Settings:
		k.now.Name, k.now.Settings = k.there.Name, k.there.Settings
		k.now.Settings.Seating.Wishes = k.here.Settings.Seating.Wishes // they speak of what is here
	case Section:
		return k.section(x.Sections[p.ID])
	case Row:
		return k.row(k.there.Instrument(p.ID))
	case Bus:
		return k.bus(x.Buses[p.ID])
	case Machine:
		c := *x.Machines[p.ID]
		put(k, Machine, &k.now.Machines, &c, &c.ID)
	case Call:
		return k.call(x.Calls[p.ID])
	case Library:
		c := *x.Libraries[p.ID]
		put(k, Library, &k.now.Libraries, &c, &c.ID)
	case Player:
		c := *x.Players[p.ID]
		put(k, Player, &k.now.Players, &c, &c.ID)
	case Patch:
		return k.patch(x.Patches[p.ID])
	}
	return nil
}

// put puts a copy of a thing of there in the place of its pair, or at the end.
func put[T any](k *taker, noun Noun, list *[]*T, x *T, id *template.ID) {
	from := *id
	if to := k.of[noun][from]; to != "" {
		*id = to
	} else if k.used(from) {
		*id = k.mint(string(noun))
	}
	k.of[noun][from] = *id
	for n, old := range *list {
		if idOf(old) == *id {
			(*list)[n] = x
			return
		}
	}
	*list = append(*list, x)
}

func idOf(x any) template.ID {
	switch x := x.(type) {
	case *template.Section:
		return x.ID
	case *template.Instrument:
		return x.ID
	case *template.Bus:
		return x.ID
	case *template.Machine:
		return x.ID
	case *template.Call:
		return x.ID
	case *template.Library:
		return x.ID
	case *template.Player:
		return x.ID
	case *template.Patch:
		return x.ID
	}
	return ""
}

// used tells whether an ID is in use here.
func (k *taker) used(id template.ID) bool {
	x := k.here.Index()
	_, row := x.Place[id]
	return row || x.Sections[id] != nil || x.Buses[id] != nil || x.Machines[id] != nil || x.Calls[id] != nil ||
		x.Libraries[id] != nil || x.Players[id] != nil || x.Patches[id] != nil
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
	c.Sends = slices.DeleteFunc(slices.Clone(c.Sends), func(x template.Send) bool { return !k.hasEffect(x.Effect) })
	put(k, Section, &k.now.Sections, &c, &c.ID)
	return nil
}

func (k *taker) hasEffect(id template.ID) bool {
	return slices.ContainsFunc(k.here.ReturnSets, func(s *template.ReturnSet) bool {
		return slices.ContainsFunc(s.Effects, func(e template.ReturnEffect) bool { return e.ID == id })
	})
}

func (k *taker) bus(b *template.Bus) error {
	c := b.Clone()
	if c.Fold != "" {
		fold := k.foldNamed(c.Fold)
		if fold == "" {
			return &change.Refused{Subject: b.ID, Reason: fmt.Sprintf("%s is a stem of a fold that is not here; add the fold first", b.Name)}
		}
		c.Fold = fold
	}
	if err := k.need(Section, &c.Section); err != nil {
		return err
	}
	if !slices.ContainsFunc(k.here.ReturnSets, func(s *template.ReturnSet) bool { return s.ID == c.Returns }) {
		c.Returns = ""
	}
	if !k.hasEffect(c.Effect) {
		c.Effect = ""
	}
	if c.Number != 0 && slices.ContainsFunc(k.now.Buses, func(o *template.Bus) bool { return o.Number == c.Number && o.ID != k.of[Bus][b.ID] }) {
		c.Number = 0
	}
	routes := c.Routes
	c.Routes = nil
	put(k, Bus, &k.now.Buses, c, &c.ID) // before its ways, which may lead back
	for n := range routes {
		if err := k.need(Bus, &routes[n].To); err != nil {
			return err
		}
	}
	c.Routes = template.SortRoutes(routes)
	return nil
}

func (k *taker) foldNamed(id template.ID) template.ID {
	for _, there := range k.there.Folds {
		for _, here := range k.here.Folds {
			if there.ID == id && (here.ID == id || template.FoldName(here.Name) == template.FoldName(there.Name)) {
				return here.ID
			}
		}
	}
	return ""
}

func (k *taker) patch(p *template.Patch) error {
	c := *p
	if err := k.need(Library, &c.Library); err != nil {
		return err
	}
	if err := k.need(Player, &c.Player); err != nil {
		return err
	}
	put(k, Patch, &k.now.Patches, &c, &c.ID)
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
	put(k, Call, &k.now.Calls, &x, &x.ID)
	return nil
}

func (k *taker) row(i *template.Instrument) error {
	c, err := k.fitted(i)
	if err != nil {
		return err
	}
	put(k, Row, &k.now.Instruments, c, &c.ID)
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
		return &change.Refused{Subject: p.ID, Reason: fmt.Sprintf("the %s of %s can not be taken: what it speaks of is not free here", p.Field, k.there.Instrument(p.ID).Name)}
	}
	c := &template.Instrument{}
	if err := json.Unmarshal(objectOf(here), c); err != nil {
		return fmt.Errorf("take %s: %w", p.Field, err)
	}
	c.ID = p.ID
	put(k, Row, &k.now.Instruments, c, &c.ID)
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
		c.Printed.Call = k.of[Call][c.Printed.Call]
	}
	if c.Trim != nil && k.of[Call][c.Trim.Call] == "" {
		c.Trim = nil
	} else if c.Trim != nil {
		trim := *c.Trim
		trim.Call, trim.Patches = k.of[Call][c.Trim.Call], slices.Clone(trim.Patches)
		for n := range trim.Patches {
			trim.Patches[n].Patch = k.of[Patch][trim.Patches[n].Patch]
		}
		c.Trim = &trim
	}
	return c, nil
}

// sits tells whether another row has the seat.
func (k *taker) sits(s template.Seat, but template.ID) bool {
	return slices.ContainsFunc(k.now.Instruments, func(o *template.Instrument) bool {
		return o.ID != but && o.With == "" && o.Seat != nil && o.Seat.SamePlace(s)
	})
}
