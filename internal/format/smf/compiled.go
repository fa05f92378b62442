package smf

import (
	"fmt"
	"io"
	"math/bits"

	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/tempo"
)

// metre is FF 58, with the clocks of a metronome's click and 8 thirty-seconds in a
// quarter note.
func metre(m tempo.Metre) smf.Message {
	return smf.Message{0xff, 0x58, 4, byte(m.Beats), byte(bits.TrailingZeros(uint(m.Unit))), byte(m.Clicks()), 8}
}

// later adds a message after so many ticks, with empty texts between where a file can
// not say as many at once.
func later(t *smf.Track, ticks int64, message []byte) {
	const most = 1<<28 - 1
	for ; ticks > most; ticks -= most {
		t.Add(most, smf.Message{0xff, 0x01, 0})
	}
	t.Add(uint32(ticks), message)
}

// Played is what one instrument plays: a track of its own.
type Played struct {
	Name     string // of the instrument
	Device   string // FF 09, where it sits; empty when it does not
	Port     int    // FF 21, from 0; -1 for none
	Messages []articulation.Message
}

// WriteCompiled writes the messages of one instrument as a file of type 1: a
// track of the tempi and metres, and one of the messages under the instrument's name.
func WriteCompiled(w io.Writer, name string, time tempo.Time, messages []articulation.Message) error {
	return WritePlayed(w, time, []Played{{Name: name, Port: -1, Messages: messages}})
}

// WritePlayed writes the messages of several instruments as a file of type 1: a track of
// the tempi and metres, and one of each instrument.
func WritePlayed(w io.Writer, time tempo.Time, parts []Played) error {
	file := smf.NewSMF1()
	file.TimeFormat = smf.MetricTicks(time.Clock.TicksPerQuarter())
	tracks := []smf.Track{leading(time)}
	for _, p := range parts {
		var part smf.Track
		part.Add(0, smf.MetaTrackSequenceName(p.Name))
		if p.Device != "" {
			part.Add(0, smf.MetaDevice(p.Device))
		}
		if p.Port >= 0 && p.Port < 128 {
			part.Add(0, smf.MetaPort(uint8(p.Port)))
		}
		last := int64(0)
		for _, m := range p.Messages {
			data := []byte{m.Status | byte(m.Channel-1), byte(m.Data1), byte(m.Data2)}
			if m.Status == articulation.Programme {
				data = data[:2]
			}
			later(&part, m.Tick-last, data)
			last = m.Tick
		}
		part.Close(0)
		tracks = append(tracks, part)
	}
	for _, t := range tracks {
		if err := file.Add(t); err != nil {
			return fmt.Errorf("write MIDI file: %w", err)
		}
	}
	if _, err := file.WriteTo(w); err != nil {
		return fmt.Errorf("write MIDI file: %w", err)
	}
	return nil
}

// WriteWake writes a call as a music program can play it.
func WriteWake(w io.Writer, wake handover.Wake) error {
	time, err := tempo.NewTime(handover.TicksPerQuarter, nil, nil)
	if err != nil {
		return fmt.Errorf("write MIDI file: %w", err)
	}
	return WriteCompiled(w, wake.Name, time, wake.Messages)
}

// leading is the track of tempi and metres.
func leading(time tempo.Time) smf.Track {
	var lead smf.Track
	last := int64(0)
	changes, metres := time.Clock.Changes(), time.Bars.Metres()
	for len(changes)+len(metres) > 0 {
		if len(changes) == 0 || len(metres) > 0 && metres[0].Tick <= changes[0].Tick {
			m := metres[0]
			later(&lead, m.Tick-last, metre(m))
			last, metres = m.Tick, metres[1:]
			continue
		}
		c := changes[0]
		later(&lead, c.Tick-last, smf.Message{0xff, 0x51, 3, byte(c.Quarter >> 16), byte(c.Quarter >> 8), byte(c.Quarter)})
		last, changes = c.Tick, changes[1:]
	}
	lead.Close(0)
	return lead
}
