package dsp_test

import (
	"bytes"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
	"fanfold/internal/format/wav"
)

// Loudness, its range and the true peak agree with Debian's ffmpeg (its filter ebur128) on
// music-like noise that grows and fades, at 48 and 44.1 kHz: within 0.1 LU, half a LU and
// 0.3 dB.
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
		l := dsp.NewLoudness(float64(rate), []float64{1, 1})
		l.Add(left, right)
		require.InDelta(t, figure(`I:\s+(-?[0-9.]+) LUFS`), l.Integrated(), .1)
		require.InDelta(t, figure(`LRA:\s+(-?[0-9.]+) LU`), l.Range(), .5)
		var peak [2]dsp.TruePeak
		peak[0].Add(left)
		peak[1].Add(right)
		require.InDelta(t, figure(`Peak:\s+(-?[0-9.]+) dBFS`), max(peak[0].DBTP(), peak[1].DBTP()), .3)
	}
}
