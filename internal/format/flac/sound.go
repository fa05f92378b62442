package flac

import (
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
	stream, err := flac.New(io.NewSectionReader(src, 0, size))
	if err != nil {
		return h, nil, fmt.Errorf("read FLAC file: %w", err)
	}
	full := float32(int64(1) << (h.Bits - 1))
	for {
		f, err := stream.ParseNext()
		if errors.Is(err, io.EOF) {
			return h, frames, nil
		}
		if err != nil {
			return h, nil, fmt.Errorf("read FLAC file: %w", err)
		}
		for n := range int(f.BlockSize) {
			for c := range min(2, h.Channels) {
				if c >= len(f.Subframes) || n >= len(f.Subframes[c].Samples) {
					return h, nil, errors.New("read FLAC file: a frame has fewer channels than the file")
				}
				frames = append(frames, float32(f.Subframes[c].Samples[n])/full)
			}
		}
		if len(frames) > 2*MostFrames {
			return h, nil, fmt.Errorf("read FLAC file: it has more than %d frames", MostFrames)
		}
	}
}
