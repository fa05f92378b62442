package spotting_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/spotting"
)

var (
	film = timecode.Rate{Num: 24, Den: 1}
	drop = timecode.Rate{Num: 30_000, Den: 1001, Drop: true}
)

// Headings are matched as lists have them; ends may be lengths; a line that cannot be taken is
// told, and hides no other.
func TestCuesAreRead(t *testing.T) {
	text := "Cue No;Cue Title;Reel;TC In;Duration;Colour;Composer\n" +
		"1M01;Salt;1;01:00:10:00;1:30;red;Ada\n" +
		"\n" +
		"1M02;The lamp is lit;1;01:02:00:24;90 s;;\n" +
		"1M03;Storm;1;01:03:00:00;;;\n" +
		"1M04;Lull;1;86400;00:00:10:12;;\n"
	list, cues, err := spotting.Cues(strings.NewReader(text), film, nil)
	require.NoError(t, err)
	require.Equal(t, []string{"Colour"}, list.Unmatched)
	require.Equal(t, []cue.Problem{
		{Line: 4, Reason: "its start: 01:02:00:24 is not a timecode at 24: its seconds have the frames 00 to 23"},
		{Line: 5, Reason: "it says neither where it ends nor how long it is"},
	}, list.Problems)
	require.Equal(t, []cue.Spotted{
		{Line: 2, Number: "1M01", Title: "Salt", Reel: "1", Start: 86_400 + 240, End: 86_400 + 240 + 2160, Who: "Ada"},
		{Line: 6, Number: "1M04", Title: "Lull", Reel: "1", Start: 86_400, End: 86_400 + 252},
	}, cues)
	_, cues, err = spotting.Cues(strings.NewReader("a,b,c\nX,01:00:00;02,01:00:01;02\n"), drop, map[string]string{"a": "number", "b": "start", "c": "end"})
	require.NoError(t, err)
	require.EqualValues(t, 107_894, cues[0].Start)
	list, _, err = spotting.Cues(strings.NewReader("start,end\n00:01:00;00,00:02:00;02\n"), drop, nil)
	require.NoError(t, err)
	require.Contains(t, list.Problems[0].Reason, "this minute begins with frame 02")
}

func TestWhatIsNoListOfCues(t *testing.T) {
	for text, says := range map[string]string{
		"":                      "the file is empty",
		"number,title\n1,2\n":   "no column says where cues begin",
		"start,in,end\n1,2,3\n": "two columns are read as start",
		"a\x00b":                "zero byte",
		"start,end\n" + strings.Repeat("1,2\n", spotting.MaxLines+1): "more than 5000 lines",
	} {
		_, _, err := spotting.Cues(strings.NewReader(text), film, nil)
		require.ErrorContains(t, err, says)
	}
	list, _, err := spotting.Cues(strings.NewReader("start,end\n"), film, nil)
	require.NoError(t, err)
	require.Equal(t, "there are headings and no lines below them", list.Problems[0].Reason)
}

func TestLengths(t *testing.T) {
	for text, frames := range map[string]int64{"00:00:10:12": 252, "1:30": 2160, "0:02.5": 60, "90 s": 2160, "2,5s": 60, "48": 48, "1:00:10": 86_640} {
		got, err := spotting.Length(text, film)
		require.NoError(t, err, text)
		require.Equal(t, frames, got, text)
	}
	for _, text := range []string{"", "x", "-3", "1:99", "1:2:3:4:5", "s"} {
		_, err := spotting.Length(text, film)
		require.Error(t, err, text)
	}
}

func TestHitsAreRead(t *testing.T) {
	list, hits, err := spotting.Hits(strings.NewReader("Timecode,Name,Weight,Tolerance\n01:00:01:00,lamp,2,1\n01:00:02:00,,,\n01:00:03:00,x,-1,\n"), film, nil)
	require.NoError(t, err)
	require.Equal(t, []cue.Hit{{Name: "lamp", Frame: 86_424, Weight: 2, Tolerance: 1}, {Frame: 86_448, Weight: 1, Tolerance: cue.UsualTolerance}}, hits)
	require.Len(t, list.Problems, 1)
	_, _, err = spotting.Hits(strings.NewReader("name\nx\n"), film, nil)
	require.ErrorContains(t, err, "no column says where the hits are")
}

