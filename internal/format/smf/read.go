package smf

import (
	"bytes"
	"cmp"
	"encoding/binary"
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
	MaxValues = 4_000_000 // of controllers
	MaxTexts  = 200_000
	MaxTempi  = 200_000 // and as many metres
	// MaxTicks bounds a place in a file, so that no product of times overflows.
	MaxTicks = 1 << 31
)

// Bad is the error of a file that cannot be read: what is wrong, at which
// byte.
type Bad struct {
	At     int
	Reason string
}

func (e *Bad) Error() string { return fmt.Sprintf("MIDI file, byte %d: %s", e.At, e.Reason) }

// File is what a Standard MIDI File holds.
type File struct {
	Tracks []Track
	// Notes say what in the file does not follow the standard, or was left out.
	Notes []string
}

// Track is one track of a file, with the tempi and metres it goes by: those of
// the whole file, or in type 2, where each track is a piece of its own, its own.
type Track struct {
	Time     tempo.Time
	Name     string
	Port     int    // -1 when not said
	Device   string // FF 09, the device it is played on
	Notes    []Note
	Controls []Control
	Texts    []Text
}

// Note is a note from its on to its off.
type Note struct {
	Start, End uint32 // ticks, up to MaxTicks
	Channel    uint8  // 1..16
	Key        uint8  // 0..127
	Velocity   uint8  // 1..127
}

// Control is a controller value.
type Control struct {
	Tick    int64
	Channel uint8 // 1..16
	Number  uint8 // 0..119
	Value   uint8 // 0..127
}

// Text is a text (FF 01), a lyric (FF 05), or a cue point (FF 07).
type Text struct {
	Tick  int64
	Lyric bool
	Text  string
}

// Read reads a Standard MIDI File of type 0, 1 or 2, bare or in a RIFF file
// (.rmi), with time in quarter notes or in frames. It trusts nothing in it: no size
// is believed before the bytes are there. The error is a *Bad, or one of r.
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
	values  int
	texts   int
	tempi   []tempo.Change
	metres  []tempo.Metre
	resumed int // events whose running status goes on after a meta or system exclusive event
	odd     int // metres that cannot be
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

// unwrap opens a RIFF file of kind RMID, whose data chunk is the MIDI file (MIDI
// RP-029).
func (p *parser) unwrap() error {
	if !bytes.HasPrefix(p.data, []byte("RIFF")) || len(p.data) < 12 || string(p.data[8:12]) != "RMID" {
		return nil
	}
	for at := 12; at+8 <= len(p.data); {
		size := int(binary.LittleEndian.Uint32(p.data[at+4:]))
		body := p.data[at+8:]
		if string(p.data[at:at+4]) == "data" {
			p.data = body[:min(size, len(body))]
			return nil
		}
		if size > len(body) {
			break
		}
		at += 8 + size + size%2
	}
	return &Bad{0, "it is a RIFF file without the data of a MIDI file"}
}

// frames are the frames a second that a division tells as a negative number; 29
// stands for 30 drop, in 1,001 seconds 30,000.
var frames = map[int]struct{ a, quarter int }{24: {24, 1_000_000}, 25: {25, 1_000_000}, 29: {30, 1_001_000}, 30: {30, 1_000_000}}

// division is how time is counted: ticks in a quarter note, or when micros is not 0, in
// so many microseconds.
func (p *parser) division(two []byte) (ticks int, micros int64, err error) {
	n := int(two[0])<<8 | int(two[1])
	if n&0x8000 == 0 {
		if n == 0 {
			return 0, 0, p.bad("a quarter note has no ticks")
		}
		return n, 0, nil
	}
	rate, ok := frames[256-int(two[0])]
	if !ok || two[1] == 0 {
		return 0, 0, p.bad("its time counts %d frames a second of %d ticks; 24, 25, 29 and 30 frames can be", 256-int(two[0]), two[1])
	}
	return rate.a * int(two[1]), int64(rate.quarter), nil
}

