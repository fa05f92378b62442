// Package wav reads and writes WAV files (RIFF, RF64 as in EBU Tech 3306, BW64 as in ITU-R
// BS.2088): what sound is in them, how long it is and where it loops, what a broadcast file
// says of it (EBU Tech 3285), and the sound itself, piece by piece. A file goes in; its header
// and its samples come out, and the other way round.
package wav

import (
	"fmt"
	"io"

	"fanfold/internal/format/bounded"
)

// Header is what a WAV file says of its sound.
type Header struct {
	Channels int
	RateHz   int
	Bits     int   // of one sample of one channel
	Frames   int64 // samples of every channel
	Bytes    int64 // of sound
	Lost     int64 // bytes of sound that the header promises and that are not there
	Floating bool  // its samples are floating point
	Loops    []Loop
	Says     *Broadcast // nil for a file that is none of broadcast
}

// Loop is a run of frames that repeats.
type Loop struct{ Start, End int64 } // both played, as in the smpl chunk

// MostLoops is how many loops of a file are read.
const MostLoops = 64

// Read reads the header of a file of the given size in bytes. The error says
// what is wrong and where.
func Read(src io.ReaderAt, size int64) (Header, error) {
	h, err := readHeader(src, size)
	return h.Header, err
}

func readHeader(src io.ReaderAt, size int64) (header, error) {
	r := bounded.New(src, size)
	form := r.Tag()
	r.Skip(4) // the size; what is there counts
	long := form == "RF64" || form == "BW64"
	if kind := r.Tag(); r.Err() == nil && (form != "RIFF" && !long || kind != "WAVE") {
		r.Fail("it begins %q and %q, not as a WAV file", form, kind)
	}
	var h header
	for r.Left() >= 8 && !h.hasData {
		h.chunk(r, long)
	}
	for c, ok := r.Chunk(); ok && h.hasData; c, ok = r.Chunk() {
		h.beside(c)
	}
	h.Floating = h.code == floating
	switch {
	case h.hasData && h.blockAlign > 0:
		h.Frames = h.Bytes / h.blockAlign // chunks after the sound may be cut off; the sound is there
		return h, nil
	case r.Err() != nil:
		return header{}, fmt.Errorf("read WAV file: %w", r.Err())
	case !h.hasData:
		return header{}, fmt.Errorf("read WAV file: it holds no sound")
	}
	return header{}, fmt.Errorf("read WAV file: its format does not come before its sound")
}

// The codes of formats, as in the fmt chunk.
const (
	whole      = 1
	floating   = 3
	extensible = 0xFFFE
)

type header struct {
	Header
	blockAlign int64
	hasData    bool
	code       int   // of the format: 1 whole numbers, 3 floating point
	at         int64 // where the sound begins
	long       int64 // the size of the sound, of an RF64 file
}

func (h *header) chunk(r *bounded.Reader, rf64 bool) {
	tag, size := r.Tag(), int64(r.U32())
	if tag == "data" {
		if rf64 && size == 0xFFFFFFFF {
			size = h.long
		}
		h.at = r.At()
		if size != 0xFFFFFFFF { // which says that nobody knew
			h.Lost = max(0, size-r.Left())
		}
		h.Bytes, h.hasData = min(size, r.Left()), true // a recording cut off still plays
		r.Skip(h.Bytes)
		if size%2 == 1 && r.Left() > 0 {
			r.Skip(1)
		}
		return
	}
	body := r.Part(size)
	if size%2 == 1 && r.Left() > 0 {
		r.Skip(1)
	}
	switch tag {
	case "ds64":
		body.Skip(8)
		h.long = int64(min(body.U64(), 1<<62))
	case "fmt ":
		h.code = int(body.U16())
		h.Channels, h.RateHz = int(body.U16()), int(body.U32())
		body.Skip(4)
		h.blockAlign, h.Bits = int64(body.U16()), int(body.U16())
		if h.code == extensible && body.Left() >= 10 { // it stands in front of the sub-format
			body.Skip(8)
			h.code = int(body.U16())
		}
	default:
		h.beside(bounded.Chunk{Tag: tag, Body: body})
	}
}

// beside reads what stands beside the sound.
func (h *header) beside(c bounded.Chunk) {
	switch c.Tag {
	case "smpl":
		h.loops(c)
	case "bext":
		if says := readBroadcast(c.Body); says != nil {
			h.Says = says
		}
	}
}

// loops reads the loops of a smpl chunk (Multimedia Programming Interface and
// Data Specifications 1.0, new multimedia data types, 1994).
func (h *header) loops(c bounded.Chunk) {
	c.Body.Skip(28)
	count := c.Body.U32()
	c.Body.Skip(4)
	for n := uint32(0); n < count && n < MostLoops && c.Body.Left() >= 24; n++ {
		c.Body.Skip(8)
		h.Loops = append(h.Loops, Loop{int64(c.Body.U32()), int64(c.Body.U32())})
		c.Body.Skip(8)
	}
}
