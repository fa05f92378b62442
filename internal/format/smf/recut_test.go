package smf_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"
	message "gitlab.com/gomidi/midi/v2"
	gomidi "gitlab.com/gomidi/midi/v2/smf"
	"pgregory.net/rapid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
)

// cutting is how music changes by edits, in the resolution of cues.
func cutting(edits cue.TickEdits) smf.Recutting {
	x := smf.Recutting{Ticks: cue.Ticks, At: edits.At, Tempi: []tempo.Change{{Quarter: 500_000}}, Metres: []tempo.Metre{{Beats: 4, Unit: 4}}}
	for _, e := range edits {
		if e.Put > 0 {
			x.Puts = append(x.Puts, e.At)
		}
	}
	return x
}

// written is a file of one track at 480: tempo 60, controllers and notes as messages at ticks.
func written(t require.TestingT, at ...any) []byte {
	file := gomidi.NewSMF1()
	file.TimeFormat = gomidi.MetricTicks(480)
	var track gomidi.Track
	track.Add(0, gomidi.MetaTempo(60))
	last := uint32(0)
	for n := 0; n < len(at); n += 2 {
		tick := uint32(at[n].(int))
		switch m := at[n+1].(type) {
		case message.Message:
			track.Add(tick-last, m)
		case gomidi.Message:
			track.Add(tick-last, m)
		case []byte:
			track.Add(tick-last, m)
		}
		last = tick
	}
	track.Close(0)
	require.NoError(t, file.Add(track))
	var b bytes.Buffer
	_, err := file.WriteTo(&b)
	require.NoError(t, err)
	return b.Bytes()
}

func on(key uint8) []byte  { return message.NoteOn(0, key, 90) }
func off(key uint8) []byte { return message.NoteOff(0, key) }

