package api_test

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
	"fanfold/internal/app"
	"fanfold/internal/format/wav"
)

// A recording that stands in for a row is kept: it is heard whole or from any
// place, by those of the studio, and survives undo; what is not a recording is
// refused and nothing changes.
func TestRecordingsAreHeard(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	var opened struct {
		Template struct {
			Instruments []struct {
				ID      string
				Printed *struct {
					File, Audio string
					Seconds     float64
				}
			}
		}
	}
	read := func() {
		opened.Template.Instruments = nil
		require.NoError(t, json.Unmarshal(c.do("GET", path, nil).body, &opened))
	}
	read()
	row := opened.Template.Instruments[1].ID
	var b bytes.Buffer
	samples := make([]int16, 700_000) // more than one part of the store
	for n := range samples {
		samples[n] = int16(n)
	}
	require.NoError(t, wav.Write16(&b, 48000, 1, samples))
	audio := b.Bytes()

	bad := c.do("POST", path+"/instruments/"+row+"/printed?file=a.wav", []byte("hello"))
	require.Equal(t, 422, bad.status)
	require.Contains(t, bad.field(t, "detail"), "choose a WAV or FLAC file")
	read()
	require.Nil(t, opened.Template.Instruments[1].Printed)

	done := c.do("POST", path+"/instruments/"+row+"/printed?file=a.wav", audio)
	require.Equal(t, 200, done.status, "%s", done.body)
	read()
	printed := opened.Template.Instruments[1].Printed
	require.InDelta(t, 700_000/48000.0, printed.Seconds, 1e-9)
	var taken struct{ Bytes, MostBytes, Files int64 }
	require.NoError(t, json.Unmarshal(c.do("GET", "/api/recordings", nil).body, &taken))
	require.Equal(t, []int64{int64(len(audio)), 20 << 30, 1}, []int64{taken.Bytes, taken.MostBytes, taken.Files})
	nobodys := c.do("POST", path+"/changes", map[string]any{"base": c.do("GET", path, nil).field(t, "revision"), "change": map[string]any{"kind": "edit", "edits": []any{
		map[string]any{"id": row, "printed": map[string]any{"file": "a.wav", "seconds": 3, "audio": strings.Repeat("ab", 32)}},
	}}})
	require.Equal(t, 422, nobodys.status, "%s", nobodys.body)
	require.Contains(t, nobodys.field(t, "detail"), "its recording is not kept here; choose the file")
	whole := c.do("GET", "/api/recordings/"+printed.Audio, nil)
	require.Equal(t, 200, whole.status)
	require.Equal(t, "audio/wav", whole.header.Get("Content-Type"))
	require.True(t, bytes.Equal(audio, whole.body))

	r, err := http.NewRequest("GET", c.base+"/api/recordings/"+printed.Audio, nil)
	require.NoError(t, err)
	r.Header.Set("Range", "bytes=1048570-1048589") // RFC 9110, over the edge of two parts
	part := c.send(r)
	require.Equal(t, 206, part.status)
	require.Equal(t, audio[1048570:1048590], part.body)

	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	read()
	require.Nil(t, opened.Template.Instruments[1].Printed)
	require.Equal(t, 200, c.do("GET", "/api/recordings/"+printed.Audio, nil).status, "redo finds it")
	require.Equal(t, 404, s.signedIn(t, "eve").do("GET", "/api/recordings/"+printed.Audio, nil).status)
}

// A studio keeps so much and no more: a file that says it is larger is refused before it
// comes, one that does not say is cut off, and nothing of either is left.
func TestRecordingsHaveTheirRoom(t *testing.T) {
	s := serve(t)
	small := httptest.NewServer(api.New(api.Config{App: app.New(app.Config{Store: s.store, Rig: noRig{}, RecordingsBytes: 4096}), Store: s.store}))
	defer small.Close()
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	var opened struct {
		Template struct{ Instruments []struct{ ID string } }
	}
	require.NoError(t, json.Unmarshal(c.do("GET", path, nil).body, &opened))
	row := opened.Template.Instruments[1].ID
	c.base = small.URL
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, 48000, 1, make([]int16, 60_000)))
	ask := func(said bool) got {
		r, err := http.NewRequest("POST", small.URL+path+"/instruments/"+row+"/printed?file=a.wav", bytes.NewReader(b.Bytes()))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/octet-stream")
		if !said {
			r.ContentLength = -1
		}
		return c.send(r)
	}
	for _, said := range []bool{true, false} {
		answer := ask(said)
		require.Equal(t, 422, answer.status, "%s", answer.body)
		require.Contains(t, answer.field(t, "detail"), "the studio's recordings may take")
	}
	var taken struct{ Bytes, Files int64 }
	require.NoError(t, json.Unmarshal(c.do("GET", "/api/recordings", nil).body, &taken))
	require.Zero(t, taken.Files)
}
