package demo_test

import (
	"flag"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/demo"
)

var update = flag.Bool("update", false, "write the cue's file anew")

// The cue that people may drop lies in docs/music, as it is made here.
func TestTheCueIsShipped(t *testing.T) {
	made, err := demo.Cue()
	require.NoError(t, err)
	path := filepath.Join("..", "..", "docs", "music", demo.CueName+".mid")
	if *update {
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, made, 0o644))
	}
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Equal(t, kept, made, "write it with: go test ./internal/demo -run Cue -update")
}
