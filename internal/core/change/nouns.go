package change

import (
	"fmt"
	"reflect"
	"slices"

	"fanfold/internal/core/template"
)

// Entry is one thing to put, and its position in its list. A thing already
// there is replaced where it stands and At is not looked at.
type Entry[T any] struct {
	At    int `json:"at"` // position of a new thing; -1 appends
	Value *T  `json:"value"`
}

// Append returns an Entry that goes to the end of its list.
func Append[T any](value *T) Entry[T] { return Entry[T]{At: -1, Value: value} }

// Put adds or replaces whole things other than instruments.
type Put struct {
	Folds     []Entry[template.Fold]        `json:"folds,omitempty"`
	Sections  []Entry[template.Section]     `json:"sections,omitempty"`
	Buses     []Entry[template.Bus]         `json:"buses,omitempty"`
	Libraries []Entry[template.Library]     `json:"libraries,omitempty"`
	Players   []Entry[template.Player]      `json:"players,omitempty"`
	Patches   []Entry[template.Patch]       `json:"patches,omitempty"`
	Machines  []Entry[template.Machine]     `json:"machines,omitempty"`
	Calls     []Entry[template.Call]        `json:"calls,omitempty"`
	Terms     []Entry[template.Term]        `json:"vocabulary,omitempty"`
	Castings  []Entry[template.CastingList] `json:"castings,omitempty"`
}

// Drop takes things other than instruments out of the template. It is refused
// while something still refers to them.
type Drop struct {
	Folds     []template.ID `json:"folds,omitempty"`
	Sections  []template.ID `json:"sections,omitempty"`
	Buses     []template.ID `json:"buses,omitempty"`
	Libraries []template.ID `json:"libraries,omitempty"`
	Players   []template.ID `json:"players,omitempty"`
	Patches   []template.ID `json:"patches,omitempty"`
	Machines  []template.ID `json:"machines,omitempty"`
	Calls     []template.ID `json:"calls,omitempty"`
	Terms     []template.ID `json:"vocabulary,omitempty"`
	Castings  []template.ID `json:"castings,omitempty"`
}

// noun is one list of a template, and how it stands in the changes that are of all
// lists alike.
type noun interface {
	// putCount and dropCount are how many a change puts and drops, with what they
	// are called.
	putCount(*Put) (int, template.Noun)
	dropCount(*Drop) (int, template.Noun)
	putKeys(*Put) []Key
	dropKeys(*Drop) []Key
	becomeKeys(*Become) []Key
	put(d *draft, c, back *Put, gone *Drop) error
	drop(d *draft, c *Drop, undo *Put) error
	become(d *draft, c, undo *Become)
	between(c *Become, a, b *template.Template) bool
}

// nouns lists every list of a template but that of its instruments. A new list
// has one line here, and one in each of the changes that speak of it.
var nouns = []noun{
	thing[template.Fold]{template.Folds, func(t *template.Template) *[]*template.Fold { return &t.Folds }, func(x *template.Fold) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Fold] { return &c.Folds }, func(c *Drop) *[]template.ID { return &c.Folds }, func(c *Become) *[]*template.Fold { return &c.Folds }, nil},
	thing[template.Section]{template.Sections, func(t *template.Template) *[]*template.Section { return &t.Sections }, func(x *template.Section) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Section] { return &c.Sections }, func(c *Drop) *[]template.ID { return &c.Sections }, func(c *Become) *[]*template.Section { return &c.Sections }, nil},
	thing[template.Bus]{template.Buses, func(t *template.Template) *[]*template.Bus { return &t.Buses }, func(x *template.Bus) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Bus] { return &c.Buses }, func(c *Drop) *[]template.ID { return &c.Buses }, func(c *Become) *[]*template.Bus { return &c.Buses },
		func(x *template.Bus) { x.Routes = template.SortRoutes(x.Routes) }},
	thing[template.Library]{template.Libraries, func(t *template.Template) *[]*template.Library { return &t.Libraries }, func(x *template.Library) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Library] { return &c.Libraries }, func(c *Drop) *[]template.ID { return &c.Libraries }, func(c *Become) *[]*template.Library { return &c.Libraries }, nil},
	thing[template.Player]{template.Players, func(t *template.Template) *[]*template.Player { return &t.Players }, func(x *template.Player) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Player] { return &c.Players }, func(c *Drop) *[]template.ID { return &c.Players }, func(c *Become) *[]*template.Player { return &c.Players }, nil},
	thing[template.Patch]{template.Patches, func(t *template.Template) *[]*template.Patch { return &t.Patches }, func(x *template.Patch) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Patch] { return &c.Patches }, func(c *Drop) *[]template.ID { return &c.Patches }, func(c *Become) *[]*template.Patch { return &c.Patches },
		func(x *template.Patch) { template.NormaliseMap(x.Map) }},
	thing[template.Machine]{template.Machines, func(t *template.Template) *[]*template.Machine { return &t.Machines }, func(x *template.Machine) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Machine] { return &c.Machines }, func(c *Drop) *[]template.ID { return &c.Machines }, func(c *Become) *[]*template.Machine { return &c.Machines }, nil},
	thing[template.Call]{template.Calls, func(t *template.Template) *[]*template.Call { return &t.Calls }, func(x *template.Call) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Call] { return &c.Calls }, func(c *Drop) *[]template.ID { return &c.Calls }, func(c *Become) *[]*template.Call { return &c.Calls },
		func(x *template.Call) { x.Instruments = some(x.Instruments) }},
	thing[template.Term]{template.Vocabulary, func(t *template.Template) *[]*template.Term { return &t.Vocabulary }, func(x *template.Term) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.Term] { return &c.Terms }, func(c *Drop) *[]template.ID { return &c.Terms }, func(c *Become) *[]*template.Term { return &c.Vocabulary },
		func(x *template.Term) { x.Synonyms = some(x.Synonyms) }},
	thing[template.CastingList]{template.Castings, func(t *template.Template) *[]*template.CastingList { return &t.Castings }, func(x *template.CastingList) template.ID { return x.ID },
		func(c *Put) *[]Entry[template.CastingList] { return &c.Castings }, func(c *Drop) *[]template.ID { return &c.Castings }, func(c *Become) *[]*template.CastingList { return &c.Castings }, nil},
	// These are set as whole lists, by changes of their own.
	thing[template.StemRule]{template.Rules, func(t *template.Template) *[]*template.StemRule { return &t.Rules }, func(x *template.StemRule) template.ID { return x.ID },
		nil, nil, func(c *Become) *[]*template.StemRule { return &c.Rules }, nil},
	thing[template.ReturnSet]{template.ReturnSets, func(t *template.Template) *[]*template.ReturnSet { return &t.ReturnSets }, func(x *template.ReturnSet) template.ID { return x.ID },
		nil, nil, func(c *Become) *[]*template.ReturnSet { return &c.Returns }, nil},
	thing[template.Sightline]{template.Sightlines, func(t *template.Template) *[]*template.Sightline { return &t.Sightlines }, func(x *template.Sightline) template.ID { return x.ID },
		nil, nil, func(c *Become) *[]*template.Sightline { return &c.Sightlines }, nil},
}

