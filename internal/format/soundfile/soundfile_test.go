package soundfile_test

import (
	"bytes"
	"errors"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/soundfile"
	"fanfold/internal/format/wav"
)

func open(t testing.TB, name string) *soundfile.Sound {
	t.Helper()
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	s, err := soundfile.Open(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	return s
}

// all reads a sound in pieces.
func all(t testing.TB, s *soundfile.Sound) [][]float64 {
	t.Helper()
	out := make([][]float64, s.Channels)
	for {
		into := make([][]float64, s.Channels)
		for c := range into {
			into[c] = make([]float64, 777)
		}
		n, err := s.Read(into)
		if errors.Is(err, io.EOF) {
			return out
		}
		require.NoError(t, err)
		for c := range out {
			out[c] = append(out[c], into[c][:n]...)
		}
	}
}

// A FLAC file and a WAV file that sox makes of the same sound (Debian sox) have the same
// samples.
func TestFLACIsAsWAV(t *testing.T) {
	dir := t.TempDir()
	for _, bits := range []string{"16", "24"} {
		a, b := filepath.Join(dir, bits+".wav"), filepath.Join(dir, bits+".flac")
		out, err := exec.Command("sox", "-D", "-n", "-r", "48000", "-c", "2", "-b", bits, a, "synth", "1.3", "sine", "300-4000", "pinknoise").CombinedOutput()
		require.NoError(t, err, "Debian's package sox is needed: %s", out)
		out, err = exec.Command("sox", "-D", a, b).CombinedOutput()
		require.NoError(t, err, "%s", out)
		x, y := open(t, a), open(t, b)
		require.Equal(t, x.Frames, y.Frames)
		require.Equal(t, x.Bits, y.Bits)
		require.EqualValues(t, soundfile.NotSaid, y.Begin())
		require.Equal(t, all(t, x), all(t, y))
	}
}

func mono(t testing.TB, frames, rate int, hz float64, begin int64) *soundfile.Sound {
	t.Helper()
	x := make([]int16, frames)
	for n := range x {
		x[n] = int16(8000 * math.Sin(2*math.Pi*hz*float64(n)/float64(rate)))
	}
	var b bytes.Buffer
	require.NoError(t, wav.WriteBroadcast16(&b, rate, 1, x, wav.Broadcast{Begin: begin}))
	s, err := soundfile.Open(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	return s
}

// Two files of one channel are one of two; the shorter one is silent at its end.
func TestPairs(t *testing.T) {
	s, err := soundfile.Join(mono(t, 5000, 48_000, 100, 77), mono(t, 4500, 48_000, 200, 77))
	require.NoError(t, err)
	require.EqualValues(t, 5000, s.Frames)
	require.EqualValues(t, 77, s.Begin())
	x := all(t, s)
	require.Len(t, x[0], 5000)
	left, right := all(t, mono(t, 5000, 48_000, 100, 0))[0], all(t, mono(t, 4500, 48_000, 200, 0))[0]
	require.Equal(t, left, x[0])
	require.Equal(t, append(right, make([]float64, 500)...), x[1])
	_, err = soundfile.Join(mono(t, 10, 48_000, 1, 0), mono(t, 10, 44_100, 1, 0))
	require.ErrorContains(t, err, "left is at 48000 Hz, the right at 44100")
	_, err = soundfile.Join(s, mono(t, 10, 48_000, 1, 0))
	require.ErrorContains(t, err, "one channel")
}

func TestWhatIsNoSound(t *testing.T) {
	for says, data := range map[string]string{"it is empty": "", "not as a WAV file": "abcdefghijklmnop", "read FLAC file": "fLaCxxxx"} {
		_, err := soundfile.Open(bytes.NewReader([]byte(data)), int64(len(data)))
		require.ErrorContains(t, err, says)
	}
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	if err := wav.WriteBroadcast16(&b, 48_000, 2, make([]int16, 20), wav.Broadcast{Begin: 5}); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Add([]byte("fLaC\x00\x00\x00\x22"))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := soundfile.Open(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return
		}
		into := make([][]float64, s.Channels)
		for c := range into {
			into[c] = make([]float64, 64)
		}
		for range 100 {
			n, err := s.Read(into)
			if err != nil {
				return
			}
			require.LessOrEqual(t, n, 64)
		}
	})
}
