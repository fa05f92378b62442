package api_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"
	midi "gitlab.com/gomidi/midi/v2"
	gomidi "gitlab.com/gomidi/midi/v2/smf"
)

// played is a file of one track, played with the keys 0 for long and 1 for staccato: each
// key before its note.
func played(t *testing.T, track string, keys ...uint8) []byte {
	t.Helper()
	file := gomidi.NewSMF1()
	file.TimeFormat = gomidi.MetricTicks(480)
	var x gomidi.Track
	x.Add(0, gomidi.MetaTrackSequenceName(track))
	for _, k := range keys {
		x.Add(20, midi.NoteOn(0, k, 90))
		x.Add(100, midi.NoteOff(0, k))
	}
	x.Close(0)
	require.NoError(t, file.Add(x))
	var b bytes.Buffer
	_, err := file.WriteTo(&b)
	require.NoError(t, err)
	return b.Bytes()
}

// The studio's hand is proposed, set, refused where it clashes, comes out on rows, and a
// file that was played with it leaves with each row's own switches: as gomidi reads it.
func TestOneHandForAllLibraries(t *testing.T) {
	_, c, path, cat := imported(t)
	type hand struct {
		Map, Proposed []struct {
			Articulation string
			Switches     []struct {
				Kind   string
				Number int
			}
		}
	}
	flute := as[page](t, c.do("GET", "/api/catalogue/patches?text=flute", nil)).Patches[0]
	require.Equal(t, 200, c.do("POST", "/api/catalogue/patches/edit", map[string]any{"base": cat.Revision, "ids": []string{flute.ID}, "set": map[string]any{"keyLow": 60, "map": []any{
		map[string]any{"articulation": "long", "switches": []any{map[string]any{"kind": "key", "number": 24}}},
		map[string]any{"articulation": "spiccato", "switches": []any{map[string]any{"kind": "key", "number": 25}}},
	}}}).status)
	row := as[opened](t, c.do("GET", path, nil)).Template.Instruments[1]
	require.Contains(t, string(c.do("POST", path+"/hand", map[string]any{"ids": []string{row.ID}}).body), "the studio has no hand yet")

	is := as[hand](t, c.do("GET", "/api/hand", nil))
	require.Empty(t, is.Map)
	require.Equal(t, "long", is.Proposed[0].Articulation)
	require.Equal(t, 0, is.Proposed[0].Switches[0].Number)
	key := func(name string, n int) map[string]any {
		return map[string]any{"articulation": name, "switches": []any{map[string]any{"kind": "key", "number": n}}}
	}
	for says, list := range map[string][]any{
		"key 0 is both long and staccato":           {key("long", 0), key("staccato", 0)},
		"programmes and channels are not looked at": {map[string]any{"articulation": "long", "switches": []any{map[string]any{"kind": "programme", "number": 3}}}},
	} {
		bad := c.do("PUT", "/api/hand", map[string]any{"map": list})
		require.Equal(t, 422, bad.status)
		require.Contains(t, string(bad.body), says)
	}
	require.Equal(t, 200, c.do("PUT", "/api/hand", map[string]any{"map": []any{key("long", 0), key("staccato", 1), key("rip", 62)}}).status)

	type reach struct {
		Wanted, Plays string
		Exact         bool
	}
	rows := as[[]struct {
		Reaches  []reach
		InTheWay []string
	}](t, c.do("POST", path+"/hand", map[string]any{"ids": []string{row.ID}}))
	require.Equal(t, []reach{{"long", "long", true}, {"staccato", "spiccato", false}, {"rip", "", false}}, rows[0].Reaches)
	require.Equal(t, []string{"rip"}, rows[0].InTheWay)

	file := played(t, row.Name, 0, 72, 1, 74, 76, 0, 77)
	told := as[struct {
		Parts []struct {
			Name string
			Rows []struct {
				Notes, Switches int
				Instead         []reach
			}
		}
	}](t, c.do("POST", path+"/hand/translate", file))
	require.Equal(t, row.Name, told.Parts[0].Name)
	require.Equal(t, 4, told.Parts[0].Rows[0].Notes)
	require.Equal(t, 3, told.Parts[0].Rows[0].Switches)
	require.Equal(t, []reach{{"staccato", "spiccato", false}}, told.Parts[0].Rows[0].Instead)

	out := c.do("POST", path+"/hand/translate/midi", file)
	require.Equal(t, "audio/midi", out.header.Get("Content-Type"))
	back, err := gomidi.ReadFrom(bytes.NewReader(out.body))
	require.NoError(t, err)
	keys := []int{}
	for _, e := range back.Tracks[1] {
		var channel, k, velocity uint8
		if e.Message.GetNoteOn(&channel, &k, &velocity) && velocity > 0 {
			keys = append(keys, int(k))
		}
	}
	require.Equal(t, []int{24, 72, 25, 74, 76, 24, 77}, keys)
	none := c.do("POST", path+"/hand/translate/midi", played(t, "Theremin", 0, 72))
	require.Equal(t, 422, none.status)
	require.Contains(t, string(none.body), "no track finds a row")
}

// A file is held against the people who are named, or who have rows; its rows' switches are
// no notes; what is passed over is told so.
func TestPlayableOfAFile(t *testing.T) {
	_, c, path, cat := imported(t)
	flute := as[page](t, c.do("GET", "/api/catalogue/patches?text=flute", nil)).Patches[0]
	require.Equal(t, 200, c.do("POST", "/api/catalogue/patches/edit", map[string]any{"base": cat.Revision, "ids": []string{flute.ID}, "set": map[string]any{"map": []any{
		map[string]any{"articulation": "long", "switches": []any{map[string]any{"kind": "key", "number": 24}}},
	}}}).status)
	row := as[opened](t, c.do("GET", path, nil)).Template.Instruments[1]
	type report struct {
		Orchestra []struct{ Name string }
		Parts     int
		Unknown   []string
		Findings  []struct {
			Key, Kind, Desk, Message string
			From                     int
			Quiet                    bool
		}
	}
	got := as[report](t, c.do("POST", path+"/playable", played(t, row.Name, 24, 72, 24, 99)))
	require.Equal(t, 1, got.Parts)
	require.Len(t, got.Findings, 1, "its switch is not a note")
	require.Equal(t, "E♭7 lies above its range, which ends at D7", got.Findings[0].Message)
	require.Equal(t, []string{"Theremin"}, as[report](t, c.do("POST", path+"/playable", played(t, "Theremin", 60))).Unknown)

	is := as[map[string]any](t, c.do("GET", path, nil))
	settings := is["template"].(map[string]any)["settings"].(map[string]any)
	settings["orchestra"], settings["quiet"] = "1 0 0 0 - 2", []string{got.Findings[0].Key}
	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": is["revision"], "change": map[string]any{"kind": "configure", "name": "Lamp", "settings": settings}}).status)
	got = as[report](t, c.do("POST", path+"/playable", played(t, row.Name, 24, 72, 24, 99)))
	require.Len(t, got.Orchestra, 3)
	require.True(t, got.Findings[0].Quiet)
	require.Equal(t, 422, c.do("POST", path+"/playable", []byte("no music")).status)
}
