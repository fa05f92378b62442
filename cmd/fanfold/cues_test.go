package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// written writes files of a test into a folder of its own.
func written(t *testing.T, files map[string]string) func(name string) string {
	dir := t.TempDir()
	for name, text := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	return func(name string) string { return filepath.Join(dir, name) }
}

// The counts of SMPTE ST 12-1, as npm smpte-timecode has them too: 01:00:00;02 at 29.97 drop is
// frame 107,894, which begins at sample 172,803,030 of 48,000 a second.
func TestTimecodes(t *testing.T) {
	for _, c := range []struct {
		args []string
		out  string
	}{
		{[]string{"01:00:00;02", "--rate", "29.97df", "--to", "samples"}, "172803030\n"},
		{[]string{"107894", "--rate", "29.97df", "--to", "timecode"}, "01:00:00;02\n"},
		{[]string{"172803030", "--from", "samples", "--rate", "29.97df", "--to", "frames"}, "107894\n"},
		{[]string{"00:10:00;00", "--rate", "29.97 drop", "--to", "frames"}, "17982\n"},
		{[]string{"01:00:00:00", "--rate", "25", "--to", "seconds"}, "3600\n"},
	} {
		code, out, errs := do(append([]string{"timecode"}, c.args...)...)
		require.Equal(t, 0, code, errs)
		require.Equal(t, c.out, out)
	}
	var got struct {
		Frames  int64
		Samples int64
	}
	object(t, 0, &got, "timecode", "00:00:10:00", "--rate", "23.976")
	require.EqualValues(t, 240, got.Frames)
	require.EqualValues(t, 480_480, got.Samples)
	for _, c := range []struct{ says, text, rate string }{
		{"this minute begins with frame 02", "00:01:00;00", "29.97df"}, {"have the frames 00 to 24", "00:00:00:25", "25"}, {"is not a frame rate", "1", "33"}, {"neither a timecode", "soon", "24"},
	} {
		code, _, errs := do("timecode", c.text, "--rate", c.rate)
		require.NotEqual(t, 0, code)
		require.Contains(t, errs, c.says)
	}
}

func TestTempiFromAList(t *testing.T) {
	at := written(t, map[string]string{"hits.csv": "time,name\n01:00:05:04,a\n01:00:13:15,b\n01:00:20:19,c\n01:00:35:02,d\n", "none.csv": "time\nsoon\n"})
	var got struct {
		Tempi []struct {
			BPM float64
			Met int
		}
		Maps []struct{ Met int }
	}
	object(t, 0, &got, "tempo", "--hits", at("hits.csv"), "--start", "01:00:00:00")
	require.Len(t, got.Tempi, 10)
	require.InDelta(t, 92.35, got.Tempi[0].BPM, .1, "8, 21, 32 and 54 beats of 92.31")
	require.Equal(t, 4, got.Tempi[0].Met)
	code, out, _ := do("tempo", "--hits", at("hits.csv"), "--start", "01:00:00:00")
	require.Equal(t, 0, code)
	require.Contains(t, out, "15-5", "frames and eighths a beat")
	object(t, 0, &got, "tempo", "--hits", at("hits.csv"), "--start", "01:00:00:00", "--map")
	require.Equal(t, 4, got.Maps[0].Met)
	code, _, errs := do("tempo", "--hits", at("none.csv"))
	require.NotEqual(t, 0, code)
	require.Contains(t, errs, "line 2")
	require.Contains(t, errs, "no hits to meet")
	code, _, errs = do("tempo")
	require.NotEqual(t, 0, code)
	require.Contains(t, errs, "--hits")
}

