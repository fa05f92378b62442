package articulation_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// A printed score moves the wheel by its own dynamics, where a patch goes by it; a part that
// was played in keeps its own.
func TestAScoreMovesTheWheel(t *testing.T) {
	p := articulation.Part{
		Notes: []articulation.Note{
			{Start: 960, End: 1000, Key: 60, Velocity: 110}, {Start: 0, End: 480, Key: 60, Velocity: 49}, {Start: 0, End: 480, Key: 64, Velocity: 62}, {Start: 480, End: 960, Key: 60, Velocity: 62},
		},
		Controls: []articulation.Control{{Tick: 500, Number: 64, Value: 127}},
	}
	want := []articulation.Control{{Tick: 0, Number: 1, Value: 62}, {Tick: 500, Number: 64, Value: 127}, {Tick: 960, Number: 1, Value: 110}}
	for _, d := range template.AllDynamics {
		got := articulation.WithDynamics(p, d)
		switch d {
		case template.DynamicsController, template.DynamicsControllerVelocity, template.DynamicsExpression:
			require.Equal(t, want, got.Controls, d)
		default:
			require.Equal(t, p, got, d)
		}
	}
	played := p
	played.Controls = []articulation.Control{{Tick: 10, Number: 1, Value: 5}}
	require.Equal(t, played, articulation.WithDynamics(played, template.DynamicsController))
}

// Who begins in the middle hears the notes that sound there, from there on, with their
// switches; others do not come again.
func TestNotesThatStillSound(t *testing.T) {
	clock, err := tempo.New(480)
	require.NoError(t, err)
	p := articulation.Part{Notes: []articulation.Note{{Start: 0, End: 2000, Key: 60, Velocity: 80, Articulations: []string{"long"}}, {Start: 100, End: 900, Key: 64, Velocity: 80, Articulations: []string{"long"}}, {Start: 1500, End: 1600, Key: 67, Velocity: 80, Articulations: []string{"long"}}}}
	target := articulation.Target{Channel: 1, KeyHigh: 127, Map: []template.Mapping{{Articulation: "long", Switches: []template.Switch{{Kind: template.ByKey, Number: 24, Hold: true}}}}}
	keys := func(held bool) (out []int) {
		done, err := articulation.Compile(articulation.NewVocabulary(nil), p, target, clock, articulation.Options{From: 1000, Held: held})
		require.NoError(t, err)
		for _, m := range done.Messages {
			require.GreaterOrEqual(t, m.Tick, int64(1000))
			if m.Status == articulation.NoteOn && m.Data1 != 24 {
				out = append(out, int(m.Tick), m.Data1)
			}
			if m.Tick == 1000 && held {
				require.NotEqual(t, 64, m.Data1)
			}
		}
		return out
	}
	require.Equal(t, []int{1500, 67}, keys(false))
	require.Equal(t, []int{1000, 60, 1500, 67}, keys(true))
}
