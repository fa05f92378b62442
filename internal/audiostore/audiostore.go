// Package audiostore keeps audio: in a folder, or in storage that speaks S3, by a URL. Files go
// in, each once for a studio, by its SHA-256; they are read again from any place. What the
// database says of them is not its matter.
package audiostore

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"gocloud.dev/blob"
	_ "gocloud.dev/blob/fileblob" // folders
	_ "gocloud.dev/blob/s3blob"   // storage that speaks S3
	"gocloud.dev/gcerrors"
)

// ErrNotFound is the error of audio that is not kept.
var ErrNotFound = errors.New("the audio is not in the audio store")

// Store is an audio store.
type Store struct {
	bucket *blob.Bucket
	url    string
}

// The time that the store may take to answer, and to take or give a piece.
const (
	answerWithin = 15 * time.Second
	openWithin   = 30 * time.Second
	finishWithin = 5 * time.Minute // and to finish a file that it has all of
)

// FolderURL is the URL of a folder.
func FolderURL(dir string) (string, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	return "file://" + filepath.ToSlash(abs) + "?create_dir=true&no_tmp_dir=true&metadata=skip", nil
}

// Open opens the store at a URL: file:///folder, or s3://bucket with the parameters that the
// storage needs. A name without a scheme is a folder.
func Open(ctx context.Context, url string) (*Store, error) {
	if !strings.Contains(url, "://") {
		var err error
		if url, err = FolderURL(url); err != nil {
			return nil, err
		}
	}
	within, stop := context.WithTimeout(ctx, openWithin)
	defer stop()
	bucket, err := blob.OpenBucket(within, url)
	if err != nil {
		return nil, fmt.Errorf("open the audio store at %s: %w", shown(url), err)
	}
	return &Store{bucket, url}, nil
}

// shown is a URL without what is secret in it.
func shown(url string) string {
	plain, _, _ := strings.Cut(url, "?")
	return plain
}

// Close gives the store back. A nil store has nothing to give back.
func (s *Store) Close() error {
	if s == nil {
		return nil
	}
	return s.bucket.Close()
}

// Kept is audio that is kept.
type Kept struct {
	Digest string // its SHA-256, in hexadecimal
	Bytes  int64
}

func key(studio, digest string) string { return studio + "/" + digest[:2] + "/" + digest }

// Keep writes a file whole or not at all. One that is kept already is not written again.
func (s *Store) Keep(ctx context.Context, studio string, from io.ReadSeeker) (Kept, error) {
	sum := sha256.New()
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return Kept{}, err
	}
	size, err := io.Copy(sum, from)
	if err != nil {
		return Kept{}, fmt.Errorf("read the audio: %w", err)
	}
	k := Kept{hex.EncodeToString(sum.Sum(nil)), size}
	there, err := s.there(ctx, key(studio, k.Digest), size)
	if err != nil || there {
		return k, err
	}
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return k, err
	}
	ctx, giveUp := context.WithCancel(ctx)
	defer giveUp() // what is not closed is not there
	w, err := s.bucket.NewWriter(ctx, key(studio, k.Digest), &blob.WriterOptions{ContentType: "application/octet-stream", DisableContentTypeDetection: true})
	if err != nil {
		return k, s.failed("write to", err)
	}
	stalled := time.AfterFunc(openWithin, giveUp)
	defer stalled.Stop()
	if _, err := io.Copy(w, &watched{from, func() { stalled.Reset(openWithin) }}); err != nil {
		giveUp()
		_ = w.Close() // it was given up
		return k, s.failed("write to", err)
	}
	stalled.Reset(finishWithin)
	if err := w.Close(); err != nil {
		return k, s.failed("write to", err)
	}
	return k, nil
}

// watched tells of every piece that is taken from a reader.
type watched struct {
	from io.Reader
	tell func()
}

func (w *watched) Read(p []byte) (int, error) {
	w.tell()
	return w.from.Read(p)
}

// Folder is where the store lies on this machine; empty where it lies elsewhere.
func (s *Store) Folder() string {
	if u, err := url.Parse(s.url); err == nil && u.Scheme == "file" {
		return filepath.FromSlash(u.Path)
	}
	return ""
}

func (s *Store) there(ctx context.Context, name string, size int64) (bool, error) {
	ctx, stop := context.WithTimeout(ctx, answerWithin)
	defer stop()
	is, err := s.bucket.Attributes(ctx, name)
	switch {
	case err == nil:
		return is.Size == size, nil
	case gcerrors.Code(err) == gcerrors.NotFound:
		return false, nil
	}
	return false, s.failed("ask", err)
}

// Probe writes a small file and deletes it again, which shows that the store can be used.
func (s *Store) Probe(ctx context.Context) error {
	ctx, stop := context.WithTimeout(ctx, answerWithin)
	defer stop()
	const name = ".probe"
	if err := s.bucket.WriteAll(ctx, name, []byte("probe"), nil); err != nil {
		return s.failed("write to", err)
	}
	if err := s.bucket.Delete(ctx, name); err != nil {
		return s.failed("delete from", err)
	}
	return nil
}

