package template_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/docs/schema"
	"fanfold/internal/core/template"
)

// keysOf lists the JSON keys of a struct, in order.
func keysOf(t reflect.Type) []string {
	var out []string
	for n := range t.NumField() {
		if key, _, _ := strings.Cut(t.Field(n).Tag.Get("json"), ","); key != "" && key != "-" {
			out = append(out, key)
		}
	}
	return out
}

// Every field of an instrument stands in the table, and nothing else does; those
// that people set by themselves stand in Fields. A forgotten one fails here.
func TestEveryFieldOfARowIsDescribed(t *testing.T) {
	var described, set []string
	for _, f := range template.RowFields {
		described = append(described, f.Key)
		require.NotEmpty(t, f.Words, f.Key)
		if f.Set != nil {
			set = append(set, f.Key)
		}
		require.Same(t, template.FieldOf(f.Key), template.FieldOf(f.Key))
	}
	require.Equal(t, keysOf(reflect.TypeFor[template.Instrument]())[1:], reorder(described), "beside the ID")
	require.ElementsMatch(t, keysOf(reflect.TypeFor[template.Fields]())[1:], set, "beside the ID")
	require.Nil(t, template.FieldOf("nonsense"))
}

// reorder puts keys in the order of the struct.
func reorder(keys []string) []string {
	var out []string
	for _, key := range keysOf(reflect.TypeFor[template.Instrument]()) {
		for _, k := range keys {
			if k == key {
				out = append(out, k)
			}
		}
	}
	if len(out) != len(keys) {
		return keys
	}
	return out
}

// full is a row with something in every field.
func full() *template.Instrument {
	return &template.Instrument{
		ID: "full", Section: "s", Name: "Horn", NameByHand: true, Short: "Hn", ShortByHand: true, Kind: template.Sampled,
		Articulations: []string{"long"}, Patches: []template.ID{"p"}, Mics: []string{"Close"},
		Map:    []template.Mapping{{Articulation: "long", Switches: []template.Switch{{Kind: template.ByKey, Number: 24}}}},
		Layout: template.SpreadOut, Spread: "set", Colour: "rose", Notes: "loud", GainDB: -3, LevelTrimDB: 2.5, Pan: -.25, LayerTrims: []template.LayerTrim{{Patch: "p", DB: -3}}, Upbeat: []template.Controller{{Number: 1, Value: 20}},
		Emblem: &template.Emblem{Icon: "anchor"},
		Heard:  &template.Heard{By: template.ByStandIn, On: "2026-01-02T03:04:05Z", Levels: [3]float64{-40, -20, -10}, Cents: new(float64), Alike: [][2]string{{"a", "b"}}, Thirds: []float64{1}, Octaves: []float64{1}},
		Routes: []template.Route{{To: "b", Tap: template.Post}}, StemByHand: true, Style: template.SeatStyle{OwnPair: true}, SeatByHand: true,
		Seat: &template.Seat{Machine: "m", Riser: 1, Port: 2, Channel: 3, Pair: 4}, With: "w", Pinned: true, Keep: true, Aside: true,
		Printed: &template.Printed{File: "take.wav", Seconds: 2}, Trim: &template.Trim{Call: "c", Patches: []template.TrimmedPatch{{Patch: "p", MiB: 1}}},
	}
}

func asJSON(t *testing.T, x any) string {
	t.Helper()
	data, err := json.Marshal(x)
	require.NoError(t, err)
	return string(data)
}

// Each field alone: two rows that differ in it are told apart by it and by no
// other; it is copied without being shared; set, told and taken back.
func TestEachFieldByItself(t *testing.T) {
	for _, f := range template.RowFields {
		t.Run(f.Key, func(t *testing.T) {
			row, bare := full(), &template.Instrument{}
			require.False(t, f.Same(row, bare))
			f.Copy(bare, row)
			require.True(t, f.Same(row, bare))
			for _, other := range template.RowFields {
				require.Equal(t, other.Key == f.Key, other.Same(row, bare), other.Key)
			}
			require.Equal(t, f.Reads, bare.Touches(&template.Instrument{}))
			before := asJSON(t, row)
			damage(bare)
			require.Equal(t, before, asJSON(t, row), "nothing is shared")
			if f.Set == nil {
				require.Equal(t, template.WithRow, f.Told, "changes of its own set it")
				return
			}
			var says, undo, redo template.Fields
			f.Tell(&says, row)
			require.True(t, f.Says(&says))
			require.Len(t, says.Says(), 1)
			require.False(t, f.Says(&template.Fields{}))
			require.True(t, says.Alike(&says))
			require.False(t, says.Alike(&template.Fields{}))
			empty := &template.Instrument{}
			f.Set(empty, &says, &undo)
			require.True(t, f.Same(empty, row))
			f.Set(empty, &undo, &redo)
			require.True(t, f.Same(empty, &template.Instrument{}))
			require.True(t, redo.Alike(&says))
		})
	}
}

