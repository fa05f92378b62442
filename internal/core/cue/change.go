package cue

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Kind says of what an Op speaks.
type Kind string

// The kinds of things.
const (
	OfProduction Kind = "production"
	OfReel       Kind = "reel"
	OfCut        Kind = "cut"
	OfCue        Kind = "cue"
)

// Change is an edit of a production as a value: several steps, all or none.
type Change struct {
	Label string `json:"label,omitempty"` // in a few words; empty is found out
	Ops   []Op   `json:"ops"`
}

// Op is one step of a change: something is added, taken away, or some of its fields are set, by
// their names in the file.
type Op struct {
	Kind   Kind                       `json:"kind"`
	ID     ID                         `json:"id,omitempty"`
	Add    json.RawMessage            `json:"add,omitempty"` // all of it
	At     *int                       `json:"at,omitempty"`  // with Add, its place in the list; nil is the end
	Remove bool                       `json:"remove,omitempty"`
	Set    map[string]json.RawMessage `json:"set,omitempty"` // null takes what a field has away
}

// Adding is the step that adds a thing.
func Adding[T thing](x T) Op {
	data, err := json.Marshal(x)
	if err != nil {
		panic(err) // the nouns are plain
	}
	return Op{Kind: kindOf(x), ID: idOf(x), Add: data}
}

// Removing is the step that takes a thing away.
func Removing(kind Kind, id ID) Op { return Op{Kind: kind, ID: id, Remove: true} }

// Setting is the step that sets fields of a thing, given in turn by name and value.
func Setting(kind Kind, id ID, fields ...any) Op {
	op := Op{Kind: kind, ID: id, Set: map[string]json.RawMessage{}}
	for n := 0; n+1 < len(fields); n += 2 {
		data, err := json.Marshal(fields[n+1])
		if err != nil {
			panic(err) // the nouns are plain
		}
		op.Set[fields[n].(string)] = data
	}
	return op
}

func kindOf[T thing](x T) Kind {
	switch any(x).(type) {
	case *Reel:
		return OfReel
	case *Cut:
		return OfCut
	}
	return OfCue
}

// MostOps bounds the steps of a change.
const MostOps = 5_000

// Apply makes a change: the production after it, and the change that takes it back. What does
// not change is shared. The error is a *Refused.
func Apply(p *Production, c Change) (*Production, Change, error) {
	if len(c.Ops) > MostOps {
		return nil, Change{}, refused("", "a change of %d steps; the most is %d", len(c.Ops), MostOps)
	}
	after := *p
	var back []Op
	for _, op := range c.Ops {
		inverse, err := after.apply(op)
		if err != nil {
			return nil, Change{}, err
		}
		back = append(back, inverse)
	}
	if err := after.Validate(); err != nil {
		return nil, Change{}, err
	}
	slices.Reverse(back)
	return &after, Change{Label: c.Label, Ops: back}, nil
}

func (p *Production) apply(op Op) (Op, error) {
	switch op.Kind {
	case OfProduction:
		return p.applySettings(op)
	case OfReel:
		return applyTo(&p.Reels, idOf[*Reel], op)
	case OfCut:
		return applyTo(&p.Cuts, idOf[*Cut], op)
	case OfCue:
		return applyTo(&p.Cues, idOf[*Cue], op)
	}
	return Op{}, refused(op.ID, "%q is nothing that a production has", op.Kind)
}

func (p *Production) applySettings(op Op) (Op, error) {
	if op.Remove || op.Add != nil {
		return Op{}, refused("", "a production is neither added to nor taken from itself")
	}
	next, old, err := set(&p.Settings, op)
	if err != nil {
		return Op{}, err
	}
	p.Settings = *next
	return Op{Kind: op.Kind, Set: old}, nil
}

// applyTo makes a step on a list of things.
func applyTo[E any](list *[]*E, id func(*E) ID, op Op) (Op, error) {
	at := slices.IndexFunc(*list, func(x *E) bool { return id(x) == op.ID })
	switch {
	case op.Add != nil:
		if at >= 0 {
			return Op{}, refused(op.ID, "there is a %s with this ID already", op.Kind)
		}
		x := new(E)
		if err := decode(op.Add, x); err != nil {
			return Op{}, refused(op.ID, "the %s cannot be read: %s", op.Kind, err)
		}
		if id(x) != op.ID {
			return Op{}, refused(op.ID, "the %s has another ID than the step that adds it", op.Kind)
		}
		n := len(*list)
		if op.At != nil {
			n = min(n, max(0, *op.At))
		}
		*list = slices.Insert(slices.Clone(*list), n, x)
		return Removing(op.Kind, op.ID), nil
	case at < 0:
		return Op{}, refused(op.ID, "the %s is no longer there", op.Kind)
	case op.Remove:
		data, err := json.Marshal((*list)[at])
		if err != nil {
			return Op{}, fmt.Errorf("write a %s: %w", op.Kind, err)
		}
		inverse := Op{Kind: op.Kind, ID: op.ID, Add: data, At: &at}
		*list = slices.Delete(slices.Clone(*list), at, at+1)
		return inverse, nil
	}
	next, old, err := set((*list)[at], op)
	if err != nil {
		return Op{}, err
	}
	if id(next) != op.ID {
		return Op{}, refused(op.ID, "an ID stays as it is")
	}
	*list = slices.Clone(*list)
	(*list)[at] = next
	return Op{Kind: op.Kind, ID: op.ID, Set: old}, nil
}

