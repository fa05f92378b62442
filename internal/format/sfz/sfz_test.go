package sfz_test

import (
	"encoding/binary"
	"fmt"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"
	"unicode/utf16"

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
// new header begins again what lies within it.
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
		"<group>loop_mode=loop_continuous<region>sample=Bell #1 (soft).wav key=c4 seq_length=4 seq_position=2 <region> sample=b.wav lokey=f#3 hikey=Bb3\r\n"+
		"/* <region> sample=never.wav\nkey=99 */ <region> sample=*sine key=-1 trigger=release locc64=64 hicc1=100 hicc64=126 tune=-3 // <region> nor this\n"+
		"<curve> v000=0 key=1 <effect> key=2")
	require.Len(t, regions, 3)
	require.Equal(t, "sounds/long ones/Bell #1 (soft).wav", regions[0].Sample)
	require.Equal(t, []int{60, 60, 4, 2}, []int{regions[0].KeyLow, regions[0].KeyHigh, regions[0].Sequence, regions[0].Sounded})
	require.Equal(t, "loop_continuous", regions[0].LoopMode)
	require.Equal(t, []int{54, 58}, []int{regions[1].KeyLow, regions[1].KeyHigh})
	require.Equal(t, "*sine", regions[2].Sample)
	require.Equal(t, []int{-1, -1}, []int{regions[2].KeyLow, regions[2].KeyHigh})
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
		"no key":             {"<region>\nsample=a.wav key=H9\n<region>", "a.sfz:3: key=H9 is not a key"},
		"key too high":       {"<region> lokey=128", "a.sfz:1: lokey=128 is not a key"},
		"no velocity":        {"<region> hivel=loud", "a.sfz:1: hivel=loud is not a number from 0 to 127"},
		"leaves the folder":  {"<region> sample=../../secret.wav", `"../../secret.wav" leaves the folder`},
		"whole path":         {"<region> sample=/etc/passwd", `"/etc/passwd" leaves the folder`},
		"backslashes too":    {`<region> sample=..\..\secret.wav`, "leaves the folder"},
		"include leaves":     {"\n#include \"../../x.sfz\"", "a.sfz:2: \"../../x.sfz\" leaves the folder"},
		"include is missing": {"#include \"none.sfz\"", "a.sfz:1: open bells/none.sfz"},
		"includes itself":    {"#include \"a.sfz\"", "does a file include itself?"},
		"define without $":   {"#define KEY 60", "a name that begins with $"},
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

// Whatever wrote the file: its text is read alike, with its byte order mark, in
// UTF-16 or Windows-1252, with lines ended by CR, headers in capitals, and
// directives after other things on their line.
func TestHowFilesAreWritten(t *testing.T) {
	plain := "#include \"part.sfz\"\n<group> lokey=40 hikey=50\n<region> sample=é.wav\n<region> sample=b.wav hikey=48\n"
	wide := func(order binary.AppendByteOrder, mark bool) string {
		var out []byte
		if mark {
			out = order.AppendUint16(out, 0xFEFF)
		}
		for _, u := range utf16.Encode([]rune(plain)) {
			out = order.AppendUint16(out, u)
		}
		return string(out)
	}
	for name, text := range map[string]string{
		"as it should be":         plain,
		"byte order mark":         "\xef\xbb\xbf" + plain,
		"UTF-16, little":          wide(binary.LittleEndian, true),
		"UTF-16, big":             wide(binary.BigEndian, true),
		"UTF-16, no mark":         wide(binary.LittleEndian, false),
		"UTF-16, big, no mark":    wide(binary.BigEndian, false),
		"Windows-1252":            strings.ReplaceAll(plain, "é", "\xe9"),
		"lines ended by CR":       strings.ReplaceAll(plain, "\n", "\r"),
		"lines ended by CR LF":    strings.ReplaceAll(plain, "\n", "\r\n"),
		"headers in capitals":     strings.NewReplacer("group", "GROUP", "region", "Region", "sample", "Sample").Replace(plain),
		"one line":                strings.ReplaceAll(plain, "\n", " "),
		"include after a header":  "<control> " + plain,
		"include after a comment": "/* #include \"none.sfz\" */" + plain + "/* never closed <region> sample=c.wav",
	} {
		t.Run(name, func(t *testing.T) {
			file, err := sfz.Read(folder(map[string]string{"a.sfz": text, "part.sfz": "<region> sample=part.wav\n"}), "a.sfz")
			require.NoError(t, err)
			require.Equal(t, []string{"part.sfz"}, file.Included)
			var got []string
			for _, r := range file.Regions {
				got = append(got, fmt.Sprint(r.Sample, " ", r.KeyLow, " ", r.KeyHigh))
			}
			require.Equal(t, []string{"part.wav 0 127", "é.wav 40 50", "b.wav 40 48"}, got)
		})
	}
	file, err := sfz.Read(folder(map[string]string{"a.sfz": "<global> #define $K 60 #define $V $K <region> sample=key=1.wav key=$V #include \"b.sfz\" hikey=61\n", "b.sfz": "lovel=$K $K2=3 $ $$K"}), "a.sfz")
	require.NoError(t, err)
	require.Equal(t, sfz.Region{Sample: "key=1.wav", KeyLow: 60, KeyHigh: 61, VelLow: 60, VelHigh: 127, Switch: -1, Sequence: 1, Sounded: 1}, file.Regions[0])
}

