package smf_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
)

// midi makes a file of text as Debian's csvmidi reads it: an independent
// writer.
func midi(t *testing.T, text string) []byte {
	t.Helper()
	cmd := exec.Command("csvmidi")
	cmd.Stdin = strings.NewReader(text)
	out, err := cmd.Output()
	require.NoError(t, err, "Debian's package midicsv is needed")
	return out
}

const pier = `0, 0, Header, 1, 2, 480
1, 0, Start_track
1, 0, Tempo, 500000
1, 1920, Tempo, 1000000
1, 1920, End_track
2, 0, Start_track
2, 0, Title_t, "Violins 1"
2, 0, MIDI_port, 3
2, 0, Text_t, "pizz."
2, 0, Control_c, 2, 1, 64
2, 0, Note_on_c, 2, 60, 90
2, 240, Note_on_c, 2, 60, 0
2, 480, Lyric_t, "con sord."
2, 480, Note_on_c, 2, 64, 100
2, 960, Note_off_c, 2, 64, 64
2, 960, Text_t, "arco"
2, 960, Note_on_c, 2, 67, 80
2, 1920, End_track
0, 0, End_of_file
`

func TestFilesOfAnotherProgramAreRead(t *testing.T) {
	f, err := smf.Read(bytes.NewReader(midi(t, pier)))
	require.NoError(t, err)
	require.Len(t, f.Tracks, 2)
	require.EqualValues(t, 3_000_000, f.Tracks[1].Time.Clock.Micros(2400), "2 s at 120, then a quarter note at 60")
	track := f.Tracks[1]
	require.Equal(t, "Violins 1", track.Name)
	require.Equal(t, 3, track.Port)
	require.Equal(t, []smf.Note{
		{Start: 0, End: 240, Channel: 3, Key: 60, Velocity: 90}, {Start: 480, End: 960, Channel: 3, Key: 64, Velocity: 100},
		{Start: 960, End: 1920, Channel: 3, Key: 67, Velocity: 80}, // nobody ended it
	}, track.Notes)
	require.Equal(t, []smf.Control{{Tick: 0, Channel: 3, Number: 1, Value: 64}}, track.Controls)
	require.Equal(t, []smf.Text{{Tick: 0, Text: "pizz."}, {Tick: 480, Lyric: true, Text: "con sord."}, {Tick: 960, Text: "arco"}}, track.Texts)
}

// What is compiled is written so that midicsv reads every message.
func TestCompiledMessagesAreWritten(t *testing.T) {
	time, err := tempo.NewTime(480, []tempo.Change{{Tick: 960, Quarter: 600_000}}, []tempo.Metre{{Beats: 6, Unit: 8}, {Tick: 1440, Beats: 7, Unit: 16}})
	require.NoError(t, err)
	done, err := articulation.Compile(articulation.NewVocabulary(nil), articulation.Part{Notes: []articulation.Note{{Start: 480, End: 960, Key: 60, Velocity: 90, Articulations: []string{"pizz."}}}},
		articulation.Target{Channel: 5, KeyHigh: 127, Map: []template.Mapping{{Articulation: "pizzicato", Switches: []template.Switch{{Kind: template.ByKey, Number: 24}, {Kind: template.ByProgramme, Number: 9}}}}}, time.Clock, articulation.Options{})
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, smf.WriteCompiled(&out, "Violins", time, done.Messages))
	path := filepath.Join(t.TempDir(), "x.mid")
	require.NoError(t, os.WriteFile(path, out.Bytes(), 0o644))
	text, err := exec.Command("midicsv", path).Output()
	require.NoError(t, err)
	for _, line := range []string{
		"1, 0, Time_signature, 6, 3, 36, 8", "1, 960, Tempo, 600000", "1, 1440, Time_signature, 7, 4, 6, 8", `2, 0, Title_t, "Violins"`, "2, 480, Note_on_c, 4, 24, 100", "2, 480, Program_c, 4, 9",
		"2, 480, Note_on_c, 4, 60, 90", "2, 490, Note_off_c, 4, 24, 64", "2, 960, Note_off_c, 4, 60, 64",
	} {
		require.Contains(t, string(text), line)
	}
	back, err := smf.Read(bytes.NewReader(out.Bytes()))
	require.NoError(t, err)
	require.Len(t, back.Tracks[1].Notes, 2)
}

