package flac

import (
	"bufio"
	"errors"
	"fmt"
	"io"

	"github.com/mewkiz/flac"
)

// MostFrames bounds the sound that is unpacked: ten minutes at 48 kHz.
const MostFrames = 10 * 60 * 48_000

// Sound unpacks a FLAC file of the given size in bytes: the samples of its first two
// channels, or of its one, frame by frame, full scale 1. The error says what is wrong with it.
func Sound(src io.ReaderAt, size int64) (h Header, frames []float32, err error) {
	defer func() {
		if r := recover(); r != nil { // the reader beneath trusts its input
			frames, err = nil, fmt.Errorf("read FLAC file: it is damaged (%v)", r)
		}
	}()
	if h, err = Read(src, size); err != nil {
		return h, nil, err
	}
	if h.Frames > MostFrames {
		return h, nil, fmt.Errorf("read FLAC file: it has %d frames; at most %d are unpacked", h.Frames, MostFrames)
	}
	stream, err := openStream(src, size, h)
	if err != nil {
		return h, nil, err
	}
	full := float32(int64(1) << (h.Bits - 1))
	for {
		block, err := stream.block()
		if errors.Is(err, io.EOF) {
			return h, frames, nil
		}
		if err != nil {
			return h, nil, err
		}
		for n := range block[0] {
			for _, samples := range block[:min(2, h.Channels)] {
				frames = append(frames, float32(samples[n])/full)
			}
		}
		if len(frames) > 2*MostFrames {
			return h, nil, fmt.Errorf("read FLAC file: it has more than %d frames", MostFrames)
		}
	}
}

// stream unpacks a file block by block.
type stream struct {
	from     *flac.Stream
	channels int
}

func openStream(src io.ReaderAt, size int64, h Header) (*stream, error) {
	from, err := flac.New(bufio.NewReaderSize(io.NewSectionReader(src, 0, size), 1<<16))
	if err != nil {
		return nil, fmt.Errorf("read FLAC file: %w", err)
	}
	return &stream{from, h.Channels}, nil
}

// block is the next: for each channel its samples. io.EOF is at the end.
func (s *stream) block() ([][]int32, error) {
	f, err := s.from.ParseNext()
	if errors.Is(err, io.EOF) {
		return nil, io.EOF
	}
	if err != nil {
		return nil, fmt.Errorf("read FLAC file: %w", err)
	}
	out := make([][]int32, s.channels)
	for c := range out {
		if c >= len(f.Subframes) || len(f.Subframes[c].Samples) < int(f.BlockSize) {
			return nil, errors.New("read FLAC file: a frame has fewer channels than the file")
		}
		out[c] = f.Subframes[c].Samples[:f.BlockSize]
	}
	return out, nil
}

// Reader unpacks a file from its beginning to its end, piece by piece.
type Reader struct {
	Header
	stream *stream
	left   [][]int32
	full   float64
}

// Open prepares to unpack a file of the given size in bytes. The error says what is wrong with
// it.
func Open(src io.ReaderAt, size int64) (*Reader, error) {
	h, err := Read(src, size)
	if err != nil {
		return nil, err
	}
	s, err := openStream(src, size, h)
	if err != nil {
		return nil, err
	}
	return &Reader{Header: h, stream: s, full: float64(int64(1) << (h.Bits - 1))}, nil
}

// Read unpacks the next frames, a slice for each channel, full scale 1; io.EOF at the end.
func (r *Reader) Read(into [][]float64) (n int, err error) {
	defer func() {
		if x := recover(); x != nil { // the reader beneath trusts its input
			n, err = 0, fmt.Errorf("read FLAC file: it is damaged (%v)", x)
		}
	}()
	if len(into) != r.Channels {
		return 0, fmt.Errorf("read FLAC file: it has %d channels, not %d", r.Channels, len(into))
	}
	for len(r.left) == 0 || len(r.left[0]) == 0 {
		if r.left, err = r.stream.block(); err != nil {
			return 0, err
		}
	}
	n = min(len(into[0]), len(r.left[0]))
	for c, x := range r.left {
		for k, v := range x[:n] {
			into[c][k] = float64(v) / r.full
		}
		r.left[c] = x[n:]
	}
	return n, nil
}
