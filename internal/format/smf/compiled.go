package smf

import (
	"fmt"
	"io"
	"math/bits"

	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/articulation"
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

// WriteCompiled writes the messages of one instrument as a file of type 1: a
// track of the tempi and metres, and one of the messages under the instrument's name.
func WriteCompiled(w io.Writer, name string, time tempo.Time, messages []articulation.Message) error {
	file := smf.NewSMF1()
	file.TimeFormat = smf.MetricTicks(time.Clock.TicksPerQuarter())
	var lead, part smf.Track
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
	part.Add(0, smf.MetaTrackSequenceName(name))
	last = 0
	for _, m := range messages {
		data := []byte{m.Status | byte(m.Channel-1), byte(m.Data1), byte(m.Data2)}
		if m.Status == articulation.Programme {
			data = data[:2]
		}
		later(&part, m.Tick-last, data)
		last = m.Tick
	}
	part.Close(0)
	for _, t := range []smf.Track{lead, part} {
		if err := file.Add(t); err != nil {
			return fmt.Errorf("write MIDI file: %w", err)
		}
	}
	if _, err := file.WriteTo(w); err != nil {
		return fmt.Errorf("write MIDI file: %w", err)
	}
	return nil
}
