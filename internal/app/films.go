package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
	"fanfold/internal/format"
	"fanfold/internal/format/dawproject"
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
		return out, refused("", "%s cannot be read: %s", folder, err)
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
		return nil, nil, refused("", "%s is not a film; choose a file that ends in %s", file, strings.Join(movie.Names, ", "))
	}
	dir, err := a.scanFolder(folder)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = dir.Close() }() // an open file stays open
	f, err := dir.Open(file)
	if err != nil {
		return nil, nil, refused("", "%s cannot be opened in %s; was it moved?", file, folder)
	}
	info, err := f.Stat()
	if err != nil || !info.Mode().IsRegular() {
		_ = f.Close() // only looked at
		return nil, nil, refused("", "%s is not a file", file)
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
	music, err := f.app.KeepPiece(ctx, p, name, r)
	if err != nil {
		return 0, err
	}
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		c := now.Cue(id)
		if c == nil {
			return cue.Change{}, refused("", "the cue is no longer there")
		}
		music.Cut = now.Cut
		return cue.Change{Label: fmt.Sprintf("The music of %s: %s", c.Called(), name), Ops: []cue.Op{cue.Setting(cue.OfCue, id, "music", music)}}, nil
	})
}

// KeepPiece keeps a MIDI or MusicXML file as recordings are kept, and tells of it.
func (a *App) KeepPiece(ctx context.Context, p Person, name string, r io.Reader) (cue.Music, error) {
	data, err := io.ReadAll(io.LimitReader(r, MostMusicBytes+1))
	if err != nil {
		return cue.Music{}, fmt.Errorf("read the music: %w", err)
	}
	if len(data) > MostMusicBytes {
		return cue.Music{}, refused("", "%s is larger than %d MiB; give the MIDI or MusicXML file of the cue, or its session without recordings", name, MostMusicBytes>>20)
	}
	if dawproject.Is(data) { // its notes are kept, not what else is in it
		if data, err = musicOfSession(ctx, data); err != nil {
			return cue.Music{}, err
		}
		name = strings.TrimSuffix(name, path.Ext(name)) + ".mid"
	}
	piece, err := a.piece(ctx, p, data)
	if err != nil {
		return cue.Music{}, err
	}
	if _, err := a.roomForRecordings(ctx, p, int64(len(data))); err != nil {
		return cue.Music{}, err
	}
	music := cue.Music{File: name, Parts: len(piece.Parts), On: time.Now().Format(time.DateOnly)}
	last := int64(0)
	for _, x := range piece.Parts {
		music.Notes += len(x.Part.Notes)
		for _, n := range x.Part.Notes {
			last = max(last, n.End)
		}
	}
	if music.Notes == 0 {
		return music, refused("", "%s has no notes", name)
	}
	music.BarMs = cue.BarsOf(piece.Parts[0].Time, last)
	music.Digest, err = a.store.RecordingKeep(ctx, p.Studio, bytes.NewReader(data), func([]byte, int64) error { return nil })
	return music, err
}

// unkept refuses a change that gives a cue music which the studio does not keep.
func (f *Film) unkept(ctx context.Context, p Person, c cue.Change) error {
	for _, op := range c.Ops {
		var with struct {
			Music *cue.Music `json:"music"`
		}
		if op.Kind != cue.OfCue {
			continue
		}
		data := op.Add
		if set, ok := op.Set["music"]; ok {
			data = fmt.Appendf(nil, `{"music":%s}`, set)
		}
		if len(data) == 0 || json.Unmarshal(data, &with) != nil || with.Music == nil { // what is wrong with it is reported when it is applied
			continue
		}
		if !f.app.store.RecordingKept(ctx, p.Studio, with.Music.Digest) {
			return refused("", "%s is not kept here; give the file", with.Music.File)
		}
	}
	return nil
}

// piece reads a piece by the studio's words for articulations.
func (a *App) piece(ctx context.Context, p Person, data []byte) (Piece, error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return Piece{}, err
	}
	words, err := cat.Vocabulary(ctx, p)
	if err != nil {
		return Piece{}, err
	}
	return ReadPiece(ctx, bytes.NewReader(data), words)
}

// TakeMusicTime gives a cue the tempo and the metre of the music that it keeps.
func (f *Film) TakeMusicTime(ctx context.Context, p Person, id cue.ID) (int64, error) {
	data, name, err := f.MusicOf(ctx, p, id)
	if err != nil {
		return 0, err
	}
	piece, err := f.app.piece(ctx, p, data)
	if err != nil {
		return 0, err
	}
	if len(piece.Parts) == 0 {
		return 0, refused("", "%s has no notes", name)
	}
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		c := now.Cue(id)
		if c == nil {
			return cue.Change{}, refused("", "the cue is no longer there")
		}
		return c.WithTimeOf(piece.Parts[0].Time)
	})
}

// cutMusic is the music of cues as it is after a cut.
type cutMusic struct {
	was   string // its digest before
	edits cue.TickEdits
	music cue.Music
}

// cutMusics edits the music of the cues that a change alters inside, and keeps it. Music that is no
// MIDI file cannot be edited: it stays as it was, and is a mark.
func (f *Film) cutMusics(ctx context.Context, p Person, before *cue.Production, c cue.Change) (map[cue.ID]cutMusic, error) {
	after, _, err := cue.Apply(before, c)
	if err != nil {
		return nil, err
	}
	out := map[cue.ID]cutMusic{}
	for _, now := range after.Cues {
		was := before.Cue(now.ID)
		if was == now || !now.MusicIsBefore(after.Cut) {
			continue
		}
		data, _, err := f.musicOf(ctx, p, now)
		if errors.Is(err, store.ErrNotFound) {
			continue // it is kept no longer
		}
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		if _, err := format.WriteRecut(&b, bytes.NewReader(data), now); err != nil {
			continue
		}
		music, err := f.app.KeepPiece(ctx, p, now.Music.File, &b)
		var no *change.Refused
		if errors.As(err, &no) {
			continue // nothing is left of it
		}
		if err != nil {
			return nil, err
		}
		music.On, music.Cut = now.Music.On, after.Cut
		x := cutMusic{was: now.Music.Digest, edits: now.Edits, music: music}
		out[now.ID] = x
	}
	return out, nil
}

// withMusic adds the edited music to a change that is made now. Where something else came between,
// the music stays as it was, and is a mark.
func withMusic(now *cue.Production, c cue.Change, musics map[cue.ID]cutMusic) (cue.Change, error) {
	after, _, err := cue.Apply(now, c)
	if err != nil {
		return c, err
	}
	for _, x := range after.Cues {
		if m, ok := musics[x.ID]; ok && x.Music != nil && x.Music.Digest == m.was && slices.Equal(x.Edits, m.edits) {
			c.Ops = append(c.Ops, cue.Setting(cue.OfCue, x.ID, "music", m.music))
		}
	}
	return c, nil
}

// MostMusicBytes bounds a file of music.
const MostMusicBytes = 32 << 20

// MusicOf opens the music that a cue keeps; store.ErrNotFound when it keeps none.
func (f *Film) MusicOf(ctx context.Context, p Person, id cue.ID) ([]byte, string, error) {
	c := f.View().Production.Cue(id)
	if c == nil || c.Music == nil {
		return nil, "", store.ErrNotFound
	}
	return f.musicOf(ctx, p, c)
}

func (f *Film) musicOf(ctx context.Context, p Person, c *cue.Cue) ([]byte, string, error) {
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
