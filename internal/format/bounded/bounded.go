// Package bounded reads binary files that nobody vouches for. A source and
// its size go in; bytes come out, never more than the file holds. The first
// error sticks: what is read after it is zero, so that a reader asks once, at
// the end.
package bounded

import (
	"encoding/binary"
	"fmt"
	"io"
)

// MostBytes is the largest piece read into memory at once.
const MostBytes = 32 << 20

// Reader reads a part of a source.
type Reader struct {
	src     io.ReaderAt
	at, end int64
	err     *error // shared by all parts of a source
}

// New reads size bytes of a source.
func New(src io.ReaderAt, size int64) *Reader {
	var err error
	return &Reader{src: src, end: size, err: &err}
}

// Err is the first error of the source, or nil.
func (r *Reader) Err() error { return *r.err }

// Left is the number of bytes not read yet; 0 after an error.
func (r *Reader) Left() int64 {
	if *r.err != nil {
		return 0
	}
	return r.end - r.at
}

// At is the place in the source of the next byte.
func (r *Reader) At() int64 { return r.at }

// Fail makes an error stick, unless there is one already.
func (r *Reader) Fail(reason string, args ...any) {
	if *r.err == nil {
		*r.err = fmt.Errorf("at byte %d: %s", r.at, fmt.Sprintf(reason, args...))
	}
}

// Bytes reads n bytes; nil after an error.
func (r *Reader) Bytes(n int64) []byte {
	switch {
	case *r.err != nil:
		return nil
	case n < 0 || n > r.Left():
		r.Fail("%d bytes are announced, %d are there", n, r.Left())
		return nil
	case n > MostBytes:
		r.Fail("%d bytes in one piece; at most %d are read", n, MostBytes)
		return nil
	}
	b := make([]byte, n)
	if _, err := r.src.ReadAt(b, r.at); err != nil {
		r.Fail("%v", err)
		return nil
	}
	r.at += n
	return b
}

// Skip passes n bytes over.
func (r *Reader) Skip(n int64) {
	if n < 0 || n > r.Left() {
		r.Fail("%d bytes are announced, %d are there", n, r.Left())
		return
	}
	r.at += n
}

// Part passes the next n bytes over and returns a reader of just them.
func (r *Reader) Part(n int64) *Reader {
	p := &Reader{src: r.src, at: r.at, end: r.at, err: r.err}
	if r.Skip(n); *r.err == nil {
		p.end = r.at
	}
	return p
}

// Tag reads four characters.
func (r *Reader) Tag() string { return string(r.Bytes(4)) }

// U16 reads a little-endian number of two bytes.
func (r *Reader) U16() uint16 {
	if b := r.Bytes(2); b != nil {
		return binary.LittleEndian.Uint16(b)
	}
	return 0
}

// U32 reads a little-endian number of four bytes.
func (r *Reader) U32() uint32 {
	if b := r.Bytes(4); b != nil {
		return binary.LittleEndian.Uint32(b)
	}
	return 0
}

// U32be reads a number of 32 bits, the highest byte first; 0 after an error.
func (r *Reader) U32be() uint32 {
	if b := r.Bytes(4); b != nil {
		return binary.BigEndian.Uint32(b)
	}
	return 0
}

// U64be reads a number of 64 bits, the highest byte first; 0 after an error.
func (r *Reader) U64be() uint64 {
	if b := r.Bytes(8); b != nil {
		return binary.BigEndian.Uint64(b)
	}
	return 0
}

// U64 reads a little-endian number of eight bytes.
func (r *Reader) U64() uint64 {
	if b := r.Bytes(8); b != nil {
		return binary.LittleEndian.Uint64(b)
	}
	return 0
}

// Chunk is one chunk of a RIFF file.
type Chunk struct {
	Tag  string
	Body *Reader
}

// Chunk reads the next chunk of a RIFF file: four characters, a size, that
// many bytes, and one more to an even place. ok is false at the end.
func (r *Reader) Chunk() (c Chunk, ok bool) {
	if r.Left() == 0 {
		return Chunk{}, false
	}
	c.Tag = r.Tag()
	size := int64(r.U32())
	c.Body = r.Part(size)
	if size%2 == 1 && r.Left() > 0 {
		r.Skip(1)
	}
	return c, *r.err == nil
}
