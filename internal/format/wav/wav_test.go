package wav_test

import (
	"bytes"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/wav"
)

func chunk(tag string, body ...[]byte) []byte {
	all := bytes.Join(body, nil)
	out := binary.LittleEndian.AppendUint32([]byte(tag), uint32(len(all)))
	out = append(out, all...)
	if len(all)%2 == 1 {
		out = append(out, 0)
	}
	return out
}

func format(channels, rate, bits int) []byte {
	var b []byte
	b = binary.LittleEndian.AppendUint16(b, 1)
	b = binary.LittleEndian.AppendUint16(b, uint16(channels))
	b = binary.LittleEndian.AppendUint32(b, uint32(rate))
	b = binary.LittleEndian.AppendUint32(b, uint32(rate*channels*bits/8))
	b = binary.LittleEndian.AppendUint16(b, uint16(channels*bits/8))
	return chunk("fmt ", binary.LittleEndian.AppendUint16(b, uint16(bits)))
}

func loops(runs ...[2]uint32) []byte {
	b := make([]byte, 28)
	b = binary.LittleEndian.AppendUint32(b, uint32(len(runs)))
	b = append(b, 0, 0, 0, 0)
	for _, r := range runs {
		b = append(b, make([]byte, 8)...)
		b = binary.LittleEndian.AppendUint32(b, r[0])
		b = binary.LittleEndian.AppendUint32(b, r[1])
		b = append(b, make([]byte, 8)...)
	}
	return chunk("smpl", b)
}

func riff(body ...[]byte) []byte { return chunk("RIFF", append([][]byte{[]byte("WAVE")}, body...)...) }

func read(data []byte) (wav.Header, error) { return wav.Read(bytes.NewReader(data), int64(len(data))) }

// 24-bit stereo at 48 kHz is 288,000 bytes a second (4-reference, Audio
// files).
func TestHeaders(t *testing.T) {
	h, err := read(riff(format(2, 48000, 24), chunk("junk", []byte{1}), loops([2]uint32{10, 900}), chunk("data", make([]byte, 288_000))))
	require.NoError(t, err)
	require.Equal(t, wav.Header{Channels: 2, RateHz: 48000, Bits: 24, Frames: 48000, Bytes: 288_000, Loops: []wav.Loop{{Start: 10, End: 900}}}, h)
	after, err := read(riff(format(1, 44100, 16), chunk("data", make([]byte, 200)), loops([2]uint32{1, 2}, [2]uint32{3, 4})))
	require.NoError(t, err)
	require.Len(t, after.Loops, 2, "the chunk may stand behind the sound")
	require.EqualValues(t, 100, after.Frames)
}

// RF64 keeps the size of the sound in its ds64 chunk (EBU Tech 3306).
func TestRF64(t *testing.T) {
	data := chunk("data", make([]byte, 600))
	binary.LittleEndian.PutUint32(data[4:], 0xFFFFFFFF)
	ds64 := make([]byte, 28)
	binary.LittleEndian.PutUint64(ds64[8:], 600)
	file := append([]byte("RF64\xff\xff\xff\xffWAVE"), chunk("ds64", ds64)...)
	file = append(append(file, format(2, 48000, 24)...), data...)
	h, err := read(file)
	require.NoError(t, err)
	require.EqualValues(t, []int64{600, 100}, []int64{h.Bytes, h.Frames})
}

func TestWhatIsNoWavFile(t *testing.T) {
	for name, tc := range map[string]struct {
		data []byte
		says string
	}{
		"nothing":   {nil, "announced"},
		"a picture": {[]byte("\x89PNG\r\n\x1a\n0000"), "not as a WAV file"},
		"no sound":  {riff(format(1, 48000, 16)), "holds no sound"},
		"no format": {riff(chunk("data", make([]byte, 10))), "does not come before"},
		"cut short": {riff(format(1, 48000, 16))[:20], "announced"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := read(tc.data)
			require.ErrorContains(t, err, tc.says)
		})
	}
	whole := riff(format(1, 48000, 16), chunk("data", make([]byte, 1000)))
	h, err := read(whole[:len(whole)-400])
	require.NoError(t, err)
	require.EqualValues(t, 600, h.Bytes, "a recording that was cut off still plays")
}

// Debian's sox writes files of its own, which say the same to both.
func TestAgainstSox(t *testing.T) {
	path := filepath.Join(t.TempDir(), "sine.wav")
	out, err := exec.Command("sox", "-n", "-r", "44100", "-c", "2", "-b", "24", path, "synth", "1.5", "sine", "440").CombinedOutput()
	require.NoError(t, err, "Debian's package sox is needed: %s", out)
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	info, err := f.Stat()
	require.NoError(t, err)
	h, err := wav.Read(f, info.Size())
	require.NoError(t, err)
	require.Equal(t, wav.Header{Channels: 2, RateHz: 44100, Bits: 24, Frames: 66150, Bytes: 66150 * 6}, h)
}

func FuzzRead(f *testing.F) {
	f.Add(riff(format(2, 48000, 24), loops([2]uint32{1, 2}), chunk("data", make([]byte, 12))))
	f.Fuzz(func(t *testing.T, data []byte) {
		h, err := read(data)
		if err == nil {
			require.LessOrEqual(t, h.Bytes, int64(len(data)))
			require.LessOrEqual(t, len(h.Loops), wav.MostLoops)
		}
	})
}

// What is written, this package and Debian's sox read alike.
func TestWrittenFilesAreRead(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, 24000, 1, make([]int16, 1200)))
	h, err := read(b.Bytes())
	require.NoError(t, err)
	require.Equal(t, wav.Header{Channels: 1, RateHz: 24000, Bits: 16, Frames: 1200, Bytes: 2400}, h)
	name := filepath.Join(t.TempDir(), "x.wav")
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o644))
	out, err := exec.Command("sox", "--i", "-s", name).CombinedOutput()
	require.NoError(t, err)
	require.Equal(t, "1200\n", string(out))
}

// ffprobe (of Debian's ffmpeg) reads where a broadcast file begins and what it is, and as many
// samples as without.
func TestABroadcastFileSaysWhereItBegins(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, wav.WriteBroadcast16(&b, 48_000, 1, make([]int16, 4_800), wav.Broadcast{Description: "Click of 1M01", Begin: 172_800_000}))
	path := filepath.Join(t.TempDir(), "click.wav")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "format=duration:format_tags=time_reference,comment", "-of", "csv=p=0", path).CombinedOutput()
	require.NoError(t, err)
	require.Equal(t, "0.100000,Click of 1M01,172800000\n", string(out))
	h, err := read(b.Bytes())
	require.NoError(t, err)
	require.Equal(t, int64(4_800), h.Frames)
}
