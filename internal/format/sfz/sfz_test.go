package sfz_test

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/sfz"
)

func folder(files map[string]string) fstest.MapFS {
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

func read(t *testing.T, text string) []sfz.Region {
	t.Helper()
	file, err := sfz.Read(folder(map[string]string{"bells/a.sfz": text}), "bells/a.sfz")
	require.NoError(t, err)
	return file.Regions
}

// Opcodes are inherited from global, master and group, the innermost first; a
// new header begins anew what lies within it.
func TestInheritance(t *testing.T) {
	regions := read(t, `
<global> lovel=10 hivel=20 // for all
<master> hivel=30
<group> lokey=40 hikey=50 sw_last=24
<region> sample=a.wav
<region> sample=b.wav lokey=c3 hivel=40
<group> hikey=60
<region> sample=c.wav
<master>
<region> sample=d.wav
<global>
<region> sample=e.wav`)
	type short struct {
		sample                 string
		lo, hi, vlo, vhi, last int
	}
	var got []short
	for _, r := range regions {
		got = append(got, short{r.Sample, r.KeyLow, r.KeyHigh, r.VelLow, r.VelHigh, r.Switch})
	}
	require.Equal(t, []short{
		{"bells/a.wav", 40, 50, 10, 30, 24}, {"bells/b.wav", 48, 50, 10, 40, 24}, {"bells/c.wav", 0, 60, 10, 30, -1},
		{"bells/d.wav", 0, 127, 10, 20, -1}, {"bells/e.wav", 0, 127, 1, 127, -1},
	}, got)
}

// Values hold spaces and # and run to the next opcode; several stand on a
// line, several headers too; backslashes part folders; keys are numbers or
// names with c4 for 60.
func TestHowValuesAreWritten(t *testing.T) {
	regions := read(t, "<control> default_path=..\\sounds\\long ones/ note_offset=12 octave_offset=-1\n"+
		"<group>loop_mode=loop_continuous<region>sample=Bell #1 (soft).wav key=c4 seq_length=4 seq_position=2 <region> sample=b.wav lokey=f#3 hikey=Bb3 pitch_keycenter=60\r\n"+
		"/* <region> sample=never.wav\nkey=99 */ <region> sample=*sine key=-1 trigger=release locc64=64 hicc1=100 hicc64=126 tune=-3 // <region> nor this\n"+
		"<curve> v000=0 key=1 <effect> key=2")
	require.Len(t, regions, 3)
	require.Equal(t, "sounds/long ones/Bell #1 (soft).wav", regions[0].Sample)
	require.Equal(t, []int{60, 60, 60, 4, 2}, []int{regions[0].KeyLow, regions[0].KeyHigh, regions[0].Centre, regions[0].Sequence, regions[0].Sounded})
	require.Equal(t, "loop_continuous", regions[0].LoopMode)
	require.Equal(t, []int{54, 58, 60}, []int{regions[1].KeyLow, regions[1].KeyHigh, regions[1].Centre})
	require.Equal(t, "*sine", regions[2].Sample)
	require.Equal(t, []int{-1, -1}, []int{regions[2].KeyLow, regions[2].KeyHigh})
	require.Equal(t, "release", regions[2].Trigger)
	require.Equal(t, map[int][2]int{1: {0, 100}, 64: {64, 126}}, regions[2].Controllers)
}

// Includes are named from the folder of the first file; defined names are put
// in wherever they stand, the longest first.
func TestIncludesAndDefines(t *testing.T) {
	file, err := sfz.Read(folder(map[string]string{
		"lib/main.sfz":         "#define $KEY 60\n#define $KEYHIGH 72\n#define $EXT wav\n#include \"parts/flute.sfz\"\n#include \"parts/$EXT.sfz\"\n",
		"lib/parts/flute.sfz":  "<group> lokey=$KEY hikey=$KEYHIGH\n#include \"parts/region.sfz\"\n",
		"lib/parts/region.sfz": "<region> sample=a.$EXT\n",
		"lib/parts/wav.sfz":    "<region> sample=b.$EXT key=$KEY\n",
	}), "lib/main.sfz")
	require.NoError(t, err)
	require.Equal(t, []string{"lib/parts/flute.sfz", "lib/parts/region.sfz", "lib/parts/wav.sfz"}, file.Included)
	require.Equal(t, "lib/a.wav", file.Regions[0].Sample)
	require.Equal(t, []int{60, 72}, []int{file.Regions[0].KeyLow, file.Regions[0].KeyHigh})
	require.Equal(t, 60, file.Regions[1].KeyHigh)
}

func TestErrorsNameTheFileAndLine(t *testing.T) {
	for name, tc := range map[string]struct{ text, says string }{
		"no key":             {"<region>\nsample=a.wav key=H9\n<region>", "a.sfz:3: key=H9 is no key"},
		"key too high":       {"<region> lokey=128", "a.sfz:1: lokey=128 is no key"},
		"no velocity":        {"<region> hivel=loud", "a.sfz:1: hivel=loud is no number from 0 to 127"},
		"leaves the folder":  {"<region> sample=../../secret.wav", `"../../secret.wav" leaves the folder`},
		"whole path":         {"<region> sample=/etc/passwd", `"/etc/passwd" leaves the folder`},
		"backslashes too":    {`<region> sample=..\..\secret.wav`, "leaves the folder"},
		"include leaves":     {"\n#include \"../../x.sfz\"", "a.sfz:2: \"../../x.sfz\" leaves the folder"},
		"include is missing": {"#include \"none.sfz\"", "a.sfz:1: open bells/none.sfz"},
		"includes itself":    {"#include \"a.sfz\"", "does a file include itself?"},
		"define without $":   {"#define KEY 60", "a name that begins with $"},
		"bad controller":     {"<region> locc1=200", "locc1=200 is no number"},
		"bad offset":         {"<control> note_offset=x <region> key=1", "note_offset=x"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := sfz.Read(folder(map[string]string{"bells/a.sfz": tc.text}), "bells/a.sfz")
			require.ErrorContains(t, err, tc.says)
		})
	}
	_, err := sfz.Read(folder(nil), "none.sfz")
	require.ErrorContains(t, err, "none.sfz")
}

