package render

import (
	"errors"
	"fmt"
	"io"

	"fanfold/internal/core/dsp"
)

// Recording plays what a row sounded before, in its place.
type Recording struct {
	read   func(into [][]float64, from int64) (int, error)
	sides  [][]float64
	at     int64 // the next frame of the file; before 0 is silence
	frames int64
	err    error
}

// Recorded is a file of sound, read from any place.
type Recorded struct {
	Channels int
	RateHz   int
	Frames   int64
	ReadAt   func(into [][]float64, from int64) (int, error)
}

// NewRecording plays a file at a rate, Hz, from a place on, s; before 0 it is silent. One of another
// rate is taken to it whole, in memory.
func NewRecording(f Recorded, from float64, rateHz float64) (*Recording, error) {
	if f.Channels < 1 {
		return nil, errors.New("its recording has no channels")
	}
	r := &Recording{read: f.ReadAt, frames: f.Frames}
	if float64(f.RateHz) != rateHz {
		whole := make([][]float64, f.Channels)
		for c := range whole {
			whole[c] = make([]float64, f.Frames)
		}
		n, err := f.ReadAt(whole, 0)
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("read its recording: %w", err)
		}
		for c := range whole {
			whole[c] = dsp.Resample(whole[c][:n], float64(f.RateHz), rateHz)
		}
		r.frames = int64(len(whole[0]))
		r.read = func(into [][]float64, from int64) (int, error) {
			for c := range into {
				copy(into[c], whole[c][from:])
			}
			return min(len(into[0]), len(whole[0])-int(from)), nil
		}
	}
	r.at = int64(from*rateHz + .5)
	if from < 0 {
		r.at = -int64(-from*rateHz + .5)
	}
	r.sides = make([][]float64, f.Channels)
	for c := range r.sides {
		r.sides[c] = make([]float64, Frames)
	}
	return r, nil
}

// Render implements Playing.
func (r *Recording) Render(b *Block) (quiet bool) {
	at := r.at
	r.at += Frames
	if r.err != nil || at >= r.frames || r.at <= 0 {
		return true
	}
	skip := int(max(0, -at))
	part := make([][]float64, len(r.sides))
	for c := range part {
		clear(r.sides[c])
		part[c] = r.sides[c][skip:int(min(Frames, r.frames-at))]
	}
	n, err := r.read(part, max(0, at))
	if err != nil && !errors.Is(err, io.EOF) {
		r.err = fmt.Errorf("read its recording: %w", err)
		return true
	}
	quiet = true
	for c := range b {
		for k, v := range r.sides[min(c, len(r.sides)-1)][skip : skip+n] {
			if v != 0 {
				b[c][skip+k] += v
				quiet = false
			}
		}
	}
	return quiet
}

// Count implements Playing: no voice sounds.
func (r *Recording) Count() Count { return Count{} }

// Err is what went wrong in reading; nil for nothing.
func (r *Recording) Err() error { return r.err }
