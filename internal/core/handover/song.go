// Package handover computes what leaves Fanfold for other programs and for
// people: the tracks a sequencer needs, and the sheets that describe routing
// and seats. A template goes in; plain tables and tracks, ready for a format
// package to write, come out.
package handover

import "fanfold/internal/core/template"

// TicksPerQuarter is the time resolution of a Song.
const TicksPerQuarter = 480

// Song is a template as a sequencer starts from it.
type Song struct {
	Name     string
	TempoBPM float64
	CueTick  uint32 // where the cue starts, in ticks, at 4/4
	CueBar   int
	Tracks   []Track
}

// Track is one instrument in score order.
type Track struct {
	Name       string
	Instrument string                // the patch, in words
	Device     string                // machine, riser and port, in words; empty when unseated
	Port       int                   // running number of the port over all machines, from 0; -1 when unseated or beyond 127
	Channel    int                   // 1..16; 0 when unseated
	Upbeat     []template.Controller // sent before the cue's first bar
}

// NewSong lays the template out as tracks: every sampled instrument and spare
// row in score order. Guides and live inputs are audio and get no track. The
// song starts Settings.CueBar-1 bars of 4/4 before the cue, and in these free
// bars the upbeat is sent.
func NewSong(t *template.Template) Song { return NewSongOf(t, nil) }

// NewSongOf is NewSong of some rows; nil takes all.
func NewSongOf(t *template.Template, rows map[template.ID]bool) Song {
	s := Song{
		Name: t.Name, TempoBPM: t.Settings.TempoBPM, CueBar: t.Settings.CueBar,
		CueTick: uint32(t.Settings.CueBar-1) * 4 * TicksPerQuarter,
	}
	ports := t.Ports()
	for _, i := range t.ScoreOrder() {
		if i.Kind != template.Sampled && i.Kind != template.Spare || rows != nil && !rows[i.ID] {
			continue
		}
		track := Track{Name: i.Name, Port: -1}
		if patches := t.PatchesOf(i); len(patches) > 0 {
			track.Instrument = patches[0].Name
		}
		if i.Seat != nil {
			track.Channel = i.Seat.Channel
			track.Device = t.DeviceName(*i.Seat)
			track.Upbeat = t.UpbeatOf(i)
			if n := ports[i.Seat.PortOf()]; n < 128 {
				track.Port = n
			}
		}
		s.Tracks = append(s.Tracks, track)
	}
	return s
}

// Unnumbered counts the seated tracks whose port has no number, since FF 21 holds 128:
// their device tells where they are played.
func (s Song) Unnumbered() (n int) {
	for _, t := range s.Tracks {
		if t.Device != "" && t.Port < 0 {
			n++
		}
	}
	return n
}
