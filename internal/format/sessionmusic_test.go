package format_test

import (
	"bytes"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/smf"
)

// The notes of any session come out as music: every note on its track, at its beat, with its channel,
// key, length and velocity, in the session's tempi; one that is struck again while it sounds ends there.
func TestNotesOfASessionAreMusic(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := session.Session{Name: "Salt", Tempi: []session.Tempo{{BPM: 96}}, Metres: []session.Metre{{Beats: 4, Unit: 4}}}
		if rapid.Bool().Draw(t, "another tempo") {
			s.Tempi = append(s.Tempi, session.Tempo{Beat: 8, BPM: 60})
			s.Metres = append(s.Metres, session.Metre{Beat: 8, Beats: 3, Unit: 4})
		}
		folder := &session.Track{ID: "f", Name: "Winds", Kind: session.Folder}
		s.Tracks = []*session.Track{folder}
		for n, name := range []string{"Flute", "Oboe", "Harp"} {
			x := &session.Track{ID: template.ID(name), Name: name, Kind: session.Notes, Role: session.Regular, Gain: 1}
			at := 0.0
			for range rapid.IntRange(0, 6).Draw(t, "notes") {
				at += float64(rapid.IntRange(1, 8).Draw(t, "after")) / 4
				x.Notes = append(x.Notes, session.Note{Beat: at, Beats: .25, Channel: n + 1, Key: rapid.IntRange(0, 127).Draw(t, "key"), Velocity: float64(rapid.IntRange(1, 127).Draw(t, "velocity")) / 127})
			}
			folder.Children = append(folder.Children, x)
		}
		var file bytes.Buffer
		require.NoError(t, dawproject.Write(&file, s))
		require.True(t, dawproject.Is(file.Bytes()))
		midi, err := format.MusicOfSession(file.Bytes())
		require.NoError(t, err)
		got, err := smf.Read(bytes.NewReader(midi))
		require.NoError(t, err)
		found := 0
		for _, track := range got.Tracks {
			for _, x := range folder.Children {
				if x.Name != track.Name {
					continue
				}
				require.Len(t, track.Notes, len(x.Notes))
				found += len(x.Notes)
				for k, n := range x.Notes {
					y := track.Notes[k]
					require.Equal(t, []any{int64(n.Beat * 960), int64((n.Beat + .25) * 960), n.Channel, n.Key, int(math.Round(n.Velocity * 127))}, []any{int64(y.Start), int64(y.End), int(y.Channel), int(y.Key), int(y.Velocity)})
				}
			}
		}
		all := 0
		for _, x := range folder.Children {
			all += len(x.Notes)
		}
		require.Equal(t, all, found)
		changes := got.Tracks[0].Time.Clock.Changes()
		require.EqualValues(t, 625_000, changes[0].Quarter)
		if len(s.Tempi) > 1 {
			require.EqualValues(t, 8*960, changes[1].Tick)
			require.EqualValues(t, 1_000_000, changes[1].Quarter)
		}
	})
}

func TestANoteStruckAgain(t *testing.T) {
	s := session.Session{Name: "Salt", Tempi: []session.Tempo{{BPM: 120}}, Metres: []session.Metre{{Beats: 4, Unit: 4}}, Tracks: []*session.Track{{
		ID: "h", Name: "Harp", Kind: session.Notes, Role: session.Regular, Gain: 1,
		Notes: []session.Note{{Beat: 0, Beats: 4, Channel: 1, Key: 60, Velocity: .5}, {Beat: 1, Beats: 1, Channel: 1, Key: 60, Velocity: .7}, {Beat: 1, Beats: 2, Channel: 1, Key: 60, Velocity: .9}, {Beat: 0, Beats: 0, Channel: 1, Key: 64, Velocity: 0}},
	}}}
	var file bytes.Buffer
	require.NoError(t, dawproject.Write(&file, s))
	midi, err := format.MusicOfSession(file.Bytes())
	require.NoError(t, err)
	got, err := smf.Read(bytes.NewReader(midi))
	require.NoError(t, err)
	var spans [][3]int64
	for _, n := range got.Tracks[len(got.Tracks)-1].Notes {
		spans = append(spans, [3]int64{int64(n.Key), int64(n.Start), int64(n.End)})
	}
	require.ElementsMatch(t, [][3]int64{{60, 0, 960}, {60, 960, 3 * 960}, {64, 0, 1}}, spans)
	_, err = format.MusicOfSession([]byte("PK\x03\x04 no archive"))
	require.Error(t, err)
	require.False(t, dawproject.Is([]byte("salt")))
}
