package smf

import (
	"fmt"
	"io"

	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
)

// WriteCompiled writes the messages of one instrument as a file of type 1: a
// track of the tempi, and one of the messages under the instrument's name.
func WriteCompiled(w io.Writer, name string, clock *tempo.Map, messages []articulation.Message) error {
	file := smf.NewSMF1()
	file.TimeFormat = smf.MetricTicks(clock.TicksPerQuarter())
	var lead, part smf.Track
	last := int64(0)
	for _, c := range clock.Changes() {
		lead.Add(uint32(c.Tick-last), smf.Message{0xff, 0x51, 3, byte(c.Quarter >> 16), byte(c.Quarter >> 8), byte(c.Quarter)})
		last = c.Tick
	}
	lead.Close(0)
	part.Add(0, smf.MetaTrackSequenceName(name))
	last = 0
	for _, m := range messages {
		data := []byte{m.Status | byte(m.Channel-1), byte(m.Data1), byte(m.Data2)}
		if m.Status == articulation.Programme {
			data = data[:2]
		}
		part.Add(uint32(m.Tick-last), data)
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
