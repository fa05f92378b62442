package demo_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/demo"
	"fanfold/internal/sampler"
)

// Every patch of the demo is a file that can be played, but for the one whose samples are
// lost on purpose; and all of them together are small.
func TestTheLibrariesCanBePlayed(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, demo.WriteLibraries(dir))
	size := int64(0)
	require.NoError(t, filepath.WalkDir(dir, func(_ string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		if info, err := d.Info(); err == nil && !d.IsDir() {
			size += info.Size()
		}
		return nil
	}))
	require.Less(t, size, int64(60<<20))
	lantern, err := demo.Template()
	require.NoError(t, err)
	store := sampler.NewStore(1 << 30)
	defer store.Close()
	played := 0
	for _, p := range lantern.Patches {
		library := lantern.Index().Libraries[p.Library].Name
		root, err := os.OpenRoot(filepath.Join(dir, library))
		require.NoError(t, err)
		patch, err := sampler.Open(store, sampler.File{Place: library, Folder: root.FS(), Source: *p.Source})
		if p.Name == "Contrabass clarinet effects" {
			require.ErrorContains(t, err, "nothing of it can sound")
			continue
		}
		require.NoError(t, err, p.Name)
		require.Empty(t, patch.Missing, p.Name)
		require.Empty(t, patch.Notes, p.Name)
		played++
	}
	t.Logf("%d patches, %d MiB on the disk, %d MiB in memory", played, size>>20, store.Bytes()>>20)
	require.Greater(t, played, 400)
}
