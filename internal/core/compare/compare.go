// Package compare puts two templates side by side: two versions of one, or two
// that have nothing in common. Both go in; what only one has, and what differs
// in what both have, comes out in words, and single differences are taken from
// one to the other, with all they need.
package compare

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Noun is what a difference is about.
type Noun string

// The nouns, in the order they are listed.
const (
	Settings  Noun = "settings"
	Fold      Noun = "fold"
	ReturnSet Noun = "return-set"
	Section   Noun = "section"
	Row       Noun = "row"
	Bus       Noun = "bus"
	Rule      Noun = "rule"
	Machine   Noun = "machine"
	Call      Noun = "call"
	Sightline Noun = "sightline"
	Library   Noun = "library"
	Player    Noun = "player"
	Patch     Noun = "patch"
	Term      Noun = "articulation"
	Casting   Noun = "casting"
)

// How says what became of a thing on the way from here to there.
type How string

// The ways.
const (
	Added   How = "added"   // only there
	Removed How = "removed" // only here
	Changed How = "changed"
)

// Difference is one thing that differs.
type Difference struct {
	Noun   Noun
	How    How
	ID     template.ID // there, or here when it was removed
	Name   string
	Where  string // the path of its section, or the kind of bus
	Fields []Field
}

// Field is what differs in a thing that both have.
type Field struct{ Name, Here, There string }

// Pair finds the differences between two templates. Things are one when they
// have one ID or, failing that, one name in one place.
func Pair(here, there *template.Template) []Difference {
	p := newPairs(here, there)
	out := p.settings()
	for _, n := range nouns {
		out = append(out, n.differences(p)...)
	}
	return out
}

// thing is what all nouns have.
type thing struct {
	id          template.ID
	name, where string
}

func (x thing) key() string { return template.FoldName(x.where) + "\x00" + template.FoldName(x.name) }

// pairs knows which thing there is which thing here.
type pairs struct {
	here, there           *template.Template
	hereWords, thereWords *words
	of                    map[Noun]map[template.ID]template.ID // there → here
}

func newPairs(here, there *template.Template) *pairs {
	p := &pairs{here: here, there: there, hereWords: &words{t: here}, thereWords: &words{t: there}, of: map[Noun]map[template.ID]template.ID{}}
	for _, n := range nouns {
		n.match(p)
	}
	p.thereWords.known = map[template.ID]string{} // what both have goes by its name here
	for _, ids := range p.of {
		for id, to := range ids {
			p.thereWords.known[id] = p.hereWords.name(string(to))
		}
	}
	return p
}

func match[T any](here, there *template.Template, a, b []*T, of func(*template.Template, *T) thing) map[template.ID]template.ID {
	out := make(map[template.ID]template.ID, len(b))
	ids := make(map[template.ID]bool, len(a))
	for _, x := range a {
		ids[of(here, x).id] = true
	}
	taken := map[template.ID]bool{}
	for _, x := range b {
		if id := of(there, x).id; ids[id] {
			out[id], taken[id] = id, true
		}
	}
	free := map[string]template.ID{}
	for _, x := range a {
		y := of(here, x)
		if _, met := free[y.key()]; !taken[y.id] && !met {
			free[y.key()] = y.id
		}
	}
	for _, x := range b {
		y := of(there, x)
		if id, ok := free[y.key()]; ok && out[y.id] == "" {
			out[y.id] = id
			delete(free, y.key())
		}
	}
	return out
}

func (p *pairs) settings() []Difference {
	fields := p.fields(p.here.Settings, p.there.Settings)
	if p.here.Name != p.there.Name {
		fields = append([]Field{{"name", p.here.Name, p.there.Name}}, fields...)
	}
	if len(fields) == 0 {
		return nil
	}
	return []Difference{{Noun: Settings, How: Changed, ID: "settings", Name: "Name and settings", Fields: fields}}
}

