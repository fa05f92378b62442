package main

import (
	"bytes"
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/audit"
	"fanfold/internal/core/tempo"
	"fanfold/internal/demo"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/wav"
)

// stems writes two stems and their mix, each of two seconds; the first is made louder by so many
// dB behind the mix's back.
func stems(t *testing.T, dir string, louder float64) {
	t.Helper()
	require.NoError(t, os.MkdirAll(dir, 0o755))
	sounds := map[string][]float64{}
	for n, name := range []string{"01 Strings.wav", "02 Harp.wav"} {
		x := make([]float64, 2*48_000)
		for k := range x {
			s := float64(k) / 48_000
			x[k] = .2 * math.Pow(math.Sin(math.Pi*s/2), 2) * math.Sin(2*math.Pi*(220+170*float64(n))*s+s*s)
		}
		sounds[name] = x
	}
	mix := make([]float64, 2*48_000)
	for k := range mix {
		mix[k] = sounds["01 Strings.wav"][k] + sounds["02 Harp.wav"][k]
	}
	for k := range sounds["01 Strings.wav"] {
		sounds["01 Strings.wav"][k] *= math.Pow(10, louder/20)
	}
	sounds["Mix.wav"] = mix
	for name, x := range sounds {
		f, err := os.Create(filepath.Join(dir, name))
		require.NoError(t, err)
		w, err := wav.NewWriter(f, wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Whole24, Broadcast: &wav.Broadcast{Begin: 96_000}, Seed: uint64(len(name))})
		require.NoError(t, err)
		y := make([]float64, len(x))
		for k := range y {
			y[k] = .7 * x[k]
		}
		require.NoError(t, w.Write(x, y))
		require.NoError(t, w.Close(nil))
		require.NoError(t, f.Close())
	}
}

// Anybody's files are proved without a template or a database: it ends with 0 where they add up,
// and with 1 where something is wrong, which is told with stem and figure.
func TestProveByCommand(t *testing.T) {
	dir := t.TempDir()
	good, bad := filepath.Join(dir, "good"), filepath.Join(dir, "bad")
	stems(t, good, 0)
	stems(t, bad, .1)
	code, out, errs := do("prove", good)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "2 stems add up to the mix, residual -1")
	code, out, errs = do("prove", bad)
	require.Equal(t, 1, code, errs)
	require.Contains(t, out, "01 Strings is 0.10 dB louder than in the mix")
	code, out, _ = do("prove", bad, "--json")
	require.Equal(t, 1, code)
	var said struct{ Report audit.Report }
	require.NoError(t, json.Unmarshal([]byte(out), &said))
	require.False(t, said.Report.Matched)
	require.EqualValues(t, 96_000, said.Report.Begin)
	code, _, errs = do("prove", good, "--match", "02 Harp.wav=guide")
	require.Equal(t, 1, code, errs)
	require.NoError(t, os.WriteFile(filepath.Join(good, "broken.wav"), []byte("RIFFxxxxWAVE"), 0o600))
	code, out, _ = do("prove", good)
	require.Equal(t, 1, code)
	require.Contains(t, out, "broken.wav: read WAV file")
	for says, args := range map[string][]string{
		"give one folder":             {"prove"},
		"is not a folder":             {"prove", filepath.Join(good, "Mix.wav")},
		"no such file":                {"prove", filepath.Join(dir, "nowhere")},
		"write FILE=STEM":             {"prove", good, "--match", "x"},
		"there is no stem \"nobody\"": {"prove", good, "--match", "x=nobody"},
		"there is no such sound":      {"prove", good, "--mix", "other.wav"},
		"--fold names a fold":         {"prove", good, "--fold", "fine"},
		"give the template with":      {"render", "x.mid"},
		"there is no field {steam}":   {"render", "x.mid", "--template", "t", "--samples", "s", "--names", "{steam}"},
	} {
		code, _, errs := do(args...)
		require.Equal(t, 2, code, "%v: %s", args, errs)
		require.Contains(t, errs, says)
	}
}

