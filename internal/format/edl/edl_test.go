package edl_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/edl"
)

var (
	film = timecode.Rate{Num: 24, Den: 1}
	drop = timecode.Rate{Num: 30_000, Den: 1001, Drop: true}
)

// The layout of CMX 3600 as it is published (from memory): cuts, a dissolve of two lines, a
// wipe, a speed, names of clips, sound beside, and black.
const whole = "TITLE: SALT LANTERN R1\r\nFCM: NON-DROP FRAME\r\n\r\n" +
	"001  REEL0001 V     C        01:02:03:04 01:02:05:04 01:00:00:00 01:00:02:00 \r\n* FROM CLIP NAME: LAMP TURNS\r\n" +
	"001  REEL0001 A     C        01:02:03:04 01:02:05:04 01:00:00:00 01:00:02:00 \r\n" +
	"002  REEL0001 V     C        01:02:05:04 01:02:05:04 01:00:02:00 01:00:02:00\r\n" +
	"002  REEL0002 V     D    012 00:10:00:00 00:10:03:00 01:00:02:00 01:00:05:00\r\n* FROM CLIP NAME: LAMP TURNS\r\n* TO CLIP NAME: HARBOUR\r\n" +
	"003  BL       V     C        00:00:00:00 00:00:01:00 01:00:05:00 01:00:06:00\r\n" +
	"004  REEL0003 AA/V  W001 006 00:20:00:00 00:20:01:00 01:00:06:00 01:00:08:00\r\nM2   REEL0003       012.0                00:20:00:00\r\n" +
	"005  REEL0004 V     C        00:00:10:00 00:00:11:00 01:00:08:00 01:00:10:00\r\nM2   REEL0004       000.0                00:00:10:00\r\n"

func TestAWholeList(t *testing.T) {
	got, err := edl.Read(strings.NewReader(whole), film)
	require.NoError(t, err)
	require.Equal(t, "SALT LANTERN R1", got.Title)
	at := func(text string) int64 {
		f, err := film.Parse(text)
		require.NoError(t, err)
		return f
	}
	require.Equal(t, []cut.Event{
		{Number: "001", Source: "REEL0001", Clip: "LAMP TURNS", In: at("01:02:03:04"), Start: at("01:00:00:00"), End: at("01:00:02:00")},
		{Number: "002", Source: "REEL0002", Clip: "HARBOUR", In: at("00:10:00:00"), Start: at("01:00:02:00"), End: at("01:00:05:00"), Fade: 12},
		{Number: "003", Source: "BL", Start: at("01:00:05:00"), End: at("01:00:06:00")},
		{Number: "004", Source: "REEL0003", In: at("00:20:00:00"), Start: at("01:00:06:00"), End: at("01:00:08:00"), Speed: .5, Fade: 6, Wipe: "001"},
		{Number: "005", Source: "REEL0004", In: at("00:00:10:00"), Start: at("01:00:08:00"), End: at("01:00:10:00"), Still: true},
	}, got.Events)
	require.Equal(t, []edl.Note{{0, "left out: 1 of sound, keys and other tracks"}}, got.Notes)
}

// Each fault is told with its line, and nothing is taken of a list that has one.
func TestFaultsAreToldByLine(t *testing.T) {
	line := func(text string) string { return "TITLE: X\nFCM: NON-DROP FRAME\n" + text }
	for _, c := range []struct {
		list, says string
		rate       timecode.Rate
	}{
		{line("001  A V C 00:00:00:24 00:00:02:00 01:00:00:00 01:00:01:00"), "line 3: 00:00:00:24 is not a timecode at 24", film},
		{line("001  A V C 00:00:00:00 00:00:01:00 01:00:01:00 01:00:00:00"), "line 3: event 001 ends at 01:00:00:00, before it begins", film},
		{line("001  A V C 00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n\n002  B V C 00:00:00:00 00:00:02:00 01:00:01:00 01:00:03:00"), "line 5: event 002 begins at 01:00:01:00, before event 001 of line 3 ends at 01:00:02:00", film},
		{line("001  A V C 00:00:00:00"), "line 3: \"001  A V C 00:00:00:00\" is not an event", film},
		{line("001  A V D 100 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00"), "comes in over 100 frames and lasts 24", film},
		{"001  A V C 01:01:00;00 01:01:01;00 01:00:00;00 01:00:01;00", "line 1: 01:01:00;00 is not a timecode at 29.97 drop: this minute begins with frame 02", drop},
		{"hello", "no picture events", film},
		{"", "no picture events", film},
	} {
		_, err := edl.Read(strings.NewReader(c.list), c.rate)
		require.ErrorContains(t, err, c.says)
	}
	many := strings.Repeat("001  A V C 00:00:00:99 00:00:02:00 01:00:00:00 01:00:01:00\n", 100)
	_, err := edl.Read(strings.NewReader(many), film)
	require.ErrorContains(t, err, "and 17 more")
}

// What is odd is told, and the list is taken: a count that is not the film's, another number
// of frames than it lasts, tracks above the first.
func TestWhatIsOddIsTold(t *testing.T) {
	got, err := edl.Read(strings.NewReader("FCM: DROP FRAME\n001  A V C 00:00:00:00 00:00:02:00 01:00:00;00 01:00:01;00\n002 A V2 C 00:00:00:00 00:00:02:00 01:00:00;00 01:00:01;00\nsome words of the program that wrote it\n"), film)
	require.NoError(t, err)
	require.Len(t, got.Events, 1)
	require.Equal(t, []edl.Note{
		{1, `the list says "DROP FRAME", and is read at 24: see that this is the film's rate`},
		{2, "its timecode is written as drop-frame, and is read at 24"},
		{2, "event 001 takes 48 frames from its source and lasts 24, without a speed; its time in the film is used"},
		{0, "left out: 1 of sound, keys and other tracks"},
	}, got.Notes)
}

