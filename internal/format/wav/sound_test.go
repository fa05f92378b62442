package wav_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
	"fanfold/internal/format/wav"
)

// all reads the whole sound, in pieces of some frames.
func all(t testing.TB, s *wav.Sound, piece int) [][]float64 {
	t.Helper()
	out := make([][]float64, s.Channels)
	into := make([][]float64, s.Channels)
	for c := range into {
		into[c] = make([]float64, piece)
	}
	for from := int64(0); ; {
		n, err := s.ReadAt(into, from)
		if errors.Is(err, io.EOF) {
			return out
		}
		require.NoError(t, err)
		for c := range out {
			out[c] = append(out[c], into[c][:n]...)
		}
		from += int64(n)
	}
}

// The same sine in every format that sox writes (Debian sox): levels agree with what sox
// says of it, and the samples of all formats with each other.
func TestSoundAsSoxWritesIt(t *testing.T) {
	dir := t.TempDir()
	var first [][]float64
	for _, as := range []string{"-b 16 -e signed-integer", "-b 24 -e signed-integer", "-b 32 -e signed-integer", "-b 32 -e floating-point", "-b 64 -e floating-point", "-b 8 -e unsigned-integer"} {
		file := filepath.Join(dir, strings.ReplaceAll(as, " ", "")+".wav")
		args := append(strings.Fields("-D -n -r 48000 -c 2 "+as), file, "synth", "0.5", "sine", "1000", "sine", "333", "vol", "0.25")
		said, err := exec.Command("sox", args...).CombinedOutput()
		require.NoError(t, err, "Debian's package sox is needed: %s", said)
		stats, err := exec.Command("sox", file, "-n", "stats").CombinedOutput()
		require.NoError(t, err)
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		s, err := wav.Open(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err, as)
		require.EqualValues(t, 24000, s.Frames)
		got := all(t, s, 777)
		m := regexp.MustCompile(`RMS lev dB\s+\S+\s+(\S+)\s+(\S+)`).FindSubmatch(stats)
		require.NotNil(t, m, "%s", stats)
		for c := range got {
			rms, err := strconv.ParseFloat(string(m[1+c]), 64)
			require.NoError(t, err)
			require.InDelta(t, rms, dsp.LevelOf(got[c]).RMS, .02, as)
		}
		if first == nil {
			first = got
		}
		step := 1.0 / (1 << 14)
		if strings.Contains(as, "-b 8") {
			step = 1.0 / (1 << 6)
		}
		for n := range got[0] {
			require.InDelta(t, first[0][n], got[0][n], step, "%s, frame %d", as, n)
		}
		again := all(t, s, 5000)
		require.Equal(t, got, again, "in pieces of any length")
	}
}

func TestWhatSoundCanNotBeRead(t *testing.T) {
	open := func(data []byte) (*wav.Sound, error) { return wav.Open(bytes.NewReader(data), int64(len(data))) }
	bad := format(1, 48000, 16)
	binary.LittleEndian.PutUint16(bad[8:], 85) // MPEG layer 3
	_, err := open(riff(bad, chunk("data", make([]byte, 100))))
	require.ErrorContains(t, err, "samples of format 85 in 2 bytes are not known; save it as")
	_, err = open(riff(format(100, 48000, 16), chunk("data", make([]byte, 400))))
	require.ErrorContains(t, err, "100 channels")
	_, err = open([]byte("no file"))
	require.Error(t, err)

	s, err := open(riff(format(1, 48000, 16), chunk("data", make([]byte, 100))))
	require.NoError(t, err)
	_, err = s.ReadAt([][]float64{nil, nil}, 0)
	require.ErrorContains(t, err, "it has 1 channels, not 2")
	_, err = s.ReadAt([][]float64{make([]float64, 5)}, 50)
	require.Equal(t, io.EOF, err)
	n, err := s.ReadAt([][]float64{make([]float64, 5)}, 48)
	require.NoError(t, err)
	require.Equal(t, 2, n, "what is left")
}

// What is not a number in a file is silence.
func TestNoNumbers(t *testing.T) {
	f := format(1, 48000, 32)
	binary.LittleEndian.PutUint16(f[8:], 3)
	var b []byte
	for _, x := range []float64{.5, math.NaN(), math.Inf(1), -1} {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(x)))
	}
	data := riff(f, chunk("data", b))
	s, err := wav.Open(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Equal(t, [][]float64{{.5, 0, 0, -1}}, all(t, s, 3))
}

// Whatever is claimed, reading ends, and gives what is there.
func FuzzSound(f *testing.F) {
	f.Add(riff(format(2, 48000, 24), chunk("data", make([]byte, 600))))
	f.Add(riff(format(1, 44100, 16), chunk("data", make([]byte, 7))))
	f.Add(riff(format(3, 96000, 32), chunk("data", make([]byte, 48)), loops([2]uint32{1, 2})))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := wav.Open(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return
		}
		for _, c := range all(t, s, 100) {
			require.Len(t, c, int(s.Frames))
			for _, x := range c {
				require.False(t, math.IsNaN(x) || math.IsInf(x, 0))
			}
		}
	})
}
