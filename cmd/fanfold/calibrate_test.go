package main

import (
	"bytes"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/wav"
)

// perform plays a MIDI file as a made-up rig would: every track a sine, each 3 dB below the
// one before, and the one that is dead not at all.
func perform(t *testing.T, midi, out string, dead int) {
	t.Helper()
	data, err := os.ReadFile(midi)
	require.NoError(t, err)
	file, err := smf.Read(bytes.NewReader(data))
	require.NoError(t, err)
	const rate = 48000
	sound := make([]float64, 120*rate)
	row := -1
	for _, track := range file.Tracks {
		if len(track.Notes) == 0 {
			continue
		}
		if row++; row == dead {
			continue
		}
		for _, n := range track.Played(nil).Notes {
			from, to := float64(track.Time.Clock.Micros(n.Start))/1e6, float64(track.Time.Clock.Micros(n.End))/1e6
			a := dsp.Amplitude(-15-3*float64(row)+float64(n.Velocity-80)/4) * math.Sqrt2
			for k := int(from * rate); k < min(len(sound), int((to+.6)*rate)); k++ {
				at := float64(k)/rate - from
				fall := dsp.Amplitude(-60 * max(0, at-(to-from)) / .4)
				sound[k] += a * fall * math.Cos(2*math.Pi*dsp.KeyHz(n.Key)*at)
			}
		}
	}
	whole := make([]int16, len(sound))
	for n, x := range sound {
		whole[n] = int16(math.Round(x * 32767))
	}
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, rate, 1, whole))
	require.NoError(t, os.WriteFile(out, b.Bytes(), 0o644))
}

// A test goes out, is played, and comes back with what each row did; a dead one is told,
// and so is a wrong file.
func TestACalibrationPassByCommand(t *testing.T) {
	f := made(t)
	base := filepath.Join(f.dir, "pass")
	code, said, errs := do("calibrate", "out", f.seated, "-o", base, "--together")
	require.Equal(t, 0, code, errs)
	require.Contains(t, said, "4 rows on 1 output pair: 0 min")
	recording := filepath.Join(f.dir, "a.wav")
	perform(t, base+".mid", recording, 2)
	var got struct {
		Template string
		Rows     []struct {
			Name   string
			Silent bool
			Levels []float64 `json:"levels_dbfs"`
			Start  float64   `json:"start_ms"`
			Cents  *float64
		}
	}
	object(t, 0, &got, "calibrate", "in", base+".json", "1="+recording)
	require.Len(t, got.Rows, 4)
	for n, r := range got.Rows {
		require.Equal(t, n == 2, r.Silent, r.Name)
		if n != 2 {
			require.InDelta(t, -15-3*float64(n), r.Levels[1], .2, r.Name)
			require.InDelta(t, 0, r.Start, 2, r.Name)
			require.InDelta(t, 0, *r.Cents, 5, r.Name)
		}
	}
	code, said, _ = do("calibrate", "in", base+".json", "1="+recording)
	require.Equal(t, 0, code)
	require.Contains(t, said, "Bassoon")
	require.Contains(t, said, "silent: nothing is heard of it")

	for says, args := range map[string][]string{
		"is not a schedule of a calibration pass": {f.seated, "1=" + recording},
		"does not say which of the 1 pairs":       {base + ".json", recording},
		"not as a WAV file":                       {base + ".json", "1=" + f.seated},
		"no such file":                            {base + ".json", "1=" + recording + "x"},
	} {
		code, _, errs := do(append([]string{"calibrate", "in"}, args...)...)
		require.NotEqual(t, 0, code, says)
		require.Contains(t, errs, says)
	}
	code, _, errs = do("calibrate", "out", f.made, "-o", base)
	require.NotEqual(t, 0, code)
	require.Contains(t, errs, "no row is seated")
}
