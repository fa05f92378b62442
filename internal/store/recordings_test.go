package store_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"testing"
	"testing/iotest"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/store"
	"fanfold/internal/store/storetest"
)

func anyBytes(n int) []byte {
	out := make([]byte, n)
	r := rand.NewChaCha8([32]byte{byte(n)})
	_, _ = r.Read(out) // never fails
	return out
}

// A recording comes back byte for byte, from any place in it, whatever its
// size; another studio has nothing of it.
func TestRecordingsComeBack(t *testing.T) {
	s := storetest.Open(t)
	mine, theirs := studio(t, s), studio(t, s)
	for _, size := range []int{1, 1<<20 - 1, 1 << 20, 1<<20 + 1, 5<<20/2 + 17} {
		data := anyBytes(size)
		want := sha256.Sum256(data)
		check := func(head []byte, n int64) error {
			require.EqualValues(t, size, n)
			require.Equal(t, data[:min(size, 1<<20)], head)
			return nil
		}
		digest, err := s.RecordingKeep(ctx, mine, bytes.NewReader(data), check)
		require.NoError(t, err)
		require.Equal(t, hex.EncodeToString(want[:]), digest)
		again, err := s.RecordingKeep(ctx, mine, iotest.HalfReader(bytes.NewReader(data)), check)
		require.NoError(t, err, "kept twice, it is one")
		require.Equal(t, digest, again)

		r, err := s.RecordingOpen(ctx, mine, digest)
		require.NoError(t, err)
		require.NoError(t, iotest.TestReader(r, data))
		_, err = s.RecordingOpen(ctx, theirs, digest)
		require.ErrorIs(t, err, store.ErrNotFound)
		_, err = s.RecordingKeep(ctx, theirs, bytes.NewReader(data), check)
		require.NoError(t, err, "each studio keeps its own")
	}
}

// An upload that is cut off, or is no recording, leaves nothing behind.
func TestACutOffRecordingLeavesNothing(t *testing.T) {
	s := storetest.Open(t)
	mine := studio(t, s)
	data := anyBytes(3 << 20)
	cut := io.MultiReader(bytes.NewReader(data), iotest.ErrReader(fmt.Errorf("the line is cut: %w", io.ErrUnexpectedEOF)))
	_, err := s.RecordingKeep(ctx, mine, cut, func([]byte, int64) error { return nil })
	require.ErrorContains(t, err, "the line is cut")
	_, err = s.RecordingKeep(ctx, mine, bytes.NewReader(data), func([]byte, int64) error { return errors.New("it is no audio") })
	require.ErrorContains(t, err, "it is no audio")
	var rows int
	require.NoError(t, s.Pool.QueryRow(ctx, "select (select count(*) from recordings) + (select count(*) from recording_parts)").Scan(&rows))
	require.Zero(t, rows)
}

func studio(t *testing.T, s *store.Store) uuid.UUID {
	t.Helper()
	row, err := s.Queries().StudioInsert(ctx, "A studio")
	require.NoError(t, err)
	return row.ID
}
