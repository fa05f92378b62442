// Package smf writes Standard MIDI Files 1.0, type 1. A song goes in, bytes
// come out.
package smf

import (
	"fmt"
	"io"

	"gitlab.com/gomidi/midi/v2"
	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/tempo"
)

// Write writes a song: a first track with name, tempo, metre and the marker
// of the cue's start, then one track for each of the song's. A track carries
// its name (FF 03), instrument (FF 04), device (FF 09), port (FF 21) and
// channel (FF 20), and the upbeat controllers at tick 0, in the free bars
// before the cue.
func Write(w io.Writer, song handover.Song) error {
	return write(w, song, handover.TicksPerQuarter, lead(song))
}

func write(w io.Writer, song handover.Song, ticks int, first smf.Track, beside ...smf.Track) error {
	file := smf.NewSMF1()
	file.TimeFormat = smf.MetricTicks(ticks)
	if err := file.Add(first); err != nil {
		return fmt.Errorf("write MIDI file: %w", err)
	}
	for n, t := range song.Tracks {
		if err := file.Add(track(t, song.CueTick)); err != nil {
			return fmt.Errorf("write MIDI track %d, %s: %w", n+1, t.Name, err)
		}
	}
	for _, t := range beside {
		if err := file.Add(t); err != nil {
			return fmt.Errorf("write MIDI file: %w", err)
		}
	}
	if _, err := file.WriteTo(w); err != nil {
		return fmt.Errorf("write MIDI file: %w", err)
	}
	return nil
}

func lead(song handover.Song) smf.Track {
	var t smf.Track
	t.Add(0, smf.MetaTrackSequenceName(song.Name))
	t.Add(0, metre(tempo.Common))
	t.Add(0, smf.MetaTempo(song.TempoBPM))
	if n := song.Unnumbered(); n > 0 {
		t.Add(0, smf.MetaText(fmt.Sprintf("%d tracks are on ports beyond the 128 that FF 21 numbers; their device names (FF 09) tell which.", n)))
	}
	t.Add(song.CueTick, smf.MetaMarker(fmt.Sprintf("Cue start, bar %d", song.CueBar)))
	t.Close(0)
	return t
}

func track(source handover.Track, cueTick uint32) smf.Track {
	var t smf.Track
	t.Add(0, smf.MetaTrackSequenceName(source.Name))
	if source.Instrument != "" {
		t.Add(0, smf.MetaInstrument(source.Instrument))
	}
	if source.Device != "" {
		t.Add(0, smf.MetaDevice(source.Device))
	}
	if source.Port >= 0 {
		t.Add(0, smf.MetaPort(uint8(source.Port)))
	}
	if source.Channel > 0 {
		channel := uint8(source.Channel - 1)
		t.Add(0, smf.MetaChannel(channel))
		for _, c := range source.Upbeat {
			t.Add(0, midi.ControlChange(channel, uint8(c.Number), uint8(c.Value)))
		}
	}
	t.Close(cueTick)
	return t
}
