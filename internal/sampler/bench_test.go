package sampler_test

import (
	"fmt"
	"testing"
	"testing/fstest"

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

// The notes of the comparison with fluidsynth, rendered: multiples of real time.
func BenchmarkSoundFont(b *testing.B) {
	p := preset(b, 48)
	for range b.N {
		var list []sampler.Message
		for n := range 64 {
			list = append(list, on(float64(n)/4, 48+n%24, 90), off(float64(n)/4+1, 48+n%24))
		}
		play(p, 20, list...)
	}
	b.ReportMetric(20*float64(b.N)/b.Elapsed().Seconds(), "times/real")
}
