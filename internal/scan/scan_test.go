package scan_test

import (
	"context"
	"encoding/binary"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/scan"
)

// sound is a mono WAV file of that many frames of 16 bits.
func sound(frames int) []byte {
	var b []byte
	word := func(v uint32) { b = binary.LittleEndian.AppendUint32(b, v) }
	half := func(v uint16) { b = binary.LittleEndian.AppendUint16(b, v) }
	b = append(b, "RIFF"...)
	word(uint32(36 + 2*frames))
	b = append(b, "WAVEfmt "...)
	word(16)
	half(1)
	half(1)
	word(48000)
	word(96000)
	half(2)
	half(16)
	b = append(b, "data"...)
	word(uint32(2 * frames))
	return append(b, make([]byte, 2*frames)...)
}

func file(data []byte) *fstest.MapFile { return &fstest.MapFile{Data: data} }

func harbour() fstest.MapFS {
	return fstest.MapFS{
		"Bells/bell.sfz":        file([]byte("<group> sw_lokey=24 sw_hikey=25 sw_last=24 seq_length=2\n<region> sample=wav/a.wav key=60 seq_position=1\n<region> sample=wav/a.wav key=60 seq_position=2 loop_mode=loop_continuous\n<region> sample=wav/b.wav lokey=61 hikey=72 lovel=20\n#include \"shared.sfz\"")),
		"Bells/shared.sfz":      file([]byte("#define $X 1\n")),
		"Bells/wav/a.wav":       file(sound(48_000)),
		"Bells/wav/b.wav":       file(sound(1_000)),
		"Bells/broken.sfz":      file([]byte("<region> sample=wav/a.wav key=zz")),
		"Bells/missing.sfz":     file([]byte("<region> sample=wav/none.wav\n<region> sample=wav/none.wav key=3\n<region> sample=wav/b.wav key=5")),
		"Bells/wav/picture.wav": file([]byte("\x89PNG")),
		"Drums/picture.sfz":     file([]byte("<control> default_path=../Bells/wav/\n<region> sample=picture.wav <region> sample=*noise key=40")),
		"Drums/font.sf2":        file([]byte("RIFF\x04\x00\x00\x00sfbk")),
		"notes.txt":             file([]byte("not a patch")),
	}
}

// Patches are measured, and what is broken is told by name and reason, each
// sample once, without stopping.
func TestAFolderIsMeasured(t *testing.T) {
	var steps []string
	r, err := scan.Folder(context.Background(), harbour(), scan.Options{Policy: patch.DefaultPolicy(), Tell: func(done, of int) { steps = append(steps, fmt.Sprintf("%d/%d", done, of)) }})
	require.NoError(t, err)
	require.Equal(t, []string{"1/6", "2/6", "3/6", "4/6", "5/6", "6/6"}, steps)
	var names []string
	for _, p := range r.Patches {
		names = append(names, p.Name)
	}
	require.Equal(t, []string{"bell", "missing", "picture"}, names)
	bell := r.Patches[0].Measure
	require.Equal(t, []int{60, 72, 1, 127, 3, 2, 2, 1}, []int{bell.KeyLow, bell.KeyHigh, bell.VelLow, bell.VelHigh, bell.Zones, bell.Samples, bell.RoundRobins, bell.Loops})
	require.Equal(t, []int{24}, bell.Switches)
	require.InDelta(t, 98_000.0/(1<<20), bell.FullMiB, 1e-9)
	require.InDelta(t, (65_536+2_000+3*512.0)/(1<<20), bell.PreloadMiB, 1e-9)
	require.Equal(t, 1, r.Patches[1].Measure.Zones, "measured without the sample that is missing")
	require.Equal(t, 40, r.Patches[2].Measure.KeyLow, "a sound that is made takes no sample")

	broken := map[string]string{}
	for _, b := range r.Broken {
		require.NotContains(t, broken, b.File, "told once")
		broken[b.File] = b.Reason
	}
	require.Len(t, broken, 4)
	require.Contains(t, broken["Bells/broken.sfz"], "Bells/broken.sfz:1: key=zz is not a key")
	require.Contains(t, broken["Bells/wav/none.wav"], "not exist")
	require.Contains(t, broken["Bells/wav/picture.wav"], "announced")
	require.Contains(t, broken["Drums/font.sf2"], "phdr chunk has 0 bytes")
}

