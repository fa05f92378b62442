package flac_test

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/format/flac"
)

// What is written comes back to the bit, whatever it is.
func TestWrittenFilesComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		bits := rapid.SampledFrom([]int{16, 24}).Draw(t, "bits")
		full := math.Exp2(float64(bits - 1))
		channels := rapid.IntRange(1, 2).Draw(t, "channels")
		frames := rapid.SampledFrom([]int{1, 15, 100, 4095, 4096, 4097, 9000}).Draw(t, "frames")
		loud := rapid.SampledFrom([]float64{0, 1, 100, full / 3, full}).Draw(t, "loud")
		seed := rapid.Float64Range(.001, 2).Draw(t, "seed")
		sound := make([][]float64, channels)
		for c := range sound {
			sound[c] = make([]float64, frames)
			for k := range sound[c] {
				v := math.Round(loud * math.Sin(seed*float64(k)+float64(c)))
				sound[c][k] = max(-full, min(full-1, v)) / full
			}
		}
		var b bytes.Buffer
		require.NoError(t, flac.Encode(&b, flac.Header{Channels: channels, RateHz: 48_000, Bits: bits, Frames: int64(frames)}, from(sound)))
		r, err := flac.Open(bytes.NewReader(b.Bytes()), int64(b.Len()))
		require.NoError(t, err)
		require.Equal(t, channels, r.Channels)
		require.Equal(t, bits, r.Bits)
		require.EqualValues(t, frames, r.Frames)
		got := make([][]float64, channels)
		for c := range got {
			got[c] = make([]float64, frames)
		}
		for n := 0; n < frames; {
			part := make([][]float64, channels)
			for c := range part {
				part[c] = got[c][n:]
			}
			k, err := r.Read(part)
			require.NoError(t, err)
			n += k
		}
		require.Equal(t, sound, got)
	})
}

func from(sound [][]float64) func(into [][]float64) (int, error) {
	at := 0
	return func(into [][]float64) (int, error) {
		if at == len(sound[0]) {
			return 0, io.EOF
		}
		n := min(len(into[0]), 777, len(sound[0])-at)
		for c := range into {
			copy(into[c][:n], sound[c][at:])
		}
		at += n
		return n, nil
	}
}

// Debian's ffmpeg finds nothing wrong with a written file, and the same samples in it; it is smaller
// than what went in.
func TestOthersReadWrittenFiles(t *testing.T) {
	tone := make([][]float64, 2)
	for c := range tone {
		tone[c] = make([]float64, 50_000)
		for k := range tone[c] {
			tone[c][k] = .3 * math.Sin(.02*float64(k)+float64(c)) * math.Exp(-float64(k)/20_000)
		}
	}
	var b bytes.Buffer
	require.NoError(t, flac.Encode(&b, flac.Header{Channels: 2, RateHz: 96_000, Bits: 24, Frames: 50_000}, from(tone)))
	name := filepath.Join(t.TempDir(), "x.flac")
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
	out, err := exec.Command("ffmpeg", "-v", "error", "-xerror", "-err_detect", "crccheck+explode", "-i", name, "-f", "s32le", "-c:a", "pcm_s32le", "-").Output()
	require.NoError(t, err)
	require.Len(t, out, 2*4*50_000)
	for k := range 50_000 {
		for c := range tone {
			want := int32(math.Round(tone[c][k]*(1<<23))) << 8
			require.Equal(t, want, int32(binary.LittleEndian.Uint32(out[8*k+4*c:])))
		}
	}
	require.Less(t, b.Len(), 2*3*50_000*2/3)
	require.ErrorContains(t, flac.Encode(&b, flac.Header{Channels: 3, RateHz: 48_000, Bits: 24}, from(tone)), "cannot be written")
	require.ErrorIs(t, flac.Encode(&b, flac.Header{Channels: 2, RateHz: 48_000, Bits: 24}, func([][]float64) (int, error) { return 0, io.ErrUnexpectedEOF }), io.ErrUnexpectedEOF)
}
