package api_test

import (
	"archive/zip"
	"bytes"
	"io"
	"maps"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
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
		"may not be scanned":       {"folder": "/etc", "file": "r1.mp4"},
		"is not a film":            {"folder": root, "file": "notes.txt"},
		"cannot be opened":         {"folder": root, "file": "gone.mp4"},
		"neither an MP4 nor a MOV": {"folder": root, "file": "broken.mp4"},
		"cannot be opened ":        {"folder": root, "file": "../../etc/r1.mp4"},
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
	unkept := c.do("POST", path+"/changes", map[string]any{"base": film.Revision, "change": map[string]any{"ops": []any{map[string]any{"kind": "cue", "id": id, "set": map[string]any{
		"music": cue.Music{File: "x.mid", Digest: strings.Repeat("a", 64), BarMs: []int64{}},
	}}}}})
	require.Equal(t, 422, unkept.status)
	require.Contains(t, string(unkept.body), "x.mid is not kept here; give the file")
	require.Equal(t, 404, s.signedIn(t, "eve").do("GET", music, nil).status, "another studio")

	clicks := c.do("GET", path+"/cues/"+id+"/click", nil)
	require.Equal(t, 200, clicks.status)
	h, err := wav.Read(bytes.NewReader(clicks.body), int64(len(clicks.body)))
	require.NoError(t, err)
	require.EqualValues(t, 68*48_000, h.Frames, "a minute, and four bars at 120 before")
	long := c.do("POST", path+"/cues", map[string]any{"reel": reel.ID, "start": reel.Start, "end": reel.Start + 24*3600}).field(t, "id").(string)
	refused := c.do("GET", path+"/cues/"+long+"/click", nil)
	require.Equal(t, 422, refused.status)
	require.Contains(t, string(refused.body), "is too long for a click: 34 minutes is the most at 48000 Hz")
}

// The MIDI file that a cue keeps follows a cut with it, and comes back with it. Worked by hand: the
// cue begins at 01:01:00:00 at 120 with bar 5 there; 48 frames go before it, and 24 of shot C, which
// are one second, two beats. MusicXML cannot be edited: that is a mark.
func TestKeptMusicFollowsACut(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newFilm(t, "The Salt Lantern")
	bring := func(name string, shots ...[3]any) string {
		return c.do("POST", path+"/cuts?name="+name, edlOf(shots...)).field(t, "cut").(string)
	}
	one := bring("One", [3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440})
	two := bring("Two", [3]any{"A", 0, 1392}, [3]any{"B", 0, 720}, [3]any{"C", 24, 696}, [3]any{"D", 0, 1440})
	reel := c.filmOf(t, path).Reels[0]
	id := c.do("POST", path+"/cues", map[string]any{"reel": reel.ID, "start": 86_400 + 1440, "end": 86_400 + 1440 + 90*24}).field(t, "id").(string)
	bar := func(n int64) int64 { return (n - 1) * 4 * 480 }
	var notes []articulation.Message
	for _, at := range []int64{bar(19), bar(20), bar(21)} {
		notes = append(notes, articulation.Message{Tick: at, Status: articulation.NoteOn, Channel: 1, Data1: 60, Data2: 90}, articulation.Message{Tick: at + 240, Status: articulation.NoteOff, Channel: 1, Data1: 60})
	}
	var music bytes.Buffer
	clock, err := tempo.NewTime(480, nil, nil)
	require.NoError(t, err)
	require.NoError(t, smf.WriteCompiled(&music, "Violins", clock, notes))
	keeps := path + "/cues/" + id + "/music"
	starts := func() (out []int64) {
		file, err := smf.Read(bytes.NewReader(c.do("GET", keeps, nil).body))
		require.NoError(t, err)
		for _, n := range file.Tracks[1].Notes {
			out = append(out, int64(n.Start))
		}
		return out
	}
	codes := func() (out []string) {
		for _, m := range c.filmOf(t, path).Marks {
			out = append(out, m.Code)
		}
		return out
	}
	require.Equal(t, 200, c.do("PUT", keeps+"?name=Salt.mid", music.Bytes()).status)
	require.Equal(t, 200, c.do("POST", path+"/cuts/"+two+"/conform", map[string]any{"choices": map[string]int{}}).status)
	require.Equal(t, []int64{bar(19), bar(21) - 2*480}, starts(), "the note in the two beats that go at bar 20 went")
	require.Equal(t, "Salt.mid", c.filmOf(t, path).Cues[0].Music.File)
	require.NotContains(t, codes(), "music-before")
	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	require.Equal(t, []int64{bar(19), bar(20), bar(21)}, starts())
	require.Equal(t, 200, c.do("POST", path+"/redo", nil).status)
	require.Len(t, starts(), 2)
	require.Equal(t, 200, c.do("POST", path+"/cuts/"+one+"/back", nil).status)
	require.Len(t, starts(), 3, "as it stood in that cut")

	score := []byte(`<score-partwise><part-list><score-part id="P1"><part-name>Violin</part-name></score-part></part-list><part id="P1"><measure number="1"><note><pitch><step>C</step><octave>5</octave></pitch><duration>1</duration></note></measure></part></score-partwise>`)
	require.Equal(t, 200, c.do("PUT", keeps+"?name=Salt.musicxml", score).status)
	require.NotContains(t, codes(), "music-before")
	require.Equal(t, 200, c.do("POST", path+"/cuts/"+two+"/conform", map[string]any{"choices": map[string]int{}}).status)
	require.Contains(t, codes(), "music-before")
	require.Equal(t, score, c.do("GET", keeps, nil).body)
}

