package format

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/session"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/smf"
)

// musicTicks is the resolution of a session's notes as music, ticks in a quarter note, and rampTicks
// how long one step of a ramp of its tempo is.
const (
	musicTicks = 960
	rampTicks  = musicTicks / 2
)

// MusicOfSession is the notes of a session in the DAWproject format, with its tempi and metres, as a
// Standard MIDI File: a track of each track that has some, by its name.
func MusicOfSession(data []byte) ([]byte, error) {
	s, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := writeMusic(&b, s); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func writeMusic(w io.Writer, s session.Session) error {
	tick := func(beat float64) int64 { return int64(math.Round(max(0, beat) * musicTicks)) }
	var points []tempo.Point
	for _, x := range s.Tempi {
		points = append(points, tempo.Point{Tick: tick(x.Beat), MilliBPM: int64(math.Round(x.BPM * 1000)), Ramp: x.Ramp})
	}
	curve, err := tempo.NewCurve(musicTicks, points...)
	if err != nil {
		return fmt.Errorf("the tempi of the session: %w", err)
	}
	var metres []tempo.Metre
	for _, x := range s.Metres {
		metres = append(metres, tempo.Metre{Tick: tick(x.Beat), Beats: x.Beats, Unit: x.Unit})
	}
	time, err := tempo.NewTime(musicTicks, curve.Steps(rampTicks), metres)
	if err != nil {
		return fmt.Errorf("the time of the session: %w", err)
	}
	var parts []smf.Played
	var walk func([]*session.Track)
	walk = func(list []*session.Track) {
		for _, x := range list {
			if len(x.Notes) > 0 {
				parts = append(parts, smf.Played{Name: x.Name, Port: -1, Messages: messagesOf(x.Notes, tick)})
			}
			walk(x.Children)
		}
	}
	walk(s.Tracks)
	return smf.WritePlayed(w, time, parts)
}

// messagesOf are the notes of a track as messages. One that is struck again while it sounds ends before
// that.
func messagesOf(notes []session.Note, tick func(float64) int64) []articulation.Message {
	type span struct {
		on, off  int64
		channel  int
		key, vel int
	}
	var spans []span
	for _, n := range notes {
		on := tick(n.Beat)
		spans = append(spans, span{on, max(on+1, tick(n.Beat+n.Beats)), n.Channel, n.Key, min(127, max(1, int(math.Round(n.Velocity*127))))})
	}
	slices.SortStableFunc(spans, func(a, b span) int { return cmp.Or(cmp.Compare(a.on, b.on), cmp.Compare(a.key, b.key)) })
	last := map[[2]int]int{} // the span that sounds, by channel and key
	for n, x := range spans {
		at := [2]int{x.channel, x.key}
		if before, is := last[at]; is && spans[before].off > x.on {
			spans[before].off = max(spans[before].on, x.on)
		}
		last[at] = n
	}
	var out []articulation.Message
	for _, x := range spans {
		if x.off == x.on {
			continue // two at once are one
		}
		out = append(out,
			articulation.Message{Tick: x.on, Status: articulation.NoteOn, Channel: x.channel, Data1: x.key, Data2: x.vel},
			articulation.Message{Tick: x.off, Status: articulation.NoteOff, Channel: x.channel, Data1: x.key, Data2: 64})
	}
	slices.SortStableFunc(out, func(a, b articulation.Message) int {
		return cmp.Or(cmp.Compare(a.Tick, b.Tick), cmp.Compare(a.Status, b.Status)) // what ends, ends first
	})
	return out
}
