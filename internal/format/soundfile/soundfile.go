// Package soundfile reads a sound file of any kind that Fanfold reads, from its beginning to
// its end: WAV and FLAC, and two files of one channel as one of two. A file goes in; what it
// says about itself, and its samples piece by piece, come out.
package soundfile

import (
	"errors"
	"fmt"
	"io"

	"fanfold/internal/format/flac"
	"fanfold/internal/format/wav"
)

// Sound is a file that is read.
type Sound struct {
	Channels int
	RateHz   int
	Bits     int
	Floating bool
	Frames   int64
	Lost     int64          // bytes that its header promises and that are not there
	Says     *wav.Broadcast // nil for a file that is none of broadcast
	// Read reads the next frames, a slice for each channel, full scale 1; io.EOF at the end.
	Read func(into [][]float64) (int, error)
	// ReadAt reads frames from a place on; of a FLAC file by unpacking what is before it.
	ReadAt func(into [][]float64, from int64) (int, error)
}

// NotSaid stands for a start that a file does not say.
const NotSaid = -1

// Begin is where it begins, samples since midnight; NotSaid when it does not say.
func (s *Sound) Begin() int64 {
	if s.Says == nil {
		return NotSaid
	}
	return s.Says.Begin
}

// Endings are those of the names of files that are read.
var Endings = []string{".wav", ".bwf", ".rf64", ".flac"}

// Open reads the header of a file of the given size in bytes. The error says what is wrong with
// it.
func Open(src io.ReaderAt, size int64) (*Sound, error) {
	mark := make([]byte, 4)
	if n, err := src.ReadAt(mark, 0); n < len(mark) {
		if err == nil || errors.Is(err, io.EOF) {
			return nil, errors.New("it is empty")
		}
		return nil, err
	}
	if string(mark) == "fLaC" {
		r, err := flac.Open(src, size)
		if err != nil {
			return nil, err
		}
		s := &Sound{Channels: r.Channels, RateHz: r.RateHz, Bits: r.Bits, Frames: r.Frames, Read: r.Read}
		s.ReadAt = s.skipTo
		return s, nil
	}
	w, err := wav.Open(src, size)
	if err != nil {
		return nil, err
	}
	at := int64(0)
	return &Sound{
		Channels: w.Channels, RateHz: w.RateHz, Bits: w.Bits, Floating: w.Floating, Frames: w.Frames, Lost: w.Lost, Says: w.Says,
		Read: func(into [][]float64) (int, error) {
			n, err := w.ReadAt(into, at)
			at += int64(n)
			return n, err
		},
		ReadAt: w.ReadAt,
	}, nil
}

// skipTo reads from a place on, which is behind where it is read.
func (s *Sound) skipTo(into [][]float64, from int64) (int, error) {
	part := make([][]float64, s.Channels)
	for at := int64(0); at < from; {
		for c := range part {
			part[c] = into[c][:min(int64(len(into[c])), from-at)]
		}
		n, err := s.Read(part)
		if err != nil {
			return 0, err
		}
		at += int64(n)
	}
	done := 0
	for done < len(into[0]) {
		for c := range part {
			part[c] = into[c][done:]
		}
		n, err := s.Read(part)
		if err != nil {
			if done > 0 && errors.Is(err, io.EOF) {
				return done, nil
			}
			return done, err
		}
		done += n
	}
	return done, nil
}

// Join makes one sound of two channels out of two of one, left and right.
func Join(left, right *Sound) (*Sound, error) {
	switch {
	case left.Channels != 1 || right.Channels != 1:
		return nil, errors.New("only files of one channel make a pair")
	case left.RateHz != right.RateHz:
		return nil, fmt.Errorf("the left is at %d Hz, the right at %d", left.RateHz, right.RateHz)
	}
	out := *left
	out.Channels, out.Frames, out.Lost = 2, max(left.Frames, right.Frames), left.Lost+right.Lost
	if out.Says == nil {
		out.Says = right.Says
	}
	out.Read = func(into [][]float64) (int, error) {
		if len(into) != 2 {
			return 0, fmt.Errorf("it has 2 channels, not %d", len(into))
		}
		n, err := fill(left, into[0])
		if err != nil {
			return 0, err
		}
		m, err := fill(right, into[1])
		if err != nil {
			return 0, err
		}
		long := max(n, m)
		clear(into[0][n:long])
		clear(into[1][m:long])
		if long == 0 {
			return 0, io.EOF
		}
		return long, nil
	}
	return &out, nil
}

// fill reads as many frames of one channel as there are, up to the length of into.
func fill(s *Sound, into []float64) (n int, err error) {
	for n < len(into) {
		k, err := s.Read([][]float64{into[n:]})
		if errors.Is(err, io.EOF) || err == nil && k == 0 {
			break
		}
		if err != nil {
			return n, err
		}
		n += k
	}
	return n, nil
}