// Worked by hand, as in the core: two seconds go before the cue, one under its bar 20.
func TestConformByCommand(t *testing.T) {
	head := "TITLE: R1\nFCM: NON-DROP FRAME\n001  A V C 00:00:00:00 "
	at := written(t, map[string]string{
		"old.edl":     head + "00:01:00:00 01:00:00:00 01:01:00:00\n002  B V C 00:00:00:00 00:00:30:00 01:01:00:00 01:01:30:00\n003  C V C 00:00:00:00 00:00:30:00 01:01:30:00 01:02:00:00\n",
		"new.edl":     head + "00:00:58:00 01:00:00:00 01:00:58:00\n002  B V C 00:00:00:00 00:00:30:00 01:00:58:00 01:01:28:00\n003  C V C 00:00:01:00 00:00:30:00 01:01:28:00 01:01:57:00\n",
		"cues.csv":    "number,title,start,end,tempo\n1M01,Salt,01:01:00:00,01:01:55:00,120\n1M02,Late,01:59:00:00,01:58:00:00,\n",
		"changes.csv": "at,gone\n01:00:58:00,2 s\n01:01:30:00,24\n",
	})
	var got struct {
		Gone []struct{ Start, End int64 }
		Cues []struct {
			Number, Kind, From, To string
			By                     int64
			Proposals              []struct{ Text string }
		}
	}
	object(t, 0, &got, "conform", at("old.edl"), at("new.edl"), "--cues", at("cues.csv"))
	require.Len(t, got.Gone, 2)
	require.Len(t, got.Cues, 1)
	require.Equal(t, "changed", got.Cues[0].Kind)
	require.Equal(t, []string{"01:00:58:00", "01:01:52:00"}, []string{got.Cues[0].From, got.Cues[0].To})
	require.Equal(t, "moves by -48 frames, takes out 2 beats at bar 20", got.Cues[0].Proposals[0].Text)
	code, out, errs := do("conform", at("old.edl"), at("new.edl"), "--cues", at("cues.csv"))
	require.Equal(t, 0, code)
	require.Contains(t, out, "72 frames are gone, 0 are new")
	require.Contains(t, errs, "line 3: 1M02 Late: it ends at")
	// the new cut as a list of changes
	var same struct{ Gone []struct{ Start, End int64 } }
	for name, begins := range map[string]string{"report.pdf": "%PDF-", "report.csv": "cue,title,reel,start before,start after"} {
		code, _, errs := do("conform", at("old.edl"), at("new.edl"), "--cues", at("cues.csv"), "--report", at(name))
		require.Equal(t, 0, code, errs)
		data, err := os.ReadFile(at(name))
		require.NoError(t, err)
		require.True(t, strings.HasPrefix(string(data), begins), "%.60s", data)
	}
	object(t, 0, &same, "conform", at("old.edl"), at("changes.csv"), "--cues", at("cues.csv"))
	require.Equal(t, got.Gone, same.Gone)
	code, _, errs = do("conform", at("old.edl"), at("cues.csv"))
	require.NotEqual(t, 0, code)
	require.Contains(t, errs, "no picture events")
}

// Cues of a list leave for picture editors: those that overlap on tracks of their own, of one reel or
// all; and the click of one as it is said to begin.
func TestCuesLeave(t *testing.T) {
	at := written(t, map[string]string{"salt.csv": "number,title,reel,start,end,tempo\n1M01,Salt,1,01:01:00:00,01:02:30:00,120\n1M02,Lamp,1,01:02:29:00,01:03:00:00,96\n2M01,Harbour,2,02:00:10:00,02:00:20:00,96\n", "none.csv": "number,start,end\n"})
	code, out, errs := do("cues", at("salt.csv"), "--rate", "25", "-o", at("all.edl"))
	require.Equal(t, 0, code, errs)
	require.Equal(t, "left out: tempi, bars and status of cues\n", out)
	text, err := os.ReadFile(at("all.edl"))
	require.NoError(t, err)
	require.Equal(t, `TITLE: SALT
FCM: NON-DROP FRAME

001  1M01     A     C        01:01:00:00 01:02:30:00 01:01:00:00 01:02:30:00
* FROM CLIP NAME: 1M01 Salt
002  1M02     A2    C        01:02:29:00 01:03:00:00 01:02:29:00 01:03:00:00
* FROM CLIP NAME: 1M02 Lamp
003  2M01     A     C        02:00:10:00 02:00:20:00 02:00:10:00 02:00:20:00
* FROM CLIP NAME: 2M01 Harbour
`, string(text))
	code, _, errs = do("cues", at("salt.csv"), "--rate", "25", "--reel", "2", "--format", "list", "-o", at("two.csv"))
	require.Equal(t, 0, code, errs)
	text, err = os.ReadFile(at("two.csv"))
	require.NoError(t, err)
	require.Contains(t, string(text), "2M01,Harbour,2,02:00:10:00")
	require.NotContains(t, string(text), "1M01")
	code, _, errs = do("cues", at("salt.csv"), "--rate", "25", "--click", "2m01", "-o", at("click.wav"))
	require.Equal(t, 0, code, errs)
	file, err := os.ReadFile(at("click.wav"))
	require.NoError(t, err)
	require.Equal(t, "RIFF", string(file[:4]))
	for says, args := range map[string][]string{
		"there is no reel \"3\"; the reels are 1, 2": {at("salt.csv"), "--rate", "25", "--reel", "3", "-o", at("x")},
		"there is no cue \"9M1\"":                    {at("salt.csv"), "--rate", "25", "--click", "9M1", "-o", at("x")},
		"formats are list, edl, otio":                {at("salt.csv"), "--format", "aaf", "-o", at("x")},
		"there are no cues in it":                    {at("none.csv"), "-o", at("x")},
		"say where to write":                         {at("salt.csv")},
	} {
		code, _, errs := do(append([]string{"cues"}, args...)...)
		require.NotEqual(t, 0, code)
		require.Contains(t, errs, says)
	}
}
