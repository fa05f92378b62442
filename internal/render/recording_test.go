package render_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/render"
)

// A recording plays from any place, in blocks: what comes before and after it is
// silence.
func TestARecordingPlays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		frames := rapid.IntRange(1, 900).Draw(t, "frames")
		from := rapid.IntRange(-500, 900).Draw(t, "from")
		file := render.Recorded{Channels: 1, RateHz: 48_000, Frames: int64(frames), ReadAt: func(into [][]float64, at int64) (int, error) {
			n := 0
			for ; n < len(into[0]) && int(at)+n < frames; n++ {
				into[0][n] = float64(int(at) + n + 1)
			}
			return n, nil
		}}
		r, err := render.NewRecording(file, float64(from)/48_000, 48_000)
		require.NoError(t, err)
		for k := 0; k < 1500; k += render.Frames {
			var b render.Block
			quiet := r.Render(&b)
			heard := false
			for n := range b[0] {
				want := 0.0
				if at := from + k + n; at >= 0 && at < frames {
					want, heard = float64(at+1), true
				}
				require.Equal(t, want, b[0][n], "at %d", k+n)
				require.Equal(t, want, b[1][n])
			}
			require.Equal(t, heard, !quiet)
		}
		require.NoError(t, r.Err())
	})
}
