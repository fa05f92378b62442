package wav_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/dsp"
	"fanfold/internal/format/wav"
)

var says = wav.Broadcast{
	Description: "Strings long, Reel 1", Originator: "Fanfold", Reference: "1m2", Made: time.Date(2026, 11, 27, 10, 0, 5, 0, time.UTC),
	Begin: 172_972_800, History: "A=PCM,F=48000,W=24,M=stereo,T=Fanfold",
}

// written writes a sine at half of full scale into a file of its own.
func written(t testing.TB, s wav.Spec, frames int, loudness *wav.Loudness) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "x.wav")
	f, err := os.Create(name)
	require.NoError(t, err)
	defer f.Close()
	w, err := wav.NewWriter(f, s)
	require.NoError(t, err)
	x := make([]float64, 777)
	sound := make([][]float64, s.Channels)
	for c := range sound {
		sound[c] = x
	}
	for from := 0; from < frames; from += len(x) {
		n := min(len(x), frames-from)
		for k := range n {
			x[k] = .5 * math.Sin(2*math.Pi*997*float64(from+k)/float64(s.RateHz))
		}
		for c := range sound {
			sound[c] = x[:n]
		}
		require.NoError(t, w.Write(sound...))
	}
	require.NoError(t, w.Close(loudness))
	require.EqualValues(t, frames, w.Frames())
	require.Zero(t, w.Clipped())
	return name
}

type probed struct {
	Streams []struct {
		Codec string `json:"codec_name"`
		Rate  string `json:"sample_rate"`
		Long  int64  `json:"duration_ts"`
		Wide  int    `json:"channels"`
	} `json:"streams"`
	Format struct {
		Tags map[string]string `json:"tags"`
	} `json:"format"`
}

// Every kind of file, read by Debian's ffprobe and by sox: format, length, what it says, and
// how strong it is.
func TestFilesAsOtherProgramsReadThem(t *testing.T) {
	for _, tc := range []struct {
		wav.Spec
		codec string
	}{
		{wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Whole24, Broadcast: &says}, "pcm_s24le"},
		{wav.Spec{Channels: 1, RateHz: 44_100, Samples: wav.Whole16, Broadcast: &says}, "pcm_s16le"},
		{wav.Spec{Channels: 2, RateHz: 96_000, Samples: wav.Float32, Broadcast: &says}, "pcm_f32le"},
		{wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Whole24, Broadcast: &says, Long: true}, "pcm_s24le"},
		{wav.Spec{Channels: 1, RateHz: 48_000, Samples: wav.Whole24}, "pcm_s24le"},
		{wav.Spec{Channels: 1, RateHz: 88_200, Samples: wav.Float32, Long: true}, "pcm_f32le"},
	} {
		frames := tc.RateHz + 1 // one byte too many for whole words
		name := written(t, tc.Spec, frames, &wav.Loudness{Integrated: -23.4, TruePeak: -1.5})
		out, err := exec.Command("ffprobe", "-v", "error", "-of", "json", "-show_streams", "-show_format", name).Output()
		require.NoError(t, err)
		var got probed
		require.NoError(t, json.Unmarshal(out, &got))
		require.Len(t, got.Streams, 1)
		require.Equal(t, tc.codec, got.Streams[0].Codec)
		require.Equal(t, strconv.Itoa(tc.RateHz), got.Streams[0].Rate)
		require.EqualValues(t, frames, got.Streams[0].Long)
		require.Equal(t, tc.Channels, got.Streams[0].Wide)
		if tc.Broadcast != nil {
			tags := got.Format.Tags
			require.Equal(t, says.Description, tags["comment"])
			require.Equal(t, says.Originator, tags["encoded_by"])
			require.Equal(t, says.Reference, tags["originator_reference"])
			require.Equal(t, "2026-11-27", tags["date"])
			require.Equal(t, "10:00:05", tags["creation_time"])
			require.Equal(t, strconv.FormatInt(says.Begin, 10), tags["time_reference"])
			require.Contains(t, tags["coding_history"], says.History)
		}
		h := headerOf(t, name)
		require.Equal(t, tc.Samples == wav.Float32, h.Floating)
		require.Zero(t, h.Lost)
		if tc.Broadcast != nil {
			want := says
			want.Loudness = &wav.Loudness{Integrated: -23.4, TruePeak: -1.5}
			require.Equal(t, &want, h.Says)
		}
		if tc.Long {
			continue // sox does not read RF64
		}
		out, err = exec.Command("sox", name, "-n", "stat").CombinedOutput()
		require.NoError(t, err, "%s", out)
		require.Contains(t, string(out), "RMS     amplitude:     0.3535")
		out, err = exec.Command("soxi", "-s", name).Output()
		require.NoError(t, err)
		require.Equal(t, strconv.Itoa(frames), string(bytes.TrimSpace(out)))
	}
}

