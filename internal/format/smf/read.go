package smf

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
)

// The bounds of a file that is read.
const (
	MaxBytes  = 64 << 20
	MaxTracks = 4096
	MaxNotes  = 1_000_000
	// MaxTicks bounds a place in a file, so that no sum of times overflows.
	MaxTicks = 1 << 40
)

// Bad is the error of a file that can not be read: what is wrong, at which
// byte.
type Bad struct {
	At     int
	Reason string
}

func (e *Bad) Error() string { return fmt.Sprintf("MIDI file, byte %d: %s", e.At, e.Reason) }

// File is what a Standard MIDI File holds.
type File struct {
	Clock  *tempo.Map
	Tracks []Track
}

// Track is one track of a file.
type Track struct {
	Name     string
	Port     int // -1 when not said
	Notes    []Note
	Controls []Control
	Texts    []Text
}

// Note is a note from its on to its off.
type Note struct {
	Start, End int64 // ticks
	Channel    int   // 1..16
	Key        int
	Velocity   int
}

// Control is a controller value.
type Control struct {
	Tick    int64
	Channel int
	Number  int
	Value   int
}

// Text is a text (FF 01), a lyric (FF 05), or a cue point (FF 07).
type Text struct {
	Tick  int64
	Lyric bool
	Text  string
}

// Read reads a Standard MIDI File of type 0 or 1 with a metric division. It
// trusts nothing in it: no size is believed before the bytes are there. The
// error is a *Bad, or one of r.
func Read(r io.Reader) (*File, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read MIDI file: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, &Bad{0, fmt.Sprintf("it is larger than %d MiB", MaxBytes>>20)}
	}
	p := &parser{data: data}
	file, err := p.file()
	if err != nil {
		return nil, err
	}
	return file, nil
}

type parser struct {
	data    []byte
	at, end int // within the present chunk
	notes   int
	tempi   []tempo.Change
}

func (p *parser) bad(reason string, args ...any) error {
	return &Bad{p.at, fmt.Sprintf(reason, args...)}
}

var errEnd = errors.New("the track ends in the middle of an event")

func (p *parser) byte() (byte, error) {
	if p.at >= p.end {
		return 0, p.bad("%s", errEnd)
	}
	b := p.data[p.at]
	p.at++
	return b, nil
}

// number reads a variable-length quantity of at most four bytes.
func (p *parser) number() (int64, error) {
	n := int64(0)
	for k := range 5 {
		b, err := p.byte()
		if err != nil {
			return 0, err
		}
		if k == 4 {
			break
		}
		n = n<<7 | int64(b&0x7f)
		if b&0x80 == 0 {
			return n, nil
		}
	}
	return 0, p.bad("a number has more than four bytes")
}

func (p *parser) bytes(n int64) ([]byte, error) {
	if n > int64(p.end-p.at) {
		return nil, p.bad("%d bytes are announced, %d are there", n, p.end-p.at)
	}
	out := p.data[p.at : p.at+int(n)]
	p.at += int(n)
	return out, nil
}

// chunk opens the next chunk; it is left where the data ends.
func (p *parser) chunk() (tag string, ok bool, err error) {
	p.end = len(p.data)
	if p.end-p.at < 8 {
		return "", false, nil
	}
	tag = string(p.data[p.at : p.at+4])
	size := int64(p.data[p.at+4])<<24 | int64(p.data[p.at+5])<<16 | int64(p.data[p.at+6])<<8 | int64(p.data[p.at+7])
	p.at += 8
	if size > int64(p.end-p.at) {
		return "", false, p.bad("a chunk of %d bytes is announced, %d are there", size, p.end-p.at)
	}
	p.end = p.at + int(size)
	return tag, true, nil
}

func (p *parser) file() (*File, error) {
	tag, ok, err := p.chunk()
	if err != nil || !ok || tag != "MThd" || p.end-p.at < 6 {
		return nil, &Bad{0, "it does not begin as a Standard MIDI File"}
	}
	head := p.data[p.at:p.end]
	kind, division := int(head[0])<<8|int(head[1]), int(head[4])<<8|int(head[5])
	switch {
	case kind > 1:
		return nil, p.bad("it is of type %d; types 0 and 1 are read", kind)
	case division&0x8000 != 0:
		return nil, p.bad("its time counts frames; it must count quarter notes")
	case division == 0:
		return nil, p.bad("a quarter note has no ticks")
	}
	p.at = p.end
	out := &File{Tracks: []Track{}}
	for {
		tag, ok, err := p.chunk()
		if err != nil {
			return nil, err
		}
		if !ok {
			break
		}
		if tag == "MTrk" {
			if len(out.Tracks) == MaxTracks {
				return nil, p.bad("it has more than %d tracks", MaxTracks)
			}
			t, err := p.track()
			if err != nil {
				return nil, err
			}
			out.Tracks = append(out.Tracks, t)
		}
		p.at = p.end
	}
	if out.Clock, err = tempo.New(division, p.tempi...); err != nil {
		return nil, &Bad{0, err.Error()}
	}
	return out, nil
}