func TestAScanIsStopped(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	r, err := scan.Folder(ctx, harbour(), scan.Options{Policy: patch.DefaultPolicy(), Tell: func(done, _ int) {
		if done == 1 {
			cancel()
		}
	}})
	require.ErrorIs(t, err, context.Canceled)
	require.ErrorContains(t, err, "stopped after 1 of 6 files")
	require.Len(t, r.Patches, 1, "what was found stays")
}

// A second scan reads only what changed: a sample behind a patch, or the patch
// itself. What was broken is told each time; what is gone is named.
func TestOnlyChangedFilesAreReadAgain(t *testing.T) {
	folder := harbour()
	folder["Bells/other.sfz"] = file([]byte("<region> sample=wav/b.wav key=50"))
	delete(folder, "Drums/font.sf2")
	scanned := func(known map[string]scan.Kept) scan.Result {
		r, err := scan.Folder(context.Background(), folder, scan.Options{Policy: patch.DefaultPolicy(), Known: known})
		require.NoError(t, err)
		return r
	}
	first := scanned(nil)
	require.Len(t, first.Measured, 3, "bell, its shared part, and other; the rest lacks something")
	second := scanned(first.Measured)
	require.Equal(t, 3, second.Unchanged)
	require.Empty(t, second.Measured)
	require.Equal(t, first.Patches, second.Patches)
	require.Equal(t, first.Broken, second.Broken)

	folder["Bells/wav/a.wav"] = file(sound(24_000))
	third := scanned(first.Measured)
	require.Equal(t, 2, third.Unchanged, "only bell plays that sample")
	require.Less(t, third.Patches[0].Measure.FullMiB, first.Patches[0].Measure.FullMiB)

	folder["Bells/shared.sfz"].Data = []byte("#define $Y 22\n")
	require.Contains(t, scanned(third.Measured).Measured, "Bells/bell.sfz", "what it includes changed")
	delete(folder, "Bells/other.sfz")
	require.Equal(t, []string{"Bells/other.sfz"}, scanned(first.Measured).Gone)
}

// A link that leads out of the folder is not followed.
func TestLinksLeadNowhereElse(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "in"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secret.wav"), sound(10), 0o644))
	require.NoError(t, os.Symlink("../secret.wav", filepath.Join(dir, "in", "a.wav")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "a.sfz"), []byte("<region> sample=a.wav"), 0o644))
	root, err := os.OpenRoot(filepath.Join(dir, "in"))
	require.NoError(t, err)
	defer root.Close()
	r, err := scan.Folder(context.Background(), root.FS(), scan.Options{Policy: patch.DefaultPolicy()})
	require.NoError(t, err)
	require.Empty(t, r.Patches)
	require.Len(t, r.Broken, 2)
	require.Equal(t, "a.wav", r.Broken[1].File)
	require.Contains(t, r.Broken[1].Reason, "escapes")
}

// 10,000 SFZ files with 200,000 regions. The goal is 60 s and 300 MiB.
func BenchmarkFolder10000(b *testing.B) {
	folder := fstest.MapFS{}
	for n := range 10_000 {
		var text strings.Builder
		text.WriteString("<global> ampeg_release=0.4\n<group> sw_last=24\n")
		for k := range 20 {
			fmt.Fprintf(&text, "<region> sample=wav/%d.wav lokey=%d hikey=%d pitch_keycenter=%d lovel=1 hivel=127 volume=-3\n", k, 30+3*k, 32+3*k, 31+3*k)
		}
		folder[fmt.Sprintf("lib%d/p%d.sfz", n%50, n)] = file([]byte(text.String()))
	}
	for lib := range 50 {
		for k := range 20 {
			folder[fmt.Sprintf("lib%d/wav/%d.wav", lib, k)] = file(sound(100))
		}
	}
	for b.Loop() {
		r, err := scan.Folder(context.Background(), folder, scan.Options{Policy: patch.DefaultPolicy()})
		require.NoError(b, err)
		require.Len(b, r.Patches, 10_000)
		require.Empty(b, r.Broken)
	}
}