// The file of a call is read by midicsv: banks, then a note for each instrument.
func TestTheFileOfACall(t *testing.T) {
	base := coretest.Orchestra(3, 1)
	call := &template.Call{ID: "c", Name: "1M01", Instruments: []template.ID{base.Instruments[2].ID, base.Instruments[0].ID}}
	base.Calls = []*template.Call{{ID: "first", Name: "Other"}, call}
	w := handover.NewWake(base, call)
	time, err := tempo.NewTime(handover.TicksPerQuarter, nil, nil)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "call.mid")
	var out bytes.Buffer
	require.NoError(t, smf.WriteCompiled(&out, w.Name, time, w.Messages))
	require.NoError(t, os.WriteFile(path, out.Bytes(), 0o644))
	text, err := exec.Command("midicsv", path).Output()
	require.NoError(t, err)
	require.Contains(t, string(text), `2, 0, Title_t, "1M01"
2, 0, Control_c, 15, 0, 0
2, 0, Control_c, 15, 32, 1
2, 120, Note_on_c, 15, 0, 100
2, 240, Note_off_c, 15, 0, 0
2, 240, Note_on_c, 15, 1, 100
2, 360, Note_off_c, 15, 1, 0
2, 360, End_track
`)
}

func TestBrokenFilesSayWhere(t *testing.T) {
	head := "MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0"
	track := func(body string) string { return head + "MTrk\x00\x00\x00" + string([]byte{byte(len(body))}) + body }
	for says, data := range map[string]string{
		"does not begin":               "RIFF",
		"without the data":             "RIFF\xff\x00\x00\x00RMIDINFO\xff\xff\xff\xff",
		"it is of type 3":              "MThd\x00\x00\x00\x06\x00\x03\x00\x01\x01\xe0",
		"counts 23 frames":             "MThd\x00\x00\x00\x06\x00\x01\x00\x01\xe9\x28",
		"no ticks":                     "MThd\x00\x00\x00\x06\x00\x01\x00\x01\x00\x00",
		"a chunk of 255 bytes":         head + "MTrk\x00\x00\x00\xff\x00",
		"an event has no status":       track("\x00\x40\x40"),
		"in the middle of an event":    track("\x00"),
		"3 bytes are announced, 1 are": track("\x00\xff\x51\x03\x01"),
		"more than four bytes":         track("\x81\x81\x81\x81\x01"),
		"does not belong into a file":  track("\x00\xf8"),
	} {
		_, err := smf.Read(strings.NewReader(data))
		require.ErrorContains(t, err, says)
	}
}

// Bars go by the metres of the file: a bar of 7/16 at 120 lasts 0.875 s.
func TestBarsOfAFile(t *testing.T) {
	f, err := smf.Read(bytes.NewReader(midi(t, `0, 0, Header, 1, 1, 480
1, 0, Start_track
1, 0, Time_signature, 7, 4, 6, 8
1, 0, Tempo, 500000
1, 0, Tempo, 500000
1, 1680, Tempo, 500000
1, 1680, Time_signature, 3, 2, 24, 8
1, 1680, Note_on_c, 0, 60, 64
1, 1681, Note_off_c, 0, 60, 64
1, 1681, End_track
0, 0, End_of_file
`)))
	require.NoError(t, err)
	time := f.Tracks[0].Time
	var seconds []float64
	for bar := range 4 {
		seconds = append(seconds, float64(time.Clock.Micros(time.Bars.Start(int64(bar+1))))/1e6)
	}
	require.Equal(t, []float64{0, 0.875, 1.75, 3.25}, seconds)
	require.Len(t, time.Clock.Changes(), 1, "equal tempi are one")
}

// A file in RIFF (MIDI RP-029), patterns of type 2, and time in frames, each of them
// made of one of csvmidi's.
func TestOtherKindsOfFiles(t *testing.T) {
	plain := midi(t, pier)
	riff := append([]byte("RIFF\x00\x00\x00\x00RMIDinfo\x01\x00\x00\x00x\x00data"), byte(len(plain)), byte(len(plain)>>8), 0, 0)
	f, err := smf.Read(bytes.NewReader(append(append(riff, plain...), "LIST"...)))
	require.NoError(t, err)
	want, err := smf.Read(bytes.NewReader(plain))
	require.NoError(t, err)
	require.Equal(t, want, f)
	require.Empty(t, f.Notes)

	patterns := bytes.Clone(plain)
	patterns[9] = 2
	f, err = smf.Read(bytes.NewReader(patterns))
	require.NoError(t, err)
	require.Len(t, f.Tracks, 2)
	require.EqualValues(t, 3_000_000, f.Tracks[0].Time.Clock.Micros(2400))
	require.EqualValues(t, 2_500_000, f.Tracks[1].Time.Clock.Micros(2400), "the tempo is of the first piece only")
	require.Contains(t, f.Notes[0], "each of its 2 tracks is a piece of its own")

	for division, micros := range map[[2]byte]int64{{256 - 25, 40}: 1_000, {256 - 24, 80}: 520, {256 - 29, 100}: 333, {256 - 30, 4}: 8_333} {
		frames := bytes.Clone(plain)
		frames[12], frames[13] = division[0], division[1]
		f, err = smf.Read(bytes.NewReader(frames))
		require.NoError(t, err)
		require.Equal(t, micros, f.Tracks[0].Time.Clock.Micros(1), "%v", division)
		require.Contains(t, f.Notes[0], "Its time is in frames")
	}
}

