// Package change holds every edit of a template as a small typed value. Apply
// takes a template and a change, and gives back the new template together
// with the change that undoes it; the old template is left as it was. Nothing
// else in Fanfold edits a template.
package change

import (
	"fmt"
	"strings"

	"fanfold/internal/core/template"
)

// Change is one edit. Its JSON form carries its Kind (see Marshal).
type Change interface {
	// Kind is the stable name of this kind of change on the wire.
	Kind() string
	// Keys lists what the change sets, for finding changes that clash.
	Keys() []Key
	// apply edits the draft and returns the inverse.
	apply(d *draft) (Change, error)
}

// Refused is the error of a change that cannot be applied: what it was about
// and why.
type Refused struct {
	Subject template.ID // the thing in question, where there is one
	Reason  string
}

func (e *Refused) Error() string { return e.Reason }

func refuse(subject template.ID, reason string, args ...any) error {
	return &Refused{Subject: subject, Reason: fmt.Sprintf(reason, args...)}
}

// Apply returns the template after the change, and the change that takes it
// back. It is all or nothing: the error is *Refused, or *template.Invalid
// when the result would break an invariant, and t is never altered.
func Apply(t *template.Template, c Change) (*template.Template, Change, error) {
	d := newDraft(t)
	inverse, err := c.apply(d)
	if err != nil {
		return nil, nil, err
	}
	after, err := d.done()
	if err != nil {
		return nil, nil, err
	}
	return after, inverse, nil
}

// Batch applies changes in order, as one.
type Batch struct {
	Label   string // what a person did, for the history
	Changes []Change
}

// Kind implements Change.
func (Batch) Kind() string { return "batch" }

// Keys implements Change.
func (b Batch) Keys() []Key {
	var keys []Key
	for _, c := range b.Changes {
		keys = append(keys, c.Keys()...)
	}
	return keys
}

func (b Batch) apply(d *draft) (Change, error) {
	inverse := Batch{Label: b.Label, Changes: make([]Change, len(b.Changes))}
	for i, c := range b.Changes {
		undo, err := c.apply(d)
		if err != nil {
			return nil, err
		}
		inverse.Changes[len(b.Changes)-1-i] = undo
	}
	return inverse, nil
}

// Key names one thing a change sets: a field of an object, "name"; a part of
// a field, "route/bus-1"; or, without a field, the whole object.
type Key struct {
	Object template.ID
	Field  string
}

// Clash returns the first key of a that meets one of b: both set the same, or
// one sets a part of what the other sets as a whole.
func Clash(a, b []Key) (Key, bool) { return Meets(a)(b) }

// Meets returns what finds the first key of some that meets one of a, for keys
// that are compared with many others.
func Meets(a []Key) func(b []Key) (Key, bool) {
	set, within := make(map[Key]Key, len(a)), map[Key]Key{}
	for _, k := range a {
		set[k] = k
		for _, outer := range around(k) {
			if _, there := within[outer]; !there {
				within[outer] = k
			}
		}
	}
	return func(b []Key) (Key, bool) {
		for _, k := range b {
			if mine, meets := set[k]; meets {
				return mine, true
			}
			if mine, meets := within[k]; meets {
				return mine, true
			}
			for _, outer := range around(k) {
				if mine, meets := set[outer]; meets {
					return mine, true
				}
			}
		}
		return Key{}, false
	}
}

// KeysOn are the keys of a change on a template: what belongs to the sound of a row
// that sits with another is set on that one.
func KeysOn(t *template.Template, c Change) []Key {
	keys := c.Keys()
	for n, k := range keys {
		field, _, _ := strings.Cut(k.Field, "/")
		f := template.FieldOf(field)
		if f == nil && field == "route" {
			f = template.FieldOf("routes")
		}
		if f == nil || f.Own != template.OfSound {
			continue
		}
		if i := t.Home(t.Instrument(k.Object)); i != nil {
			keys[n].Object = i.ID
		}
	}
	return keys
}

// around lists what a key is a part of, innermost first.
func around(k Key) []Key {
	if k.Field == "" {
		return nil
	}
	whole, _, parted := strings.Cut(k.Field, "/")
	if parted {
		return []Key{{Object: k.Object, Field: whole}, {Object: k.Object}}
	}
	return []Key{{Object: k.Object}}
}
