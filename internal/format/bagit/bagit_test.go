package bagit_test

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/bagit"
)

var day = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func bag(t testing.TB) []byte {
	t.Helper()
	var b bytes.Buffer
	w := bagit.NewWriter(&b, "1M02 v1", day)
	require.NoError(t, w.Add("Strings 100%.wav", strings.NewReader("RIFF....")))
	require.NoError(t, w.Add("sheet/Prüfung.html", strings.NewReader("<p>")))
	require.NoError(t, w.Close([]bagit.Label{{"External-Description", "Stems\nof 1M02"}, {"Contact-Name", ""}}))
	return b.Bytes()
}

// A bag in a folder is there when it is whole, and coreutils' sha256sum finds every file as its
// manifests have it; one that comes to nothing leaves nothing.
func TestABagInAFolder(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "1M02 v1")
	b, err := bagit.NewFolder(dir, day)
	require.NoError(t, err)
	require.NoError(t, b.Add("Strings/Long.wav", strings.NewReader("RIFF....")))
	require.NoDirExists(t, dir, "it is not whole yet")
	require.NoError(t, b.Close(nil))
	for _, list := range []string{"manifest-sha256.txt", "tagmanifest-sha256.txt"} {
		c := exec.Command("sha256sum", "--strict", "-c", list)
		c.Dir = dir
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	_, err = bagit.NewFolder(dir, day)
	require.ErrorContains(t, err, "exists already")
	left, err := bagit.NewFolder(dir+" again", day)
	require.NoError(t, err)
	require.NoError(t, left.Add("a.wav", strings.NewReader("RIFF")))
	left.Abandon()
	list, err := os.ReadDir(filepath.Dir(dir))
	require.NoError(t, err)
	require.Len(t, list, 1)
}

func check(data []byte) error {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return err
	}
	return bagit.Check(r)
}

// A bag as other programs see it: unzip finds nothing wrong, and sha256sum (coreutils) finds
// every file as the manifest has it.
func TestABagAsOthersReadIt(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "bag.zip")
	require.NoError(t, os.WriteFile(name, bag(t), 0o600))
	r, err := zip.OpenReader(name)
	require.NoError(t, err)
	defer r.Close()
	require.NoError(t, bagit.Check(&r.Reader))
	texts := map[string]string{}
	for _, f := range r.File {
		from, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(from)
		require.NoError(t, err)
		texts[f.Name] = string(data)
		to := filepath.Join(dir, filepath.FromSlash(f.Name))
		require.NoError(t, os.MkdirAll(filepath.Dir(to), 0o755))
		require.NoError(t, os.WriteFile(to, data, 0o600))
	}
	require.Equal(t, "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n", texts["1M02 v1/bagit.txt"])
	require.Equal(t, "External-Description: Stems of 1M02\nBagging-Date: 2026-11-27\nPayload-Oxum: 11.2\n", texts["1M02 v1/bag-info.txt"])
	require.Contains(t, texts["1M02 v1/manifest-sha256.txt"], "  data/Strings 100%25.wav\n")
	for _, list := range []string{"tagmanifest-sha256.txt"} {
		cmd := exec.Command("sha256sum", "-c", list)
		cmd.Dir = filepath.Join(dir, "1M02 v1")
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	plain := strings.ReplaceAll(texts["1M02 v1/manifest-sha256.txt"], "%25", "%")
	cmd := exec.Command("sha256sum", "-c", "-")
	cmd.Dir, cmd.Stdin = filepath.Join(dir, "1M02 v1"), strings.NewReader(plain)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
}

// What is missing, more, or other than it was is told by name.
func TestWhatIsWrongWithABag(t *testing.T) {
	again := func(change func(name string, data []byte) (string, []byte)) error {
		r, err := zip.NewReader(bytes.NewReader(bag(t)), int64(len(bag(t))))
		require.NoError(t, err)
		var b bytes.Buffer
		w := zip.NewWriter(&b)
		for _, f := range r.File {
			from, err := f.Open()
			require.NoError(t, err)
			data, err := io.ReadAll(from)
			require.NoError(t, err)
			name, data := change(f.Name, data)
			if name == "" {
				continue
			}
			to, err := w.Create(name)
			require.NoError(t, err)
			_, err = to.Write(data)
			require.NoError(t, err)
		}
		require.NoError(t, w.Close())
		return check(b.Bytes())
	}
	require.NoError(t, again(func(n string, d []byte) (string, []byte) { return n, d }))
	require.ErrorContains(t, again(func(n string, d []byte) (string, []byte) {
		if strings.HasSuffix(n, ".wav") {
			return n, []byte("other")
		}
		return n, d
	}), "data/Strings 100%.wav is not as it was")
	require.ErrorContains(t, again(func(n string, d []byte) (string, []byte) {
		if strings.HasSuffix(n, ".html") {
			return "", nil
		}
		return n, d
	}), "data/sheet/Prüfung.html is missing")
	require.ErrorContains(t, again(func(n string, d []byte) (string, []byte) {
		return strings.Replace(n, "Prüfung.html", "x.html", 1), d
	}), "data/sheet/x.html is not in the manifest")
	require.ErrorContains(t, again(func(n string, d []byte) (string, []byte) {
		return strings.Replace(n, "bagit.txt", "b.txt", 1), d
	}), "not a bag")
	w := bagit.NewWriter(io.Discard, "x", day)
	require.NoError(t, w.Add("A.wav", strings.NewReader("")))
	require.ErrorContains(t, w.Add("a.wav", strings.NewReader("")), "already")
	require.ErrorContains(t, w.Add("../a.wav", strings.NewReader("")), "cannot be a path")
}

func FuzzCheck(f *testing.F) {
	f.Add(bag(f))
	f.Fuzz(func(_ *testing.T, data []byte) { _ = check(data) })
}