func headerOf(t testing.TB, name string) wav.Header {
	t.Helper()
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	h, err := read(data)
	require.NoError(t, err)
	return h
}

// sparse keeps the beginning of what is written, and counts the rest.
type sparse struct {
	head     []byte
	at, size int64
}

func (s *sparse) Write(p []byte) (int, error) {
	for n := 0; n < len(p) && s.at+int64(n) < 4096; n++ {
		for int64(len(s.head)) <= s.at+int64(n) {
			s.head = append(s.head, 0)
		}
		s.head[s.at+int64(n)] = p[n]
	}
	s.at += int64(len(p))
	s.size = max(s.size, s.at)
	return len(p), nil
}

func (s *sparse) Seek(to int64, whence int) (int64, error) {
	if whence == io.SeekEnd {
		to += s.size
	}
	s.at = to
	return to, nil
}

func (s *sparse) ReadAt(p []byte, at int64) (int, error) {
	n := 0
	if at < int64(len(s.head)) {
		n = copy(p, s.head[at:])
	}
	clear(p[n:])
	return len(p), nil
}

// A file that grows beyond 4 GiB becomes RF64, and is read so.
func TestBeyond4GiB(t *testing.T) {
	if testing.Short() {
		t.Skip("it writes 4.2 GiB into nothing")
	}
	to := &sparse{}
	w, err := wav.NewWriter(to, wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Float32, Broadcast: &says})
	require.NoError(t, err)
	x := [][]float64{make([]float64, 4096), make([]float64, 4096)}
	const pieces = 1<<17 + 50
	for range pieces {
		require.NoError(t, w.Write(x...))
	}
	require.NoError(t, w.Close(nil))
	require.Equal(t, "RF64", string(to.head[:4]))
	h, err := wav.Read(to, to.size)
	require.NoError(t, err)
	require.EqualValues(t, pieces<<12, h.Frames)
	require.Greater(t, h.Bytes, int64(1)<<32)
	require.Equal(t, says.Begin, h.Says.Begin)
	s, err := wav.Open(to, to.size)
	require.NoError(t, err)
	n, err := s.ReadAt(x, pieces<<12-5)
	require.NoError(t, err)
	require.Equal(t, 5, n)
}

// What rounding with dither leaves is noise of half a step RMS, whatever the sound is, and
// silence stays silent (Lipshitz and others, 1992: 1/12 of rounding and 1/6 of dither make a
// quarter of a step squared).
func TestDitherIsHalfAStep(t *testing.T) {
	for samples, step := range map[wav.Samples]float64{wav.Whole16: 1. / (1 << 15), wav.Whole24: 1. / (1 << 23)} {
		f, err := os.Create(filepath.Join(t.TempDir(), "x.wav"))
		require.NoError(t, err)
		w, err := wav.NewWriter(f, wav.Spec{Channels: 1, RateHz: 48_000, Samples: samples, Seed: 3})
		require.NoError(t, err)
		x := make([]float64, 200_000)
		for n := range x[:100_000] {
			x[n] = .4 * math.Sin(float64(n)/7) * float64(n) / 1e5
		}
		require.NoError(t, w.Write(x))
		require.NoError(t, w.Close(nil))
		data, err := os.ReadFile(f.Name())
		require.NoError(t, err)
		require.NoError(t, f.Close())
		s, err := wav.Open(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		got := all(t, s, 4096)[0]
		for n := range got {
			got[n] -= x[n]
		}
		level := dsp.LevelOf(got[:100_000])
		require.InDelta(t, dsp.DB(step/2), level.RMS, .1)
		require.InDelta(t, 0, level.DC, step/50)
		require.Equal(t, make([]float64, 100_000), got[100_000:])
	}
}

// What is written in pieces of any length is read as it was, to half a step and the dither;
// what is beyond full scale is cut, and counted.
func TestWrittenSoundIsRead(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		samples := rapid.SampledFrom(wav.AllSamples).Draw(r, "samples")
		channels := rapid.IntRange(1, 5).Draw(r, "channels")
		random := rand.New(rand.NewPCG(rapid.Uint64().Draw(r, "seed"), 1))
		to := &whole{}
		w, err := wav.NewWriter(to, wav.Spec{Channels: channels, RateHz: 48_000, Samples: samples, Long: rapid.Bool().Draw(r, "long")})
		require.NoError(r, err)
		want := make([][]float64, channels)
		over := int64(0)
		for range rapid.IntRange(0, 4).Draw(r, "pieces") {
			piece := make([][]float64, channels)
			n := random.IntN(900)
			for c := range piece {
				piece[c] = make([]float64, n)
				for k := range piece[c] {
					piece[c][k] = 2.2*random.Float64() - 1.1
					if math.Abs(piece[c][k]) > 1 && samples != wav.Float32 {
						over++
					}
				}
				want[c] = append(want[c], piece[c]...)
			}
			require.NoError(r, w.Write(piece...))
		}
		require.NoError(r, w.Close(nil))
		require.InDelta(r, over, w.Clipped(), .03*float64(over)+2, "dither may bring back what is hardly beyond")
		s, err := wav.Open(bytes.NewReader(to.data), int64(len(to.data)))
		require.NoError(r, err)
		require.EqualValues(r, len(want[0]), s.Frames)
		got := all(t, s, 500)
		tolerance := map[wav.Samples]float64{wav.Whole16: 1.6 / (1 << 15), wav.Whole24: 1.6 / (1 << 23), wav.Float32: 1e-7}[samples]
		for c := range want {
			for n, x := range want[c] {
				if samples != wav.Float32 {
					x = max(-1, min(1, x))
				}
				require.InDelta(r, x, got[c][n], tolerance)
			}
		}
	})
}

