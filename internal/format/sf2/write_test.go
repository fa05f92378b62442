package sf2_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/sf2"
)

// What is written is read again the same, and fluidsynth (Debian's package of that name)
// lists its presets.
func TestWrite(t *testing.T) {
	frames := make([]int16, 500)
	for n := range frames {
		frames[n] = int16(n * 30)
	}
	font := sf2.Font{Name: "Odd", Samples: []sf2.FontSample{{Name: "A", RateHz: 32_000, Key: 60, LoopStart: 10, LoopEnd: 400, Frames: frames}, {Name: "B", RateHz: 48_000, Key: 72, Frames: frames[:99]}}}
	for n, name := range []string{"First", "Second with a name that is too long"} {
		font.Presets = append(font.Presets, sf2.FontPreset{Name: name, Programme: n, Zones: []sf2.FontZone{
			{Sample: 0, KeyLow: 0, KeyHigh: 64, VelLow: 0, VelHigh: 127, Generators: [][2]int{{sf2.SampleModes, 1}, {sf2.Pan, -300}}}, {Sample: 1, KeyLow: 65, KeyHigh: 127, VelLow: 1, VelHigh: 100},
		}})
	}
	var b bytes.Buffer
	require.NoError(t, sf2.Write(&b, font))
	file, err := sf2.Read(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	require.Equal(t, "Odd", file.Name)
	require.Len(t, file.Presets, 2)
	require.Equal(t, []sf2.Zone{{Sample: 0, KeyHigh: 64, VelHigh: 127, Looped: true}, {Sample: 1, KeyLow: 65, KeyHigh: 127, VelLow: 1, VelHigh: 100}}, file.Presets[1].Zones)
	p, err := sf2.ReadPreset(bytes.NewReader(b.Bytes()), int64(b.Len()), 0, 1)
	require.NoError(t, err)
	require.Equal(t, "Second with a name", p.Name)
	require.Equal(t, int32(-300), p.Zones[0].Values[sf2.Pan])
	require.Equal(t, [2]uint32{10, 400}, [2]uint32{p.Samples[0].LoopStart, p.Samples[0].LoopEnd})
	require.Equal(t, byte(30), b.Bytes()[p.SoundAt+2], "where the sound lies")
	_, err = sf2.ReadPreset(bytes.NewReader(b.Bytes()), int64(b.Len()), 0, 9)
	require.ErrorContains(t, err, "no preset of bank 0, programme 10")

	dir := t.TempDir()
	path, ask := filepath.Join(dir, "odd.sf2"), filepath.Join(dir, "ask")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	require.NoError(t, os.WriteFile(ask, []byte("inst 1\nquit\n"), 0o600))
	said, err := exec.Command("fluidsynth", "-n", "-a", "file", "-o", "audio.file.name="+filepath.Join(dir, "out.raw"), "-f", ask, path).CombinedOutput()
	require.NoError(t, err, string(said))
	require.Contains(t, string(said), "000-000 First")
	require.Contains(t, string(said), "000-001 Second with a name")
}
