package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"sync"

	"fanfold/internal/effect"
	"fanfold/internal/format/soundfile"
)

// mostImpulseBytes bounds a recording that a convolution plays: half a minute of 24-bit stereo
// at 192 kHz.
const mostImpulseBytes = 40 << 20

// impulses keeps the recordings that convolutions play, unpacked.
type impulses struct {
	mu    sync.Mutex
	known map[string]impulse
	order []string // the oldest first
}

type impulse struct {
	channels [][]float64
	rateHz   float64
}

// mostImpulses is how many are kept.
const mostImpulses = 8

// effectOptions are what effects need of a studio: its recordings, the rate of what they run
// on, Hz, and how long a quarter lasts, s.
func (a *App) effectOptions(ctx context.Context, p Person, rateHz, quarterS float64) effect.Options {
	return effect.Options{RateHz: rateHz, QuarterS: quarterS, Audio: func(digest string) ([][]float64, float64, error) {
		x, err := a.impulse(ctx, p, digest)
		return x.channels, x.rateHz, err
	}}
}

func (a *App) impulse(ctx context.Context, p Person, digest string) (impulse, error) {
	key := p.Studio.String() + digest
	a.impulses.mu.Lock()
	x, is := a.impulses.known[key]
	a.impulses.mu.Unlock()
	if is {
		return x, nil
	}
	r, err := a.store.RecordingOpen(ctx, p.Studio, digest)
	if err != nil {
		return x, fmt.Errorf("its recording is not kept here; choose the file: %w", err)
	}
	data, err := io.ReadAll(io.LimitReader(r, mostImpulseBytes+1))
	if err != nil {
		return x, fmt.Errorf("read its recording: %w", err)
	}
	if len(data) > mostImpulseBytes {
		return x, fmt.Errorf("its recording is larger than %d MiB", mostImpulseBytes>>20)
	}
	if x, err = decoded(data); err != nil {
		return x, err
	}
	a.impulses.mu.Lock()
	defer a.impulses.mu.Unlock()
	if a.impulses.known == nil {
		a.impulses.known = map[string]impulse{}
	}
	if _, is := a.impulses.known[key]; !is {
		a.impulses.order = append(a.impulses.order, key)
	}
	a.impulses.known[key] = x
	if len(a.impulses.order) > mostImpulses {
		delete(a.impulses.known, a.impulses.order[0])
		a.impulses.order = a.impulses.order[1:]
	}
	return x, nil
}

// decoded unpacks a WAV or FLAC file: its first two channels.
func decoded(data []byte) (x impulse, err error) {
	s, err := soundfile.Open(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return x, err
	}
	x.rateHz, x.channels = float64(s.RateHz), make([][]float64, s.Channels)
	piece := make([][]float64, s.Channels)
	for c := range piece {
		piece[c] = make([]float64, pieceFrames)
	}
	for {
		n, err := s.Read(piece)
		for c := range piece {
			x.channels[c] = append(x.channels[c], piece[c][:n]...)
		}
		switch {
		case errors.Is(err, io.EOF):
			x.channels = x.channels[:min(2, len(x.channels))]
			return x, nil
		case err != nil:
			return x, err
		}
	}
}

// pieceFrames is how much is unpacked at a time.
const pieceFrames = 4096