// thing is a noun of one type.
type thing[T any] struct {
	list    template.List
	at      func(*template.Template) *[]*T
	id      func(*T) template.ID
	puts    func(*Put) *[]Entry[T]     // nil where they are set as a whole list
	drops   func(*Drop) *[]template.ID // likewise
	becomes func(*Become) *[]*T
	tidy    func(*T) // puts what has no meaning in order; nil for nothing
}

func some[T any](list []T) []T { return append([]T{}, list...) }

func (n thing[T]) entries(c *Put) []Entry[T] {
	if n.puts == nil {
		return nil
	}
	return *n.puts(c)
}

func (n thing[T]) dropped(c *Drop) []template.ID {
	if n.drops == nil {
		return nil
	}
	return *n.drops(c)
}

func (n thing[T]) putCount(c *Put) (int, template.Noun)   { return len(n.entries(c)), n.list.Noun() }
func (n thing[T]) dropCount(c *Drop) (int, template.Noun) { return len(n.dropped(c)), n.list.Noun() }

// keysOf are the keys of a thing that is set as a whole: the thing, and its place
// in the list.
func (n thing[T]) keysOf(id template.ID) []Key {
	return []Key{{Object: id}, inList(n.list, id)}
}

// inList is the key of a thing's place in its list: who sets the whole list
// clashes with it.
func inList(l template.List, id template.ID) Key {
	return Key{Object: whole, Field: l.Noun().Key + "/" + string(id)}
}

// whole is the object of keys that are of the template itself.
const whole template.ID = "template"

// ofList is the key of a whole list.
func ofList(l template.List) Key { return Key{Object: whole, Field: l.Noun().Key} }

func (n thing[T]) putKeys(c *Put) []Key {
	var keys []Key
	for _, e := range n.entries(c) {
		if e.Value != nil {
			keys = append(keys, n.keysOf(n.id(e.Value))...)
		}
	}
	return keys
}

func (n thing[T]) dropKeys(c *Drop) []Key {
	var keys []Key
	for _, id := range n.dropped(c) {
		keys = append(keys, n.keysOf(id)...)
	}
	return keys
}

func (n thing[T]) becomeKeys(c *Become) []Key {
	list := *n.becomes(c)
	if list == nil && !c.Emptied[n.list.Noun().Key] {
		return nil
	}
	keys := []Key{ofList(n.list)}
	for _, x := range list {
		if x != nil {
			keys = append(keys, Key{Object: n.id(x)})
		}
	}
	return keys
}