// What was proved is packed into a folder or an archive, which other programs find whole (coreutils'
// sha256sum, Info-ZIP's unzip): with lists, and without the guide. What is wrong is not packed unless
// that is asked for, and what comes to nothing leaves nothing.
func TestDeliverByCommand(t *testing.T) {
	dir := t.TempDir()
	good, bad := filepath.Join(dir, "good"), filepath.Join(dir, "bad")
	stems(t, good, 0)
	stems(t, bad, .1)
	guide, err := os.ReadFile(filepath.Join(good, "02 Harp.wav"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(bad, "Dialogue.wav"), guide, 0o600))
	folder := filepath.Join(dir, "1M02 v2")
	midi := filepath.Join(dir, "chord.mid")
	require.NoError(t, os.WriteFile(midi, chord(t), 0o600))
	code, out, errs := do("deliver", good, "--out", folder, "--title", "The lamp is lit", "--cue", "1M02", "--version", "2", "--composer", "Ida", "--music", midi, "--folders", "fold", "--to", "the mixer", "--listening")
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "3 files in ")
	for _, list := range []string{"manifest-sha256.txt", "tagmanifest-sha256.txt"} {
		c := exec.Command("sha256sum", "--strict", "-c", list)
		c.Dir = folder
		said, err := c.CombinedOutput()
		require.NoError(t, err, "%s", said)
	}
	for _, name := range []string{"The stems/01 Strings.wav", "Mix/Mix.wav", "listen/1M02 The lamp is lit v2.flac", "about/delivery sheet.pdf", "about/1M02 The lamp is lit v2.mid", "about/1M02 The lamp is lit v2 proof.json"} {
		require.FileExists(t, filepath.Join(folder, "data", filepath.FromSlash(name)))
	}
	sheet, err := os.ReadFile(filepath.Join(folder, "data", "about", "cue sheet.csv"))
	require.NoError(t, err)
	require.Contains(t, string(sheet), "1M02,The lamp is lit,2,,00:00:02:00,00:00:04:00,00:00:02:00,Ida")
	archive := filepath.Join(dir, "1M02.zip")
	code, out, _ = do("deliver", bad, "--out", archive)
	require.Equal(t, 1, code)
	require.Contains(t, out, "01 Strings is 0.10 dB louder than in the mix")
	require.NoFileExists(t, archive)
	code, out, errs = do("deliver", bad, "--out", archive, "--anyway")
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "3 files in ", "the guide stays behind")
	said, err := exec.Command("unzip", "-t", archive).CombinedOutput()
	require.NoError(t, err, "%s", said)
	require.NotContains(t, string(said), "Dialogue")
	code, _, errs = do("deliver", good, "--out", archive)
	require.Equal(t, 2, code)
	require.Contains(t, errs, "exists already")
	code, _, errs = do("deliver", good, "--out", filepath.Join(dir, "nowhere", "x.zip"))
	require.NotEqual(t, 0, code)
	require.Contains(t, errs, "no such file")
	require.NoDirExists(t, filepath.Join(dir, "nowhere"))
}

// A piece is printed by a template and the folders of its libraries, and proved; Debian's soxi
// reads what came of it. Nothing that is there is written over.
func TestRenderByCommand(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, demo.WriteLibraries(filepath.Join(dir, "samples")))
	lantern, err := demo.Template()
	require.NoError(t, err)
	require.NoError(t, writeTemplate(filepath.Join(dir, "t.fanfold.json"), lantern))
	midi := filepath.Join(dir, "one chord.mid")
	require.NoError(t, os.WriteFile(midi, chord(t), 0o600))
	out := filepath.Join(dir, "stems")
	args := []string{"render", midi, "--template", filepath.Join(dir, "t.fanfold.json"), "--samples", filepath.Join(dir, "samples"), "--out", out, "--fold", "sections", "--start", "01:00:10:00", "--softer"}
	code, said, errs := do(args...)
	require.Equal(t, 0, code, errs)
	require.Contains(t, said, "10 files of ")
	name := filepath.Join(out, "one chord Strings.wav")
	rate, err := exec.Command("soxi", "-r", name).Output()
	require.NoError(t, err, "Debian's package sox is needed")
	require.Equal(t, "48000\n", string(rate))
	code, said, errs = do("prove", out, "--template", filepath.Join(dir, "t.fanfold.json"), "--fold", "sections")
	require.Equal(t, 0, code, "%s%s", said, errs)
	require.Contains(t, said, "8 stems add up to the mix")
	code, _, errs = do(args...)
	require.Equal(t, 1, code)
	require.Contains(t, errs, "is there already")
}

// chord is a bar of violas and cellos.
func chord(t *testing.T) []byte {
	t.Helper()
	time, err := tempo.NewTime(480, []tempo.Change{{Quarter: 500_000}}, nil)
	require.NoError(t, err)
	var parts []smf.Played
	for k, name := range []string{"Violas", "Cellos"} {
		parts = append(parts, smf.Played{Name: name, Port: -1, Messages: []articulation.Message{
			{Tick: 0, Status: articulation.NoteOn, Channel: 1, Data1: 60 - 12*k, Data2: 70},
			{Tick: 1440, Status: articulation.NoteOff, Channel: 1, Data1: 60 - 12*k, Data2: 64},
		}})
	}
	var b bytes.Buffer
	require.NoError(t, smf.WritePlayed(&b, time, parts))
	return b.Bytes()
}
