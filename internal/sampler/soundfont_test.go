package sampler_test

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gitlab.com/gomidi/midi/v2"
	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
	"fanfold/internal/sampler"
)

// preset opens a preset of Debian's timgm6mb-soundfont.
func preset(t testing.TB, programme int) *sampler.Patch {
	t.Helper()
	store := sampler.NewStore(256 << 20)
	t.Cleanup(store.Close)
	p, err := sampler.Open(store, sampler.File{Folder: os.DirFS("/usr/share/sounds/sf2"), Source: template.Source{File: "TimGM6mb.sf2", Programme: programme}})
	require.NoError(t, err)
	return p
}

// The notes of the comparison: each for a second, two seconds apart.
var compared = []struct{ key, velocity int }{{60, 100}, {60, 50}, {72, 100}, {48, 127}, {67, 80}}

// outside renders those notes with fluidsynth (Debian's package of that name), dry.
func outside(t *testing.T, programme int) []float64 {
	t.Helper()
	var track smf.Track
	track.Add(0, smf.MetaTempo(60))
	track.Add(0, midi.ProgramChange(0, uint8(programme)))
	at := uint32(480)
	last := uint32(0)
	for _, n := range compared {
		track.Add(at-last, midi.NoteOn(0, uint8(n.key), uint8(n.velocity)))
		track.Add(480, midi.NoteOff(0, uint8(n.key)))
		last = at + 480
		at += 2 * 480
	}
	track.Close(960)
	s := smf.New()
	s.TimeFormat = smf.MetricTicks(480)
	require.NoError(t, s.Add(track))
	dir := t.TempDir()
	score, out := filepath.Join(dir, "score.mid"), filepath.Join(dir, "out.wav")
	require.NoError(t, s.WriteFile(score))
	said, err := exec.Command("fluidsynth", "-ni", "-q", "-R", "0", "-C", "0", "-g", "1", "-r", "48000", "-O", "float", "-T", "wav", "-F", out, "/usr/share/sounds/sf2/TimGM6mb.sf2", score).CombinedOutput()
	require.NoError(t, err, "Debian's package fluidsynth is needed: %s", said)
	data, err := os.ReadFile(out)
	require.NoError(t, err)
	w, err := wav.Open(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	both := [][]float64{make([]float64, w.Frames), make([]float64, w.Frames)}
	_, err = w.ReadAt(both, 0)
	require.NoError(t, err)
	return both[0]
}

// The same notes of the same SoundFont as fluidsynth renders them: pitch within 5 cents,
// levels between notes within 1 dB, and the decay after the key within 10 % (the
// tolerances of 6-outside-checks).
func TestAsFluidsynthRenders(t *testing.T) {
	for programme, name := range map[int]string{0: "piano", 16: "organ", 40: "violin", 56: "trumpet", 73: "flute", 61: "brass", 11: "vibraphone"} {
		t.Run(name, func(t *testing.T) {
			theirs := outside(t, programme)
			var list []sampler.Message
			for n, c := range compared {
				list = append(list, on(1+2*float64(n), c.key, c.velocity), off(2+2*float64(n), c.key))
			}
			ours, _ := play(preset(t, programme), float64(len(compared))*2+2, list...)
			level := func(sound []float64, n int) float64 {
				from := int((1 + 2*float64(n) + .2) * rate)
				return dsp.LevelOf(sound[from : from+rate*6/10]).RMS
			}
			base := level(ours, 0) - level(theirs, 0)
			var said strings.Builder
			for n, c := range compared {
				from := int((1 + 2*float64(n) + .3) * rate)
				a, ok := dsp.Pitch(ours[from:from+rate/3], rate, dsp.KeyHz(c.key-7), dsp.KeyHz(c.key+7))
				b, also := dsp.Pitch(theirs[from:from+rate/3], rate, dsp.KeyHz(c.key-7), dsp.KeyHz(c.key+7))
				require.Equal(t, also, ok)
				cents := 0.0
				if ok {
					cents = dsp.Cents(a, b)
				}
				difference := level(ours, n) - level(theirs, n) - base
				end := int((2 + 2*float64(n)) * rate)
				fall, falls := dsp.Decay(ours[end:end+rate*9/10], rate, -3, -23)
				their, fell := dsp.Decay(theirs[end:end+rate*9/10], rate, -3, -23)
				fmt.Fprintf(&said, "%d: %.2f cents, %.2f dB, decay %.3f and %.3f s; ", c.key, cents, difference, fall, their)
				require.InDelta(t, 0, cents, 5, said.String())
				require.InDelta(t, 0, difference, 1, said.String())
				if falls && fell {
					require.InEpsilon(t, their, fall, .1, said.String())
				}
			}
			t.Log(said.String())
			require.Less(t, math.Abs(base), 12.0)
		})
	}
}
