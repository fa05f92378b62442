package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
	"fanfold/internal/rig"
)

// heardOf is what the template says of how its row sounds.
func (c *client) heardOf(t *testing.T, id string) (h *template.Heard, trim float64) {
	t.Helper()
	var opened struct {
		Template template.Template
	}
	require.NoError(t, json.Unmarshal(c.do("GET", "/api/templates/"+id, nil).body, &opened))
	i := opened.Template.Instruments[0]
	return i.Heard, i.LevelTrimDB
}

// recording is what a sequencer records of a pass: each note a tone of its key, as strong as
// its velocity asks, so much softer and so much later than it should be.
func recording(t *testing.T, s calibrate.Schedule, softerDB, late float64) []byte {
	t.Helper()
	const rate = 44_100
	out := make([]int16, 2*int((s.Seconds+late+1)*rate))
	for _, e := range s.Events {
		if e.Kind == calibrate.Silence {
			continue
		}
		amplitude := .5 * math.Pow(float64(e.Strength)/127, 2) * dsp.Amplitude(-softerDB)
		from := int((e.At + late) * rate)
		for n := range int(e.Seconds * rate) {
			x := int16(32767 * amplitude * math.Sin(2*math.Pi*dsp.KeyHz(e.Key)*float64(n)/rate))
			out[2*(from+n)], out[2*(from+n)+1] = x, x/2
		}
	}
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, rate, 2, out))
	return b.Bytes()
}

// A calibration pass taken out, played with a known level and place, recorded and brought in
// comes back with them; a second one tells what has changed since. What is not a recording of it
// is refused with the reason, and changes nothing.
func TestACalibrationPass(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	id := c.keep(t, violins(t))
	path := "/api/templates/" + id + "/balance/calibration"
	type calibration struct {
		Revision int64
		Seconds  float64
		Pairs    []struct {
			Name string
			Rows int
		}
	}
	out := decode[calibration](t, c.do("GET", path+"?together=false", nil))
	require.Len(t, out.Pairs, 1)
	require.Equal(t, 1, out.Pairs[0].Rows)
	require.Contains(t, out.Pairs[0].Name, "Birch")
	test := c.do("GET", fmt.Sprintf("%s/test?together=false&revision=%d", path, out.Revision), nil)
	require.Equal(t, 200, test.status)
	require.Contains(t, test.header.Get("Content-Disposition"), "calibration")
	score, err := smf.ReadFrom(bytes.NewReader(test.body))
	require.NoError(t, err)
	require.NotEmpty(t, score.Tracks)

	rows, _ := calibrate.RowsOf(violins(t), false)
	s := calibrate.New(rows)
	send := func(pair int, data []byte) got {
		return c.do("POST", fmt.Sprintf("%s/recordings/%d?together=false&revision=%d", path, pair, out.Revision), data)
	}
	type calibrated struct {
		Heard   int
		Not     []string
		Changed []struct {
			Name string
			What []string
		}
	}
	done := decode[calibrated](t, send(1, recording(t, s, 0, .37)))
	require.Equal(t, 1, done.Heard)
	require.Empty(t, done.Changed, "nobody had heard it before")
	h, _ := c.heardOf(t, id)
	require.Equal(t, template.ByCalibration, h.By)
	at, err := time.Parse(time.RFC3339, h.On)
	require.NoError(t, err)
	require.WithinDuration(t, time.Now(), at, time.Hour)
	for n, v := range calibrate.Strengths {
		want := dsp.DB(.5*math.Pow(float64(v)/127, 2)) - 3.01 + 10*math.Log10(1.25)
		require.InDelta(t, want, h.Levels[n], .2)
	}
	require.InDelta(t, math.Atan2(.5, 1)*180/math.Pi-45, h.Position, 2)
	require.InDelta(t, 0, *h.Cents, 5)
	require.Equal(t, [][2]string{{"long", "spiccato"}}, h.Alike, "both are the same tone here")

	done = decode[calibrated](t, send(1, recording(t, s, 4, .1)))
	require.Len(t, done.Changed, 1)
	require.Equal(t, []string{"4.0 dB softer"}, done.Changed[0].What)

	for reason, data := range map[string][]byte{"no click is heard": recording(t, s, 90, 0), "read WAV file": []byte("nonsense"), "channels": threeChannels(t)} {
		answer := send(1, data)
		require.Equal(t, 422, answer.status, reason)
		require.Contains(t, string(answer.body), reason)
	}
	require.Equal(t, 422, send(2, nil).status)
	again, _ := c.heardOf(t, id)
	require.InDelta(t, h.Levels[1]-4, again.Levels[1], .11, "what was refused changed nothing")
}

func threeChannels(t *testing.T) []byte {
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, 48_000, 3, make([]int16, 3*48_000)))
	return b.Bytes()
}

// measuringRig measures rows as it is told to.
type measuringRig struct {
	noRig
	heard template.Heard
}

