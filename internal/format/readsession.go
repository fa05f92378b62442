package format

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/smf"
)

// IsSession tells whether a file that begins so can be read as a session.
func IsSession(head []byte) bool { return isZip(head) || isMIDI(head) }

func isZip(head []byte) bool { return strings.HasPrefix(string(head), "PK\x03\x04") }

func isMIDI(head []byte) bool {
	return strings.HasPrefix(string(head), "MThd") || strings.HasPrefix(string(head), "RIFF")
}

// ReadSession reads a session that a sequencer saved: a DAWproject file, or a MIDI file, which knows
// no more than the names of its tracks, their order and their notes. name is that of the file.
func ReadSession(name string, r io.ReaderAt, size int64) (session.Session, error) {
	head := make([]byte, 4)
	if n, err := r.ReadAt(head, 0); n < len(head) && err != nil {
		return session.Session{}, errors.New("the file is empty, or nearly so")
	}
	var s session.Session
	var err error
	switch {
	case isZip(head):
		s, err = dawproject.Read(r, size)
	case isMIDI(head):
		s, err = midiSession(io.NewSectionReader(r, 0, size))
	default:
		err = errors.New("this is neither a DAWproject file nor a MIDI file; save the session as one of them")
	}
	if s.Name == "" {
		s.Name = name
	}
	return s, err
}

func midiSession(r io.Reader) (session.Session, error) {
	f, err := smf.Read(r)
	if err != nil {
		return session.Session{}, err
	}
	s := session.Session{Flat: true, Tempi: []session.Tempo{{BPM: 120}}, Metres: []session.Metre{{Beats: 4, Unit: 4}}}
	for n, t := range f.Tracks {
		if n == 0 {
			s.Tempi = nil
			for _, c := range t.Time.Clock.Changes() {
				s.Tempi = append(s.Tempi, session.Tempo{Beat: float64(c.Tick) / float64(t.Time.Clock.TicksPerQuarter()), BPM: 6e7 / float64(c.Quarter)})
			}
			if len(t.Notes) == 0 && len(f.Tracks) > 1 {
				continue // tempi and metres, and the name of the piece
			}
		}
		x := &session.Track{ID: template.ID(fmt.Sprintf("track-%d", n+1)), Name: t.Name, Kind: session.Notes, Role: session.Regular, Gain: 1, Loaded: true}
		quarter := float64(t.Time.Clock.TicksPerQuarter())
		for _, y := range t.Notes {
			x.Notes = append(x.Notes, session.Note{
				Beat: float64(y.Start) / quarter, Beats: float64(y.End-y.Start) / quarter, Channel: int(y.Channel), Key: int(y.Key), Velocity: float64(y.Velocity) / 127,
			})
		}
		s.Tracks = append(s.Tracks, x)
	}
	return s, nil
}
