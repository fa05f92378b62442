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
	sample func([]byte) float64
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
		return nil, fmt.Errorf("read WAV file: %d channels in frames of %d bytes can not be read", h.Channels, h.blockAlign)
	}
	s := &Sound{Header: h.Header, src: src, at: h.at, block: h.blockAlign}
	if s.sample = decoder(h.code, int(h.blockAlign)/h.Channels); s.sample == nil {
		return nil, fmt.Errorf("read WAV file: samples of format %d in %d bytes are not known; save it as 16, 24 or 32 bits, or floating point", h.code, int(h.blockAlign)/h.Channels)
	}
	return s, nil
}

// decoder reads one sample of a format: full scale is 1. It is nil for one that is not
// known.
func decoder(code, bytes int) func([]byte) float64 {
	le := binary.LittleEndian
	switch {
	case code == whole && bytes == 1:
		return func(b []byte) float64 { return (float64(b[0]) - 128) / 128 }
	case code == whole && bytes == 2:
		return func(b []byte) float64 { return float64(int16(le.Uint16(b))) / (1 << 15) }
	case code == whole && bytes == 3:
		return func(b []byte) float64 {
			return float64(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)>>8) / (1 << 23)
		}
	case code == whole && bytes == 4:
		return func(b []byte) float64 { return float64(int32(le.Uint32(b))) / (1 << 31) }
	case code == floating && bytes == 4:
		return func(b []byte) float64 { return finite(float64(math.Float32frombits(le.Uint32(b)))) }
	case code == floating && bytes == 8:
		return func(b []byte) float64 { return finite(math.Float64frombits(le.Uint64(b))) }
	}
	return nil
}

// finite takes what is no number for silence.
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
		for k := range n {
			for c := range into {
				at := k*int(s.block) + c*bytes
				into[c][done+k] = s.sample(b[at : at+bytes])
			}
		}
		done += n
	}
	return want, nil
}