func (m *measuringRig) Measure(_ context.Context, _, _ string, ask rig.MeasureAsk) (*template.Heard, error) {
	if len(ask.Messages) == 0 {
		return nil, fmt.Errorf("nothing is played")
	}
	h := m.heard
	h.On, h.Of = ask.On, ask.Row.Plays
	return &h, nil
}

// Rows are measured by their machines, listed by level, trimmed, and marked; the trims are
// taken once.
func TestMeasuringAndTrimming(t *testing.T) {
	r := &measuringRig{heard: template.Heard{By: template.ByStandIn, Levels: [3]float64{-40, -25, -15}, Peak: -9, Noise: -120}}
	c := serveOn(t, r).signedIn(t, "ada")
	id := c.keep(t, violins(t))
	path := "/api/templates/" + id + "/balance"
	type rows struct {
		WorkingDb float64
		Unheard   int
		Rows      []struct {
			ID     string
			Level  float64
			Off    bool
			Before bool
		}
	}
	require.Equal(t, 1, decode[rows](t, c.do("GET", path, nil)).Unheard)
	require.Equal(t, 200, c.do("POST", path+"/measuring", map[string]any{"rows": []string{}}).status)
	require.Eventually(t, func() bool {
		return !decode[struct{ Running bool }](t, c.do("GET", path+"/measuring", nil)).Running
	}, 20*time.Second, 10*time.Millisecond)
	got := decode[rows](t, c.do("GET", path, nil))
	require.Len(t, got.Rows, 1)
	require.True(t, got.Rows[0].Off)
	trims := decode[struct {
		Trims []struct {
			ID   string
			ToDb float64
			Why  string
		}
	}](t, c.do("POST", path+"/trims", map[string]any{"rows": []string{}})).Trims
	require.Len(t, trims, 1)
	require.InDelta(t, 7, trims[0].ToDb, 1e-9)
	require.Equal(t, 200, c.do("POST", path+"/trims/take", map[string]any{"rows": []string{trims[0].ID}}).status)
	_, trim := c.heardOf(t, id)
	require.InDelta(t, 7, trim, 1e-9)
	require.False(t, decode[rows](t, c.do("GET", path, nil)).Rows[0].Off)
	require.Equal(t, 422, c.do("POST", path+"/trims/take", map[string]any{"rows": []string{trims[0].ID}}).status, "there is nothing more to trim")

	// With another patch it is marked, and no longer trimmed by what was heard; measured again,
	// it is as loud as it was, as one change.
	next := &template.Patch{ID: "q", Library: "l", Player: "k", Name: "Violins, near", KeyLow: 55, KeyHigh: 100, Map: []template.Mapping{}}
	require.Equal(t, 200, c.do("POST", "/api/templates/"+id+"/changes", map[string]any{"base": c.do("GET", "/api/templates/"+id, nil).field(t, "revision"), "change": map[string]any{"kind": "batch", "label": "Layer", "changes": []any{
		map[string]any{"kind": "put", "patches": []any{map[string]any{"at": 1, "value": next}}},
		map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": "i", "patches": []string{"p", "q"}}}},
	}}}).status)
	got = decode[rows](t, c.do("GET", path, nil))
	require.True(t, got.Rows[0].Before)
	require.Equal(t, 422, c.do("POST", path+"/trims/take", map[string]any{"rows": []string{"i"}}).status)
	r.heard.Levels, r.heard.Peak = [3]float64{-38, -21.6, -11}, -7
	require.Equal(t, 200, c.do("POST", path+"/measuring", map[string]any{"rows": []string{"i"}, "keepLevel": true}).status)
	require.Eventually(t, func() bool {
		return !decode[struct{ Running bool }](t, c.do("GET", path+"/measuring", nil)).Running
	}, 20*time.Second, 10*time.Millisecond)
	got = decode[rows](t, c.do("GET", path, nil))
	require.False(t, got.Rows[0].Before)
	require.InDelta(t, -18, got.Rows[0].Level, .06)
	_, trim = c.heardOf(t, id)
	require.InDelta(t, 3.6, trim, 1e-9)
	require.Equal(t, 200, c.do("POST", "/api/templates/"+id+"/undo", nil).status)
	_, trim = c.heardOf(t, id)
	require.InDelta(t, 7, trim, 1e-9, "one step back")

	r.heard.Levels[1], r.heard.Silent = -25, true // it has died
	require.Equal(t, 200, c.do("POST", path+"/measuring", map[string]any{"rows": []string{}}).status)
	require.Eventually(t, func() bool {
		m := decode[struct {
			Running bool
			Changed []struct{ What []string }
		}](t, c.do("GET", path+"/measuring", nil))
		return !m.Running && len(m.Changed) == 1 && m.Changed[0].What[0] == "is silent now"
	}, 20*time.Second, 10*time.Millisecond)
	require.Equal(t, 422, c.do("POST", path+"/measuring", map[string]any{"rows": []string{"gone"}}).status)
}