// whole is a file in memory.
type whole struct {
	data []byte
	at   int64
}

func (w *whole) Write(p []byte) (int, error) {
	w.data = append(w.data[:w.at], append(bytes.Clone(p), w.data[min(int64(len(w.data)), w.at+int64(len(p))):]...)...)
	w.at += int64(len(p))
	return len(p), nil
}

func (w *whole) Seek(to int64, whence int) (int64, error) {
	if whence == io.SeekEnd {
		to += int64(len(w.data))
	}
	w.at = to
	return to, nil
}

// A broadcast chunk that is damaged does not cost the sound, and one of the first version,
// from memory, is read.
func TestBroadcastChunksOfOthers(t *testing.T) {
	body := make([]byte, 602)
	copy(body, "old")
	copy(body[320:], "2026:11:2710-20-30")
	body[338] = 200
	body[346] = 1
	sound := chunk("data", make([]byte, 8))
	h, err := read(riff(chunk("bext", body), format(2, 48_000, 16), sound))
	require.NoError(t, err)
	require.Equal(t, &wav.Broadcast{Description: "old", Begin: 200}, h.Says)
	h, err = read(riff(format(2, 48_000, 16), sound, chunk("bext", body)))
	require.NoError(t, err)
	require.EqualValues(t, 200, h.Says.Begin)
	h, err = read(riff(chunk("bext", body[:100]), format(2, 48_000, 16), sound))
	require.NoError(t, err)
	require.Nil(t, h.Says)
	require.EqualValues(t, 2, h.Frames)
}

// A file that was cut off says how much is missing.
func TestARecordingThatWasCutOff(t *testing.T) {
	data := riff(format(2, 48_000, 16), chunk("data", make([]byte, 4000)))
	h, err := read(data[:len(data)-1000])
	require.NoError(t, err)
	require.EqualValues(t, 1000, h.Lost)
	require.EqualValues(t, 750, h.Frames)
}

type full struct{ room int }

func (f *full) Write(p []byte) (int, error) {
	if f.room -= len(p); f.room < 0 {
		return 0, errors.New("no space left on device")
	}
	return len(p), nil
}
func (f *full) Seek(int64, int) (int64, error) { return 0, nil }

func TestWhatCanNotBeWritten(t *testing.T) {
	_, err := wav.NewWriter(&whole{}, wav.Spec{Channels: 0, RateHz: 48_000, Samples: wav.Whole24})
	require.ErrorContains(t, err, "0 channels")
	_, err = wav.NewWriter(&whole{}, wav.Spec{Channels: 2, RateHz: 48_000, Samples: "20"})
	require.ErrorContains(t, err, `samples of "20"`)
	w, err := wav.NewWriter(&full{room: 3000}, wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Whole24})
	require.NoError(t, err)
	require.ErrorContains(t, w.Write(make([]float64, 4)), "1 channels into a file of 2")
	require.ErrorContains(t, w.Write(make([]float64, 4000), make([]float64, 4000)), "no space left")
}

func BenchmarkRead24(b *testing.B) {
	to := &sparse{}
	w, err := wav.NewWriter(to, wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Whole24})
	require.NoError(b, err)
	x := [][]float64{make([]float64, 1<<16), make([]float64, 1<<16)}
	require.NoError(b, w.Write(x...))
	require.NoError(b, w.Close(nil))
	s, err := wav.Open(to, to.size)
	require.NoError(b, err)
	for b.Loop() {
		_, err := s.ReadAt(x, 0)
		require.NoError(b, err)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/(2<<16), "ns/sample")
}
