package handover_test

import (
	"path"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/timecode"
)

func TestHowFilesLie(t *testing.T) {
	files := []handover.DeliveredFile{{Name: "1M02 v3 Mix.wav"}, {Name: "1M02 v3 Long.wav", Fold: "Fine"}, {Name: "1M02 v3 Strings.wav", Fold: "Sections"}}
	list := []handover.Delivered{
		{Number: "1M02", Title: "The lamp is lit", Reel: "1", Version: 3, Files: files},
		{Number: "1M02", Title: "The lamp is lit", Reel: "1", Version: 3, Files: files[:1]}, // another cue of the same name
	}
	for folders, want := range map[handover.Folders][][]string{
		handover.OneFolder: {{"1M02 v3 Mix.wav", "1M02 v3 Long.wav", "1M02 v3 Strings.wav"}, {"1M02 v3 Mix 2.wav"}},
		handover.ByFold:    {{"Mix/1M02 v3 Mix.wav", "Fine/1M02 v3 Long.wav", "Sections/1M02 v3 Strings.wav"}, {"Mix/1M02 v3 Mix 2.wav"}},
		handover.ByCue: {{"1M02 The lamp is lit v3/1M02 v3 Mix.wav", "1M02 The lamp is lit v3/1M02 v3 Long.wav", "1M02 The lamp is lit v3/1M02 v3 Strings.wav"},
			{"1M02 The lamp is lit v3 2/1M02 v3 Mix.wav"}},
		handover.ByReel: {{"Reel 1/1M02 The lamp is lit v3/1M02 v3 Mix.wav", "Reel 1/1M02 The lamp is lit v3/1M02 v3 Long.wav", "Reel 1/1M02 The lamp is lit v3/1M02 v3 Strings.wav"},
			{"Reel 1/1M02 The lamp is lit v3 2/1M02 v3 Mix.wav"}},
	} {
		require.Equal(t, want, folders.Paths(list), folders)
	}
}

// Whatever things are called, no two files lie on one path, on any file system, and none lies
// outside.
func TestNoTwoFilesOnOnePath(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom([]string{"", "Mix", "mix", "..", "a/b", "CON", "Fine", "Réel", "x?y", strings.Repeat("long ", 80)})
		var list []handover.Delivered
		for range rapid.IntRange(1, 4).Draw(t, "prints") {
			d := handover.Delivered{Number: text.Draw(t, "number"), Title: text.Draw(t, "title"), Reel: text.Draw(t, "reel"), Version: 1}
			for range rapid.IntRange(1, 5).Draw(t, "files") {
				d.Files = append(d.Files, handover.DeliveredFile{Name: text.Draw(t, "name") + ".wav", Fold: text.Draw(t, "fold")})
			}
			list = append(list, d)
		}
		seen := map[string]bool{}
		for n, paths := range rapid.SampledFrom(handover.AllFolders).Draw(t, "folders").Paths(list) {
			require.Len(t, paths, len(list[n].Files))
			for _, p := range paths {
				require.False(t, seen[strings.ToLower(p)], p)
				seen[strings.ToLower(p)] = true
				require.Equal(t, path.Clean("/" + p)[1:], p)
				require.False(t, strings.HasPrefix(p, ".."))
				for _, part := range strings.Split(p, "/") {
					require.LessOrEqual(t, len(part), 255)
				}
			}
		}
	})
}

// A list of markers by hand: at 120 in 4/4 from bar 5 on 01:00:10:00 at 25 frames, bar 7 is 4 s
// later, and files that begin a bar early begin 2 s before the cue.
func TestMarkersByHand(t *testing.T) {
	p := cue.New("p", "Film", timecode.Rate{Num: 25, Den: 1})
	p.Reels = []*cue.Reel{{ID: "r", Name: "1"}}
	start := int64((3600 + 10) * 25)
	c := p.NewCue("c", "r", start, start+10*25)
	c.Number, c.Title = "1M02", "The lamp is lit"
	tick := int64(6 * 4 * cue.Ticks) // bar 7
	late := start + 100 + 13
	c.Markers = []cue.Marker{{Name: "B", Tick: &tick}, {Name: "a timed one", Frame: &late}}
	c.Hits = []cue.Hit{{Name: "The door", Frame: start + 25, Weight: 1, Tolerance: 2}}
	c.Metres = append(c.Metres, cue.Metre{Bar: 8, Beats: 3, Unit: 4})
	got := handover.MarkerList(p, c, (3600+8)*48_000, 48_000)
	require.Equal(t, [][]string{
		{"01:00:10:00", "2.000", "5", "1", "start", "1M02 The lamp is lit"},
		{"01:00:11:00", "3.000", "5", "3", "hit", "The door"},
		{"01:00:14:00", "6.000", "7", "1", "marker", "B"},
		{"01:00:14:13", "6.520", "7", "2.04", "marker", "a timed one"},
		{"01:00:16:00", "8.000", "8", "1", "metre", "3/4"},
		{"01:00:20:00", "12.000", "10", "3", "end", "1M02 The lamp is lit"},
	}, got.Rows)
	require.Equal(t, [][]string{{"1M02", "The lamp is lit", "3", "1", "01:00:10:00", "01:00:20:00", "00:00:10:00", "Ida"}}, handover.CueSheet([]handover.Delivered{
		{Number: "1M02", Title: "The lamp is lit", Version: 3, Reel: "1", Start: "01:00:10:00", End: "01:00:20:00", Length: "00:00:10:00", Composer: "Ida"},
	}).Rows)
}