// Worked by hand: of eight quarter notes the third and fourth are taken out. A note that sounds
// into them ends there; one that begins in them goes, though it ends after; what a controller
// and a programme were set to in them is set where the music goes on; the tempo is said again.
func TestMusicIsTakenOut(t *testing.T) {
	data := written(t, 0, on(60), 480, off(60), 720, on(62), 1100, message.ControlChange(0, 1, 99), 1200, on(64), 1300, off(62), 1500, message.ProgramChange(0, 7), 1700, message.ControlChange(0, 1, 33), 2000, off(64), 2400, on(65), 2880, off(65), 3000, gomidi.MetaText("end"))
	var b bytes.Buffer
	told, err := smf.WriteRecut(&b, bytes.NewReader(data), cutting(cue.TickEdits{{At: 2 * 960, Take: 2 * 960}}))
	require.NoError(t, err)
	require.Equal(t, smf.Recut{Notes: 3, Gone: 1, Shorter: 1}, told)
	got, err := smf.Read(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	track := got.Tracks[0]
	require.Equal(t, []smf.Note{
		{Start: 0, End: 480, Channel: 1, Key: 60, Velocity: 90}, {Start: 720, End: 960, Channel: 1, Key: 62, Velocity: 90}, {Start: 1440, End: 1920, Channel: 1, Key: 65, Velocity: 90},
	}, track.Notes)
	require.Equal(t, []smf.Control{{Tick: 1040, Channel: 1, Number: 1, Value: 33}}, track.Controls, "its last value in what went, where the music goes on")
	require.Equal(t, []tempo.Change{{Quarter: 500_000}}, track.Time.Clock.Changes())
	require.Equal(t, "end", track.Texts[0].Text)
	require.EqualValues(t, 2040, track.Texts[0].Tick)
}

// Where time is put in, what sounds ends, and what comes later moves.
func TestTimeIsPutIn(t *testing.T) {
	data := written(t, 0, on(60), 1900, off(60), 1920, on(62), 2400, off(62))
	var b bytes.Buffer
	told, err := smf.WriteRecut(&b, bytes.NewReader(data), cutting(cue.TickEdits{{At: 2 * 960, Put: 4 * 960}}))
	require.NoError(t, err)
	require.Equal(t, smf.Recut{Notes: 2, Shorter: 1}, told)
	got, err := smf.Read(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	require.Equal(t, []smf.Note{{Start: 0, End: 960, Channel: 1, Key: 60, Velocity: 90}, {Start: 3840, End: 4320, Channel: 1, Key: 62, Velocity: 90}}, got.Tracks[0].Notes)
}

func TestWhatCanNotBeRecut(t *testing.T) {
	_, err := smf.WriteRecut(&bytes.Buffer{}, bytes.NewReader([]byte("hello")), cutting(nil))
	require.ErrorContains(t, err, "does not begin")
	file := gomidi.NewSMF1()
	file.TimeFormat = gomidi.TimeCode{FramesPerSecond: 25, SubFrames: 40}
	var empty gomidi.Track
	empty.Close(0)
	require.NoError(t, file.Add(empty))
	var b bytes.Buffer
	_, err = file.WriteTo(&b)
	require.NoError(t, err)
	_, err = smf.WriteRecut(&bytes.Buffer{}, &b, cutting(nil))
	require.ErrorContains(t, err, "in frames")
}

// Whatever is taken out and put in: every note that is left begins where its tick lies then, no
// note that began in what went is there, and none is longer than it was; without an edit the notes
// are as they were.
func TestEveryNoteIsWhereItBelongs(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		var events []any
		want := map[[2]int]bool{} // start and key
		tick := 0
		type sounding struct{ key, start int }
		var open []sounding
		long := map[[2]int]int{}
		for range rapid.IntRange(0, 20).Draw(r, "events") {
			tick += rapid.IntRange(0, 700).Draw(r, "later")
			if len(open) > 0 && rapid.Bool().Draw(r, "end") {
				s := open[0]
				open = open[1:]
				events = append(events, tick, off(uint8(s.key)))
				long[[2]int{s.start, s.key}] = tick - s.start
				continue
			}
			key := 40 + len(events)/2
			events = append(events, tick, on(uint8(key)))
			want[[2]int{tick, key}] = true
			open = append(open, sounding{key, tick})
		}
		var edits cue.TickEdits
		at := int64(0)
		for range rapid.IntRange(0, 3).Draw(r, "edits") {
			at += 960 * rapid.Int64Range(0, 6).Draw(r, "at")
			e := cue.TickEdit{At: at}
			if rapid.Bool().Draw(r, "take") {
				e.Take = 480 * rapid.Int64Range(1, 6).Draw(r, "long")
			} else {
				e.Put = 480 * rapid.Int64Range(1, 6).Draw(r, "long")
			}
			at += e.Take
			edits = append(edits, e)
		}
		var b bytes.Buffer
		told, err := smf.WriteRecut(&b, bytes.NewReader(written(r, events...)), cutting(edits))
		require.NoError(r, err)
		got, err := smf.Read(&b)
		require.NoError(r, err)
		require.Len(r, got.Tracks[0].Notes, told.Notes)
		require.Equal(r, len(want), told.Notes+told.Gone)
		left := map[[2]int]int{}
		for _, n := range got.Tracks[0].Notes {
			left[[2]int{int(n.Start), int(n.Key)}] = int(n.End - n.Start)
		}
		for x := range want {
			now, kept := edits.At(int64(x[0]) * 2)
			length, there := left[[2]int{int(now / 2), x[1]}]
			require.Equal(r, kept, there, "tick %d", x[0])
			if was, ended := long[x]; there && ended {
				require.LessOrEqual(r, length, max(1, was))
			}
		}
	})
}

func FuzzRecut(f *testing.F) {
	f.Add(written(f, 0, on(60), 480, off(60)), int64(960), int64(480), false)
	f.Add([]byte("MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk\x00\x00\x00\x04\x00\xff\x2f\x00"), int64(0), int64(1), true)
	f.Fuzz(func(t *testing.T, data []byte, at, long int64, put bool) {
		e := cue.TickEdit{At: max(0, at%1_000_000), Take: max(0, long%1_000_000)}
		if put {
			e.Take, e.Put = 0, e.Take
		}
		var b bytes.Buffer
		if _, err := smf.WriteRecut(&b, bytes.NewReader(data), cutting(cue.TickEdits{e})); err != nil {
			return
		}
		_, err := smf.Read(&b)
		require.NoError(t, err)
	})
}