// A small SoundFont (npm @ryohey/sf2parser, its fixture) and the SFZ files
// Debian's polyphone makes of it measure alike: two patches, ten regions, five
// samples; paths with backslashes, several opcodes on a line.
func TestAConvertedSoundFontMeasuresAlike(t *testing.T) {
	const font = "../../web/node_modules/@ryohey/sf2parser/fixture/TestSoundFont.sf2"
	data, err := os.ReadFile(font)
	require.NoError(t, err, "run: make web/node_modules/.ready")
	dir := t.TempDir()
	cmd := exec.Command("polyphone", "-3", "-i", font, "-d", dir, "-o", "made")
	cmd.Env = append(os.Environ(), "QT_QPA_PLATFORM=offscreen")
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", said)
	scanned := func(folder fs.FS) map[string]patch.Measure {
		r, err := scan.Folder(context.Background(), folder, scan.Options{Policy: patch.DefaultPolicy()})
		require.NoError(t, err)
		require.Empty(t, r.Broken)
		out := map[string]patch.Measure{}
		for _, p := range r.Patches {
			out[p.Name] = p.Measure
		}
		return out
	}
	made, original := scanned(os.DirFS(dir)), scanned(fstest.MapFS{"x.sf2": file(data)})
	require.Len(t, made, 2)
	zones, samples := 0, map[int]bool{}
	for name, m := range made {
		was, ok := original[name]
		require.True(t, ok, name)
		require.Equal(t, []int{was.KeyLow, was.KeyHigh, was.Zones, was.Samples}, []int{m.KeyLow, m.KeyHigh, m.Zones, m.Samples}, name)
		require.InDelta(t, was.FullMiB, m.FullMiB, 0.001, name)
		zones += m.Zones
		samples[m.Samples] = true
	}
	require.Equal(t, 10, zones)
	require.Equal(t, map[int]bool{5: true}, samples)
}

// Names that differ in case only are found, as on the systems libraries are made
// on, and what is there under its own name goes first. A file whose samples are
// all missing makes no patch and is told, as is one without a region, unless
// another file includes it.
func TestSilentFilesAreTold(t *testing.T) {
	folder := fstest.MapFS{
		"Lib/violin.sfz":         file([]byte("#include \"data/notes.sfz\"\n<region> sample=..\\LIB\\Samples\\Violin.WAV key=60 <region> sample=samples/violin.wav key=61 <region> sample=samples/B.wav key=62")),
		"Lib/Data/Notes.sfz":     file([]byte("<region> sample=samples/violin.wav key=59")),
		"Lib/samples/violin.wav": file(sound(1_000)),
		"Lib/samples/B.wav":      file(sound(500)),
		"Lib/samples/b.wav":      file(sound(99_000)),
		"Lib/lost.sfz":           file([]byte("<region> sample=none.wav key=60 <region> sample=nor.wav")),
		"Lib/bare.sfz":           file([]byte("<group> volume=3\n")),
		"Lib/dumb.sfz":           file([]byte("<region> key=60")),
		"Lib/wide.sfz":           file([]byte("\xff\xfe<\x00r\x00e\x00g\x00i\x00o\x00n\x00>\x00s\x00a\x00m\x00p\x00l\x00e\x00=\x00*\x00s\x00i\x00n\x00e\x00")),
	}
	scanned := func(known map[string]scan.Kept) scan.Result {
		r, err := scan.Folder(t.Context(), folder, scan.Options{Policy: patch.DefaultPolicy(), Known: known})
		require.NoError(t, err)
		return r
	}
	r := scanned(nil)
	var names []string
	for _, p := range r.Patches {
		names = append(names, fmt.Sprintf("%s %d", p.Name, p.Measure.Samples))
	}
	require.Equal(t, []string{"violin 2", "wide 1"}, names)
	require.InDelta(t, 3_000.0/(1<<20), r.Patches[0].Measure.FullMiB, 1e-9)
	require.Equal(t, 59, r.Patches[0].Measure.KeyLow)
	told := func(r scan.Result) map[string]string {
		out := map[string]string{}
		for _, b := range r.Broken {
			out[b.File] = b.Reason
		}
		return out
	}
	want := map[string]string{
		"Lib/none.wav": "it does not exist", "Lib/nor.wav": "it does not exist",
		"Lib/lost.sfz": "none of its samples can be read (Lib/none.wav: it does not exist), and no other file includes it",
		"Lib/bare.sfz": "it has no <region>, and no other file includes it",
		"Lib/dumb.sfz": "no <region> of it names a sample, and no other file includes it",
	}
	require.Equal(t, want, told(r))
	again := scanned(r.Measured)
	require.Equal(t, want, told(again), "each time")
	require.Equal(t, 2, again.Unchanged, "violin and wide")

	zones, err := scan.Zones(folder, r.Patches[0].Source())
	require.NoError(t, err)
	require.Len(t, zones, 4)
	_, err = scan.Zones(folder, template.Source{File: "Lib/wide.sfz", Bank: 3})
	require.ErrorContains(t, err, "no longer holds the patch")
}
