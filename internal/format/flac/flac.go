// Package flac reads the headers of FLAC files (RFC 9639): how long the sound
// is, and what it takes once unpacked, as a player holds it. A file goes in;
// its header comes out. The sound itself is not read.
package flac

import (
	"fmt"
	"io"

	"fanfold/internal/format/bounded"
)

// Header is what a FLAC file says of its sound.
type Header struct {
	Channels int   // 1..8
	RateHz   int   // 1..1,048,575
	Bits     int   // of one sample of one channel, 4..32
	Frames   int64 // samples of every channel; 0 when the file does not say
	Bytes    int64 // of sound, unpacked to whole bytes; that of the file when Frames is 0
}

// streamInfoBytes is the size of the first metadata block.
const streamInfoBytes = 34

// Read reads the header of a file of the given size in bytes. The error says
// what is wrong and where.
func Read(src io.ReaderAt, size int64) (Header, error) {
	r := bounded.New(src, size)
	if tag := r.Tag(); r.Err() == nil && tag != "fLaC" {
		r.Fail("it begins %q, not as a FLAC file", tag)
	}
	head := r.U32be()
	if kind, length := head>>24&0x7f, head&0xff_ffff; r.Err() == nil && (kind != 0 || length != streamInfoBytes) {
		r.Fail("its first block is of kind %d and %d bytes, not stream information of %d", kind, length, streamInfoBytes)
	}
	r.Skip(10) // the sizes of blocks and frames
	info := r.U64be()
	if r.Err() != nil {
		return Header{}, fmt.Errorf("read FLAC file: %w", r.Err())
	}
	h := Header{RateHz: int(info >> 44), Channels: int(info>>41&7) + 1, Bits: int(info>>36&31) + 1, Frames: int64(info & (1<<36 - 1))}
	if h.RateHz == 0 {
		return Header{}, fmt.Errorf("read FLAC file: its sample rate is 0")
	}
	if h.Bytes = h.Frames * int64(h.Channels) * int64((h.Bits+7)/8); h.Frames == 0 {
		h.Bytes = size
	}
	return h, nil
}
