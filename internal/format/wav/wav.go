// Package wav reads the headers of WAV files (RIFF, and RF64 as in EBU Tech
// 3306): what sound is in them, how long it is and where it loops. A file
// goes in; its header comes out. The sound itself is not read.
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
	Loops    []Loop
}

// Loop is a run of frames that repeats.
type Loop struct{ Start, End int64 } // both played, as in the smpl chunk

// MostLoops is how many loops of a file are read.
const MostLoops = 64

// Read reads the header of a file of the given size in bytes. The error says
// what is wrong and where.
func Read(src io.ReaderAt, size int64) (Header, error) {
	r := bounded.New(src, size)
	form := r.Tag()
	r.Skip(4) // the size; what is there counts
	if kind := r.Tag(); r.Err() == nil && (form != "RIFF" && form != "RF64" || kind != "WAVE") {
		r.Fail("it begins %q and %q, not as a WAV file", form, kind)
	}
	var h header
	for r.Left() > 8 && !h.hasData {
		h.chunk(r, form == "RF64")
	}
	for c, ok := r.Chunk(); ok && h.hasData; c, ok = r.Chunk() {
		h.loops(c)
	}
	switch {
	case h.hasData && h.blockAlign > 0:
		h.Frames = h.Bytes / h.blockAlign // chunks after the sound may be cut off; the sound is there
		return h.Header, nil
	case r.Err() != nil:
		return Header{}, fmt.Errorf("read WAV file: %w", r.Err())
	case !h.hasData:
		return Header{}, fmt.Errorf("read WAV file: it holds no sound")
	}
	return Header{}, fmt.Errorf("read WAV file: its format does not come before its sound")
}

type header struct {
	Header
	blockAlign int64
	hasData    bool
	long       int64 // the size of the sound, of an RF64 file
}

func (h *header) chunk(r *bounded.Reader, rf64 bool) {
	tag, size := r.Tag(), int64(r.U32())
	if tag == "data" {
		if rf64 && size == 0xFFFFFFFF {
			size = h.long
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
		body.Skip(2)
		h.Channels, h.RateHz = int(body.U16()), int(body.U32())
		body.Skip(4)
		h.blockAlign, h.Bits = int64(body.U16()), int(body.U16())
	default:
		h.loops(bounded.Chunk{Tag: tag, Body: body})
	}
}

// loops reads the loops of a smpl chunk (Multimedia Programming Interface and
// Data Specifications 1.0, new multimedia data types, 1994).
func (h *header) loops(c bounded.Chunk) {
	if c.Tag != "smpl" {
		return
	}
	c.Body.Skip(28)
	count := c.Body.U32()
	c.Body.Skip(4)
	for n := uint32(0); n < count && n < MostLoops && c.Body.Left() >= 24; n++ {
		c.Body.Skip(8)
		h.Loops = append(h.Loops, Loop{int64(c.Body.U32()), int64(c.Body.U32())})
		c.Body.Skip(8)
	}
}
