package sf2_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/sound"
	"fanfold/internal/format/sf2"
)

// Four SoundFonts of Debian's packages timgm6mb-soundfont, csound-soundfont
// and fluid-soundfont-gm and -gs, against counts and names that another reader, npm
// soundfont2, gives in the web tests: presets, instruments, samples, bytes of
// smpl.
func TestDebiansSoundFonts(t *testing.T) {
	var counts map[string]struct {
		Presets, Instruments, Samples, Smpl int
		Names                               []string
	}
	data, err := os.ReadFile("testdata/counts.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &counts))
	require.Len(t, counts, 4)
	for name, want := range counts {
		t.Run(name, func(t *testing.T) {
			f, err := os.Open("/usr/share/sounds/sf2/" + name)
			require.NoError(t, err, "Debian's packages timgm6mb-soundfont, csound-soundfont, fluid-soundfont-gm and -gs are needed")
			defer f.Close()
			info, err := f.Stat()
			require.NoError(t, err)
			font, err := sf2.Read(f, info.Size())
			require.NoError(t, err)
			require.Equal(t, [4]int{want.Presets, want.Instruments, want.Samples, want.Smpl}, [4]int{len(font.Presets), font.Instruments, len(font.Samples), int(font.SampleBytes)})
			var names []string
			for _, p := range font.Presets {
				names = append(names, fmt.Sprintf("%d %d %s", p.Bank, p.Program, p.Name))
			}
			slices.Sort(names)
			require.Equal(t, want.Names, names)
			for _, p := range font.Presets {
				require.NotEmpty(t, p.Zones, p.Name)
				for _, z := range p.Zones {
					require.LessOrEqual(t, z.KeyLow, z.KeyHigh)
					require.LessOrEqual(t, int64(font.Samples[z.Sample].End)*2, font.SampleBytes, "samples lie within smpl")
				}
			}
		})
	}
}

// General MIDI 1 names programme 1 a piano and bank 128 drums; the font's own
// first names say so too.
func TestGeneralMIDINames(t *testing.T) {
	f, err := os.Open("/usr/share/sounds/sf2/TimGM6mb.sf2")
	require.NoError(t, err)
	defer f.Close()
	info, err := f.Stat()
	require.NoError(t, err)
	font, err := sf2.Read(f, info.Size())
	require.NoError(t, err)
	first := map[[2]int]string{}
	for _, p := range font.Presets {
		first[[2]int{p.Bank, p.Program}] = p.Name
	}
	require.Contains(t, first[[2]int{0, 0}], "Piano")
	require.NotEmpty(t, first[[2]int{128, 0}])
	for programme := range 128 {
		require.NotEmpty(t, first[[2]int{0, programme}], "General MIDI fills bank 0")
	}
	// The orchestra among the General MIDI 1 programmes, from memory, and what
	// the font's names for them are taken to be.
	for programme, is := range map[int]string{
		40: "strings.violin", 41: "strings.viola", 42: "strings.cello", 43: "strings.contrabass", 46: "pluck.harp", 47: "drum.timpani",
		56: "brass.trumpet", 57: "brass.trombone", 58: "brass.tuba", 60: "brass.french-horn",
		68: "wind.reed.oboe", 69: "wind.reed.english-horn", 70: "wind.reed.bassoon", 71: "wind.reed.clarinet", 72: "wind.flutes.flute.piccolo", 73: "wind.flutes.flute",
	} {
		got := sound.ByName(first[[2]int{0, programme}])
		require.NotNil(t, got, first[[2]int{0, programme}])
		require.Equal(t, is, got.ID, first[[2]int{0, programme}])
	}
}

// small builds a SoundFont of one preset and instrument by the specification:
// two zones under a global one, split at key 60.
func small() []byte {
	name := func(s string) []byte { return append([]byte(s), make([]byte, 20-len(s))...) }
	var phdr, pbag, pgen, inst, ibag, igen, shdr bytes.Buffer
	put := func(b *bytes.Buffer, values ...any) {
		for _, v := range values {
			_ = binary.Write(b, binary.LittleEndian, v) // a buffer takes everything
		}
	}
	put(&phdr, name("Bell"), uint16(4), uint16(2), uint16(0), [3]uint32{})
	put(&phdr, name("EOP"), uint16(0), uint16(0), uint16(1), [3]uint32{})
	put(&pbag, uint16(0), uint16(0), uint16(2), uint16(0))
	put(&pgen, uint16(43), [2]byte{48, 72}, uint16(41), uint16(0), [2]uint16{})
	put(&inst, name("Bell"), uint16(0), name("EOI"), uint16(3))
	put(&ibag, uint16(0), uint16(0), uint16(1), uint16(0), uint16(3), uint16(0), uint16(5), uint16(0))
	put(&igen, uint16(54), uint16(1), uint16(43), [2]byte{0, 59}, uint16(53), uint16(0), uint16(43), [2]byte{60, 127}, uint16(53), uint16(1), [2]uint16{})
	for _, s := range []struct {
		name       string
		start, end uint32
	}{{"low", 0, 100}, {"high", 100, 300}, {"EOS", 0, 0}} {
		put(&shdr, name(s.name), s.start, s.end, uint32(0), uint32(0), uint32(48000), uint8(60), int8(0), uint16(0), uint16(1))
	}
	chunk := func(tag string, body []byte) []byte {
		out := binary.LittleEndian.AppendUint32([]byte(tag), uint32(len(body)))
		out = append(out, body...)
		if len(body)%2 == 1 {
			out = append(out, 0)
		}
		return out
	}
	var pdta []byte
	for _, c := range []struct {
		tag  string
		body *bytes.Buffer
	}{{"phdr", &phdr}, {"pbag", &pbag}, {"pgen", &pgen}, {"inst", &inst}, {"ibag", &ibag}, {"igen", &igen}, {"shdr", &shdr}} {
		pdta = append(pdta, chunk(c.tag, c.body.Bytes())...)
	}
	body := append([]byte("sfbk"), chunk("LIST", append([]byte("INFO"), chunk("INAM", []byte("Harbour\x00"))...))...)
	body = append(body, chunk("LIST", append([]byte("sdta"), chunk("smpl", make([]byte, 600))...))...)
	body = append(body, chunk("LIST", append([]byte("pdta"), pdta...))...)
	return chunk("RIFF", body)
}

func TestZonesAreInheritedAndCut(t *testing.T) {
	data := small()
	font, err := sf2.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Equal(t, "Harbour", font.Name)
	p := font.Presets[0]
	require.Equal(t, []any{"Bell", 2, 4}, []any{p.Name, p.Bank, p.Program})
	require.Equal(t, []sf2.Zone{
		{Sample: 0, KeyLow: 48, KeyHigh: 59, VelHigh: 127, Looped: true},
		{Sample: 1, KeyLow: 60, KeyHigh: 72, VelHigh: 127, Looped: true},
	}, p.Zones, "the preset's keys cut the instrument's; both loop by its global zone")
	require.EqualValues(t, 400, font.Samples[1].Bytes())
}

// Cut off anywhere, the file is refused or read; never more is asked for than
// is there.
func TestTruncatedFilesAreRefused(t *testing.T) {
	data := small()
	for n := range data {
		_, err := sf2.Read(bytes.NewReader(data[:n]), int64(n))
		require.Error(t, err, "%d bytes", n)
	}
	_, err := sf2.Read(bytes.NewReader([]byte("RIFF\x04\x00\x00\x00WAVE")), 12)
	require.ErrorContains(t, err, "not as a SoundFont")
}

func FuzzRead(f *testing.F) {
	f.Add(small())
	f.Fuzz(func(t *testing.T, data []byte) {
		font, err := sf2.Read(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return
		}
		for _, p := range font.Presets {
			for _, z := range p.Zones {
				require.Less(t, z.Sample, len(font.Samples))
			}
		}
	})
}

// A sample that claims to end beyond the sound of the file is cut there and told; one
// of a ROM takes nothing. The font is npm @ryohey/sf2parser's fixture, with its sample
// headers set.
func TestSamplesEndWithTheFile(t *testing.T) {
	font, err := os.ReadFile("../../../web/node_modules/@ryohey/sf2parser/fixture/TestSoundFont.sf2")
	require.NoError(t, err, "run: make web/node_modules/.ready")
	at := bytes.LastIndex(font, []byte("shdr")) + 8
	sample := func(n int) []byte { return font[at+46*n:] }
	binary.LittleEndian.PutUint32(sample(0)[24:], 0xFFFF_FFF0)
	binary.LittleEndian.PutUint16(sample(1)[44:], 0x8001)
	file, err := sf2.Read(bytes.NewReader(font), int64(len(font)))
	require.NoError(t, err)
	require.Len(t, file.Notes, 1)
	require.Contains(t, file.Notes[0], "ends beyond the sound of the file; it is cut there")
	require.LessOrEqual(t, 2*int64(file.Samples[0].End), file.SampleBytes)
	require.Zero(t, file.Samples[1].Bytes())
	binary.LittleEndian.PutUint32(sample(2)[20:], 0xFFFF_FFF0)
	binary.LittleEndian.PutUint32(sample(2)[24:], 0xFFFF_FFF1)
	file, err = sf2.Read(bytes.NewReader(font), int64(len(font)))
	require.NoError(t, err)
	require.Contains(t, file.Notes[0], "2 samples end beyond")
	require.Zero(t, file.Samples[2].Bytes())
}
