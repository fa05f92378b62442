package pass_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/calibrate"
	"fanfold/internal/format/wav"
	"fanfold/internal/pass"
)

// An hour of a recording, read from the disk and measured: 30 s is the aim.
func BenchmarkAnHourOfCalibration(b *testing.B) {
	const rate = 48_000
	p := pass.Pass{Template: "Large", Pairs: []string{"everything"}}
	for n := 0; ; n++ {
		p.Rows = append(p.Rows, calibrate.Row{Name: fmt.Sprint(n), Low: 40, High: 80, Ways: []string{"long", "staccato", "legato"}, Percussed: true})
		if p.Schedule().Seconds > 3600 {
			break
		}
	}
	s := p.Schedule()
	frames := make([]int16, 2*int((s.Seconds+1)*rate))
	for _, e := range s.Events {
		if e.Kind == calibrate.Silence {
			continue
		}
		from := int(e.At * rate)
		for n := range int(e.Seconds * rate) {
			x := int16((n%(40+e.Key) - (40+e.Key)/2) * e.Strength)
			frames[2*(from+n)], frames[2*(from+n)+1] = x, x
		}
	}
	path := filepath.Join(b.TempDir(), "hour.wav")
	out, err := os.Create(path)
	require.NoError(b, err)
	require.NoError(b, wav.Write16(out, rate, 2, frames))
	require.NoError(b, out.Close())
	for b.Loop() {
		in, err := os.Open(path)
		require.NoError(b, err)
		info, err := in.Stat()
		require.NoError(b, err)
		got, err := p.Measure(0, in, info.Size())
		require.NoError(b, err)
		require.Len(b, got, len(p.Rows))
		require.NoError(b, in.Close())
	}
	b.ReportMetric(float64(len(p.Rows)), "rows")
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s/hour")
}
