package flac_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/flac"
)

func read(data []byte) (flac.Header, error) {
	return flac.Read(bytes.NewReader(data), int64(len(data)))
}

// Files made by Debian's sox, read as it made them.
func TestFilesOfAnotherProgram(t *testing.T) {
	for _, tc := range []struct{ rate, bits, channels int }{{48000, 24, 2}, {44100, 16, 1}, {96000, 24, 6}, {8000, 8, 1}} {
		name := filepath.Join(t.TempDir(), "x.flac")
		out, err := exec.Command("sox", "-n", "-r", strconv.Itoa(tc.rate), "-b", strconv.Itoa(tc.bits), "-c", strconv.Itoa(tc.channels), name, "synth", "0.5", "sine", "440").CombinedOutput()
		require.NoError(t, err, "%s", out)
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		h, err := read(data)
		require.NoError(t, err)
		frames := int64(tc.rate / 2)
		require.Equal(t, flac.Header{
			Channels: tc.channels, RateHz: tc.rate, Bits: tc.bits, Frames: frames, Bytes: frames * int64(tc.channels*tc.bits/8),
		}, h)
	}
}

// The first example of RFC 9639, appendix D.1, from memory: 44.1 kHz, 2 channels of 16
// bits, one sample.
func TestTheExampleOfTheStandard(t *testing.T) {
	h, err := read([]byte{
		0x66, 0x4c, 0x61, 0x43, 0x80, 0x00, 0x00, 0x22, 0x10, 0x00, 0x10, 0x00, 0x00, 0x00, 0x0f, 0x00, 0x00, 0x0f,
		0x0a, 0xc4, 0x42, 0xf0, 0x00, 0x00, 0x00, 0x01, 0x3e, 0x84, 0xb4, 0x18, 0x07, 0xdc, 0x69, 0x03, 0x07, 0x58, 0x6a, 0x3d, 0xad, 0x1a, 0x2e, 0x0f,
	})
	require.NoError(t, err)
	require.Equal(t, flac.Header{Channels: 2, RateHz: 44100, Bits: 16, Frames: 1, Bytes: 4}, h)
}

func TestBrokenFiles(t *testing.T) {
	for says, data := range map[string][]byte{
		"not as a FLAC file":     []byte("RIFF1234"),
		"not stream information": []byte("fLaC\x01\x00\x00\x22"),
		"10 bytes are announced": []byte("fLaC\x00\x00\x00\x22\x10"),
		"its sample rate is 0":   append([]byte("fLaC\x00\x00\x00\x22"), make([]byte, 34)...),
	} {
		_, err := read(data)
		require.ErrorContains(t, err, says)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("fLaC\x00\x00\x00\x22"))
	f.Fuzz(func(t *testing.T, data []byte) {
		h, err := read(data)
		if err == nil {
			require.Positive(t, h.RateHz)
			require.GreaterOrEqual(t, h.Bytes, int64(0))
		}
	})
}
