package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"fanfold/internal/audiostore"
	"fanfold/internal/store/db"
)

// recordingPart is how many bytes of a recording one row holds.
const recordingPart = 1 << 20

// errKept ends a transaction that would write a file a second time.
var errKept = errors.New("it is kept already")

// RecordingKeep writes an audio file whole or not at all, and returns its
// SHA-256 in hexadecimal. A file the studio keeps already is not written again.
// Check is shown how it begins, at most 1 MiB, twice: with the size -1 as soon as that
// much has come, and with its size, bytes, before it is kept; with an error of it
// nothing is kept, and nothing more is read. The file is read to its end before
// the database is asked for anything, however slowly it comes.
func (s *Store) RecordingKeep(ctx context.Context, studio uuid.UUID, r io.Reader, check func(head []byte, size int64) error) (digest string, err error) {
	spool, err := os.CreateTemp("", "fanfold-recording-")
	if err != nil {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	defer func() { _ = errors.Join(spool.Close(), os.Remove(spool.Name())) }() // no longer needed
	head := make([]byte, recordingPart)
	n, err := io.ReadFull(r, head)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	head = head[:n]
	if err := check(head, -1); err != nil {
		return "", err
	}
	sum := sha256.New()
	size, err := io.Copy(io.MultiWriter(spool, sum), io.MultiReader(bytes.NewReader(head), r))
	if err != nil {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	if err := check(head, size); err != nil {
		return "", err
	}
	digest = hex.EncodeToString(sum.Sum(nil))
	if s.audio != nil && isAudio(head) {
		return s.RecordingInAudio(ctx, studio, spool)
	}
	place := placeDatabase
	if isAudio(head) {
		place = placeNew // until there is an audio store
	}
	err = s.Tx(ctx, func(tx pgx.Tx) error { return recordingInsert(ctx, s.q.WithTx(tx), studio, digest, spool, size, place) })
	if err != nil && !errors.Is(err, errKept) {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	return digest, nil
}

// Where recordings lie.
const (
	placeNew      = "new"      // in the database; nobody has looked whether it moves
	placeDatabase = "database" // where it stays
	placeAudio    = "audio"    // in the audio store
)

// KeepAudioIn has audio lie in an audio store from now on. It is called before the store is used.
func (s *Store) KeepAudioIn(a *audiostore.Store) { s.audio = a }

// isAudio tells whether a file begins as audio; others are small, and stay in the database.
func isAudio(head []byte) bool {
	return bytes.HasPrefix(head, []byte("fLaC")) || bytes.HasPrefix(head, []byte("RIFF")) || bytes.HasPrefix(head, []byte("RF64"))
}

// RecordingInAudio keeps audio as a recording, in the audio store; it gives its SHA-256.
func (s *Store) RecordingInAudio(ctx context.Context, studio uuid.UUID, from io.ReadSeeker) (digest string, err error) {
	kept, err := s.audio.Keep(ctx, studio.String(), from)
	if err == nil {
		_, err = s.q.RecordingInsert(ctx, db.RecordingInsertParams{ID: uuid.New(), StudioID: studio, Sha256: kept.Digest, Bytes: kept.Bytes, Place: placeAudio})
	}
	if err != nil {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	return kept.Digest, nil
}

// RecordingsMove moves recordings that still lie in the database to the audio store, one after the
// other, and tells how many it moved. It can end at any time: one that is moved half is whole in
// the database, and is moved again.
func (s *Store) RecordingsMove(ctx context.Context) (moved int, err error) {
	if s.audio == nil {
		return 0, nil
	}
	for {
		row, err := s.q.RecordingToMove(ctx)
		if errors.Is(err, pgx.ErrNoRows) {
			return moved, nil
		}
		if err != nil {
			return moved, fmt.Errorf("look for recordings to move: %w", err)
		}
		is, err := s.recordingMove(ctx, row)
		if err != nil {
			return moved, fmt.Errorf("move a recording: %w", err)
		}
		if is {
			moved++
		}
	}
}

func (s *Store) recordingMove(ctx context.Context, row db.Recording) (moved bool, err error) {
	r := &Recording{Bytes: row.Bytes, ctx: ctx, from: &parts{ctx: ctx, q: s.q, id: row.ID, bytes: row.Bytes}}
	head := make([]byte, 4)
	if _, err := io.ReadFull(r, head); err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return false, err
	}
	if !isAudio(head) {
		_, err := s.q.RecordingPlaced(ctx, db.RecordingPlacedParams{ID: row.ID, Place: placeDatabase})
		return false, err
	}
	kept, err := s.audio.Keep(ctx, row.StudioID.String(), r)
	if damaged := errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, pgx.ErrNoRows); err != nil && !damaged {
		return false, err
	}
	if kept.Digest != row.Sha256 {
		slog.Error("a recording is damaged in the database, and stays there", "sha256", row.Sha256)
		_, err := s.q.RecordingPlaced(ctx, db.RecordingPlacedParams{ID: row.ID, Place: placeDatabase})
		if err == nil && kept.Digest != "" {
			err = s.AudioForget(ctx, row.StudioID, kept.Digest)
		}
		return false, err
	}
	return true, s.Tx(ctx, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		n, err := q.RecordingPlaced(ctx, db.RecordingPlacedParams{ID: row.ID, Place: placeAudio})
		if err != nil || n == 0 {
			return err // another server was sooner
		}
		return q.RecordingPartsDelete(ctx, row.ID)
	})
}

// RecordingKept tells whether a studio keeps an audio file, by its SHA-256.
func (s *Store) RecordingKept(ctx context.Context, studio uuid.UUID, digest string) bool {
	_, err := s.q.RecordingFind(ctx, db.RecordingFindParams{StudioID: studio, Sha256: digest})
	return err == nil
}

// RecordingsCollect deletes recordings that nothing has played for so long.
func (s *Store) RecordingsCollect(ctx context.Context, idle time.Duration) error {
	if err := s.q.RecordingsIdle(ctx); err != nil {
		return fmt.Errorf("look for recordings that nothing plays: %w", err)
	}
	gone, err := s.q.RecordingsCollect(ctx, time.Now().Add(-idle))
	if err != nil {
		return fmt.Errorf("delete recordings that nothing plays: %w", err)
	}
	for _, x := range gone {
		if x.Place == placeAudio && s.audio != nil {
			if err := s.AudioForget(ctx, x.StudioID, x.Sha256); err != nil {
				return err
			}
		}
	}
	return nil
}

// AudioForget deletes audio of a studio that no print and no recording has any more.
func (s *Store) AudioForget(ctx context.Context, studio uuid.UUID, digest string) error {
	kept, err := s.q.AudioKept(ctx, db.AudioKeptParams{Sha256: digest, StudioID: studio})
	if err != nil {
		return fmt.Errorf("look whether audio is still wanted: %w", err)
	}
	if kept || s.audio == nil {
		return nil
	}
	return s.audio.Delete(ctx, studio.String(), digest)
}

func recordingInsert(ctx context.Context, q *db.Queries, studio uuid.UUID, digest string, from io.ReaderAt, size int64, place string) error {
	id := uuid.New()
	rows, err := q.RecordingInsert(ctx, db.RecordingInsertParams{ID: id, StudioID: studio, Sha256: digest, Bytes: size, Place: place})
	if err == nil && rows == 0 {
		return errKept
	}
	part := make([]byte, recordingPart)
	for n := int32(0); err == nil && int64(n)*recordingPart < size; n++ {
		got, failed := from.ReadAt(part, int64(n)*recordingPart)
		if failed != nil && !errors.Is(failed, io.EOF) {
			return failed
		}
		err = q.RecordingPartInsert(ctx, db.RecordingPartInsertParams{RecordingID: id, Part: n, Data: part[:got]})
	}
	return err
}

// Recording is a kept audio file, to be read from any place.
type Recording struct {
	Bytes int64
	At    time.Time // when it was kept

	ctx  context.Context
	from io.ReaderAt
	at   int64 // where to read next
}

// RecordingOpen opens the audio file of a studio by its SHA-256; ErrNotFound
// when the studio does not keep it. It is read while the context lasts.
func (s *Store) RecordingOpen(ctx context.Context, studio uuid.UUID, digest string) (*Recording, error) {
	row, err := s.q.RecordingFind(ctx, db.RecordingFindParams{StudioID: studio, Sha256: digest})
	if err != nil {
		return nil, NotFound(err)
	}
	r := &Recording{Bytes: row.Bytes, At: row.CreatedAt, ctx: ctx}
	if row.Place != placeAudio {
		r.from = &parts{ctx: ctx, q: s.q, id: row.ID, bytes: row.Bytes}
		return r, nil
	}
	if s.audio == nil {
		return nil, errors.New("it lies in an audio store, which this server does not have; start it with --audio")
	}
	src, err := s.audio.Audio(ctx, studio.String(), digest)
	if errors.Is(err, audiostore.ErrNotFound) {
		return nil, ErrNotFound
	}
	r.from = src
	return r, err
}

// Read implements io.Reader.
func (r *Recording) Read(p []byte) (int, error) {
	n, err := r.ReadAt(p, r.at)
	r.at += int64(n)
	if n > 0 && errors.Is(err, io.EOF) {
		err = nil
	}
	return n, err
}

// ReadAt implements io.ReaderAt; not from several places at once.
func (r *Recording) ReadAt(p []byte, at int64) (int, error) { return r.from.ReadAt(p, at) }

// Seek implements io.Seeker.
func (r *Recording) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += r.at
	case io.SeekEnd:
		offset += r.Bytes
	}
	if offset < 0 {
		return r.at, errors.New("seek before the beginning of a recording")
	}
	r.at = offset
	return offset, nil
}

// parts reads a recording that lies in the database.
type parts struct {
	ctx   context.Context
	q     *db.Queries
	id    uuid.UUID
	bytes int64
	part  int64  // which one is at hand
	data  []byte // of it; nil when none is
}

// ReadAt implements io.ReaderAt; not from several places at once.
func (r *parts) ReadAt(p []byte, at int64) (n int, err error) {
	for n < len(p) {
		if at+int64(n) >= r.bytes {
			return n, io.EOF
		}
		if part := (at + int64(n)) / recordingPart; r.data == nil || part != r.part {
			data, err := r.q.RecordingPart(r.ctx, db.RecordingPartParams{RecordingID: r.id, Part: int32(part)})
			if err != nil {
				return n, fmt.Errorf("read a recording: %w", err)
			}
			r.part, r.data = part, data
		}
		from := (at + int64(n)) % recordingPart
		if from >= int64(len(r.data)) {
			return n, io.ErrUnexpectedEOF
		}
		n += copy(p[n:], r.data[from:])
	}
	return n, nil
}
