package app

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"fanfold/internal/core/cue"
	"fanfold/internal/format/movie"
	"fanfold/internal/store"
)

// MoviesIn is what a folder that may be scanned has of films.
type MoviesIn struct {
	Roots   []string `json:"roots"` // folders that may be looked into, with what is in them
	Folders []string `json:"folders"`
	Movies  []Movie  `json:"movies"`
}

// Movie is a file with a picture.
type Movie struct {
	Name string  `json:"name"`
	MiB  float64 `json:"mib"`
}

// isMovie tells by its name whether a file is read as a film.
func isMovie(name string) bool {
	return slices.Contains(movie.Names, strings.ToLower(filepath.Ext(name)))
}

// Movies lists the films of a folder that may be scanned; an empty name tells only which may be.
func (a *App) Movies(folder string) (MoviesIn, error) {
	out := MoviesIn{Roots: a.ScanRoots(), Folders: []string{}, Movies: []Movie{}}
	if folder == "" {
		return out, nil
	}
	dir, err := a.scanFolder(folder)
	if err != nil {
		return out, err
	}
	defer func() { _ = dir.Close() }() // only read
	entries, err := fs.ReadDir(dir.FS(), ".")
	if err != nil {
		return out, refused("", "%s can not be read: %s", folder, err)
	}
	for _, e := range entries {
		switch info, err := e.Info(); {
		case err != nil: // it went away in the meantime
		case e.IsDir() && len(out.Folders) < mostFolders:
			out.Folders = append(out.Folders, e.Name())
		case !e.IsDir() && isMovie(e.Name()) && len(out.Movies) < mostFolders:
			out.Movies = append(out.Movies, Movie{e.Name(), float64(info.Size()) / (1 << 20)})
		}
	}
	return out, nil
}

// openMovie opens a film on a folder that may be scanned.
func (a *App) openMovie(folder, file string) (*os.File, fs.FileInfo, error) {
	if !isMovie(file) {
		return nil, nil, refused("", "%s is no film; choose a file that ends in %s", file, strings.Join(movie.Names, ", "))
	}
	dir, err := a.scanFolder(folder)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = dir.Close() }() // an open file stays open
	f, err := dir.Open(file)
	if err != nil {
		return nil, nil, refused("", "%s can not be opened in %s; was it moved?", file, folder)
	}
	info, err := f.Stat()
	if err != nil || !info.Mode().IsRegular() {
		_ = f.Close() // only looked at
		return nil, nil, refused("", "%s is no file", file)
	}
	return f, info, nil
}

// ChooseFilm gives a reel of a cut its film: its header is read, and kept with it. Begin is the
// frame on which its first stands; nil is as its timecode says.
func (f *Film) ChooseFilm(ctx context.Context, p Person, cut, reel cue.ID, folder, file string, begin *int64) (int64, error) {
	src, info, err := f.app.openMovie(folder, file)
	if err != nil {
		return 0, err
	}
	footage, err := movie.Read(src, info.Size())
	_ = src.Close() // only read
	if err != nil {
		return 0, refused("", "%s: %s", file, err)
	}
	return f.withFilm(ctx, p, cut, reel, &cue.Film{Folder: folder, File: file, Begin: begin, Footage: footage})
}

// RemoveFilm takes the film of a reel of a cut away. The file stays.
func (f *Film) RemoveFilm(ctx context.Context, p Person, cut, reel cue.ID) (int64, error) {
	return f.withFilm(ctx, p, cut, reel, nil)
}

func (f *Film) withFilm(ctx context.Context, p Person, cut, reel cue.ID, film *cue.Film) (int64, error) {
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		c, r := now.CutOf(cut), now.Reel(reel)
		if c == nil || r == nil {
			return cue.Change{}, refused("", "the cut or the reel is no longer there")
		}
		return c.WithFilm(r, film), nil
	})
}

// PlayedFilm is a film to be played from any place.
type PlayedFilm struct {
	io.ReadSeekCloser
	Name    string
	Changed time.Time
}

// PlayFilm opens the film of a reel in a cut; store.ErrNotFound when it has none.
func (f *Film) PlayFilm(cut, reel cue.ID) (PlayedFilm, error) {
	c := f.View().Production.CutOf(cut)
	if c == nil || c.Films[reel] == nil {
		return PlayedFilm{}, store.ErrNotFound
	}
	film := c.Films[reel]
	src, info, err := f.app.openMovie(film.Folder, film.File)
	if err != nil {
		return PlayedFilm{}, err
	}
	return PlayedFilm{src, film.File, info.ModTime()}, nil
}

// KeepMusic keeps the music of a cue: a MIDI or MusicXML file, by which is known who plays in it.
func (f *Film) KeepMusic(ctx context.Context, p Person, id cue.ID, name string, r io.Reader) (int64, error) {
	data, err := io.ReadAll(io.LimitReader(r, MostMusicBytes+1))
	if err != nil {
		return 0, fmt.Errorf("read the music: %w", err)
	}
	if len(data) > MostMusicBytes {
		return 0, refused("", "%s is larger than %d MiB; give the MIDI or MusicXML file of the cue", name, MostMusicBytes>>20)
	}
	cat, err := f.app.Catalogue(ctx, p)
	if err != nil {
		return 0, err
	}
	words, err := cat.Vocabulary(ctx, p)
	if err != nil {
		return 0, err
	}
	piece, err := ReadPiece(ctx, bytes.NewReader(data), words)
	if err != nil {
		return 0, err
	}
	notes := 0
	for _, x := range piece.Parts {
		notes += len(x.Part.Notes)
	}
	if notes == 0 {
		return 0, refused("", "%s has no notes", name)
	}
	if _, err := f.app.roomForRecordings(ctx, p, int64(len(data))); err != nil {
		return 0, err
	}
	digest, err := f.app.store.RecordingKeep(ctx, p.Studio, bytes.NewReader(data), func([]byte, int64) error { return nil })
	if err != nil {
		return 0, err
	}
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		c := now.Cue(id)
		if c == nil {
			return cue.Change{}, refused("", "the cue is no longer there")
		}
		music := cue.Music{File: name, Digest: digest, Parts: len(piece.Parts), Notes: notes, On: time.Now().Format(time.DateOnly)}
		return cue.Change{Label: fmt.Sprintf("The music of %s: %s", c.Called(), name), Ops: []cue.Op{cue.Setting(cue.OfCue, id, "music", music)}}, nil
	})
}

// MostMusicBytes bounds a file of music.
const MostMusicBytes = 32 << 20

// MusicOf opens the music that a cue keeps; store.ErrNotFound when it keeps none.
func (f *Film) MusicOf(ctx context.Context, p Person, id cue.ID) ([]byte, string, error) {
	c := f.View().Production.Cue(id)
	if c == nil || c.Music == nil {
		return nil, "", store.ErrNotFound
	}
	r, err := f.app.store.RecordingOpen(ctx, p.Studio, c.Music.Digest)
	if err != nil {
		return nil, "", err
	}
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, "", fmt.Errorf("read the music: %w", err)
	}
	return data, c.Music.File, nil
}