// A file made to be slow costs bounded time and memory.
func TestMaliciousFilesAreBounded(t *testing.T) {
	double := "#define $A 0123456789\n"
	for n := range 40 { // each twice the one before
		double += fmt.Sprintf("#define $%s $%s$%s\n", strings.Repeat("B", n+1), strings.Repeat("B", n), strings.Repeat("B", n))
	}
	_, err := sfz.Read(folder(map[string]string{"bells/a.sfz": strings.Replace(double, "$$", "$A$A", 1)}), "bells/a.sfz")
	require.True(t, err == nil || strings.Contains(err.Error(), "4096 characters"), "%v", err)
	bomb := folder(map[string]string{"a.sfz": strings.Repeat("#include \"b.sfz\"\n", 4000), "b.sfz": strings.Repeat("x", 1<<20)})
	_, err = sfz.Read(bomb, "a.sfz")
	require.ErrorContains(t, err, "larger than 16 MiB")
}

func FuzzRead(f *testing.F) {
	f.Add("<control> default_path=x/ <group> key=c4 <region> sample=a b.wav\n#define $A 1\n")
	f.Add("<region> sample=..\\a.wav locc1=3 /* \n */ #include \"a.sfz\"")
	f.Fuzz(func(t *testing.T, text string) {
		file, err := sfz.Read(folder(map[string]string{"d/a.sfz": text}), "d/a.sfz")
		if err != nil {
			return
		}
		for _, r := range file.Regions {
			require.False(t, strings.HasPrefix(r.Sample, "..") || strings.HasPrefix(r.Sample, "/"), "%q stays in the folder", r.Sample)
			require.True(t, r.KeyLow >= -1 && r.KeyHigh <= 127)
		}
	})
}