// track reads one track to its end.
func (p *parser) track() (Track, error) {
	t := &trackReader{parser: p, track: Track{Port: -1, Notes: []Note{}, Controls: []Control{}, Texts: []Text{}}, on: map[[2]int][]int{}}
	for p.at < p.end && !t.over {
		delta, err := p.number()
		if err != nil {
			return t.track, err
		}
		if t.tick += delta; t.tick > MaxTicks {
			return t.track, p.bad("the track is too long")
		}
		if err := t.event(); err != nil {
			return t.track, err
		}
	}
	for _, open := range t.on { // notes nobody ended
		for _, n := range open {
			t.track.Notes[n].End = max(t.tick, t.track.Notes[n].Start+1)
		}
	}
	slices.SortStableFunc(t.track.Notes, func(a, b Note) int { return cmp.Compare(a.Start, b.Start) })
	return t.track, nil
}

type trackReader struct {
	*parser
	track   Track
	tick    int64
	running byte
	on      map[[2]int][]int // sounding notes by channel and key
	over    bool
}

func (t *trackReader) event() error {
	status, err := t.byte()
	if err != nil {
		return err
	}
	if status < 0x80 {
		if t.running == 0 {
			return t.bad("an event has no status")
		}
		status, t.at = t.running, t.at-1
	}
	switch {
	case status == 0xff:
		t.running = 0
		return t.meta()
	case status == 0xf0 || status == 0xf7:
		t.running = 0
		n, err := t.number()
		if err == nil {
			_, err = t.bytes(n)
		}
		return err
	case status > 0xf0:
		return t.bad("the message %#x does not belong into a file", status)
	}
	t.running = status
	long := int64(2)
	if kind := status & 0xf0; kind == 0xc0 || kind == 0xd0 {
		long = 1
	}
	data, err := t.bytes(long)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(data, func(b byte) bool { return b > 127 }) {
		return t.bad("a data byte is above 127")
	}
	return t.channel(status, data)
}

func (t *trackReader) channel(status byte, data []byte) error {
	channel := int(status&15) + 1
	switch status & 0xf0 {
	case 0x90:
		if data[1] > 0 {
			return t.noteOn(channel, int(data[0]), int(data[1]))
		}
		t.noteOff(channel, int(data[0]))
	case 0x80:
		t.noteOff(channel, int(data[0]))
	case 0xb0:
		if data[0] < 120 {
			t.track.Controls = append(t.track.Controls, Control{t.tick, channel, int(data[0]), int(data[1])})
		}
	}
	return nil
}

func (t *trackReader) noteOn(channel, key, velocity int) error {
	if t.notes++; t.notes > MaxNotes {
		return t.bad("it has more than %d notes", MaxNotes)
	}
	at := [2]int{channel, key}
	t.on[at] = append(t.on[at], len(t.track.Notes))
	t.track.Notes = append(t.track.Notes, Note{Start: t.tick, End: t.tick + 1, Channel: channel, Key: key, Velocity: velocity})
	return nil
}

// noteOff ends the oldest note of that key.
func (t *trackReader) noteOff(channel, key int) {
	at := [2]int{channel, key}
	if open := t.on[at]; len(open) > 0 {
		t.track.Notes[open[0]].End = max(t.tick, t.track.Notes[open[0]].Start+1)
		t.on[at] = open[1:]
	}
}

func (t *trackReader) meta() error {
	kind, err := t.byte()
	if err != nil {
		return err
	}
	n, err := t.number()
	if err != nil {
		return err
	}
	data, err := t.bytes(n)
	if err != nil {
		return err
	}
	switch kind {
	case 0x01, 0x05, 0x07:
		t.track.Texts = append(t.track.Texts, Text{t.tick, kind == 0x05, text(data)})
	case 0x03:
		t.track.Name = text(data)
	case 0x21:
		if len(data) == 1 {
			t.track.Port = int(data[0])
		}
	case 0x2f:
		t.over = true
	case 0x51:
		if len(data) == 3 {
			if quarter := int64(data[0])<<16 | int64(data[1])<<8 | int64(data[2]); quarter > 0 {
				t.tempi = append(t.tempi, tempo.Change{Tick: t.tick, Quarter: quarter})
			}
		}
	}
	return nil
}

// text reads bytes as UTF-8, or else as Latin-1.
func text(data []byte) string {
	if utf8.Valid(data) {
		return strings.TrimSpace(string(data))
	}
	var b bytes.Buffer
	for _, c := range data {
		b.WriteRune(rune(c))
	}
	return strings.TrimSpace(b.String())
}

// Played is a track as it is to be compiled: what a text names is in force
// until another of its either/or group, what a lyric names is for the notes
// that begin with it.
func (t Track) Played(v *articulation.Vocabulary) articulation.Part {
	out := articulation.Part{Notes: make([]articulation.Note, len(t.Notes))}
	standing := articulation.NewStanding(v)
	next := 0
	texts := slices.Clone(t.Texts)
	slices.SortStableFunc(texts, func(a, b Text) int { return cmp.Compare(a.Tick, b.Tick) })
	lyrics := map[int64][]string{}
	for _, x := range texts {
		if x.Lyric {
			for _, term := range articulation.Phrases(v, x.Text) {
				lyrics[x.Tick] = append(lyrics[x.Tick], term.Name)
			}
		}
	}
	for n, note := range t.Notes {
		for ; next < len(texts) && texts[next].Tick <= note.Start; next++ {
			if !texts[next].Lyric {
				standing.Read(texts[next].Text)
			}
		}
		out.Notes[n] = articulation.Note{
			Start: note.Start, End: note.End, Key: note.Key, Velocity: note.Velocity, Articulations: standing.With(lyrics[note.Start]),
		}
	}
	for _, c := range t.Controls {
		out.Controls = append(out.Controls, articulation.Control{Tick: c.Tick, Number: c.Number, Value: c.Value})
	}
	return out
}
