package pass_test

import (
	"bytes"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/articulation"
	"fanfold/internal/demo"
	"fanfold/internal/pass"
)

// The pass of the demo: a track for each seated row, as long as its schedule says, and the
// same once it is read again.
func TestThePassOfTheDemo(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	p, err := pass.Of(lantern, false)
	require.NoError(t, err)
	data, err := p.MIDI(lantern, articulation.NewVocabulary(nil))
	require.NoError(t, err)
	score, err := smf.ReadFrom(bytes.NewReader(data))
	require.NoError(t, err)
	require.Len(t, score.Tracks, len(p.Rows)+1)
	longest := uint32(0)
	for _, track := range score.Tracks {
		at := uint32(0)
		for _, e := range track {
			at += e.Delta
		}
		longest = max(longest, at)
	}
	require.InDelta(t, p.Schedule().Seconds, float64(longest)/960, 3, "its last note dies away after that")
	text, err := json.Marshal(p)
	require.NoError(t, err)
	again, err := pass.Read(text)
	require.NoError(t, err)
	require.Equal(t, p, again)
}

// What is not a pass is an error, never more.
func FuzzRead(f *testing.F) {
	f.Add([]byte(`{"template":"T","pairs":["a"],"rows":[{"id":"i","name":"Horn","pair":0,"low":40,"high":70,"ways":["long"]}]}`))
	f.Add([]byte(`{"rows":[{"pair":3}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := pass.Read(data)
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		if len(p.Rows) < 1000 {
			require.Positive(t, p.Schedule().Seconds)
		}
	})
}
