package sampler

import (
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"fanfold/internal/core/template"
	"fanfold/internal/format/flac"
)

// File is where a patch lies.
type File struct {
	Place  string // tells folders of one name apart, so that samples of one file are held once
	Folder fs.FS
	Source template.Source
	Mics   []string // microphone positions that are heard, by name; empty for all
}

// Open opens a patch: an SFZ file, or a preset of a SoundFont.
func Open(store *Store, f File) (*Patch, error) {
	switch ext := strings.ToLower(path.Ext(f.Source.File)); ext {
	case ".sfz":
		return openSFZ(store, f)
	case ".sf2":
		return openSF2(store, f)
	default:
		return nil, fmt.Errorf("%s cannot be played: it is neither an SFZ file nor a SoundFont", f.Source.File)
	}
}

// openSound opens a sample by what its name says it is.
func openSound(folder fs.FS, name string) (*Sample, error) {
	if strings.EqualFold(path.Ext(name), ".flac") {
		return openFLAC(folder, name)
	}
	return openWAV(folder, name)
}

// openFLAC opens a FLAC file: it is unpacked whole into memory, since places in it cannot
// be read by themselves.
func openFLAC(folder fs.FS, name string) (*Sample, error) {
	x := &Sample{Name: name}
	err := withFile(folder, name, func(src io.ReaderAt, size int64) error {
		h, frames, err := flac.Sound(src, size)
		if err != nil {
			return err
		}
		x.RateHz, x.Channels, x.Frames, x.head = float64(h.RateHz), min(2, h.Channels), int64(len(frames))/int64(min(2, h.Channels)), frames
		if x.Frames == 0 || h.RateHz < 1000 {
			return fmt.Errorf("it has %d frames at %d Hz, which cannot be played", x.Frames, h.RateHz)
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return x, nil
}
