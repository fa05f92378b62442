package api_test

import (
	"bytes"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/cue"
	"fanfold/internal/format/wav"
)

// movieFile makes a film of two seconds at 24 with its own sound.
func movieFile(t *testing.T, path, start string) {
	t.Helper()
	out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc=size=64x36:rate=24:duration=2", "-f", "lavfi", "-i", "sine=frequency=440:sample_rate=48000:duration=2",
		"-c:v", "libx264", "-preset", "ultrafast", "-timecode", start, path).CombinedOutput()
	require.NoError(t, err, "%s", out)
}

// A film on a folder that may be looked into is chosen for a reel, held against it, and played in
// parts; the film of the cut before stays.
func TestFilmsOfReels(t *testing.T) {
	s := serve(t)
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "cut 2"), 0o755))
	movieFile(t, filepath.Join(root, "r1.mp4"), "01:00:00:00")
	movieFile(t, filepath.Join(root, "cut 2", "r1.mov"), "01:00:10:00")
	require.NoError(t, os.WriteFile(filepath.Join(root, "notes.txt"), []byte("x"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(root, "broken.mp4"), []byte("no film at all"), 0o600))
	require.NoError(t, s.app.AllowScans(root))
	c := s.signedIn(t, "ada")
	path := c.newFilm(t, "The Salt Lantern")
	bring := func(name string) string {
		got := c.do("POST", path+"/cuts?name="+name, edlOf([3]any{"A001", 0, 24}, [3]any{"A002", 50, 24}))
		require.Equal(t, 200, got.status, string(got.body))
		return got.field(t, "cut").(string)
	}
	one, two := bring("One"), bring("Two")
	reel := string(c.filmOf(t, path).Reels[0].ID)
	films := func(cut string) string { return path + "/cuts/" + cut + "/films/" + reel }

	type listed struct {
		Roots, Folders []string
		Movies         []struct {
			Name string
			MiB  float64
		}
	}
	require.Equal(t, []string{root}, decode[listed](t, c.do("GET", "/api/movies", nil)).Roots)
	in := decode[listed](t, c.do("GET", "/api/movies?folder="+root, nil))
	require.Equal(t, []string{"cut 2"}, in.Folders)
	require.Len(t, in.Movies, 2, "films by their names")
	require.Equal(t, 422, c.do("GET", "/api/movies?folder=/etc", nil).status)

	for says, ask := range map[string]map[string]any{
		"may not be scanned": {"folder": "/etc", "file": "r1.mp4"},
		"is no film":         {"folder": root, "file": "notes.txt"},
		"can not be opened":  {"folder": root, "file": "gone.mp4"},
		"no MP4 and no MOV":  {"folder": root, "file": "broken.mp4"},
		"can not be opened ": {"folder": root, "file": "../../etc/r1.mp4"},
	} {
		got := c.do("PUT", films(one), ask)
		require.Equal(t, 422, got.status)
		require.Contains(t, string(got.body), says)
	}
	require.Equal(t, 404, c.do("GET", films(one)+"/play", nil).status, "it has none")

	require.Equal(t, 200, c.do("PUT", films(one), map[string]any{"folder": root, "file": "r1.mp4"}).status)
	require.Equal(t, 200, c.do("PUT", films(two), map[string]any{"folder": filepath.Join(root, "cut 2"), "file": "r1.mov"}).status)
	type opened struct {
		Cuts []struct {
			ID    string
			Films map[string]struct {
				File         string
				Starts, Ends int64
				Footage      cue.Footage
			}
		}
		Marks []cue.Mark
	}
	film := decode[opened](t, c.do("GET", path, nil))
	got := film.Cuts[0].Films[reel]
	require.Equal(t, []int64{86_400, 86_448}, []int64{got.Starts, got.Ends})
	require.Equal(t, []int64{24, 1, 48}, []int64{got.Footage.Num, got.Footage.Den, got.Footage.Frames})
	require.Equal(t, "r1.mov", film.Cuts[1].Films[reel].File, "a cut brings its film")
	require.Empty(t, film.Marks, "it is as long as its event list, and begins with it")

	whole, err := os.ReadFile(filepath.Join(root, "r1.mp4"))
	require.NoError(t, err)
	all := c.do("GET", films(one)+"/play", nil)
	require.Equal(t, 200, all.status)
	require.Equal(t, whole, all.body)
	ask, err := http.NewRequest("GET", c.base+films(one)+"/play", nil)
	require.NoError(t, err)
	ask.Header.Set("Range", "bytes=100-199")
	part := c.send(ask)
	require.Equal(t, 206, part.status)
	require.Equal(t, whole[100:200], part.body)

	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": c.filmOf(t, path).Revision, "change": map[string]any{"ops": []any{map[string]any{"kind": "production", "set": map[string]any{"cut": two}}}}}).status)
	marks := decode[opened](t, c.do("GET", path, nil)).Marks
	require.Len(t, marks, 2)
	require.Equal(t, []string{"film-start", "film-length"}, []string{marks[0].Code, marks[1].Code})
	require.Contains(t, marks[0].Message, "it begins at 01:00:10:00, the reel at 01:00:00:00")
	require.Equal(t, 200, c.do("PUT", films(two), map[string]any{"folder": filepath.Join(root, "cut 2"), "file": "r1.mov", "begin": 86_400}).status)
	require.Empty(t, decode[opened](t, c.do("GET", path, nil)).Marks, "a person knows better")
	require.Equal(t, 200, c.do("DELETE", films(two), nil).status)
	require.Equal(t, 404, c.do("GET", films(two)+"/play", nil).status)
	require.Equal(t, "r1.mp4", decode[opened](t, c.do("GET", path, nil)).Cuts[0].Films[reel].File)
}

// A cue keeps its music, and gives it back as it came; what has no notes is refused.
func TestTheMusicOfACue(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, c.do("POST", path+"/reels", nil).status)
	reel := c.filmOf(t, path).Reels[0]
	made := c.do("POST", path+"/cues", map[string]any{"reel": reel.ID, "start": reel.Start, "end": reel.Start + 24*60})
	id := made.field(t, "id").(string)
	music := path + "/cues/" + id + "/music"
	require.Equal(t, 404, c.do("GET", music, nil).status)
	for says, data := range map[string]string{"x.mid has no notes": "MThd\x00\x00\x00\x06\x00\x00\x00\x01\x01\xe0MTrk\x00\x00\x00\x04\x00\xff\x2f\x00", "it holds no score": "what is this"} {
		got := c.do("PUT", music+"?name=x.mid", []byte(data))
		require.Equal(t, 422, got.status, string(got.body))
		require.Contains(t, string(got.body), says)
	}
	score := fourBars(t)
	require.Equal(t, 200, c.do("PUT", music+"?name=Salt.mid", score).status)
	film := c.filmOf(t, path)
	require.Equal(t, "Salt.mid", film.Cues[0].Music.File)
	require.Positive(t, film.Cues[0].Music.Notes)
	got := c.do("GET", music, nil)
	require.Equal(t, score, got.body)
	require.Equal(t, 404, s.signedIn(t, "eve").do("GET", music, nil).status, "another studio")

	clicks := c.do("GET", path+"/cues/"+id+"/click", nil)
	require.Equal(t, 200, clicks.status)
	h, err := wav.Read(bytes.NewReader(clicks.body), int64(len(clicks.body)))
	require.NoError(t, err)
	require.EqualValues(t, 68*48_000, h.Frames, "a minute, and four bars at 120 before")
}
