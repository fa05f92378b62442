package template_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// Every kind of effect has its parameters once, with a usual value within its range.
func TestEffectTypes(t *testing.T) {
	for _, is := range template.EffectTypes {
		require.Same(t, is.Kind.Is(), is.Kind.Is())
		seen := map[string]bool{}
		for _, p := range is.Parameters {
			require.False(t, seen[p.Name], "%s has %s twice", is.Kind, p.Name)
			seen[p.Name] = true
			require.True(t, p.Low < p.High && p.Low <= p.Usual && p.Usual <= p.High, "%s of %s", p.Name, is.Kind)
			require.InDelta(t, p.Usual, template.BusEffect{Kind: is.Kind}.Value(p.Name), 0)
		}
	}
	require.Nil(t, template.EffectKind("fog").Is())
}

func TestEffectsThatCanNotBe(t *testing.T) {
	for says, c := range map[string]struct {
		kind template.BusKind
		runs []template.BusEffect
	}{
		`"fog" is not a kind of effect`:     {template.Return, []template.BusEffect{{Kind: "fog"}}},
		"runs on the mix alone":             {template.Stem, []template.BusEffect{{Kind: template.EffectLimiter}}},
		"last effect of the mix":            {template.Mix, []template.BusEffect{{Kind: template.EffectLimiter}, {Kind: template.EffectFilter}}},
		"needs no recording":                {template.Return, []template.BusEffect{{Kind: template.EffectHall, File: "room.wav"}}},
		"is not a SHA-256":                  {template.Return, []template.BusEffect{{Kind: template.EffectConvolution, Audio: "x"}}},
		`a hall has no "bellDb"`:            {template.Return, []template.BusEffect{{Kind: template.EffectHall, Set: map[string]float64{"bellDb": 1}}}},
		"99 s is outside 0.1 to 15":         {template.Return, []template.BusEffect{{Kind: template.EffectHall, Set: map[string]float64{"decayS": 99}}}},
		"nothing runs on speakers":          {template.Speakers, []template.BusEffect{{Kind: template.EffectFilter}}},
		"9 effects; 8 run on a bus at most": {template.Return, make([]template.BusEffect, 9)},
	} {
		x := coretest.Orchestra(40, 2)
		b := x.FirstBus(func(is *template.BusType) bool { return is.Kind == c.kind })
		if b == nil {
			b = &template.Bus{ID: "b", Kind: c.kind, Name: "b"}
			x.Buses = append(x.Buses, b)
		}
		b.Runs = c.runs
		require.ErrorContains(t, x.Validate(), says)
	}
}

// A bus on which an effect runs makes a chain of its own; one that is off does not.
func TestWhatRunsMakesAChain(t *testing.T) {
	b := template.Bus{Kind: template.Group}
	require.False(t, b.Processed())
	b.Runs = []template.BusEffect{{Kind: template.EffectFilter, Off: true}}
	require.False(t, b.Processed())
	c := b.Clone()
	c.Runs[0].Off = false
	require.True(t, c.Processed())
	require.False(t, b.Processed())
}