func (p *parser) file() (*File, error) {
	if err := p.unwrap(); err != nil {
		return nil, err
	}
	tag, ok, err := p.chunk()
	if err != nil || !ok || tag != "MThd" || p.end-p.at < 6 {
		return nil, &Bad{0, "it does not begin as a Standard MIDI File"}
	}
	head := p.data[p.at:p.end]
	kind := int(head[0])<<8 | int(head[1])
	if kind > 2 {
		return nil, p.bad("it is of type %d; types 0, 1 and 2 are read", kind)
	}
	ticks, micros, err := p.division(head[4:6])
	if err != nil {
		return nil, err
	}
	p.at = p.end
	out := &File{Tracks: []Track{}, Notes: []string{}}
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
			if kind == 2 {
				if err := p.time(out.Tracks[len(out.Tracks)-1:], ticks, micros); err != nil {
					return nil, err
				}
				p.tempi, p.metres = nil, nil
			}
		}
		p.at = p.end
	}
	if kind < 2 {
		if err := p.time(out.Tracks, ticks, micros); err != nil {
			return nil, err
		}
	}
	if announced := int(head[2])<<8 | int(head[3]); announced != len(out.Tracks) {
		out.Notes = append(out.Notes, fmt.Sprintf("Its head announces %d tracks; %d are there, and are read.", announced, len(out.Tracks)))
	}
	p.tell(out, kind, micros)
	return out, nil
}

// time gives tracks the tempi and metres that have been read.
func (p *parser) time(tracks []Track, ticks int, micros int64) error {
	tempi := p.tempi
	if micros > 0 {
		tempi = []tempo.Change{{Quarter: micros}} // frames are not stretched by a tempo
	}
	time, err := tempo.NewTime(ticks, tempi, p.metres)
	if err != nil {
		return &Bad{0, err.Error()}
	}
	for n := range tracks {
		tracks[n].Time = time
	}
	return nil
}

// tell notes what was read differently from the standard.
func (p *parser) tell(out *File, kind int, micros int64) {
	note := func(text string, args ...any) { out.Notes = append(out.Notes, fmt.Sprintf(text, args...)) }
	if kind == 2 {
		note("It is of type 2: each of its %d tracks is a piece of its own, with its own tempo and bars.", len(out.Tracks))
	}
	if micros > 0 {
		note("Its time is in frames, not in quarter notes: its tempi are left out, and a bar lasts four seconds unless a time signature says otherwise.")
	}
	if p.resumed > 0 {
		note("Events without a status after a meta or system exclusive event, which the standard does not allow: %d. They are read as meant.", p.resumed)
	}
	if p.odd > 0 {
		note("Time signatures that make no sense, left out: %d.", p.odd)
	}
}

// track reads one track to its end: once to count what it holds, so that no more memory
// is taken than that needs, and once to keep it.
func (p *parser) track() (Track, error) {
	from, before := p.at, *p
	count := &trackReader{parser: p, counting: true}
	if err := count.toEnd(); err != nil {
		return Track{}, err
	}
	notes := p.notes - before.notes
	t := &trackReader{parser: p, next: make([]int32, 0, notes), track: Track{
		Port: -1, Notes: make([]Note, 0, notes), Controls: make([]Control, 0, p.values-before.values), Texts: []Text{},
	}}
	*p = before
	p.at = from
	if err := t.toEnd(); err != nil {
		return Track{}, err
	}
	for at := range t.on { // notes nobody ended
		for t.on[at].first > 0 {
			t.stop(at)
		}
	}
	slices.SortStableFunc(t.track.Notes, func(a, b Note) int { return cmp.Compare(a.Start, b.Start) })
	return t.track, nil
}

// toEnd reads events to the end of the track.
func (t *trackReader) toEnd() error {
	for t.at < t.end && !t.over {
		delta, err := t.number()
		if err != nil {
			return err
		}
		if t.tick += delta; t.tick > MaxTicks {
			return t.bad("the track is too long")
		}
		if err := t.event(); err != nil {
			return err
		}
	}
	return nil
}

type trackReader struct {
	*parser
	track    Track
	tick     int64
	running  byte
	between  bool                                  // a meta or system exclusive event has come since the last status
	on       [16 * 128]struct{ first, last int32 } // of each channel and key: the sounding notes, counted from 1; 0 for none
	next     []int32                               // after each note: the one of that key that began after it
	over     bool
	counting bool // nothing is kept
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
		if t.between {
			t.resumed++
		}
	}
	switch {
	case status == 0xff:
		t.between = true
		return t.meta()
	case status == 0xf0 || status == 0xf7:
		t.between = true
		n, err := t.number()
		if err == nil {
			_, err = t.bytes(n)
		}
		return err
	case status > 0xf0:
		return t.bad("the message %#x does not belong into a file", status)
	}
	t.running, t.between = status, false
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
	channel := status&15 + 1
	switch status & 0xf0 {
	case 0x90:
		if data[1] > 0 {
			return t.noteOn(channel, data[0], data[1])
		}
		t.noteOff(channel, data[0])
	case 0x80:
		t.noteOff(channel, data[0])
	case 0xb0:
		if data[0] < 120 {
			if t.values++; t.values > MaxValues {
				return t.bad("it has more than %d controller values; thin them out", MaxValues)
			}
			if t.counting {
				break
			}
			t.track.Controls = append(t.track.Controls, Control{t.tick, channel, data[0], data[1]})
		}
	}
	return nil
}