// fields puts two things side by side, field by field, in words: what they
// speak of goes by its name, so that it is the same in both.
func (p *pairs) fields(here, there any) []Field {
	a, b := p.hereWords.of(here), p.thereWords.of(there)
	var names []string
	for name := range a {
		names = append(names, name)
	}
	for name := range b {
		if _, ok := a[name]; !ok {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	var out []Field
	for _, name := range names {
		if a[name] != b[name] {
			out = append(out, Field{called(name), orNo(a[name], b[name]), orNo(b[name], a[name])})
		}
	}
	return out
}

// orNo is what a field says, "no" where it says nothing and the other "yes".
func orNo(says, other string) string {
	if says == "" && other == "yes" {
		return "no"
	}
	return says
}

// called is a field's name in words.
func called(field string) string {
	if f := template.FieldOf(field); f != nil {
		return f.Words
	}
	if name, ok := map[string]string{
		"memoryMib": "memory, MiB", "reserveMib": "reserve, MiB", "diskMibs": "disk, MiB/s", "networkMbits": "link, Mbit/s", "bufferSamples": "buffer, samples", "bufferTimes": "buffers waited",
		"preloadMib": "preload, MiB", "fullMib": "on disk, MiB", "ownMib": "own memory, MiB", "wakeMs": "wake time, ms", "wakeAgainMs": "next wake time, ms", "keyLow": "lowest key", "keyHigh": "highest key",
		"switchZone": "keys kept for switches", "roundRobins": "round robins", "voicesPerNote": "voices of a note", "process": "processing", "runs": "effects", "file": "name in files", "returns": "return set",
		"gainDb": "fader", "nearDb": "near", "middleDb": "middle", "farDb": "far", "splitKey": "key that splits low from high", "riserPorts": "ports of a riser", "riserPairs": "output pairs of a riser",
		"firstPair": "first output pair", "coreShare": "share of cores", "minRiserCores": "least cores of a riser", "memoryRule": "what must fit", "tempoBpm": "tempo", "cueBar": "bar of the cue's start",
		"middleC": "octave of middle C", "latestMs": "latest, ms", "spareRows": "spare rows", "about": "what it is for", "spareShare": "share of spare rows", "remotePort": "port for music programs", "match": "what shows", "key": "digit",
		"entries": "preferences", "instruments": "rows", "uses": "what its music asks", "parent": "stands in", "opening": "opening call",
	}[field]; ok {
		return name
	}
	return field
}

// words turns things into words.
type words struct {
	t     *template.Template
	known map[template.ID]string
	names map[string]string // of IDs
}

func (w *words) name(id string) string {
	if w.names == nil {
		w.names = map[string]string{}
		for _, n := range nouns {
			n.names(w.t, func(id template.ID, name string) { w.names[string(id)] = name })
		}
	}
	if name, ok := w.known[template.ID(id)]; ok {
		return name
	}
	if name, ok := w.names[id]; ok {
		return name
	}
	return id
}

// of is a thing field by field.
func (w *words) of(x any) map[string]string {
	data, err := json.Marshal(x)
	var fields map[string]any
	if err != nil || json.Unmarshal(data, &fields) != nil {
		return map[string]string{"": fmt.Sprint(x)}
	}
	delete(fields, "id")
	out := make(map[string]string, len(fields))
	for name, value := range fields {
		if text := w.value(name, value); text != "" {
			out[name] = text
		}
	}
	return out
}

func (w *words) value(name string, value any) string {
	switch v := value.(type) {
	case nil:
		return ""
	case string:
		return w.name(v)
	case bool:
		if v {
			return "yes"
		}
		return ""
	case float64:
		if strings.HasSuffix(name, "Db") {
			return fan.FormatDB(v)
		}
		return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.6f", v), "0"), ".")
	case []any:
		var out []string
		for _, x := range v {
			if text := w.value(name, x); text != "" {
				out = append(out, text)
			}
		}
		return strings.Join(out, "; ")
	case map[string]any:
		return w.object(name, v)
	}
	return fmt.Sprint(value)
}

func (w *words) object(name string, v map[string]any) string {
	figure := func(key string) string { return w.value(key, v[key]) }
	switch {
	case name == "seat" && v["riser"] != nil:
		return fmt.Sprintf("%s, riser %s, port %s, channel %s, pair %s", figure("machine"), figure("riser"), figure("port"), figure("channel"), figure("pair"))
	case name == "emblem" && v["picture"] != nil:
		return fmt.Sprintf("a picture, %.4x", sha256.Sum256([]byte(fmt.Sprint(v["picture"])))) // so that two are told apart
	case name == "routes" && v["to"] != nil:
		text := figure("to")
		if gain, _ := v["gainDb"].(float64); gain != 0 {
			text += " " + fan.FormatDB(gain)
		}
		if v["tap"] == string(template.Pre) {
			text += " before the fader"
		}
		return text
	}
	var keys []string
	for key := range v {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	var out []string
	for _, key := range keys {
		if text := w.value(key, v[key]); text != "" {
			out = append(out, called(key)+" "+text)
		}
	}
	return strings.Join(out, ", ")
}
