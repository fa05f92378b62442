package compare

import (
	"reflect"
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// noun is how the things of one list are compared and taken across.
type noun interface {
	is() Noun
	match(p *pairs)
	differences(p *pairs) []Difference
	names(t *template.Template, add func(template.ID, string))
	take(k *taker, id template.ID) error
	clone(t *template.Template)
	ids(t *template.Template, into map[template.ID]bool)
	look(t *template.Template, id template.ID) any // nil when it is not there
	called(t *template.Template, id template.ID) string
	remove(k *taker, id template.ID) change.Change // nil when it has been taken out of what becomes
}

// nouns lists every list of a template, in the order of Nouns. A new list has one
// entry here.
var nouns []noun

// Nouns lists every noun, in the order they are listed.
var Nouns = []Noun{Settings}

func init() { // what takes them across looks them up again
	nouns = []noun{
		of[template.Fold]{Fold, func(t *template.Template) *[]*template.Fold { return &t.Folds }, func(x *template.Fold) *template.ID { return &x.ID }, foldOf, (*taker).fold,
			func(_ *taker, id template.ID) change.Change { return change.Drop{Folds: []template.ID{id}} }},
		of[template.ReturnSet]{ReturnSet, func(t *template.Template) *[]*template.ReturnSet { return &t.ReturnSets }, func(x *template.ReturnSet) *template.ID { return &x.ID }, setOf, (*taker).returnSet, removeSet},
		of[template.Section]{Section, func(t *template.Template) *[]*template.Section { return &t.Sections }, func(x *template.Section) *template.ID { return &x.ID }, sectionOf, (*taker).section,
			func(_ *taker, id template.ID) change.Change { return change.Drop{Sections: []template.ID{id}} }},
		of[template.Instrument]{Row, func(t *template.Template) *[]*template.Instrument { return &t.Instruments }, func(x *template.Instrument) *template.ID { return &x.ID }, rowOf, (*taker).row,
			func(_ *taker, id template.ID) change.Change { return change.Delete{IDs: []template.ID{id}} }},
		of[template.Bus]{Bus, func(t *template.Template) *[]*template.Bus { return &t.Buses }, func(x *template.Bus) *template.ID { return &x.ID }, busOf, (*taker).bus,
			func(_ *taker, id template.ID) change.Change { return change.RemoveBus{ID: id} }},
		of[template.StemRule]{Rule, func(t *template.Template) *[]*template.StemRule { return &t.Rules }, func(x *template.StemRule) *template.ID { return &x.ID }, ruleOf, (*taker).rule, nil},
		of[template.Machine]{Machine, func(t *template.Template) *[]*template.Machine { return &t.Machines }, func(x *template.Machine) *template.ID { return &x.ID }, machineOf, copiedMachine,
			func(_ *taker, id template.ID) change.Change { return change.RemoveMachine{ID: id} }},
		of[template.Call]{Call, func(t *template.Template) *[]*template.Call { return &t.Calls }, func(x *template.Call) *template.ID { return &x.ID }, callOf, (*taker).call,
			func(_ *taker, id template.ID) change.Change { return change.Drop{Calls: []template.ID{id}} }},
		of[template.Sightline]{Sightline, func(t *template.Template) *[]*template.Sightline { return &t.Sightlines }, func(x *template.Sightline) *template.ID { return &x.ID }, sightlineOf, (*taker).sightline, nil},
		of[template.Library]{Library, func(t *template.Template) *[]*template.Library { return &t.Libraries }, func(x *template.Library) *template.ID { return &x.ID }, libraryOf, copiedLibrary,
			func(_ *taker, id template.ID) change.Change { return change.Drop{Libraries: []template.ID{id}} }},
		of[template.Player]{Player, func(t *template.Template) *[]*template.Player { return &t.Players }, func(x *template.Player) *template.ID { return &x.ID }, playerOf, copiedPlayer,
			func(_ *taker, id template.ID) change.Change { return change.Drop{Players: []template.ID{id}} }},
		of[template.Patch]{Patch, func(t *template.Template) *[]*template.Patch { return &t.Patches }, func(x *template.Patch) *template.ID { return &x.ID }, patchOf, (*taker).patch,
			func(_ *taker, id template.ID) change.Change { return change.Drop{Patches: []template.ID{id}} }},
		of[template.Term]{Term, func(t *template.Template) *[]*template.Term { return &t.Vocabulary }, func(x *template.Term) *template.ID { return &x.ID }, termOf, copiedTerm, nil},
		of[template.CastingList]{Casting, func(t *template.Template) *[]*template.CastingList { return &t.Castings }, func(x *template.CastingList) *template.ID { return &x.ID }, castingOf, (*taker).casting, nil},
	}
	for _, n := range nouns {
		Nouns = append(Nouns, n.is())
	}
}

func nounOf(is Noun) noun {
	for _, n := range nouns {
		if n.is() == is {
			return n
		}
	}
	return nil
}

// of is a noun of one type.
type of[T any] struct {
	noun    Noun
	at      func(*template.Template) *[]*T
	id      func(*T) *template.ID
	thing   func(*template.Template, *T) thing
	taken   func(*taker, *T) error
	removed func(*taker, template.ID) change.Change // nil takes it out of the list
}

func (n of[T]) is() Noun { return n.noun }

// list is the things in the order they are listed.
func (n of[T]) list(t *template.Template) []*T {
	if rows, ok := any(n.at(t)).(*[]*template.Instrument); ok && rows != nil {
		return any(t.ScoreOrder()).([]*T)
	}
	return *n.at(t)
}

func (n of[T]) match(p *pairs) {
	p.of[n.noun] = match(p.here, p.there, *n.at(p.here), *n.at(p.there), n.thing)
}

func (n of[T]) names(t *template.Template, add func(template.ID, string)) {
	for _, x := range *n.at(t) {
		y := n.thing(t, x)
		switch n.noun {
		case Section:
			add(y.id, t.SectionPath(y.id))
		case Rule: // nothing speaks of rules
		default:
			add(y.id, y.name)
		}
		if set, ok := any(x).(*template.ReturnSet); ok {
			for _, e := range set.Effects {
				add(e.ID, e.Name)
			}
		}
	}
}

func (n of[T]) differences(p *pairs) []Difference {
	a, b := n.list(p.here), n.list(p.there)
	here := make(map[template.ID]*T, len(a))
	for _, x := range a {
		here[*n.id(x)] = x
	}
	met := map[template.ID]bool{}
	var out []Difference
	for _, x := range b {
		y := n.thing(p.there, x)
		id := p.of[n.noun][y.id]
		met[id] = true
		switch was := here[id]; {
		case was == nil:
			out = append(out, Difference{Noun: n.noun, How: Added, ID: y.id, Name: y.name, Where: y.where})
		case was == x || id == y.id && reflect.DeepEqual(was, x):
		default:
			if fields := p.fields(was, x); len(fields) > 0 {
				out = append(out, Difference{Noun: n.noun, How: Changed, ID: y.id, Name: y.name, Where: y.where, Fields: fields})
			}
		}
	}
	for _, x := range a {
		if y := n.thing(p.here, x); !met[y.id] {
			out = append(out, Difference{Noun: n.noun, How: Removed, ID: y.id, Name: y.name, Where: y.where})
		}
	}
	return out
}

func (n of[T]) find(t *template.Template, id template.ID) *T {
	list := *n.at(t)
	if at := slices.IndexFunc(list, func(x *T) bool { return *n.id(x) == id }); at >= 0 {
		return list[at]
	}
	return nil
}

func (n of[T]) ids(t *template.Template, into map[template.ID]bool) {
	for _, x := range *n.at(t) {
		into[*n.id(x)] = true
	}
}

func (n of[T]) take(k *taker, id template.ID) error { return n.taken(k, n.find(k.there, id)) }

func (n of[T]) clone(t *template.Template) { *n.at(t) = slices.Clone(*n.at(t)) }

func (n of[T]) remove(k *taker, id template.ID) change.Change {
	if n.removed != nil {
		return n.removed(k, id)
	}
	list := n.at(k.now)
	*list = slices.DeleteFunc(*list, func(x *T) bool { return *n.id(x) == id })
	return nil
}

// removeSet takes a return set out of those that become.
func removeSet(k *taker, id template.ID) change.Change {
	left := slices.DeleteFunc(slices.Clone(k.now.ReturnSets), func(s *template.ReturnSet) bool { return s.ID == id || k.gone[s.ID] })
	k.gone[id] = true
	return change.SetReturns{Sets: left}
}

func foldOf(_ *template.Template, x *template.Fold) thing     { return thing{x.ID, x.Name, ""} }
func setOf(_ *template.Template, x *template.ReturnSet) thing { return thing{x.ID, x.Name, ""} }

func sectionOf(t *template.Template, x *template.Section) thing {
	return thing{x.ID, x.Name, t.SectionPath(x.Parent)}
}

func rowOf(t *template.Template, x *template.Instrument) thing {
	return thing{x.ID, x.Name, t.SectionPath(x.Section)}
}

func busOf(t *template.Template, x *template.Bus) thing {
	where := string(x.Kind)
	for _, f := range t.Folds {
		if f.ID == x.Fold {
			where = f.Name + " stem"
		}
	}
	return thing{x.ID, x.Name, where}
}

// ruleOf says what a stem rule asks for: "strings long to High strings".
func ruleOf(t *template.Template, x *template.StemRule) thing {
	var asks []string
	if s := t.Index().Sections[x.Section]; s != nil {
		asks = append(asks, s.Name)
	}
	if l := t.Index().Libraries[x.Library]; l != nil {
		asks = append(asks, l.Name)
	}
	for _, text := range []string{string(x.Family), string(x.Register), string(x.Kind), x.Role, x.Name} {
		if text != "" {
			asks = append(asks, text)
		}
	}
	if len(asks) == 0 {
		asks = []string{"everything else"}
	}
	name := strings.Join(asks, " ")
	if b := t.Index().Buses[x.Stem]; b != nil {
		name += " to " + b.Name
	}
	return thing{x.ID, name, ""}
}

func machineOf(_ *template.Template, x *template.Machine) thing     { return thing{x.ID, x.Name, ""} }
func callOf(_ *template.Template, x *template.Call) thing           { return thing{x.ID, x.Name, ""} }
func sightlineOf(_ *template.Template, x *template.Sightline) thing { return thing{x.ID, x.Name, ""} }
func libraryOf(_ *template.Template, x *template.Library) thing     { return thing{x.ID, x.Name, ""} }
func playerOf(_ *template.Template, x *template.Player) thing       { return thing{x.ID, x.Name, ""} }
func termOf(_ *template.Template, x *template.Term) thing           { return thing{x.ID, x.Name, ""} }
func castingOf(_ *template.Template, x *template.CastingList) thing { return thing{x.ID, x.Name, ""} }

func patchOf(t *template.Template, x *template.Patch) thing {
	where := ""
	if l := t.Index().Libraries[x.Library]; l != nil {
		where = l.Name
	}
	return thing{x.ID, x.Name, where}
}
