package demo_test

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/patch"
	"fanfold/internal/demo"
	"fanfold/internal/scan"
)

// The demo's samples are scanned as any others: nine instruments, three ways
// to play each, and one sample missing.
func TestTheSamplesCanBeScanned(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, demo.WriteSamples(dir))
	require.NoError(t, demo.WriteSamples(dir), "a second time, nothing is written")
	r, err := scan.Folder(context.Background(), os.DirFS(dir), scan.Options{Policy: patch.DefaultPolicy()})
	require.NoError(t, err)
	require.Len(t, r.Patches, 9)
	require.Len(t, r.Broken, 1)
	require.Contains(t, r.Broken[0].File, "Rail chimes scraped.wav")
	for _, p := range r.Patches {
		require.Equal(t, []int{24, 25, 26}, p.Measure.Switches, p.Name)
		require.Equal(t, "roll", p.Measure.Labels[25])
		require.Equal(t, 2, p.Measure.RoundRobins)
	}
}