// A list brought into an empty production makes its reels and cues; taken out and in again it
// changes nothing but what was changed in it.
func TestBringingInAndTakingOut(t *testing.T) {
	ids := 0
	mint := func(kind string) cue.ID { ids++; return cue.ID(fmt.Sprint(kind, ids)) }
	text := "number,title,start,end,tempo\n1M01,Salt,01:00:10:00,01:01:00:00,92.5\n,Lamp,01:02:00:00,01:03:00:00,\n2M01,=Storm,02:00:00:00,02:01:00:00,\n1M01,Salt again,01:00:11:00,01:01:00:00,\n3M01,Bad,03:00:01:00,03:00:00:00,\n"
	_, cues, err := spotting.Cues(strings.NewReader(text), film, nil)
	require.NoError(t, err)
	p := cue.New("p", "Film", film)
	s := p.Spot(cues, mint)
	require.Equal(t, []cue.Problem{{Line: 6, Reason: "3M01 Bad: it ends at 03:00:00:00, before it begins at 03:00:01:00"}}, s.Problems)
	require.Equal(t, []string{"1", "2"}, s.Reels)
	p, _, err = cue.Apply(p, s.Change)
	require.NoError(t, err)
	require.Equal(t, []string{"1M01", "1M02", "2M01"}, []string{p.InOrder()[0].Number, p.InOrder()[1].Number, p.InOrder()[2].Number})
	require.Equal(t, "Salt again", p.InOrder()[0].Title)
	require.EqualValues(t, 92_500, p.InOrder()[0].Tempi[0].MilliBPM)
	require.EqualValues(t, 7_200*24, p.Reels[1].Start)

	var out bytes.Buffer
	require.NoError(t, spotting.WriteCues(&out, p, ""))
	require.Contains(t, out.String(), "1M01,Salt again,1,01:00:11:00,01:01:00:00,00:00:49:00,spotted,,,92.5\r\n")
	require.Contains(t, out.String(), ",'=Storm,")
	_, again, err := spotting.Cues(&out, film, nil)
	require.NoError(t, err)
	s = p.Spot(again, mint)
	require.Zero(t, s.New)
	require.Empty(t, s.Problems)
	after, _, err := cue.Apply(p, s.Change)
	require.NoError(t, err)
	require.Equal(t, p.Cues[0], after.Cues[0])
}

func FuzzCues(f *testing.F) {
	f.Add([]byte("number,start,end\n1,01:00:00:00,01:00:01:00\n"))
	f.Add([]byte("start\tduration\n1\t1:30\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		_, cues, err := spotting.Cues(bytes.NewReader(data), film, nil)
		if err != nil {
			return
		}
		n := 0
		p := cue.New("p", "Film", film)
		s := p.Spot(cues, func(kind string) cue.ID { n++; return cue.ID(fmt.Sprint(kind, n)) })
		p, _, err = cue.Apply(p, s.Change)
		require.NoError(t, err)
		require.NoError(t, spotting.WriteCues(&bytes.Buffer{}, p, ""))
		_, _, _ = spotting.Hits(bytes.NewReader(data), film, nil)
	})
}

func TestChangesAreRead(t *testing.T) {
	got, err := spotting.Changes(strings.NewReader("Timecode;Removed;Added;Name;Reason\n01:00:10:00;12;;;too long\n3600;;00:00:01:00;Gull;\n"), film)
	require.NoError(t, err)
	require.Equal(t, []cut.Edit{{Line: 2, At: 86_640, Gone: 12}, {Line: 3, At: 3600, Added: 24, Name: "Gull"}}, got)
	got, err = spotting.Changes(strings.NewReader("at,change\n01:00:10:00,-1 s\n01:00:20:00,+36\n01:00:30:00,\u221248\n"), film)
	require.NoError(t, err)
	require.Equal(t, []cut.Edit{{Line: 2, At: 86_640, Gone: 24}, {Line: 3, At: 86_880, Added: 36}, {Line: 4, At: 87_120, Gone: 48}}, got)

	_, err = spotting.Changes(strings.NewReader("at,change\n01:00:10:24,-1\n01:00:20:00,soon\n01:00:20:00,0\n"), film)
	for _, text := range []string{"line 2: where it is: 01:00:10:24 is not a timecode at 24", `line 3: its change: "soon" is not a length`, "line 4: it says neither"} {
		require.ErrorContains(t, err, text)
	}
	_, err = spotting.Changes(strings.NewReader("number,start,end\n1,01:00:00:00,01:00:01:00\n"), film)
	require.ErrorContains(t, err, "a list of changes has")
	require.False(t, spotting.IsChanges([]byte("number,start,end\n")))
	require.False(t, spotting.IsChanges([]byte("TITLE: REEL 1\nFCM: NON-DROP FRAME\n")))
}

func FuzzChanges(f *testing.F) {
	f.Add([]byte("at,gone,added\n01:00:00:00,12,3\n"))
	f.Add([]byte("time\tchange\tname\n90000\t-12\tx\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		edits, err := spotting.Changes(bytes.NewReader(data), film)
		if err != nil {
			return
		}
		old := []cut.Event{{Clip: "a", In: 7, Start: 86_400, End: 86_500}, {Clip: "b", Speed: -0.5, In: 900, Start: 86_510, End: 90_000}}
		if now, err := cut.Edited(film, old, edits); err == nil {
			_, err = cut.Checked(film, now)
			require.NoError(t, err)
		}
	})
}
