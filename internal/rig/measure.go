package rig

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"time"

	"github.com/nats-io/nats.go"

	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/template"
	"fanfold/internal/render"
	"fanfold/internal/sampler"
)

// MeasureAsk asks a host to play the test of a row and to measure what it sounds, faster
// than anybody could listen. The row need not be ready.
type MeasureAsk struct {
	Load     Load           `json:"load"`
	Row      calibrate.Row  `json:"row"`
	Messages []TimedMessage `json:"messages"`
	On       string         `json:"on"` // when, RFC 3339
}

// TimedMessage is a MIDI message of a test, and when it is heard, s from its start.
type TimedMessage struct {
	At    float64      `json:"at"`
	Kind  sampler.Kind `json:"kind"`
	Key   int          `json:"key"`
	Value int          `json:"value"`
}

type measureAnswer struct {
	Heard  *template.Heard `json:"heard,omitempty"`
	Reason string          `json:"reason,omitempty"`
}

func measureSubject(credential string) string { return "rig." + credential + ".measure" }

// measureWithin is how long a host may take for one row.
const measureWithin = zonesWithin

// mostTestSeconds bounds a test: a row of a hundred articulations takes a minute and a half.
const mostTestSeconds = 600

// answerMeasure answers one question.
func answerMeasure(s Sounding, m *nats.Msg) {
	var ask MeasureAsk
	var answer measureAnswer
	err := json.Unmarshal(m.Data, &ask)
	if err == nil {
		answer.Heard, err = s.Measure(ask)
	}
	if err != nil {
		answer.Reason = err.Error()
	}
	if data, err := json.Marshal(answer); err == nil {
		_ = m.Respond(data) // who asks is told that no answer came
	}
}

// Measure plays the test of a row by itself.
func (s *stage) Measure(ask MeasureAsk) (*template.Heard, error) {
	schedule := calibrate.Alone(ask.Row)
	if schedule.Seconds > mostTestSeconds {
		return nil, fmt.Errorf("the test of %s takes %.0f s; at most %d are played", ask.Row.Name, schedule.Seconds, mostTestSeconds)
	}
	patches, places, _ := s.patchesOf(ask.Load)
	if len(patches) == 0 {
		// A patch that cannot be opened is as dead as one that sounds nothing.
		return &template.Heard{By: template.ByStandIn, On: ask.On, Of: ask.Row.Plays, Silent: true, Noise: silence, Peak: silence, Levels: [3]float64{silence, silence, silence}}, nil
	}
	defer func() {
		for _, p := range patches {
			p.Close()
		}
	}()
	frames := int(schedule.Seconds * SoundRateHz)
	rec := rendered{make([]float64, frames), make([]float64, frames)}
	for n, layer := range layersOf(patches, places, ask.Load) {
		e := sampler.New(layer.Patch, sampler.Options{RateHz: SoundRateHz, Seed: render.Seed(ask.Load.ID) + uint64(n), Wait: true})
		e.Trim(layer.Trim)
		for _, x := range ask.Messages {
			e.Send(sampler.Message{At: int64(math.Round(x.At * SoundRateHz)), Kind: x.Kind, Key: x.Key, Value: x.Value})
		}
		e.Render(rec[0], rec[1])
	}
	f, err := schedule.MeasureAlone(rec)
	if err != nil {
		return nil, err
	}
	return f.Heard(ask.Row, template.ByStandIn, ask.On), nil
}

// silence stands for no level at all, dBFS.
const silence = -200

// rendered is sound in memory, as a recording.
type rendered [2][]float64

func (rendered) RateHz() float64 { return SoundRateHz }
func (rendered) Channels() int   { return 2 }
func (r rendered) Frames() int64 { return int64(len(r[0])) }

func (r rendered) ReadAt(into [][]float64, from int64) (int, error) {
	if from >= r.Frames() {
		return 0, io.EOF
	}
	n := 0
	for c := range into {
		n = copy(into[c], r[c][from:])
	}
	return n, nil
}

// Measure asks the host of a machine to measure a row.
func (d *Desk) Measure(ctx context.Context, studio, machine string, ask MeasureAsk) (*template.Heard, error) {
	credential, err := d.credentialOf(studio, machine)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(ask)
	if err != nil {
		return nil, fmt.Errorf("measure %s: %w", ask.Row.Name, err)
	}
	m, err := d.request(ctx, studio, machine, measureSubject(credential), data, measureWithin+time.Duration(len(ask.Messages))*50*time.Millisecond)
	if err != nil {
		return nil, fmt.Errorf("measure %s: %w", ask.Row.Name, err)
	}
	var answer measureAnswer
	if err := json.Unmarshal(m, &answer); err != nil {
		return nil, fmt.Errorf("read what was measured of %s: %w", ask.Row.Name, err)
	}
	if answer.Reason != "" || answer.Heard == nil {
		return nil, errors.New(answer.Reason)
	}
	return answer.Heard, nil
}
