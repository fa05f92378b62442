package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
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
// Before it is kept, check is shown how it begins, at most 1 MiB, and its size,
// bytes; with an error of it nothing is kept.
func (s *Store) RecordingKeep(ctx context.Context, studio uuid.UUID, r io.Reader, check func(head []byte, size int64) error) (digest string, err error) {
	sum, id := sha256.New(), uuid.New()
	var head []byte
	size := int64(0)
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		var part bytes.Buffer
		for n, ended := int32(0), false; !ended; n++ {
			part.Reset()
			got, err := io.CopyN(&part, r, recordingPart)
			if ended = errors.Is(err, io.EOF); err != nil && !ended {
				return err
			}
			sum.Write(part.Bytes())
			if size += got; n == 0 {
				head = bytes.Clone(part.Bytes())
			}
			if got == 0 {
				break
			}
			if err := q.RecordingPartInsert(ctx, db.RecordingPartInsertParams{RecordingID: id, Part: n, Data: part.Bytes()}); err != nil {
				return err
			}
		}
		if err := check(head, size); err != nil {
			return err
		}
		digest = hex.EncodeToString(sum.Sum(nil))
		rows, err := q.RecordingInsert(ctx, db.RecordingInsertParams{ID: id, StudioID: studio, Sha256: digest, Bytes: size})
		if err == nil && rows == 0 {
			return errKept
		}
		return err
	})
	if err != nil && !errors.Is(err, errKept) {
		return "", fmt.Errorf("keep a recording: %w", err)
	}
	return digest, nil
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