func (n thing[T]) put(d *draft, c, back *Put, gone *Drop) error {
	entries := n.entries(c)
	if len(entries) == 0 {
		return nil
	}
	list := n.at(d.t)
	own(d, n.list, list)
	place := make(map[template.ID]int, len(*list))
	for i, v := range *list {
		place[n.id(v)] = i
	}
	for _, e := range entries {
		if e.Value == nil {
			return refuse("", "an entry to put has no value")
		}
		if n.tidy != nil {
			n.tidy(e.Value)
		}
		value := e.Value // shared: what is published is never altered
		if at, ok := place[n.id(value)]; ok {
			*n.puts(back) = append(*n.puts(back), Entry[T]{At: at, Value: (*list)[at]})
			(*list)[at] = value
		} else if e.At < 0 || e.At >= len(*list) {
			place[n.id(value)] = len(*list)
			*list = append(*list, value)
			*n.drops(gone) = append(*n.drops(gone), n.id(value))
		} else {
			*list = slices.Insert(*list, e.At, value)
			for i := e.At; i < len(*list); i++ {
				place[n.id((*list)[i])] = i
			}
			*n.drops(gone) = append(*n.drops(gone), n.id(value))
		}
		d.owned[n.id(value)] = false
	}
	return nil
}

func (n thing[T]) drop(d *draft, c *Drop, undo *Put) error {
	ids := n.dropped(c)
	if len(ids) == 0 {
		return nil
	}
	gone := make(map[template.ID]bool, len(ids))
	for _, x := range ids {
		gone[x] = true
	}
	list := n.at(d.t)
	kept := make([]*T, 0, len(*list))
	for at, v := range *list {
		if gone[n.id(v)] {
			*n.puts(undo) = append(*n.puts(undo), Entry[T]{At: at, Value: v})
			delete(gone, n.id(v))
		} else {
			kept = append(kept, v)
		}
	}
	for x := range gone {
		return refuse(x, "%q is no longer in the template", x)
	}
	*list = kept
	d.lists[n.list], d.dropped = true, true
	return nil
}

func (n thing[T]) become(d *draft, c, undo *Become) {
	to, key := *n.becomes(c), n.list.Noun().Key
	if to == nil && !c.Emptied[key] {
		return
	}
	list := n.at(d.t)
	if *n.becomes(undo) = *list; len(*list) == 0 {
		*n.becomes(undo) = nil
		undo.empty(key)
	}
	*list = some(to)
	d.lists[n.list] = true
}

func (n thing[T]) between(c *Become, a, b *template.Template) bool {
	to := *n.at(b)
	if slices.EqualFunc(*n.at(a), to, same[T]) {
		return false
	}
	if *n.becomes(c) = to; len(to) == 0 {
		c.empty(n.list.Noun().Key)
	}
	return true
}

func same[T any](x, y *T) bool { return x == y || reflect.DeepEqual(x, y) }

// Kind implements Change.
func (Put) Kind() string { return "put" }

// Keys implements Change.
func (c Put) Keys() []Key {
	var keys []Key
	for _, n := range nouns {
		keys = append(keys, n.putKeys(&c)...)
	}
	return keys
}

func (c Put) apply(d *draft) (Change, error) {
	var back Put
	var gone Drop
	for _, n := range nouns {
		if err := n.put(d, &c, &back, &gone); err != nil {
			return nil, err
		}
	}
	switch {
	case gone.empty():
		return back, nil
	case back.empty():
		return gone, nil
	}
	return Batch{Changes: []Change{gone, back}}, nil
}

func (c Put) empty() bool { return len(c.Keys()) == 0 }

// Kind implements Change.
func (Drop) Kind() string { return "drop" }

// Keys implements Change.
func (c Drop) Keys() []Key {
	var keys []Key
	for _, n := range nouns {
		keys = append(keys, n.dropKeys(&c)...)
	}
	return keys
}

func (c Drop) empty() bool { return len(c.Keys()) == 0 }

func (c Drop) apply(d *draft) (Change, error) {
	var undo Put
	for _, n := range nouns {
		if err := n.drop(d, &c, &undo); err != nil {
			return nil, err
		}
	}
	return undo, nil
}

// counted says how many of which nouns: "2 sections, a bus".
func counted(count func(noun) (int, template.Noun)) string {
	out := ""
	for _, n := range nouns {
		many, is := count(n)
		if many == 0 {
			continue
		}
		if out != "" {
			out += ", "
		}
		if many == 1 {
			out += is.Article() + " " + is.One
		} else {
			out += fmt.Sprintf("%d %s", many, is.Many)
		}
	}
	if out == "" {
		return "nothing"
	}
	return out
}

// RemoveMachine takes away every seat on a machine and every wish to stay
// there, and drops it.
type RemoveMachine struct {
	ID template.ID `json:"id"`
}

// Kind implements Change.
func (RemoveMachine) Kind() string { return "remove-machine" }

// Keys implements Change.
func (c RemoveMachine) Keys() []Key {
	return []Key{{Object: c.ID}, inList(template.Machines, c.ID)}
}

func (c RemoveMachine) apply(d *draft) (Change, error) {
	var up Seat
	var style Edit
	for _, i := range d.t.Instruments {
		if i.Seat != nil && i.Seat.Machine == c.ID && i.With == "" {
			up.Seats = append(up.Seats, Seating{ID: i.ID})
		}
		if i.Style.Machine == c.ID && i.With == "" {
			free := i.Style
			free.Machine = ""
			style.Edits = append(style.Edits, Fields{ID: i.ID, Style: &free})
		}
	}
	return Batch{Changes: []Change{up, style, Drop{Machines: []template.ID{c.ID}}}}.apply(d)
}
