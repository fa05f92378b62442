package movie_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cue"
	"fanfold/internal/format/movie"
)

// made makes a movie with ffmpeg; args come before its name.
func made(t testing.TB, name string, args ...string) []byte {
	path := filepath.Join(t.TempDir(), name)
	out, err := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y"}, args...), path)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	return data
}

func picture(rate string, seconds string) []string {
	return []string{"-f", "lavfi", "-i", "testsrc=size=64x36:rate=" + rate + ":duration=" + seconds}
}

var sound = []string{"-f", "lavfi", "-i", "sine=frequency=440:sample_rate=48000:duration=2"}

func join(lists ...[]string) (out []string) {
	for _, l := range lists {
		out = append(out, l...)
	}
	return out
}

func read(data []byte) (cue.Footage, error) {
	return movie.Read(bytes.NewReader(data), int64(len(data)))
}

// ffprobe (of Debian's ffmpeg) reads the same of movies that ffmpeg makes.
func TestHeadersAreReadAsFfprobeReadsThem(t *testing.T) {
	fast := []string{"-c:v", "libx264", "-preset", "ultrafast"}
	for name, args := range map[string][]string{
		"25.mp4":        join(picture("25", "2"), sound, fast, []string{"-timecode", "01:00:00:00"}),
		"24.mov":        join(picture("24", "2"), []string{"-c:v", "mjpeg", "-timecode", "00:59:52:10"}),
		"23976.mov":     join(picture("24000/1001", "2"), fast, []string{"-timecode", "10:00:00:23"}),
		"2997.mp4":      join(picture("30000/1001", "2"), fast, []string{"-timecode", "01:00:00:00"}),
		"2997drop.mov":  join(picture("30000/1001", "2"), sound, fast, []string{"-timecode", "01:10:59;29"}),
		"5994drop.mp4":  join(picture("60000/1001", "1"), fast, []string{"-timecode", "02:01:00;04"}),
		"none.mp4":      join(picture("50", "1"), fast),
		"rounded.mp4":   join(picture("24000/1001", "20"), fast, []string{"-video_track_timescale", "1000"}),
		"quick.mp4":     join(picture("25", "2"), sound, fast, []string{"-movflags", "+faststart", "-timecode", "01:00:00:00"}),
		"wide.mov":      join(picture("30", "1"), fast, []string{"-timecode", "23:59:59:29"}),
		"one-frame.mp4": join(picture("25", "0.04"), fast),
	} {
		t.Run(name, func(t *testing.T) {
			data := made(t, name, args...)
			path := filepath.Join(t.TempDir(), name)
			require.NoError(t, os.WriteFile(path, data, 0o600))
			text, err := exec.Command("ffprobe", "-v", "error", "-show_streams", "-of", "json", path).Output()
			require.NoError(t, err)
			var told struct {
				Streams []struct {
					Type     string            `json:"codec_type"`
					Tag      string            `json:"codec_tag_string"`
					Width    int               `json:"width"`
					Height   int               `json:"height"`
					Rate     string            `json:"r_frame_rate"`
					Frames   string            `json:"nb_frames"`
					Duration string            `json:"duration"`
					Tags     map[string]string `json:"tags"`
				} `json:"streams"`
			}
			require.NoError(t, json.Unmarshal(text, &told))
			got, err := read(data)
			require.NoError(t, err)
			require.False(t, got.Varies)
			require.False(t, got.Short)
			start, soundMs := "", int64(0)
			for _, s := range told.Streams {
				switch s.Type {
				case "video":
					require.Equal(t, s.Tag, got.Codec)
					require.Equal(t, []int{s.Width, s.Height}, []int{got.Width, got.Height})
					require.Equal(t, s.Frames, fmt.Sprint(got.Frames))
					require.Equal(t, s.Rate, fmt.Sprintf("%d/%d", got.Num, got.Den))
				case "audio":
					seconds, err := strconv.ParseFloat(s.Duration, 64)
					require.NoError(t, err)
					soundMs = int64(seconds*1000 + 0.5)
				case "data":
					start = s.Tags["timecode"]
				}
			}
			require.Equal(t, start, got.Start)
			require.InDelta(t, soundMs, got.SoundMs, 1)
		})
	}
}

