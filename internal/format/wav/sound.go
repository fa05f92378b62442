package wav

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"
)

// Sound is a WAV file whose samples can be read, from anywhere in it.
type Sound struct {
	Header
	src    io.ReaderAt
	at     int64
	block  int64 // bytes of a frame
	decode func(into []float64, b []byte, stride int)
	buffer []byte
}

// MostChannels bounds the channels of a file whose sound is read.
const MostChannels = 64

// Open reads the header of a file of the given size in bytes, and prepares to read its
// sound: whole numbers of 8, 16, 24 and 32 bits, and floating point of 32 and 64. The error
// says what is wrong with it.
func Open(src io.ReaderAt, size int64) (*Sound, error) {
	h, err := readHeader(src, size)
	if err != nil {
		return nil, err
	}
	if h.Channels < 1 || h.Channels > MostChannels || h.blockAlign%int64(h.Channels) != 0 {
		return nil, fmt.Errorf("read WAV file: %d channels in frames of %d bytes cannot be read", h.Channels, h.blockAlign)
	}
	s := &Sound{Header: h.Header, src: src, at: h.at, block: h.blockAlign}
	if s.decode = decoder(h.code, int(h.blockAlign)/h.Channels); s.decode == nil {
		return nil, fmt.Errorf("read WAV file: samples of format %d in %d bytes are not known; save it as 16, 24 or 32 bits, or floating point", h.code, int(h.blockAlign)/h.Channels)
	}
	return s, nil
}

// decoder reads the samples of one channel, which lie a stride of bytes apart: full scale is
// 1. It is nil for a format that is not known.
func decoder(code, bytes int) func(into []float64, b []byte, stride int) {
	le := binary.LittleEndian
	switch {
	case code == whole && bytes == 1:
		return each(func(b []byte) float64 { return (float64(b[0]) - 128) / 128 })
	case code == whole && bytes == 2:
		return each(func(b []byte) float64 { return float64(int16(le.Uint16(b))) * (1. / (1 << 15)) })
	case code == whole && bytes == 3:
		return func(into []float64, b []byte, stride int) { // what most stems are; in line, it takes a third of the time
			for n := range into {
				into[n] = float64(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)>>8) * (1. / (1 << 23))
				b = b[min(stride, len(b)):]
			}
		}
	case code == whole && bytes == 4:
		return each(func(b []byte) float64 { return float64(int32(le.Uint32(b))) * (1. / (1 << 31)) })
	case code == floating && bytes == 4:
		return each(func(b []byte) float64 { return finite(float64(math.Float32frombits(le.Uint32(b)))) })
	case code == floating && bytes == 8:
		return each(func(b []byte) float64 { return finite(math.Float64frombits(le.Uint64(b))) })
	}
	return nil
}

func each(sample func([]byte) float64) func([]float64, []byte, int) {
	return func(into []float64, b []byte, stride int) {
		for n := range into {
			into[n] = sample(b[n*stride:])
		}
	}
}

// finite takes what is not a number for silence.
func finite(x float64) float64 {
	if math.IsNaN(x) || math.IsInf(x, 0) {
		return 0
	}
	return x
}

// framesAtOnce is how many frames are read from the file at a time.
const framesAtOnce = 4096

// ReadAt reads frames from a place on, counted from 0, into one slice for each channel, all
// as long. It returns how many there were; io.EOF when there are none.
func (s *Sound) ReadAt(into [][]float64, from int64) (int, error) {
	if len(into) != s.Channels {
		return 0, fmt.Errorf("read WAV file: it has %d channels, not %d", s.Channels, len(into))
	}
	if from < 0 || from >= s.Frames {
		return 0, io.EOF
	}
	want := int(min(int64(len(into[0])), s.Frames-from))
	bytes := int(s.block) / s.Channels
	for done := 0; done < want; {
		n := min(framesAtOnce, want-done)
		if need := n * int(s.block); cap(s.buffer) < need {
			s.buffer = make([]byte, need)
		}
		b := s.buffer[:n*int(s.block)]
		if _, err := s.src.ReadAt(b, s.at+(from+int64(done))*s.block); err != nil && err != io.EOF { //nolint:errorlint // as ReaderAt says it
			return done, fmt.Errorf("read WAV file: %w", err)
		}
		for c := range into {
			s.decode(into[c][done:done+n], b[c*bytes:], int(s.block))
		}
		done += n
	}
	return want, nil
}