// A list that is written is read as it was, at every rate.
func TestThereAndBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		rate := rapid.SampledFrom(timecode.Rates).Draw(r, "rate").Rate
		l := cut.List{Title: "FILM ONE", Rate: rate}
		at := rapid.Int64Range(0, 90_000).Draw(r, "from")
		for n := range rapid.IntRange(1, 12).Draw(r, "events") {
			at += rapid.Int64Range(0, 20).Draw(r, "gap")
			length := rapid.Int64Range(1, 400).Draw(r, "length")
			e := cut.Event{Number: fmt.Sprintf("%03d", n+1), Source: rapid.StringMatching(`[A-Z0-9]{1,8}`).Draw(r, "source"), In: rapid.Int64Range(0, 100_000).Draw(r, "in"), Start: at, End: at + length}
			e.Clip = rapid.StringMatching(`([A-Z][a-z 0-9]{0,8}[a-z])?`).Draw(r, "clip")
			if rapid.Bool().Draw(r, "slow") {
				e.Speed = 2
			}
			if n > 0 && rapid.Bool().Draw(r, "dissolve") {
				e.Fade = rapid.Int64Range(1, min(999, length)).Draw(r, "fade")
			}
			at += length
			l.Events = append(l.Events, e)
		}
		var b bytes.Buffer
		require.NoError(r, edl.Write(&b, l.Timeline()))
		got, err := edl.Read(&b, rate)
		require.NoError(r, err, b.String())
		require.Empty(r, got.Notes)
		require.Equal(r, l, got.List)
	})
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(whole), 1)
	f.Add([]byte("001  A V C 01:01:00;00 01:01:01;00 01:00:00;00 01:00:01;00"), 4)
	f.Add([]byte("\xff\xfe0\x000\x001\x00"), 2)
	f.Fuzz(func(t *testing.T, data []byte, rate int) {
		x := timecode.Rates[(rate%len(timecode.Rates)+len(timecode.Rates))%len(timecode.Rates)].Rate
		l, err := edl.Read(bytes.NewReader(data), x)
		if err != nil {
			return
		}
		require.NotEmpty(t, l.Events)
		_, err = cut.Checked(x, l.Events)
		require.NoError(t, err)
		require.NoError(t, edl.Write(&bytes.Buffer{}, l.Timeline()))
		cut.Compare(l.Events, l.Events)
	})
}

// With reading, matching 5,000 events should take 200 ms.
func BenchmarkRead5000(b *testing.B) {
	var text strings.Builder
	for n := range 5000 {
		at := int64(86_400 + 24*n)
		fmt.Fprintf(&text, "%03d  A%07d V     C        %s %s %s %s\n* FROM CLIP NAME: SHOT %d\n", n+1, n%400, film.Format(at), film.Format(at+24), film.Format(at), film.Format(at+24), n)
	}
	for b.Loop() {
		l, err := edl.Read(strings.NewReader(text.String()), film)
		require.NoError(b, err)
		require.Len(b, l.Events, 5000)
	}
}

// Music beside a picture: each event on its channel, in the order of time, and a dissolve from what is
// before it on its own channel. The columns are those of CMX 3600, from memory; more than four tracks
// of sound, or two of picture, it does not hold.
func TestSoundBesideAPicture(t *testing.T) {
	at := func(seconds int64) int64 { return 24*3600 + 24*seconds }
	line := cut.Timeline{Title: "Salt Lantern", Rate: film, Tracks: []cut.Track{
		{Events: []cut.Event{{Source: "R1", Clip: "Lamp", Start: at(0), End: at(30)}, {Source: "R2", Start: at(30), End: at(60), Fade: 12}}},
		{Sound: true, Events: []cut.Event{{Source: "1M01", Clip: "1M01 Salt", In: at(5), Start: at(5), End: at(40)}}},
		{Sound: true, Events: []cut.Event{{Source: "1M02", Clip: "1M02 Lamp/light", In: at(35), Start: at(35), End: at(50)}}},
	}}
	var b bytes.Buffer
	require.NoError(t, edl.Write(&b, line))
	require.Equal(t, `TITLE: SALT LANTERN
FCM: NON-DROP FRAME

001  R1       V     C        00:00:00:00 00:00:30:00 01:00:00:00 01:00:30:00
* FROM CLIP NAME: Lamp
002  1M01     A     C        01:00:05:00 01:00:40:00 01:00:05:00 01:00:40:00
* FROM CLIP NAME: 1M01 Salt
003  R1       V     C        00:00:30:00 00:00:30:00 01:00:30:00 01:00:30:00
003  R2       V     D    012 00:00:00:00 00:00:30:00 01:00:30:00 01:01:00:00
004  1M02     A2    C        01:00:35:00 01:00:50:00 01:00:35:00 01:00:50:00
* FROM CLIP NAME: 1M02 Lamp/light
`, b.String())
	back, err := edl.Read(&b, film)
	require.NoError(t, err)
	require.Len(t, back.Events, 2, "the picture")
	for range 3 {
		line.Tracks = append(line.Tracks, line.Tracks[1])
	}
	require.ErrorContains(t, edl.Write(&b, line), "it holds 4 tracks of sound")
	line.Tracks = []cut.Track{line.Tracks[0], line.Tracks[0]}
	require.ErrorContains(t, edl.Write(&b, line), "one track of picture")
}
