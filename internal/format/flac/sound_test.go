package flac_test

import (
	"bytes"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/flac"
	"fanfold/internal/format/wav"
)

// packed makes a FLAC file of sound with sox (Debian's package of that name).
func packed(t testing.TB, channels int, sound []int16) []byte {
	t.Helper()
	dir := t.TempDir()
	in, out := filepath.Join(dir, "a.wav"), filepath.Join(dir, "a.flac")
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, 44_100, channels, sound))
	require.NoError(t, os.WriteFile(in, b.Bytes(), 0o600))
	said, err := exec.Command("sox", in, out).CombinedOutput()
	require.NoError(t, err, string(said))
	data, err := os.ReadFile(out)
	require.NoError(t, err)
	return data
}

// What sox packs is unpacked to the same samples, of one channel and of two.
func TestSound(t *testing.T) {
	for channels := 1; channels <= 2; channels++ {
		sound := make([]int16, 30_000)
		for n := range sound {
			sound[n] = int16(9000*math.Sin(float64(n)/50) + float64(n*31%700))
		}
		data := packed(t, channels, sound)
		h, frames, err := flac.Sound(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		require.Equal(t, [3]int{channels, 44_100, 16}, [3]int{h.Channels, h.RateHz, h.Bits})
		require.Len(t, frames, len(sound))
		for n, x := range sound {
			require.Equal(t, float32(x)/32768, frames[n])
		}
		_, _, err = flac.Sound(bytes.NewReader(data[:len(data)/2]), int64(len(data)/2))
		require.ErrorContains(t, err, "read FLAC file")
	}
}

// A damaged file is an error, never more memory than its sound may take.
func FuzzSound(f *testing.F) {
	f.Add(packed(f, 2, make([]int16, 2000)))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<20 {
			return
		}
		if _, frames, err := flac.Sound(bytes.NewReader(data), int64(len(data))); err == nil {
			require.LessOrEqual(t, len(frames), 2*flac.MostFrames+2*65_536)
		}
	})
}