// A picture whose frames last unequally is told.
func TestAVaryingRateIsTold(t *testing.T) {
	data := made(t, "varies.mp4", join(picture("25", "2"), []string{"-vf", "select='not(eq(mod(n,5),3))'", "-fps_mode", "vfr", "-c:v", "libx264", "-preset", "ultrafast"})...)
	got, err := read(data)
	require.NoError(t, err)
	require.True(t, got.Varies)
	require.Equal(t, int64(40), got.Frames)
}

func TestFaultsAreToldWithARemedy(t *testing.T) {
	whole := made(t, "whole.mp4", join(picture("25", "2"), sound, []string{"-c:v", "libx264", "-preset", "ultrafast"})...)
	_, err := read(whole[:len(whole)/2])
	require.ErrorContains(t, err, "its index (“moov”) is in what is missing; copy it again")

	quick := made(t, "quick.mp4", join(picture("25", "2"), sound, []string{"-c:v", "libx264", "-preset", "ultrafast", "-movflags", "+faststart"})...)
	got, err := read(quick[:len(quick)-100])
	require.NoError(t, err, "its index comes first")
	require.True(t, got.Short)

	got, err = read(quick[:bytes.Index(quick, []byte("mdat"))-4])
	require.NoError(t, err)
	require.True(t, got.Short, "cut off just before its media")

	_, err = read([]byte("RIFF\x00\x00\x00\x00WAVEfmt "))
	require.ErrorContains(t, err, "neither an MP4 nor a MOV")
	_, err = read(nil)
	require.ErrorContains(t, err, "has no index")
	_, err = read(made(t, "heard.mp4", sound...))
	require.ErrorContains(t, err, "there is no picture")
	parts := made(t, "parts.mp4", join(picture("25", "2"), []string{"-c:v", "libx264", "-preset", "ultrafast", "-movflags", "frag_keyframe+empty_moov"})...)
	_, err = read(parts)
	require.ErrorContains(t, err, "save it again as a plain MP4 or MOV")
	closed := bytes.ReplaceAll(whole, []byte("moov"), []byte("free"))
	_, err = read(closed)
	require.ErrorContains(t, err, "was not closed")
}

// Whatever is missing of a movie, what is read of it is right or nothing.
func TestAnyPieceOfAMovie(t *testing.T) {
	quick := made(t, "quick.mov", join(picture("30000/1001", "1"), []string{"-c:v", "libx264", "-preset", "ultrafast", "-movflags", "+faststart", "-timecode", "01:00:00;00"})...)
	want, err := read(quick)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, len(quick)-1).Draw(t, "bytes")
		got, err := read(quick[:n])
		if err != nil {
			return
		}
		if !got.Short {
			t.Fatalf("%d of %d bytes are whole", n, len(quick))
		}
		got.Short = false
		if got.Start == "" {
			got.Start = want.Start // it lies among the media
		}
		if got != want {
			t.Fatalf("%+v of %d bytes", got, n)
		}
	})
}

func FuzzRead(f *testing.F) {
	for _, name := range []string{"a.mp4", "b.mov"} {
		data := made(f, name, join(picture("25", "0.2"), []string{"-c:v", "mjpeg", "-timecode", "01:00:00:00"})...)
		if at := strings.Index(string(data), "mdat"); at > 0 && len(data) > at {
			f.Add(data)
		}
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		got, err := read(data)
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		require.Positive(t, got.Frames)
		require.Positive(t, got.Den)
		require.GreaterOrEqual(t, got.Num, int64(0))
	})
}
