package store_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/audiostore"
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
			if n >= 0 { // else it has only begun to come
				require.EqualValues(t, size, n)
			}
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

// Recordings that lie in the database move to the audio store, but for music, which stays: they
// come back byte for byte before, in the middle of it and after. One that is damaged stays. What is
// kept from then on lies there at once, and goes when nothing has it.
func TestRecordingsMove(t *testing.T) {
	s := storetest.Open(t)
	mine := studio(t, s)
	keep := func(data []byte) string {
		digest, err := s.RecordingKeep(ctx, mine, bytes.NewReader(data), func([]byte, int64) error { return nil })
		require.NoError(t, err)
		return digest
	}
	files := map[string][]byte{}
	for n, head := range []string{"RIFF", "fLaC", "RF64", "MThd"} {
		data := append([]byte(head), anyBytes(1<<20+n)...)
		files[keep(data)] = data
	}
	damaged := keep(append([]byte("RIFF"), anyBytes(100)...))
	_, err := s.Pool.Exec(ctx, "update recording_parts set data = 'RIFF other' where recording_id = (select id from recordings where sha256 = $1)", damaged)
	require.NoError(t, err)
	whole := func() {
		t.Helper()
		for digest, data := range files {
			r, err := s.RecordingOpen(ctx, mine, digest)
			require.NoError(t, err)
			require.NoError(t, iotest.TestReader(r, data))
		}
	}
	dir := t.TempDir()
	audio, err := audiostore.Open(ctx, dir)
	require.NoError(t, err)
	defer audio.Close()
	s.KeepAudioIn(audio)
	whole()
	none, cancel := context.WithCancel(ctx)
	cancel()
	_, err = s.RecordingsMove(none)
	require.Error(t, err)
	whole()
	moved, err := s.RecordingsMove(ctx)
	require.NoError(t, err)
	require.Equal(t, 3, moved)
	whole()
	var rows int
	require.NoError(t, s.Pool.QueryRow(ctx, "select count(distinct recording_id) from recording_parts").Scan(&rows))
	require.Equal(t, 2, rows, "the music, and the damaged one")
	moved, err = s.RecordingsMove(ctx)
	require.NoError(t, err)
	require.Zero(t, moved)

	late := append([]byte("fLaC"), anyBytes(5000)...)
	digest := keep(late)
	files[digest] = late
	whole()
	require.Equal(t, 4, audioFiles(t, dir))
	require.NoError(t, s.RecordingsCollect(ctx, -time.Hour))
	require.False(t, s.RecordingKept(ctx, mine, digest))
	require.Zero(t, audioFiles(t, dir))
}

func audioFiles(t *testing.T, dir string) (n int) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && !strings.HasSuffix(name, ".attrs") {
			n++
		}
		return err
	}))
	return n
}

// An upload that is cut off, or is not a recording, leaves nothing behind.
func TestACutOffRecordingLeavesNothing(t *testing.T) {
	s := storetest.Open(t)
	mine := studio(t, s)
	data := anyBytes(3 << 20)
	cut := io.MultiReader(bytes.NewReader(data), iotest.ErrReader(fmt.Errorf("the line is cut: %w", io.ErrUnexpectedEOF)))
	_, err := s.RecordingKeep(ctx, mine, cut, func([]byte, int64) error { return nil })
	require.ErrorContains(t, err, "the line is cut")
	_, err = s.RecordingKeep(ctx, mine, bytes.NewReader(data), func([]byte, int64) error { return errors.New("it is not audio") })
	require.ErrorContains(t, err, "it is not audio")
	taken := 0
	_, err = s.RecordingKeep(ctx, mine, io.TeeReader(bytes.NewReader(data), counter(&taken)), func(_ []byte, size int64) error { return fmt.Errorf("%d", size) })
	require.ErrorContains(t, err, "-1")
	require.LessOrEqual(t, taken, 1<<20, "no more is read than tells what it is")
	var rows int
	require.NoError(t, s.Pool.QueryRow(ctx, "select (select count(*) from recordings) + (select count(*) from recording_parts)").Scan(&rows))
	require.Zero(t, rows)
}

type counted struct{ n *int }

func (c counted) Write(p []byte) (int, error) { *c.n += len(p); return len(p), nil }

func counter(n *int) io.Writer { return counted{n} }

// A recording that nothing plays is let go of after its while, and not before; one that a
// document plays, or may play since it does not say, stays.
func TestIdleRecordingsAreCollected(t *testing.T) {
	s := storetest.Open(t)
	mine := studio(t, s)
	keep := func(text string) string {
		digest, err := s.RecordingKeep(ctx, mine, strings.NewReader(text), func([]byte, int64) error { return nil })
		require.NoError(t, err)
		return digest
	}
	played, idle := keep("played"), keep("idle")
	document := func(about string) uuid.UUID {
		var id uuid.UUID
		require.NoError(t, s.Pool.QueryRow(ctx, "insert into documents (studio_id, name, kind, about) values ($1, 'T', 'template', $2) returning id", mine, about).Scan(&id))
		return id
	}
	tells := document(`{"audio": ["` + played + `"]}`)
	silent := document(`{}`)
	require.NoError(t, s.RecordingsCollect(ctx, -time.Hour))
	require.True(t, s.RecordingKept(ctx, mine, idle), "one document does not say what it plays")
	_, err := s.Pool.Exec(ctx, "delete from documents where id = $1", silent)
	require.NoError(t, err)
	require.NoError(t, s.RecordingsCollect(ctx, time.Hour))
	require.True(t, s.RecordingKept(ctx, mine, idle), "it has been idle for a moment only")
	require.NoError(t, s.RecordingsCollect(ctx, -time.Hour))
	require.False(t, s.RecordingKept(ctx, mine, idle))
	require.True(t, s.RecordingKept(ctx, mine, played))
	row, err := s.Queries().RecordingsTaken(ctx, mine)
	require.NoError(t, err)
	require.EqualValues(t, 6, row.Bytes)

	require.NoError(t, s.RecordingsCollect(ctx, time.Hour))
	_, err = s.Pool.Exec(ctx, `update documents set about = '{"audio": []}' where id = $1`, tells)
	require.NoError(t, err)
	require.NoError(t, s.RecordingsCollect(ctx, time.Hour))
	_, err = s.Pool.Exec(ctx, `update documents set about = $2 where id = $1`, tells, `{"audio": ["`+played+`"]}`)
	require.NoError(t, err)
	require.NoError(t, s.RecordingsCollect(ctx, -time.Hour))
	require.True(t, s.RecordingKept(ctx, mine, played), "what is played again is idle no more")
}

func studio(t *testing.T, s *store.Store) uuid.UUID {
	t.Helper()
	row, err := s.Queries().StudioInsert(ctx, "A studio")
	require.NoError(t, err)
	return row.ID
}
