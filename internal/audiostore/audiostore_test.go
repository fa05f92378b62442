package audiostore_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/require"

	"fanfold/internal/audiostore"
)

// stores are an audio store of each kind: a folder, and a small server that speaks S3.
func stores(t *testing.T) map[string]*audiostore.Store {
	t.Helper()
	t.Setenv("AWS_ACCESS_KEY_ID", "made-up")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "made-up")
	backend := s3mem.New()
	require.NoError(t, backend.CreateBucket("stems"))
	server := httptest.NewServer(gofakes3.New(backend).Server())
	t.Cleanup(server.Close)
	out := map[string]*audiostore.Store{}
	for name, at := range map[string]string{"folder": filepath.Join(t.TempDir(), "audio"), "S3": bucket(server.URL)} {
		s, err := audiostore.Open(context.Background(), at)
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, s.Close()) })
		out[name] = s
	}
	return out
}

func bucket(server string) string {
	return "s3://stems?region=us-east-1&use_path_style=true&endpoint=" + url.QueryEscape(server)
}

// Audio is kept once, by what it is, read from any place, and gone when it is deleted; another
// studio does not see it.
func TestAudioIsKept(t *testing.T) {
	for name, s := range stores(t) {
		t.Run(name, func(t *testing.T) {
			ctx := context.Background()
			data := make([]byte, 3_500_000)
			random := rand.NewChaCha8([32]byte{1})
			_, _ = random.Read(data)
			kept, err := s.Keep(ctx, "studio", bytes.NewReader(data))
			require.NoError(t, err)
			again, err := s.Keep(ctx, "studio", bytes.NewReader(data))
			require.NoError(t, err)
			require.Equal(t, kept, again)
			require.EqualValues(t, len(data), kept.Bytes)
			a, err := s.Audio(ctx, "studio", kept.Digest)
			require.NoError(t, err)
			require.EqualValues(t, len(data), a.Bytes)
			for _, at := range []int{0, 1_200_000, 7, 3_499_990, 1_048_570} {
				part := make([]byte, 100)
				n, err := a.ReadAt(part, int64(at))
				if at+100 > len(data) {
					require.ErrorIs(t, err, io.EOF)
				} else {
					require.NoError(t, err)
				}
				require.Equal(t, data[at:min(len(data), at+100)], part[:n])
			}
			whole, err := io.ReadAll(io.NewSectionReader(a, 0, a.Bytes))
			require.NoError(t, err)
			require.True(t, bytes.Equal(data, whole))
			_, err = s.Audio(ctx, "another", kept.Digest)
			require.ErrorIs(t, err, audiostore.ErrNotFound)
			_, err = s.Wave(ctx, "studio", kept.Digest)
			require.ErrorIs(t, err, audiostore.ErrNotFound)
			require.NoError(t, s.KeepWave(ctx, "studio", kept.Digest, []byte{1, 2}))
			wave, err := s.Wave(ctx, "studio", kept.Digest)
			require.NoError(t, err)
			require.Equal(t, []byte{1, 2}, wave)
			require.NoError(t, s.Delete(ctx, "studio", kept.Digest))
			require.NoError(t, s.Delete(ctx, "studio", kept.Digest))
			_, err = s.Audio(ctx, "studio", kept.Digest)
			require.ErrorIs(t, err, audiostore.ErrNotFound)
		})
	}
}

// failing is read once, and fails near its end when it is read again.
type failing struct {
	from  *bytes.Reader
	times int
}

func (f *failing) Read(p []byte) (int, error) {
	if f.times > 1 && f.from.Len() < 50_000 {
		return 0, errors.New("the disk is gone")
	}
	return f.from.Read(p)
}

func (f *failing) Seek(to int64, whence int) (int64, error) {
	f.times++
	return f.from.Seek(to, whence)
}

// What cannot be read whole is not kept, nor a part of it.
func TestWhatFailsIsNotThere(t *testing.T) {
	dir := t.TempDir()
	s, err := audiostore.Open(context.Background(), dir)
	require.NoError(t, err)
	require.Equal(t, dir, s.Folder())
	_, err = s.Keep(context.Background(), "studio", &failing{from: bytes.NewReader(make([]byte, 100_000))})
	require.ErrorContains(t, err, "the disk is gone")
	require.NoError(t, filepath.WalkDir(dir, func(_ string, d os.DirEntry, err error) error {
		require.False(t, err == nil && !d.IsDir(), "nothing lies there")
		return err
	}))
	require.NoError(t, s.Close())
}

// A store that does not answer is told, with its place and without its secrets, and who asks can
// give up.
func TestAStoreThatDoesNotAnswer(t *testing.T) {
	t.Setenv("AWS_ACCESS_KEY_ID", "made-up")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "made-up")
	open := make(chan struct{})
	silent := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		select {
		case <-open:
		case <-r.Context().Done():
		}
	}))
	t.Cleanup(silent.Close)
	t.Cleanup(func() { close(open) })
	s, err := audiostore.Open(context.Background(), bucket(silent.URL))
	require.NoError(t, err)
	require.Empty(t, s.Folder(), "it lies elsewhere")
	ctx, stop := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer stop()
	_, err = s.Audio(ctx, "studio", "abcdef")
	require.ErrorContains(t, err, "the audio store at s3://stems")
	require.NotContains(t, err.Error(), "made-up")

	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	gone := "http://" + l.Addr().String()
	require.NoError(t, l.Close())
	s, err = audiostore.Open(context.Background(), bucket(gone))
	require.NoError(t, err)
	ctx, stop = context.WithTimeout(context.Background(), 20*time.Second)
	defer stop()
	_, err = s.Audio(ctx, "studio", "abcdef")
	require.ErrorContains(t, err, "ask the audio store")
	_, err = audiostore.Open(context.Background(), "nowhere://x")
	require.ErrorContains(t, err, "open the audio store at nowhere://x")
}
