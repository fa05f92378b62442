package api_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/session"
	"fanfold/internal/demo"
	"fanfold/internal/format/dawproject"
)

// The session that somebody worked on is the music of its cue: its notes are kept as a MIDI file, and
// go to the rows whose tracks they are on; one without notes is refused.
func TestASessionIsTheMusicOfACue(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	templates := ada.lantern()
	path := ada.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, ada.do("POST", path+"/cuts?name=One", edlOf([3]any{"A001", 0, 2400})).status)
	reel := ada.filmOf(t, path).Reels[0].ID
	require.Less(t, ada.do("POST", path+"/cues", map[string]any{"reel": reel, "start": 86_400, "end": 86_640}).status, 300)
	film := ada.filmOf(t, path)
	of := film.Cues[0]
	op := map[string]any{"kind": "cue", "id": of.ID, "set": map[string]any{"template": templates[len("/api/templates/"):]}}
	require.Equal(t, 200, ada.do("POST", path+"/changes", map[string]any{"base": film.Revision, "change": map[string]any{"ops": []any{op}}}).status)

	lantern, err := demo.Template()
	require.NoError(t, err)
	worked := session.Of(lantern, nil)
	file := func() []byte {
		var b bytes.Buffer
		require.NoError(t, dawproject.Write(&b, worked))
		return b.Bytes()
	}
	music := path + "/cues/" + string(of.ID) + "/music"
	empty := ada.do("PUT", music+"?name=1M01.dawproject", file())
	require.Equal(t, 422, empty.status)
	require.Contains(t, string(empty.body), "has no notes")
	var play func([]*session.Track)
	played := map[string]bool{}
	play = func(list []*session.Track) {
		for _, x := range list {
			if x.Name == "Flute 1 long" || x.Name == "Horn 1 long" {
				x.Notes = []session.Note{{Beat: 4, Beats: 2, Channel: 1, Key: 69, Velocity: .6}}
				played[x.Name] = true
			}
			play(x.Children)
		}
	}
	play(worked.Tracks)
	require.NotEmpty(t, played)
	kept := ada.do("PUT", music+"?name=1M01.dawproject", file())
	require.Equal(t, 200, kept.status, string(kept.body))
	now := ada.filmOf(t, path).Cues[0].Music
	require.Equal(t, "1M01.mid", now.File)
	require.Equal(t, len(played), now.Notes)
	require.Equal(t, "MThd", string(ada.do("GET", music, nil).body[:4]))
	who := ada.do("POST", templates+"/playable", file())
	require.NotContains(t, string(who.body), "cannot be read")
}