// Running status after a meta event is against the standard and common: it is read
// as meant, and told. Devices are read.
func TestOddEventsAreReadAsMeant(t *testing.T) {
	body := "\x00\x90\x40\x40" + "\x00\xff\x09\x03Elm" + "\x10\x40\x00" + "\x00\xf0\x01\xf7" + "\x00\x42\x40" + "\x00\xff\x58\x02\x00\x02" + "\x10\xff\x2f\x00"
	f, err := smf.Read(strings.NewReader("MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk\x00\x00\x00" + string([]byte{byte(len(body))}) + body))
	require.NoError(t, err)
	require.Equal(t, []smf.Note{{Start: 0, End: 16, Channel: 1, Key: 64, Velocity: 64}, {Start: 16, End: 32, Channel: 1, Key: 66, Velocity: 64}}, f.Tracks[0].Notes)
	require.Equal(t, "Elm", f.Tracks[0].Device)
	require.Len(t, f.Notes, 2)
	require.Contains(t, f.Notes[0], "Events without a status")
	require.Contains(t, f.Notes[1], "that make no sense, left out: 1")
}

// Very many controller values are refused by the name of their bound.
func TestControllersAreBounded(t *testing.T) {
	body := "\x00\xb0\x01\x40" + strings.Repeat("\x00\x01\x41", smf.MaxValues)
	size := len(body)
	_, err := smf.Read(strings.NewReader("MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk" + string([]byte{byte(size >> 24), byte(size >> 16), byte(size >> 8), byte(size)}) + body))
	require.ErrorContains(t, err, "more than 4000000 controller values; thin them out")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk\x00\x00\x00\x08\x00\x90\x40\x40\x10\x80\x40\x40"))
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := smf.Read(bytes.NewReader(data))
		if err != nil {
			return
		}
		for _, track := range file.Tracks {
			for _, n := range track.Notes {
				require.Greater(t, n.End, n.Start)
			}
		}
	})
}

// Files that are good or broken, each in its own way: see testdata/odd/SOURCE.md. None is
// read in silence that is not as it should be.
func TestOddFiles(t *testing.T) {
	files, err := filepath.Glob("testdata/odd/*.mid")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 9)
	for _, path := range files {
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		f, err := smf.Read(bytes.NewReader(data))
		var bad *smf.Bad
		if errors.As(err, &bad) || err == nil && len(f.Notes) > 0 {
			require.True(t, strings.Contains(path, "Bad") || strings.Contains(path, "Format2"), "%s: what is wrong with it is said", path)
			continue
		}
		require.NoError(t, err, path)
		text, err := exec.Command("midicsv", path).CombinedOutput()
		require.NoError(t, err, "%s: what is read in silence, midicsv reads, too: %s", path, text)
		notes := 0
		for _, track := range f.Tracks {
			notes += len(track.Notes)
		}
		require.Equal(t, len(regexp.MustCompile(`Note_on_c, \d+, \d+, [1-9]`).FindAll(text, -1)), notes, path)
	}
}

// As many notes as a file may hold, of which none ends, take no more memory than some
// times the file: it is counted before it is kept.
func TestManyNotesTakeLittleMemory(t *testing.T) {
	var b bytes.Buffer
	b.WriteString("MThd\x00\x00\x00\x06\x00\x00\x00\x01\x01\xe0MTrk\x00\x00\x00\x00")
	at := b.Len()
	b.Write([]byte{0, 0x90, 60, 64})
	for n := range smf.MaxNotes - 1 {
		b.Write([]byte{byte(n % 2), byte(30 + n%60), 64})
	}
	b.Write([]byte{0, 0xff, 0x2f, 0})
	data := b.Bytes()
	binary.BigEndian.PutUint32(data[at-4:], uint32(len(data)-at))
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	f, err := smf.Read(bytes.NewReader(data))
	require.NoError(t, err)
	runtime.ReadMemStats(&after)
	require.Len(t, f.Tracks[0].Notes, smf.MaxNotes)
	require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(20*len(data)), "all that was ever asked for, the file as it is read among it")
	last := f.Tracks[0].Notes[smf.MaxNotes-1]
	require.Equal(t, last.Start+1, last.End)
}