func (t *trackReader) noteOn(channel, key, velocity uint8) error {
	if t.notes++; t.notes > MaxNotes {
		return t.bad("it has more than %d notes", MaxNotes)
	}
	if t.counting {
		return nil
	}
	t.track.Notes = append(t.track.Notes, Note{Start: uint32(t.tick), End: uint32(t.tick) + 1, Channel: channel, Key: key, Velocity: velocity})
	t.next = append(t.next, 0)
	n, on := int32(len(t.track.Notes)), &t.on[at(channel, key)]
	if on.first == 0 {
		on.first = n
	} else {
		t.next[on.last-1] = n
	}
	on.last = n
	return nil
}

func at(channel, key uint8) int { return int(channel-1)*128 + int(key) }

// noteOff ends the oldest note of that key.
func (t *trackReader) noteOff(channel, key uint8) {
	if t.on[at(channel, key)].first > 0 {
		t.stop(at(channel, key))
	}
}

// stop ends the oldest note of a channel and key.
func (t *trackReader) stop(at int) {
	n := t.on[at].first - 1
	t.track.Notes[n].End = max(uint32(t.tick), t.track.Notes[n].Start+1)
	t.on[at].first = t.next[n]
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
	if t.counting {
		t.over = kind == 0x2f
		return nil
	}
	switch kind {
	case 0x01, 0x05, 0x07:
		if t.texts++; t.texts > MaxTexts {
			return t.bad("it has more than %d texts", MaxTexts)
		}
		t.track.Texts = append(t.track.Texts, Text{t.tick, kind == 0x05, text(data)})
	case 0x03:
		t.track.Name = text(data)
	case 0x09:
		t.track.Device = text(data)
	case 0x21:
		if len(data) == 1 {
			t.track.Port = int(data[0])
		}
	case 0x2f:
		t.over = true
	case 0x51:
		if len(data) == 3 {
			if len(t.tempi) == MaxTempi {
				return t.bad("it has more than %d tempi", MaxTempi)
			}
			if quarter := int64(data[0])<<16 | int64(data[1])<<8 | int64(data[2]); quarter > 0 {
				t.tempi = append(t.tempi, tempo.Change{Tick: t.tick, Quarter: quarter})
			}
		}
	case 0x58:
		if len(t.metres) == MaxTempi {
			return t.bad("it has more than %d time signatures", MaxTempi)
		}
		if len(data) < 2 || data[0] == 0 || data[1] > 7 {
			t.odd++
			break
		}
		t.metres = append(t.metres, tempo.Metre{Tick: t.tick, Beats: int(data[0]), Unit: 1 << data[1]})
	}
	return nil
}

// text reads bytes as UTF-8, or else as Latin-1, without control characters: some
// programs end texts with NUL.
func text(data []byte) string {
	text := string(data)
	if !utf8.Valid(data) {
		var b strings.Builder
		for _, c := range data {
			b.WriteRune(rune(c))
		}
		text = b.String()
	}
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' && r != '\t' || r == 0x7f {
			return -1
		}
		return r
	}, text))
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
		for ; next < len(texts) && texts[next].Tick <= int64(note.Start); next++ {
			if !texts[next].Lyric {
				standing.Read(texts[next].Text)
			}
		}
		out.Notes[n] = articulation.Note{
			Start: int64(note.Start), End: int64(note.End), Key: int(note.Key), Velocity: int(note.Velocity), Articulations: standing.With(lyrics[int64(note.Start)]),
		}
	}
	for _, c := range t.Controls {
		out.Controls = append(out.Controls, articulation.Control{Tick: c.Tick, Number: int(c.Number), Value: int(c.Value)})
	}
	return out
}