// damage writes into everything a row points at.
func damage(i *template.Instrument) {
	for _, list := range [][]string{i.Articulations, i.Mics} {
		for n := range list {
			list[n] = "damaged"
		}
	}
	for n := range i.Patches {
		i.Patches[n] = "damaged"
	}
	for n := range i.Map {
		i.Map[n].Articulation, i.Map[n].Switches[0].Number = "damaged", 99
	}
	for n := range i.Routes {
		i.Routes[n].GainDB = 9
	}
	if i.Seat != nil {
		i.Seat.Riser = 9
	}
	if i.Printed != nil {
		i.Printed.File = "damaged"
	}
	if i.Trim != nil {
		i.Trim.Patches[0].MiB = 9
	}
}

// Every list of a template is named once, and taken along wherever lists are.
func TestEveryListIsDescribed(t *testing.T) {
	all := reflect.TypeFor[template.Template]()
	var lists []string
	full := template.New("t", "T")
	v := reflect.ValueOf(full).Elem()
	for n := range all.NumField() {
		f := all.Field(n)
		if f.Type.Kind() != reflect.Slice {
			continue
		}
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		lists = append(lists, key)
		one := reflect.New(f.Type.Elem().Elem())
		one.Elem().FieldByName("ID").SetString("id-" + key)
		v.Field(n).Set(reflect.Append(reflect.MakeSlice(f.Type, 0, 1), one))
	}
	keys := map[string]template.List{}
	for _, l := range template.Lists() {
		n := l.Noun()
		require.NotEmpty(t, n.One+n.Many, "list %d", l)
		keys[n.Key] = l
	}
	delete(keys, template.TheSettings.Noun().Key)
	require.Len(t, keys, len(lists))
	clone := full.Clone()
	for n := range all.NumField() {
		f := all.Field(n)
		if f.Type.Kind() != reflect.Slice {
			continue
		}
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		l, ok := keys[key]
		require.True(t, ok, "%s is not a Noun", key)
		require.Equal(t, v.Field(n).Pointer(), reflect.ValueOf(clone).Elem().Field(n).Pointer(), "Clone takes %s along", key)
		less := full.Clone()
		reflect.ValueOf(less).Elem().Field(n).SetLen(0)
		if l != template.Instruments { // whose rows are compared by themselves
			require.Equal(t, l.Noun().Reads, full.Touched(less), "Touched looks at %s", key)
		}
	}
	require.Equal(t, "an", template.Vocabulary.Noun().Article())
	require.Equal(t, "a", template.Rules.Noun().Article())
}

// The published schema of the template file knows every field.
func TestTheSchemaKnowsEveryField(t *testing.T) {
	var file struct {
		Definitions map[string]struct{ Properties map[string]any } `json:"$defs"`
	}
	latest := 1
	for n := latest; ; n++ {
		if _, err := schema.Templates.Open(fmt.Sprintf("template-%d.schema.json", n)); err != nil {
			break
		}
		latest = n
	}
	data, err := schema.Templates.ReadFile(fmt.Sprintf("template-%d.schema.json", latest))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &file))
	for name, noun := range map[string]reflect.Type{
		"instrument": reflect.TypeFor[template.Instrument](), "bus": reflect.TypeFor[template.Bus](), "section": reflect.TypeFor[template.Section](),
		"patch": reflect.TypeFor[template.Patch](), "player": reflect.TypeFor[template.Player](), "library": reflect.TypeFor[template.Library](),
		"machine": reflect.TypeFor[template.Machine](), "call": reflect.TypeFor[template.Call](), "sightline": reflect.TypeFor[template.Sightline](),
	} {
		require.NotEmpty(t, file.Definitions[name].Properties, name)
		for _, key := range keysOf(noun) {
			require.Contains(t, file.Definitions[name].Properties, key, name)
		}
	}
}

// A list that is empty is the same as one that is missing; nobody is told of a change.
func TestRowsThatAreAlike(t *testing.T) {
	a, b := full(), full()
	require.True(t, a.Like(b))
	a.Upbeat, b.Upbeat = nil, []template.Controller{}
	require.True(t, a.Like(b))
	for _, f := range template.RowFields {
		c := full()
		f.Copy(c, &template.Instrument{})
		require.False(t, full().Like(c), f.Key)
	}
	b.ID = "other"
	require.False(t, a.Like(b))
	require.False(t, a.Like(nil))
	require.True(t, (*template.Instrument)(nil).Like(nil))
}