// What a file costs is in proportion to its length, whatever it holds: regions
// under wide controller ranges, thousands of defined names, long folders, and
// includes without end are read or refused by the name of their bound.
func TestWhatAFileCostsIsBounded(t *testing.T) {
	wide := "<group>"
	for n := range 128 {
		wide += fmt.Sprintf(" locc%d=1 hicc%d=126", n, n)
	}
	names := ""
	for n := range 9_999 {
		names += fmt.Sprintf("#define $N%d %d\n", n, n%128)
	}
	for name, x := range map[string]struct {
		text, says string
	}{
		"controllers": {wide + " sample=a.wav\n" + strings.Repeat("<region>\n", sfz.MostRegions), ""},
		"regions":     {wide + strings.Repeat("<region>\n", sfz.MostRegions+1), "more than 100000 regions"},
		"names":       {names + strings.Repeat("<region> sample=a.wav key=$N77\n", 20_000), ""},
		"dollars":     {names + strings.Repeat("$", 1<<20), ""},
		"opcodes":     {"<group> " + strings.Repeat("a=1 b2=3 ", 1<<18), ""},
		"folders":     {"<control> default_path=" + strings.Repeat("long/", 800) + "\n" + numbered("<region> sample=%d.wav\n", 5_000), "paths of its samples are longer than 16 MiB"},
		"long folder": {"<control> default_path=" + strings.Repeat("long/", 900) + "\n<region> sample=a.wav", "a path is longer than 4096 bytes"},
		"includes":    {strings.Repeat("#include \"b.sfz\"\n", sfz.MostIncludes+1), "included more than 10000 times"},
		"long values": {"#define $A " + strings.Repeat("x", 4096) + "\n" + strings.Repeat("$A$A$A$A$A$A$A$A\n", 4096), "defines are larger than 16 MiB"},
	} {
		t.Run(name, func(t *testing.T) {
			files := folder(map[string]string{"a.sfz": x.text, "b.sfz": "\n"})
			var before, after runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&before)
			file, err := sfz.Read(files, "a.sfz")
			runtime.GC()
			runtime.ReadMemStats(&after)
			require.Less(t, int64(after.HeapAlloc)-int64(before.HeapAlloc), int64(32<<20))
			runtime.KeepAlive(file)
			if x.says != "" {
				require.ErrorContains(t, err, x.says)
				return
			}
			require.NoError(t, err)
		})
	}
}

func numbered(line string, times int) string {
	var out strings.Builder
	for n := range times {
		fmt.Fprintf(&out, line, n)
	}
	return out.String()
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
