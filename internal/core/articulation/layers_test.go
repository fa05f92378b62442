package articulation_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

func layer(name string, low, high int, list ...template.Mapping) articulation.Layer {
	return articulation.Layer{Name: name, Low: low, High: high, Map: list}
}

func onKey(articulation string, keys ...int) template.Mapping {
	m := template.Mapping{Articulation: articulation, Switches: []template.Switch{}}
	for _, k := range keys {
		m.Switches = append(m.Switches, template.Switch{Kind: template.ByKey, Number: k})
	}
	return m
}

func said(list []articulation.LayerFault) []string {
	out := []string{}
	for _, f := range list {
		out = append(out, f.Articulation+": "+f.Message)
	}
	return out
}

// Two patches on one channel: who agrees is together, a switch that another layer takes
// for something else or plays as a note is told, and what a layer lacks is, too.
func TestLayersHearEachOther(t *testing.T) {
	strings := layer("Violins", 55, 100, onKey("long", 24), onKey("staccato", 25), onKey("pizzicato", 26))
	choir := layer("Sopranos", 57, 84, onKey("long", 24), onKey("stac", 27), onKey("whisper", 25))
	drone := layer("Salt drone", 20, 96)
	is := articulation.Together(articulation.NewVocabulary(nil), []articulation.Layer{strings, choir})
	require.Equal(t, []string{"long", "staccato", "pizzicato", "whisper"}, articulation.Names(is.Map), "stac is staccato")
	require.Equal(t, []template.Switch{{Kind: template.ByKey, Number: 25}, {Kind: template.ByKey, Number: 27}}, is.Map[1].Switches)
	require.Equal(t, []string{"staccato: key 25 is whisper in Sopranos", "whisper: key 25 is staccato in Violins"}, said(is.Faults)[:2])
	require.Equal(t, []string{"pizzicato: Sopranos", "whisper: Violins"}, said(is.Lacking))
	require.Empty(t, articulation.Clashes(is.Serving))
	require.Equal(t, is.Map[0], is.Serving[0], "what serves all already stays")
	require.Equal(t, []int{-1, 54, -1, 53}, is.Keys, "the next keys below all of them that no patch uses")

	is = articulation.Together(articulation.NewVocabulary(nil), []articulation.Layer{strings, drone})
	require.Equal(t, []string{"long: key 24 plays a note in Salt drone", "staccato: key 25 plays a note in Salt drone", "pizzicato: key 26 plays a note in Salt drone"}, said(is.Faults))
	for _, m := range is.Serving {
		require.Less(t, m.Switches[0].Number, 20)
	}
	alone := articulation.Together(articulation.NewVocabulary(nil), []articulation.Layer{strings})
	require.Empty(t, alone.Faults)
	require.Empty(t, alone.Lacking)
	require.Equal(t, strings.Map, alone.Map)
}

// Whatever the layers, the map that serves them has every articulation of any of them, no
// two on one message, and none of its keys sounds or means something else anywhere.
func TestAServingMapServes(t *testing.T) {
	names := []string{"long", "staccato", "pizzicato", "tremolo", "legato", "whisper"}
	rapid.Check(t, func(r *rapid.T) {
		var layers []articulation.Layer
		for n := range rapid.IntRange(1, 4).Draw(r, "layers") {
			low := rapid.IntRange(20, 60).Draw(r, "low")
			l := layer(fmt.Sprint("Patch ", n), low, low+rapid.IntRange(12, 40).Draw(r, "span"))
			for k, name := range rapid.SliceOfNDistinct(rapid.SampledFrom(names), 0, 5, rapid.ID[string]).Draw(r, "names") {
				if rapid.Bool().Draw(r, "by key") {
					l.Map = append(l.Map, onKey(name, rapid.IntRange(0, 127).Draw(r, "key")))
				} else {
					l.Map = append(l.Map, template.Mapping{Articulation: name, Switches: []template.Switch{{Kind: template.ByController, Number: 32, Low: 10 * k, High: 10*k + 9}}})
				}
			}
			layers = append(layers, l)
		}
		is := articulation.Together(articulation.NewVocabulary(nil), layers)
		for _, l := range layers {
			for _, m := range l.Map {
				require.Contains(r, articulation.Names(is.Serving), m.Articulation)
			}
		}
		for n, key := range is.Keys {
			if key < 0 {
				continue
			}
			require.Len(r, is.Serving[n].Switches, 1)
			for _, l := range layers {
				require.False(r, key >= l.Low && key <= l.High, "it sounds")
				for _, m := range l.Map {
					require.False(r, slices.ContainsFunc(m.Switches, func(s template.Switch) bool { return s.Kind == template.ByKey && s.Number == key }), "it means %s in %s", m.Articulation, l.Name)
				}
			}
		}
		if len(is.Faults) == 0 {
			require.Equal(r, is.Map, is.Serving)
		}
	})
}
