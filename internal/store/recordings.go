package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

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
	defer func() { _ = errors.Join(spool.Close(), os.Remove(spool.Name())) }() // of no more use
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
	err = s.Tx(ctx, func(tx pgx.Tx) error { return recordingInsert(ctx, s.q.WithTx(tx), studio, digest, spool, size) })
	if err != nil && !errors.Is(err, errKept) {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	return digest, nil
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
	if _, err := s.q.RecordingsCollect(ctx, time.Now().Add(-idle)); err != nil {
		return fmt.Errorf("delete recordings that nothing plays: %w", err)
	}
	return nil
}

func recordingInsert(ctx context.Context, q *db.Queries, studio uuid.UUID, digest string, from io.ReaderAt, size int64) error {
	id := uuid.New()
	rows, err := q.RecordingInsert(ctx, db.RecordingInsertParams{ID: id, StudioID: studio, Sha256: digest, Bytes: size})
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

	ctx   context.Context
	q     *db.Queries
	id    uuid.UUID
	at    int64  // where to read next
	part  int64  // which one is at hand
	bytes []byte // of the part; nil when none is at hand
}

// RecordingOpen opens the audio file of a studio by its SHA-256; ErrNotFound
// when the studio does not keep it. It is read while the context lasts.
func (s *Store) RecordingOpen(ctx context.Context, studio uuid.UUID, digest string) (*Recording, error) {
	row, err := s.q.RecordingFind(ctx, db.RecordingFindParams{StudioID: studio, Sha256: digest})
	if err != nil {
		return nil, NotFound(err)
	}
	return &Recording{Bytes: row.Bytes, At: row.CreatedAt, ctx: ctx, q: s.q, id: row.ID}, nil
}

// Read implements io.Reader.
func (r *Recording) Read(p []byte) (int, error) {
	if r.at >= r.Bytes {
		return 0, io.EOF
	}
	if part := r.at / recordingPart; r.bytes == nil || part != r.part {
		data, err := r.q.RecordingPart(r.ctx, db.RecordingPartParams{RecordingID: r.id, Part: int32(part)})
		if err != nil {
			return 0, fmt.Errorf("read a recording: %w", err)
		}
		r.part, r.bytes = part, data
	}
	from := r.at % recordingPart
	if from >= int64(len(r.bytes)) {
		return 0, io.ErrUnexpectedEOF
	}
	n := copy(p, r.bytes[from:])
	r.at += int64(n)
	return n, nil
}

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