// set sets fields of a thing: a new one, and what they were.
func set[E any](x *E, op Op) (*E, map[string]json.RawMessage, error) {
	data, err := json.Marshal(x)
	if err != nil {
		return nil, nil, fmt.Errorf("write a %s: %w", op.Kind, err)
	}
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(data, &fields); err != nil {
		return nil, nil, fmt.Errorf("read a %s: %w", op.Kind, err)
	}
	old := map[string]json.RawMessage{}
	for name, value := range op.Set {
		was, ok := fields[name]
		if !ok {
			was = json.RawMessage("null")
		}
		old[name] = was
		if string(value) == "null" || len(value) == 0 {
			delete(fields, name)
		} else {
			fields[name] = value
		}
	}
	if data, err = json.Marshal(fields); err != nil {
		return nil, nil, refused(op.ID, "the %s cannot be read: %s", op.Kind, err)
	}
	next := new(E)
	if err := decode(data, next); err != nil {
		return nil, nil, refused(op.ID, "the %s cannot be set to that: %s", op.Kind, err)
	}
	return next, old, nil
}

// decode reads a thing strictly: a field that it does not have is an error.
func decode(data []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode(into)
}

// Keys names what a change sets: "cue/ID/title". A thing that is added or taken away is named
// without a field.
func (c Change) Keys() []string {
	var out []string
	for _, op := range c.Ops {
		thing := string(op.Kind) + "/" + string(op.ID)
		if op.Set == nil {
			out = append(out, thing)
		}
		for name := range op.Set {
			out = append(out, thing+"/"+name)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Meets tells whether two changes set the same: a key of both, for words; empty when they do
// not.
func (c Change) Meets(other Change) string {
	theirs := other.Keys()
	for _, mine := range c.Keys() {
		for _, key := range theirs {
			if mine == key || strings.HasPrefix(mine, key+"/") || strings.HasPrefix(key, mine+"/") {
				return mine
			}
		}
	}
	return ""
}

// words are the fields of things as people say them.
var words = map[string]string{
	"minutesADay": "minutes a day", "rateHz": "sample rate", "rate": "frame rate", "bar": "bar on the start", "bendLimit": "limit of bending", "who": "person",
	"tempi": "tempo", "metres": "metre", "hand": "casting", "version": "template version", "cut": "cut", "begin": "first day", "reels": "picture",
}

// Describe says in a few words what a change does.
func (c Change) Describe(before *Production) string {
	if c.Label != "" {
		return c.Label
	}
	if len(c.Ops) == 0 {
		return "Nothing"
	}
	first := c.Ops[0]
	name := string(first.Kind)
	if x := before.Cue(first.ID); first.Kind == OfCue && x != nil {
		name = x.Called()
	}
	if x := before.Reel(first.ID); first.Kind == OfReel && x != nil {
		name = "reel " + x.Name
	}
	if x := before.CutOf(first.ID); first.Kind == OfCut && x != nil {
		name = x.Name
	}
	several := ""
	if n := len(c.Ops); n > 1 {
		several = fmt.Sprintf(", and %d more", n-1)
	}
	switch {
	case first.Add != nil:
		return "Add a " + string(first.Kind) + several
	case first.Remove:
		return "Take " + name + " away" + several
	}
	var fields []string
	for field := range first.Set {
		if w, ok := words[field]; ok {
			field = w
		}
		fields = append(fields, field)
	}
	slices.Sort(fields)
	return fmt.Sprintf("Set %s of %s%s", strings.Join(fields, ", "), name, several)
}

// Said is what a field of a thing says, for people; empty when there is no such thing.
func Said(p *Production, kind Kind, id ID, field string) string {
	var x any
	switch kind {
	case OfProduction:
		x = p.Settings
	case OfReel:
		x = p.Reel(id)
	case OfCut:
		x = p.CutOf(id)
	case OfCue:
		x = p.Cue(id)
	}
	data, err := json.Marshal(x)
	var fields map[string]json.RawMessage
	if err != nil || json.Unmarshal(data, &fields) != nil {
		return ""
	}
	rate := p.FrameRate()
	value := fields[field]
	var frame int64
	var text string
	switch {
	case (field == "start" || field == "end") && json.Unmarshal(value, &frame) == nil:
		return rate.Format(frame)
	case json.Unmarshal(value, &text) == nil:
		return text
	}
	if len(value) > 60 {
		return "another one"
	}
	return string(value)
}
