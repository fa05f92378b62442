package app

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/share"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// PrintWave is a file of a print as it is drawn: audit.WaveFrames says how.
func (a *App) PrintWave(ctx context.Context, p Person, id uuid.UUID, number int) ([]byte, error) {
	x, err := a.Print(ctx, p, id)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(x.Files, func(f db.PrintFile) bool { return int(f.Number) == number })
	if at < 0 || a.audio == nil {
		return nil, store.ErrNotFound
	}
	wave, err := a.audio.Wave(ctx, p.Studio.String(), x.Files[at].Sha256)
	if errors.Is(err, audiostore.ErrNotFound) {
		return nil, store.ErrNotFound
	}
	return wave, err
}

// mostHeardFrames bounds a piece of sound that is heard.
const mostHeardFrames = 10 * 96_000

// PrintSound is a piece of some files of a print added up, as it is heard: two channels in turn,
// 32-bit floating point, the lowest byte first. The piece ends where the longest file ends.
func (a *App) PrintSound(ctx context.Context, p Person, id uuid.UUID, numbers []int, from int64, frames int) ([]byte, error) {
	x, err := a.Print(ctx, p, id)
	if err != nil {
		return nil, err
	}
	if frames < 1 || frames > mostHeardFrames || from < 0 || a.audio == nil {
		return nil, refused("", "1 to %d frames are heard at once", mostHeardFrames)
	}
	var out [2][]float64
	var mu sync.Mutex
	var failed error
	long := 0
	for c := range out {
		out[c] = make([]float64, frames)
	}
	var wanted []db.PrintFile
	for _, f := range x.Files {
		if slices.Contains(numbers, int(f.Number)) {
			wanted = append(wanted, f)
		}
	}
	share.Out(len(wanted), func(n int) {
		part, err := a.partOf(ctx, p.Studio, wanted[n].Sha256, from, frames)
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			failed = fmt.Errorf("%s: %w", wanted[n].Path, err)
			return
		}
		long = max(long, len(part[0]))
		for c := range out {
			for k, v := range part[min(c, len(part)-1)] {
				out[c][k] += v
			}
		}
	})
	if failed != nil {
		return nil, failed
	}
	data := make([]byte, 0, 8*long)
	for k := range long {
		for c := range out {
			data = binary.LittleEndian.AppendUint32(data, math.Float32bits(float32(out[c][k])))
		}
	}
	return data, nil
}

// partOf is a piece of a file, a slice for each channel.
func (a *App) partOf(ctx context.Context, studio uuid.UUID, digest string, from int64, frames int) ([][]float64, error) {
	src, err := a.audio.Audio(ctx, studio.String(), digest)
	if err != nil {
		return nil, err
	}
	s, err := soundfile.Open(src, src.Bytes)
	if err != nil {
		return nil, err
	}
	into := make([][]float64, s.Channels)
	for c := range into {
		into[c] = make([]float64, frames)
	}
	n, err := s.ReadAt(into, from)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	for c := range into {
		into[c] = into[c][:n]
	}
	return into, nil
}

// PrintedFile is a file of a print, to be read from any place.
type PrintedFile struct {
	*io.SectionReader
	Name      string
	MediaType string
	At        time.Time
}

// PrintFile opens a file of a print.
func (a *App) PrintFile(ctx context.Context, p Person, id uuid.UUID, number int) (PrintedFile, error) {
	x, err := a.Print(ctx, p, id)
	if err != nil {
		return PrintedFile{}, err
	}
	at := slices.IndexFunc(x.Files, func(f db.PrintFile) bool { return int(f.Number) == number })
	if at < 0 || a.audio == nil {
		return PrintedFile{}, store.ErrNotFound
	}
	f := x.Files[at]
	return a.printedFile(ctx, p.Studio, f.Path, f.Sha256, x.Made)
}

func (a *App) printedFile(ctx context.Context, studio uuid.UUID, name, digest string, made time.Time) (PrintedFile, error) {
	src, err := a.audio.Audio(ctx, studio.String(), digest)
	if errors.Is(err, audiostore.ErrNotFound) {
		return PrintedFile{}, store.ErrNotFound
	}
	if err != nil {
		return PrintedFile{}, err
	}
	kind := "audio/wav"
	if strings.HasSuffix(strings.ToLower(name), ".flac") {
		kind = "audio/flac"
	}
	return PrintedFile{io.NewSectionReader(src, 0, src.Bytes), path.Base(name), kind, made}, nil
}