// A list whose reel is new is brought into a cut that is there.
func TestANewReelComesIntoACut(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newFilm(t, "The Salt Lantern")
	first := c.do("POST", path+"/cuts", edlOf([3]any{"A", 0, 240})).field(t, "cut").(string)
	second := bytes.ReplaceAll(edlOf([3]any{"B", 0, 240}), []byte(" 01:0"), []byte(" 02:0"))
	got := c.do("POST", path+"/cuts?cut="+first, second)
	require.Equal(t, 200, got.status, string(got.body))
	film := c.filmOf(t, path)
	require.Len(t, film.Reels, 2)
	require.Len(t, film.Cuts, 1)
	require.Len(t, film.Cuts[0].Reels, 2)
	require.Equal(t, int64(2*86_400), film.Reels[1].Start)
}

// What no cue's music plays is told with its cost, set aside in one change, and then not loaded by a
// call; a day later than the music leaves nothing to go by.
func TestDustOverAllCues(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	template := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", template+"/import?take=true", []byte(list)).status)
	require.Equal(t, 200, c.do("POST", template+"/seating", map[string]bool{"fresh": false}).status)
	type dust struct {
		Pieces int
		Rows   []struct {
			ID  string
			MiB float64
		}
		Machines        []struct{ MiB, Seconds float64 }
		Aside, Together []any
	}
	ask := func(query string) dust { return decode[dust](t, c.do("GET", template+"/dust"+query, nil)) }
	require.Zero(t, ask("").Pieces)
	require.Empty(t, ask("").Rows, "without music nothing is known")

	film := c.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, c.do("POST", film+"/reels", nil).status)
	reel := c.filmOf(t, film).Reels[0]
	id := c.do("POST", film+"/cues", map[string]any{"reel": reel.ID, "start": reel.Start, "end": reel.Start + 24*60}).field(t, "id").(string)
	require.Equal(t, 200, c.do("PUT", film+"/cues/"+id+"/music?name=Salt.mid", played(t, "Piccolo", 74, 76)).status)
	got := ask("")
	require.Equal(t, 1, got.Pieces)
	rows := decode[struct {
		Template struct{ Instruments []struct{ ID, Name string } }
	}](t, c.do("GET", template, nil)).Template.Instruments
	names := map[string]string{}
	for _, i := range rows {
		names[i.ID] = i.Name
	}
	require.NotEmpty(t, got.Rows)
	require.Positive(t, got.Machines[0].MiB)
	edits := []any{}
	for _, r := range got.Rows {
		require.NotEqual(t, "Piccolo", names[r.ID])
		edits = append(edits, map[string]any{"id": r.ID, "aside": true})
	}
	require.Empty(t, ask("?since=2999-01-01").Rows)
	require.Equal(t, 422, c.do("GET", template+"/dust?since=soon", nil).status)
	require.Equal(t, 404, s.signedIn(t, "eve").do("GET", template+"/dust", nil).status)

	all := map[string]any{"ids": slices.Collect(maps.Keys(names)), "how": "call"}
	before := decode[struct{ TakesMiB float64 }](t, c.do("POST", template+"/calls/cost", all)).TakesMiB
	require.Equal(t, 200, c.do("POST", template+"/changes", map[string]any{"base": c.do("GET", template, nil).field(t, "revision"), "change": map[string]any{"kind": "edit", "edits": edits}}).status)
	after := decode[struct{ TakesMiB float64 }](t, c.do("POST", template+"/calls/cost", all)).TakesMiB
	require.Less(t, after, before)
	require.Positive(t, after)
	require.Empty(t, ask("").Rows)
	require.Len(t, ask("").Aside, len(edits))
	started := c.do("POST", film+"/start", map[string]any{"cues": []string{id}, "template": strings.TrimPrefix(template, "/api/templates/")})
	require.Equal(t, 200, started.status, string(started.body))
	archive, err := zip.NewReader(bytes.NewReader(started.body), int64(len(started.body)))
	require.NoError(t, err)
	for _, f := range archive.File {
		if strings.HasSuffix(f.Name, ".mid") {
			r, err := f.Open()
			require.NoError(t, err)
			data, err := io.ReadAll(r)
			require.NoError(t, err)
			text := midiText(t, data)
			require.Contains(t, text, `Title_t, "Piccolo"`)
			require.NotContains(t, text, `Title_t, "Flute 1"`, "it is set aside")
		}
	}
	require.Equal(t, 200, c.do("POST", template+"/undo", nil).status)
	require.Empty(t, ask("").Aside)
}
