package flac

import (
	"errors"
	"fmt"
	"io"
	"math"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"
)

// blockFrames is how many samples of each channel a frame of a file has.
const blockFrames = 4096

// Encode writes sound as a FLAC file, to its end: of one or two channels, of 16 or 24 bits. Read
// gives the next samples, full scale 1, a slice for each channel, and io.EOF at the end; what is
// beyond full scale is cut. A file of as many bits comes back to the bit.
func Encode(w io.Writer, h Header, read func(into [][]float64) (int, error)) error {
	if h.Channels < 1 || h.Channels > 2 || h.Bits != 16 && h.Bits != 24 || h.RateHz < 1 {
		return fmt.Errorf("write FLAC file: %d channels of %d bits at %d Hz cannot be written", h.Channels, h.Bits, h.RateHz)
	}
	enc, err := flac.NewEncoder(plain{w}, &meta.StreamInfo{
		BlockSizeMin: blockFrames, BlockSizeMax: blockFrames, SampleRate: uint32(h.RateHz), NChannels: uint8(h.Channels), BitsPerSample: uint8(h.Bits), NSamples: uint64(h.Frames),
	})
	if err != nil {
		return fmt.Errorf("write FLAC file: %w", err)
	}
	sound := make([][]float64, h.Channels)
	for c := range sound {
		sound[c] = make([]float64, blockFrames)
	}
	for number := uint64(0); ; number++ {
		n, err := fill(sound, read)
		if err != nil {
			return err
		}
		if n == 0 {
			return nil
		}
		if err := enc.WriteFrame(frameOf(h, sound, n, number)); err != nil {
			return fmt.Errorf("write FLAC file: %w", err)
		}
		if n < blockFrames {
			return nil
		}
	}
}

// plain hides that a writer can seek or close: the head says all from the start.
type plain struct{ io.Writer }

// fill reads a whole block, or what there is.
func fill(sound [][]float64, read func(into [][]float64) (int, error)) (n int, err error) {
	part := make([][]float64, len(sound))
	for n < blockFrames {
		for c := range part {
			part[c] = sound[c][n:]
		}
		k, err := read(part)
		n += k
		if errors.Is(err, io.EOF) || err == nil && k == 0 {
			break
		}
		if err != nil {
			return n, err
		}
	}
	return n, nil
}

func frameOf(h Header, sound [][]float64, n int, number uint64) *frame.Frame {
	f := &frame.Frame{Header: frame.Header{
		HasFixedBlockSize: true, BlockSize: uint16(n), SampleRate: uint32(h.RateHz), Channels: frame.ChannelsMono, BitsPerSample: uint8(h.Bits), Num: number,
	}}
	if h.Channels == 2 {
		f.Channels = frame.ChannelsLR
	}
	full := math.Exp2(float64(h.Bits - 1))
	for _, x := range sound {
		s := &frame.Subframe{SubHeader: frame.SubHeader{Pred: frame.PredVerbatim}, Samples: make([]int32, n), NSamples: n}
		for k, v := range x[:n] {
			s.Samples[k] = int32(max(-full, min(full-1, math.Round(v*full))))
		}
		f.Subframes = append(f.Subframes, s)
	}
	return f
}
