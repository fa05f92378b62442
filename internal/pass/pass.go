// Package pass takes a calibration pass out and in: a template goes in, the MIDI file of its
// test and what is to be recorded come out; a recording goes in, and what each row did comes
// out. It knows nothing of servers.
package pass

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/wav"
)

// Pass is a calibration pass as a file: what is played, and where it is recorded.
type Pass struct {
	Template string          `json:"template"`
	Pairs    []string        `json:"pairs"` // what each recording is of
	Rows     []calibrate.Row `json:"rows"`
}

// Of is the pass of every seated row of a template; with together, everything goes into one
// recording.
func Of(t *template.Template, together bool) (Pass, error) {
	rows, pairs := calibrate.RowsOf(t, together)
	if len(rows) == 0 {
		return Pass{}, errors.New("no row is seated and plays a patch; seat them first")
	}
	return Pass{t.Name, pairs, rows}, nil
}

// Schedule is when which row does what.
func (p Pass) Schedule() calibrate.Schedule { return calibrate.New(p.Rows) }

// MIDI is the test as a MIDI file: each row with its own switches, on its port.
func (p Pass) MIDI(t *template.Template, words *articulation.Vocabulary) ([]byte, error) {
	time, err := tempo.NewTime(calibrate.TicksPerSecond/2, nil, nil)
	if err != nil {
		return nil, fmt.Errorf("the time of the test: %w", err)
	}
	s, ports := p.Schedule(), t.Ports()
	parts := make([]smf.Played, len(s.Rows))
	for n, r := range s.Rows {
		i := t.Instrument(r.ID)
		done, err := articulation.Compile(words, s.Part(n), calibrate.TargetOf(t, i), time.Clock, articulation.Options{})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", i.Name, err)
		}
		parts[n] = smf.Played{Name: i.Name, Device: t.DeviceName(*i.Seat), Port: ports[i.Seat.PortOf()], Messages: done.Messages}
	}
	var b bytes.Buffer
	if err := smf.WritePlayed(&b, time, parts); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// Read reads a pass as it was written as JSON. The error says what is wrong with it.
func Read(data []byte) (Pass, error) {
	var p Pass
	if err := json.Unmarshal(data, &p); err != nil || len(p.Rows) == 0 || len(p.Rows) > template.MaxInstruments {
		return Pass{}, errors.New("this is not a schedule of a calibration pass; write one with calibrate out")
	}
	for _, r := range p.Rows {
		if r.Pair < 0 || r.Pair >= len(p.Pairs) || r.Low < 0 || r.High > 127 || r.Low > r.High {
			return Pass{}, fmt.Errorf("the row %q is on pair %d with the keys %d to %d, which cannot be; write the schedule again with calibrate out", r.Name, r.Pair+1, r.Low, r.High)
		}
	}
	return p, nil
}

// recorded is a WAV file as calibrate reads it.
type recorded struct{ *wav.Sound }

func (r recorded) RateHz() float64 { return float64(r.Sound.RateHz) }
func (r recorded) Channels() int   { return r.Sound.Channels }
func (r recorded) Frames() int64   { return r.Sound.Frames }

// Measure cuts the WAV file of a pair, counted from 0, of a size in bytes, into what each of
// its rows did. It is read piece by piece.
func (p Pass) Measure(pair int, src io.ReaderAt, size int64) ([]calibrate.Figures, error) {
	sound, err := wav.Open(src, size)
	if err != nil {
		return nil, err
	}
	return p.Schedule().Measure(pair, recorded{sound})
}