func (s *Store) failed(do string, err error) error {
	if gcerrors.Code(err) == gcerrors.NotFound {
		return ErrNotFound
	}
	return fmt.Errorf("%s the audio store at %s: %w", do, shown(s.url), err)
}

// Audio is a file that is kept, read from any place.
type Audio struct {
	Bytes int64
	s     *Store
	ctx   context.Context
	name  string
	at    int64
	piece []byte // that was read last
}

// pieceBytes is how much is read at once.
const pieceBytes = 1 << 20

// Audio opens a file by its SHA-256; ErrNotFound when it is not kept. It is read while the
// context lasts, by one at a time.
func (s *Store) Audio(ctx context.Context, studio, digest string) (*Audio, error) {
	if len(digest) < 2 {
		return nil, ErrNotFound
	}
	within, stop := context.WithTimeout(ctx, answerWithin)
	defer stop()
	is, err := s.bucket.Attributes(within, key(studio, digest))
	if err != nil {
		return nil, s.failed("ask", err)
	}
	return &Audio{Bytes: is.Size, s: s, ctx: ctx, name: key(studio, digest)}, nil
}

// ReadAt implements io.ReaderAt. What is near to what was read last does not ask again.
func (a *Audio) ReadAt(p []byte, at int64) (n int, err error) {
	for n < len(p) {
		if at >= a.Bytes {
			return n, io.EOF
		}
		if at < a.at || at >= a.at+int64(len(a.piece)) {
			if err := a.fetch(at, int64(len(p)-n)); err != nil {
				return n, err
			}
		}
		k := copy(p[n:], a.piece[at-a.at:])
		n += k
		at += int64(k)
	}
	return n, nil
}

func (a *Audio) fetch(at, want int64) error {
	want = min(max(want, pieceBytes), a.Bytes-at)
	ctx, stop := context.WithTimeout(a.ctx, openWithin)
	defer stop()
	r, err := a.s.bucket.NewRangeReader(ctx, a.name, at, want, nil)
	if err != nil {
		return a.s.failed("read from", err)
	}
	defer func() { _ = r.Close() }() // only read
	if int64(cap(a.piece)) < want {
		a.piece = make([]byte, want)
	}
	a.piece, a.at = a.piece[:want], at
	if _, err := io.ReadFull(r, a.piece); err != nil {
		a.piece = a.piece[:0]
		return a.s.failed("read from", err)
	}
	return nil
}

// waveEnding ends the names of drawn audio.
const waveEnding = ".wave"

// mostWaveBytes bounds what is read of one.
const mostWaveBytes = 64 << 20

// KeepWave keeps audio as it is drawn.
func (s *Store) KeepWave(ctx context.Context, studio, digest string, wave []byte) error {
	ctx, stop := context.WithTimeout(ctx, openWithin)
	defer stop()
	if err := s.bucket.WriteAll(ctx, key(studio, digest)+waveEnding, wave, nil); err != nil {
		return s.failed("write to", err)
	}
	return nil
}

// Wave is audio as it is drawn; ErrNotFound where it was not yet.
func (s *Store) Wave(ctx context.Context, studio, digest string) ([]byte, error) {
	if len(digest) < 2 {
		return nil, ErrNotFound
	}
	ctx, stop := context.WithTimeout(ctx, openWithin)
	defer stop()
	r, err := s.bucket.NewReader(ctx, key(studio, digest)+waveEnding, nil)
	if err != nil {
		return nil, s.failed("read from", err)
	}
	defer func() { _ = r.Close() }() // only read
	return io.ReadAll(io.LimitReader(r, mostWaveBytes))
}

// Delete deletes audio and how it is drawn; what is not there is not an error.
func (s *Store) Delete(ctx context.Context, studio, digest string) error {
	ctx, stop := context.WithTimeout(ctx, answerWithin)
	defer stop()
	for _, name := range []string{key(studio, digest), key(studio, digest) + waveEnding} {
		if err := s.bucket.Delete(ctx, name); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
			return s.failed("delete in", err)
		}
	}
	return nil
}

// DeleteAll deletes all audio of a studio.
func (s *Store) DeleteAll(ctx context.Context, studio string) error {
	list := s.bucket.List(&blob.ListOptions{Prefix: studio + "/"})
	for {
		within, stop := context.WithTimeout(ctx, openWithin)
		o, err := list.Next(within)
		if err == nil {
			err = s.bucket.Delete(within, o.Key)
		}
		stop()
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil && gcerrors.Code(err) != gcerrors.NotFound:
			return s.failed("delete in", err)
		}
	}
}

// Spool is a file in the temporary folder of this machine, that goes when it is closed.
type Spool struct{ *os.File }

// NewSpool makes one.
func NewSpool() (Spool, error) {
	f, err := os.CreateTemp("", "fanfold-audio-")
	return Spool{f}, err
}

// Close closes and deletes it.
func (s Spool) Close() error { return errors.Join(s.File.Close(), os.Remove(s.Name())) }
