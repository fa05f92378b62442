package sampler_test

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
	"gitlab.com/gomidi/midi/v2"
	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/sampler"
)

// One voice in both qualities: the aim is 12 ns for each stereo voice and sample while
// auditioning, 25 ns in a print, and no allocation for a block (7-sound).
func BenchmarkVoice(b *testing.B) {
	for _, channels := range []int{1, 2} {
		for q, name := range []string{"draft", "print"} {
			b.Run(fmt.Sprintf("%s, %d channels", name, channels), func(b *testing.B) {
				const voices = 32
				p := patch(b, "<region> sample=x.wav pitch_keycenter=60 loop_mode=loop_continuous", map[string]*fstest.MapFile{"x.wav": file(b, rate, channels, sine(440, .1, channels*rate/2))})
				e := sampler.New(p, sampler.Options{Quality: sampler.Quality(q), Wait: true})
				for n := range voices {
					e.Send(on(0, 44+n, 100))
				}
				left, right := make([]float64, 256), make([]float64, 256)
				e.Render(left, right)
				b.ReportAllocs()
				b.ResetTimer()
				for range b.N {
					e.Render(left, right)
				}
				perSample := float64(b.Elapsed().Nanoseconds()) / float64(b.N) / 256 / voices
				b.ReportMetric(perSample, "ns/voice·sample")
				b.ReportMetric(1e9/rate/perSample, "voices/core")
			})
		}
	}
}

// A minute of strings in four parts from a SoundFont, rendered to the end, beside fluidsynth
// (Debian's package of that name), which reads the font and writes a file, too: multiples of
// real time.
func BenchmarkSoundFont(b *testing.B) {
	const seconds = 60
	var track smf.Track
	track.Add(0, smf.MetaTempo(60))
	track.Add(0, midi.ProgramChange(0, 48))
	var list []sampler.Message
	for n := range 4 * seconds {
		key, at := 48+n%24, float64(n)/4
		list = append(list, on(at, key, 90), off(at+1, key))
	}
	slices.SortStableFunc(list, func(a, b sampler.Message) int { return int(a.At - b.At) })
	last := int64(0)
	for _, m := range list {
		delta := uint32((m.At - last) * 480 / rate)
		last = m.At
		if m.Kind == sampler.NoteOn {
			track.Add(delta, midi.NoteOn(0, uint8(m.Key), uint8(m.Value)))
		} else {
			track.Add(delta, midi.NoteOff(0, uint8(m.Key)))
		}
	}
	track.Close(480)
	score := smf.New()
	score.TimeFormat = smf.MetricTicks(480)
	require.NoError(b, score.Add(track))
	dir := b.TempDir()
	path := filepath.Join(dir, "score.mid")
	require.NoError(b, score.WriteFile(path))
	b.Run("ours", func(b *testing.B) {
		p := preset(b, 48)
		for b.Loop() {
			play(p, seconds, list...)
		}
		b.ReportMetric(seconds*float64(b.N)/b.Elapsed().Seconds(), "times/real")
	})
	b.Run("fluidsynth", func(b *testing.B) {
		for b.Loop() {
			said, err := exec.Command("fluidsynth", "-ni", "-q", "-R", "0", "-C", "0", "-r", "48000", "-O", "float", "-T", "wav", "-F", filepath.Join(dir, "out.wav"), "/usr/share/sounds/sf2/TimGM6mb.sf2", path).CombinedOutput()
			require.NoError(b, err, string(said))
		}
		b.ReportMetric(seconds*float64(b.N)/b.Elapsed().Seconds(), "times/real")
	})
}
