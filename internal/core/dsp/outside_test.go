package dsp_test

import (
	"bytes"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
	"fanfold/internal/format/wav"
)

// Loudness, its range and the true peak agree with Debian's ffmpeg (its filter ebur128) on
// music-like noise that grows and fades, at 48 and 44.1 kHz: within 0.1 LU, half a LU and
// 0.3 dB. Debian's bs1770gain has the same loudness, and the loudest moment, within 0.1 LU.
func TestLoudnessAsFfmpegHasIt(t *testing.T) {
	for n, rate := range []int{48_000, 44_100} {
		random := rand.New(rand.NewPCG(uint64(n), 7))
		frames := 25 * rate
		sound := make([]int16, 0, 2*frames)
		left, right := make([]float64, frames), make([]float64, frames)
		brown := [2]float64{}
		for k := range frames {
			at := float64(k) / float64(rate)
			gain := .04 + .5*math.Pow(math.Sin(math.Pi*at/25), 2)
			for c, to := range [][]float64{left, right} {
				brown[c] = .97*brown[c] + .12*random.NormFloat64()
				x := gain * (brown[c] + .3*math.Sin(2*math.Pi*(300+40*float64(c))*at))
				v := int16(32767 * max(-1, min(1, x)))
				sound = append(sound, v)
				to[k] = float64(v) / 32768
			}
		}
		var b bytes.Buffer
		require.NoError(t, wav.Write16(&b, rate, 2, sound))
		file := filepath.Join(t.TempDir(), "noise.wav")
		require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
		said, err := exec.Command("ffmpeg", "-hide_banner", "-nostats", "-i", file, "-af", "ebur128=peak=true", "-f", "null", "-").CombinedOutput()
		require.NoError(t, err, string(said))
		said = said[bytes.LastIndex(said, []byte("Summary:")):]
		figure := func(pattern string) float64 {
			m := regexp.MustCompile(pattern).FindSubmatch(said)
			require.NotNil(t, m, string(said))
			x, err := strconv.ParseFloat(string(m[1]), 64)
			require.NoError(t, err)
			return x
		}
		bare := filepath.Join(t.TempDir(), "noise.w64") // of a WAV it does not take the channels
		failed, err := exec.Command("ffmpeg", "-v", "error", "-i", file, bare).CombinedOutput()
		require.NoError(t, err, string(failed))
		gain, err := exec.Command("bs1770gain", "-im", "--xml", bare).CombinedOutput()
		require.NoError(t, err)
		other := func(element string) float64 {
			m := regexp.MustCompile(`<` + element + ` lufs="(-?[0-9.]+)"`).FindSubmatch(gain)
			require.NotNil(t, m)
			x, err := strconv.ParseFloat(string(m[1]), 64)
			require.NoError(t, err)
			return x
		}
		l := dsp.NewLoudness(float64(rate), []float64{1, 1})
		l.Add(left, right)
		require.InDelta(t, figure(`I:\s+(-?[0-9.]+) LUFS`), l.Integrated(), .1)
		require.InDelta(t, other("integrated"), l.Integrated(), .1)
		require.InDelta(t, other("momentary-maximum"), slices.Max(l.Momentary()), .1)
		require.InDelta(t, figure(`LRA:\s+(-?[0-9.]+) LU`), l.Range(), .5)
		var peak [2]dsp.TruePeak
		peak[0].Add(left)
		peak[1].Add(right)
		require.InDelta(t, figure(`Peak:\s+(-?[0-9.]+) dBFS`), max(peak[0].DBTP(), peak[1].DBTP()), .3)
	}
}

// The level of third-octaves of noise agrees with what Debian's sox leaves of it when it takes
// away all but one (its steep filter sinc, its effect stat): within 0.3 dB.
func TestThirdsAsSoxHasThem(t *testing.T) {
	const rate, frames = 48_000, 20 * 48_000
	random := rand.New(rand.NewPCG(3, 4))
	sound, brown := make([]float64, frames), 0.0
	steps := make([]int16, frames)
	for n := range sound {
		brown = .9*brown + .05*random.NormFloat64()
		steps[n] = int16(32767 * max(-1, min(1, brown)))
		sound[n] = float64(steps[n]) / 32768
	}
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, rate, 1, steps))
	file := filepath.Join(t.TempDir(), "noise.wav")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	got := dsp.Thirds(sound, rate)
	for _, n := range []int{6, 10, 16, 20, 25, 28} {
		low, high := dsp.ThirdHz(n)*math.Exp2(-1./6), dsp.ThirdHz(n)*math.Exp2(1./6)
		said, err := exec.Command("sox", file, "-n", "sinc", "-n", "32767", strconv.FormatFloat(low, 'f', 3, 64)+"-"+strconv.FormatFloat(high, 'f', 3, 64), "stat").CombinedOutput()
		require.NoError(t, err, string(said))
		m := regexp.MustCompile(`RMS\s+amplitude:\s+([0-9.]+)`).FindSubmatch(said)
		require.NotNil(t, m, string(said))
		rms, err := strconv.ParseFloat(string(m[1]), 64)
		require.NoError(t, err)
		require.InDelta(t, dsp.DB(rms), got[n], .3, "%.0f Hz", dsp.ThirdHz(n))
	}
}
