package api_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
)

// The recording of a room is kept and runs on a bus: what plays there comes back as the
// room has it. What is no room is refused, as is one that the studio does not keep.
func TestARoomRunsOnABus(t *testing.T) {
	ada := serveOn(t, &clickRig{}).signedIn(t, "ada")
	room := func(samples ...int16) []byte {
		var b bytes.Buffer
		require.NoError(t, wav.Write16(&b, 48_000, 1, samples))
		return b.Bytes()
	}
	echo := make([]int16, 20_001)
	echo[0], echo[20_000] = 16_384, 8192
	kept := decode[struct {
		Audio   string
		Seconds float64
	}](t, ada.do("POST", "/api/recordings?file=cave.wav", room(echo...)))
	require.Len(t, kept.Audio, 64)
	require.InDelta(t, 20_001/48_000.0, kept.Seconds, 1e-6)
	for says, answer := range map[string]got{
		"silent":             ada.do("POST", "/api/recordings?file=quiet.wav", room(0, 0, 0)),
		"WAV":                ada.do("POST", "/api/recordings?file=text.wav", []byte("hello")),
		"name the recording": ada.do("POST", "/api/recordings", room(1)),
		"30 at most":         ada.do("POST", "/api/recordings?file=long.wav", room(make([]int16, 31*48_000)...)),
	} {
		require.Equal(t, 422, answer.status, says)
		require.Contains(t, string(answer.body), says)
	}

	one := violins(t)
	one.Patches[0].Dynamics, one.Patches[0].Map = template.DynamicsNone, nil
	one.Instruments[0].Routes = []template.Route{{To: one.TheMix().ID, Tap: template.Post}}
	path := "/api/templates/" + ada.keep(t, one)
	put := func(audio string) got {
		mix := map[string]any{"id": one.TheMix().ID, "kind": "mix", "name": "Mix", "gainDb": 0, "routes": []any{}, "runs": []any{map[string]any{"kind": "convolution", "audio": audio, "file": "cave.wav"}}}
		return ada.do("POST", path+"/changes", map[string]any{"base": 0, "change": map[string]any{"kind": "put", "buses": []any{map[string]any{"at": -1, "value": mix}}}})
	}
	gone := put(strings.Repeat("ab", 32))
	require.Equal(t, 422, gone.status)
	require.Contains(t, string(gone.body), "is not kept here")
	require.Equal(t, 200, put(kept.Audio).status)

	p := ada.perform(t, path[len("/api/templates/"):])
	require.NoError(t, p.conn.Write(context.Background(), websocket.MessageBinary, fourBars(t)))
	require.NotNil(t, p.told(nil).Piece)
	p.say(`{"play":{"number":1,"bar":1}}`)
	require.NotNil(t, p.told(nil).Began)
	left, silent := p.heard(1)
	require.Len(t, silent, 0)
	require.Greater(t, left[0], .1)
	require.InDelta(t, left[0]/2, left[20_000], 1e-4, "the echo is half as strong")
	require.InDelta(t, 0, left[10_000], 1e-6)

	kinds := decode[[]struct {
		Kind       string
		Parameters []struct{ Name string }
	}](t, ada.do("GET", "/api/effects", nil))
	require.Len(t, kinds, len(template.EffectTypes))
	for n, is := range template.EffectTypes {
		require.Equal(t, string(is.Kind), kinds[n].Kind)
		require.Len(t, kinds[n].Parameters, len(is.Parameters))
	}
}
