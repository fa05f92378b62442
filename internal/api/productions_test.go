package api_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/wav"
)

// openedFilm is a production as a browser opens it.
type openedFilm struct {
	Revision int64
	Settings struct{ Name, Rate, Cut string }
	Reels    []cue.Reel
	Cuts     []struct {
		ID, Name string
		Reels    []struct {
			Reel   string
			Events int
		}
	}
	Cues  []cue.Cue
	Marks []cue.Mark
	Sums  cue.Sums
}

func (c *client) filmOf(t *testing.T, path string) openedFilm {
	t.Helper()
	return decode[openedFilm](t, c.do("GET", path, nil))
}

// newFilm makes a production and is its path.
func (c *client) newFilm(t *testing.T, name string) string {
	t.Helper()
	made := c.do("POST", "/api/productions", map[string]any{"name": name, "rate": "24"})
	require.Equal(t, 201, made.status, string(made.body))
	return "/api/productions/" + made.field(t, "id").(string)
}

var film24 = timecode.Rate{Num: 24, Den: 1}

// edlOf writes shots one after another from 01:00:00:00: source, first frame, length in frames.
func edlOf(shots ...[3]any) []byte {
	var b strings.Builder
	b.WriteString("TITLE: R1\nFCM: NON-DROP FRAME\n")
	at := int64(86_400)
	for n, s := range shots {
		in, long := int64(s[1].(int)), int64(s[2].(int))
		fmt.Fprintf(&b, "%03d  %s V C %s %s %s %s\n", n+1, s[0], film24.Format(in), film24.Format(in+long), film24.Format(at), film24.Format(at+long))
		at += long
	}
	return []byte(b.String())
}

// A production is made, spotted from a list, given its picture, held against a new cut by
// hand-worked figures, and made to follow it as one change that is undone; the cut before is
// gone back to. Another person sees it live, and a clash is told with both values.
func TestAProduction(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newFilm(t, "The Salt Lantern")
	spotted := []byte("number,title,start,end,tempo\n1M01,Salt,01:01:00:00,01:02:30:00,120\n1M02,Bad,01:03:00:00,01:02:00:00,\n")
	report := decode[struct {
		New      int
		Problems []cue.Problem
		Reels    []string
		Revision *int64
	}](t, c.do("POST", path+"/spotting", spotted))
	require.Equal(t, 1, report.New)
	require.Equal(t, []string{"1"}, report.Reels)
	require.Len(t, report.Problems, 1)
	require.Nil(t, report.Revision, "only looked at")
	require.Empty(t, c.filmOf(t, path).Cues)
	require.Equal(t, 200, c.do("POST", path+"/spotting?take=true", spotted).status)
	now := c.filmOf(t, path)
	require.Len(t, now.Cues, 1)
	require.Equal(t, "1M01", now.Cues[0].Number)
	require.InDelta(t, 90, now.Sums.Whole.Seconds, 1e-9)
	list := c.do("GET", path+"/export/list", nil)
	require.Contains(t, string(list.body), "1M01,Salt,1,01:01:00:00,01:02:30:00,00:01:30:00,spotted")
	require.Contains(t, list.header.Get("Content-Disposition"), "The Salt Lantern cues.csv")
	require.Contains(t, string(c.do("GET", path+"/export/edl", nil).body), "001  1M01     A     C        01:01:00:00 01:02:30:00 01:01:00:00 01:02:30:00\n* FROM CLIP NAME: 1M01 Salt\n")
	reel := c.do("GET", path+"/export/otio?reel="+string(now.Cues[0].Reel), nil)
	require.Contains(t, string(reel.body), `"kind": "Audio"`)
	require.Contains(t, reel.header.Get("Content-Disposition"), "The Salt Lantern reel 1 cues.otio")
	require.Equal(t, []string{"tempi, bars and status of cues"}, decode[[]string](t, c.do("GET", path+"/export/edl/left", nil)))
	require.Equal(t, 404, c.do("GET", path+"/export/otio?reel=none", nil).status)
	require.Equal(t, 404, c.do("GET", path+"/export/aaf", nil).status)

	first := decode[struct {
		Cut    string
		Events int
	}](t, c.do("POST", path+"/cuts?name=Cut+1", edlOf([3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440})))
	require.Equal(t, 4, first.Events)
	again := c.do("POST", path+"/cuts?cut="+first.Cut, edlOf([3]any{"A", 0, 1440}))
	require.Equal(t, 422, again.status)
	require.Contains(t, string(again.body), "bring the list in as a new cut")
	bad := c.do("POST", path+"/cuts", []byte("001  A V C 00:00:00:99 00:00:01:00 01:00:00:00 01:00:01:00"))
	require.Equal(t, 422, bad.status)
	require.Contains(t, string(bad.body), "line 1: 00:00:00:99 is not a timecode")
	second := decode[struct{ Cut string }](t, c.do("POST", path+"/cuts?name=Cut+2", edlOf([3]any{"A", 0, 1392}, [3]any{"B", 0, 720}, [3]any{"C", 24, 696}, [3]any{"D", 0, 1440})))
	now = c.filmOf(t, path)
	require.Equal(t, first.Cut, now.Settings.Cut, "the cues stand in the first still")
	require.Len(t, now.Cuts, 2)
	require.Len(t, decode[[]struct{ Source string }](t, c.do("GET", path+"/cuts/"+second.Cut+"/reels/"+string(now.Reels[0].ID), nil)), 4)

	held := decode[struct {
		Reels []struct{ Pieces, Gone, Fresh []any }
		Cues  []struct {
			Verdict   cue.Verdict
			Proposals []struct{ Way, Text string }
		}
	}](t, c.do("GET", path+"/cuts/"+second.Cut+"/conform", nil))
	require.Len(t, held.Reels[0].Pieces, 4)
	require.Len(t, held.Reels[0].Gone, 2)
	require.Equal(t, cue.Changed, held.Cues[0].Verdict.Kind)
	require.Equal(t, "moves by -48 frames, takes out 2 beats at bar 20", held.Cues[0].Proposals[0].Text)
	// the same cut as a list of changes
	bad = c.do("POST", path+"/cuts", []byte("at,gone\n01:00:58:00,48\n01:00:59:00,48\n01:50:00:00,1\n"))
	require.Equal(t, 422, bad.status)
	require.Contains(t, string(bad.body), "line 3: what is at 01:00:59:00 goes in another line already; line 4")
	third := decode[struct{ Cut string }](t, c.do("POST", path+"/cuts?name=Cut+2+again", []byte("at,gone\n01:00:58:00,48\n01:01:30:00,24\n")))
	type gone struct {
		Reels []struct{ Gone []any }
	}
	require.Equal(t, decode[gone](t, c.do("GET", path+"/cuts/"+second.Cut+"/conform", nil)), decode[gone](t, c.do("GET", path+"/cuts/"+third.Cut+"/conform", nil)))
	report1 := c.do("GET", path+"/cuts/"+second.Cut+"/report/csv", nil)
	require.Contains(t, string(report1.body), "1M01,Salt,1,01:01:00:00,01:00:58:00,")
	require.Contains(t, report1.header.Get("Content-Disposition"), "The Salt Lantern, Cut 2.csv")
	require.Equal(t, "%PDF", string(c.do("GET", path+"/cuts/"+second.Cut+"/report/pdf", nil).body[:4]))
	require.Equal(t, 422, c.do("GET", path+"/cuts/gone/report/pdf", nil).status)
	require.Equal(t, 200, c.do("POST", path+"/cuts/"+second.Cut+"/conform", map[string]any{"choices": map[string]int{}}).status)
	now = c.filmOf(t, path)
	require.Equal(t, second.Cut, now.Settings.Cut)
	require.EqualValues(t, 86_400+1440-48, now.Cues[0].Start)
	require.Equal(t, 422, c.do("POST", path+"/cuts/"+second.Cut+"/conform", map[string]any{"choices": map[string]int{}}).status, "they stand in it already")

	// Its own MIDI file follows: a note at bar 19 stays, one in the two beats that go at bar 20 goes,
	// one at bar 21 comes two beats earlier.
	bar := func(n int64) int64 { return (n - 1) * 4 * 480 }
	notes := []articulation.Message{}
	for _, at := range []int64{bar(19), bar(20), bar(21)} {
		notes = append(notes, articulation.Message{Tick: at, Status: articulation.NoteOn, Channel: 1, Data1: 60, Data2: 90}, articulation.Message{Tick: at + 240, Status: articulation.NoteOff, Channel: 1, Data1: 60})
	}
	var music bytes.Buffer
	clock, err := tempo.NewTime(480, nil, nil)
	require.NoError(t, err)
	require.NoError(t, smf.WriteCompiled(&music, "Violins", clock, notes))
	midi := path + "/cues/" + string(now.Cues[0].ID) + "/midi"
	recut, err := smf.Read(bytes.NewReader(c.do("POST", midi, music.Bytes()).body))
	require.NoError(t, err)
	require.Len(t, recut.Tracks[1].Notes, 2)
	require.EqualValues(t, []int64{bar(19), bar(21) - 2*480}, []int64{int64(recut.Tracks[1].Notes[0].Start), int64(recut.Tracks[1].Notes[1].Start)})
	require.Equal(t, 422, c.do("POST", midi, []byte("hello")).status)
	require.Equal(t, "Take Cut 2", c.do("GET", path+"/undo", nil).field(t, "undo"))
	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	require.EqualValues(t, 86_400+1440, c.filmOf(t, path).Cues[0].Start)
	require.Equal(t, 200, c.do("POST", path+"/redo", nil).status)
	require.Equal(t, 200, c.do("POST", path+"/cuts/"+first.Cut+"/back", nil).status)
	now = c.filmOf(t, path)
	require.Equal(t, first.Cut, now.Settings.Cut)
	require.EqualValues(t, 86_400+1440, now.Cues[0].Start)
	require.Equal(t, []cue.Metre{{Bar: 1, Beats: 4, Unit: 4}}, now.Cues[0].Metres)

	id := string(now.Cues[0].ID)
	set := func(who *client, base int64, fields map[string]any) got {
		return who.do("POST", path+"/changes", map[string]any{"base": base, "change": map[string]any{"ops": []any{map[string]any{"kind": "cue", "id": id, "set": fields}}}})
	}
	base := now.Revision
	hits := []cue.Hit{}
	for _, k := range []float64{8, 21, 32, 54} {
		hits = append(hits, cue.Hit{Frame: now.Cues[0].Start + int64(k*60/92.31*24+.5), Weight: 1, Tolerance: 1})
	}
	require.Equal(t, 200, set(c, base, map[string]any{"hits": hits}).status)
	found := decode[struct{ Steady []cue.Found }](t, c.do("POST", path+"/tempi", map[string]any{"cue": id, "low": 60, "high": 140, "ways": 0, "beats": 4}))
	require.InDelta(t, 92.31, found.Steady[0].BPM, .2)
	require.Equal(t, 4, found.Steady[0].Met)
	maps := decode[struct{ Maps []cue.Mapped }](t, c.do("POST", path+"/tempi", map[string]any{"cue": id, "low": 60, "high": 140, "ways": 0, "beats": 4, "ratio": 1.1}))
	require.Equal(t, 4, maps.Maps[0].Met)

	require.Equal(t, 200, set(c, base, map[string]any{"title": "Salt and light"}).status, "another field merges")
	eve := s.signedIn(t, "eve")
	require.Equal(t, 404, set(eve, base, map[string]any{"title": "x"}).status, "another studio")
	var past []struct{ Label string }
	require.NoError(t, json.Unmarshal(c.do("GET", path+"/history", nil).body, &past))
	require.Equal(t, "Set title of 1M01 Salt", past[0].Label)
	require.Equal(t, 200, c.do("POST", fmt.Sprintf("%s/history/%d/take-back", path, c.filmOf(t, path).Revision), nil).status)
	require.Equal(t, "Salt", c.filmOf(t, path).Cues[0].Title)
	refused := set(c, c.filmOf(t, path).Revision, map[string]any{"end": 3})
	require.Equal(t, 422, refused.status)
	require.Contains(t, string(refused.body), "before it begins")
	require.Equal(t, 422, c.do("POST", "/api/productions", map[string]any{"name": "x", "rate": "33"}).status)

	rows := decode[[]struct {
		Name string
		Cues int
	}](t, c.do("GET", "/api/productions", nil))
	require.Len(t, rows, 1)
	require.Equal(t, 1, rows[0].Cues)
	require.Empty(t, decode[[]any](t, eve.do("GET", "/api/productions", nil)))
	require.Equal(t, 404, c.do("GET", "/api/templates/"+path[len("/api/productions/"):], nil).status, "it is not a template")
}

// A browser that follows a production is told of every change, and resumes.
func TestAProductionIsFollowed(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newFilm(t, "Film")
	id := path[len("/api/productions/"):]
	answer, err := c.http.Get(c.base + "/api/events?watch=" + id + ":0")
	require.NoError(t, err)
	defer answer.Body.Close()
	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": 0, "change": map[string]any{"ops": []any{map[string]any{"kind": "reel", "id": "r", "add": map[string]any{"id": "r", "name": "1", "start": 86400, "length": 0}}}}}).status)
	lines := bufio.NewScanner(answer.Body)
	for lines.Scan() {
		if strings.Contains(lines.Text(), `"name":"change"`) {
			break
		}
	}
	require.True(t, lines.Scan())
	require.Contains(t, lines.Text(), `"reels":[{"id":"r"`)
}

// midiText is a MIDI file as Debian's midicsv reads it.
func midiText(t *testing.T, data []byte) string {
	t.Helper()
	cmd := exec.Command("midicsv", "-")
	cmd.Stdin = bytes.NewReader(data)
	out, err := cmd.Output()
	require.NoError(t, err)
	return string(out)
}

// Cues are started as folders that a sequencer opens: MIDI whose offset, tempi and metres another
// reader (midicsv) finds where they should be, a session, the call, and a sheet; each notes the
// version of its template, and one change does it for all.
func TestCuesAreStarted(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	one := violins(t)
	one.Calls = append(one.Calls, &template.Call{ID: "call", Name: "Strings", Instruments: []template.ID{"i"}})
	id := c.keep(t, one)
	path := c.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, c.do("POST", path+"/spotting?take=true", []byte("number,title,start,end,tempo\n1M01,Salt,01:01:00:00,01:02:30:00,96\n1M02,Lamp/light,01:03:00:12,01:04:00:00,120\n")).status)
	film := c.filmOf(t, path)
	first := film.Cues[0].ID
	ask := func(body map[string]any) got { return c.do("POST", path+"/start", body) }
	require.Contains(t, string(ask(map[string]any{"cues": []cue.ID{first}}).body), "1M01 Salt has no template yet")
	require.Equal(t, 422, ask(map[string]any{"cues": []cue.ID{first}, "template": id, "call": "gone"}).status)
	require.Equal(t, 422, ask(map[string]any{"cues": []string{"gone"}, "template": id}).status)
	hits := []cue.Hit{{Name: "beam", Frame: film.Cues[0].Start + 15*8, Weight: 1}}
	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": film.Revision, "change": map[string]any{"ops": []any{map[string]any{"kind": "cue", "id": first, "set": map[string]any{
		"hits": hits, "metres": []cue.Metre{{Bar: 1, Beats: 4, Unit: 4}, {Bar: 7, Beats: 3, Unit: 4}},
	}}}}}).status)

	done := ask(map[string]any{"cues": []cue.ID{first, film.Cues[1].ID}, "template": id, "call": "call", "click": true})
	require.Equal(t, 200, done.status, string(done.body))
	require.Contains(t, done.header.Get("Content-Disposition"), "The Salt Lantern cues.zip")
	archive, err := zip.NewReader(bytes.NewReader(done.body), int64(len(done.body)))
	require.NoError(t, err)
	files := map[string][]byte{}
	for _, f := range archive.File {
		r, err := f.Open()
		require.NoError(t, err)
		files[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
	}
	require.Len(t, files, 10)
	click := files["1M01 Salt/1M01 Salt click.wav"]
	heard, err := wav.Read(bytes.NewReader(click), int64(len(click)))
	require.NoError(t, err)
	require.EqualValues(t, 48_000, heard.RateHz)
	require.EqualValues(t, 48_000*(film.Cues[0].End-film.Cues[0].Start+240)/24, heard.Frames, "the count-in as well")
	require.Contains(t, files, "1M02 Lamp-light/1M02 Lamp-light.dawproject")

	// At 96, a beat is 15 frames: the file begins 16 beats, 240 frames, before the cue.
	text := midiText(t, files["1M01 Salt/1M01 Salt.mid"])
	require.Contains(t, text, "1, 0, SMPTE_offset, 1, 0, 50, 0, 0\n", "01:00:50:00 at 24")
	require.Contains(t, text, "1, 0, Tempo, 625000\n")
	require.Contains(t, text, "1, 0, Time_signature, 4, 2,")
	require.Contains(t, text, "1, 23040, Time_signature, 3, 2,", "six bars of 4/4 at 960")
	require.Contains(t, text, `1, 15360, Marker_t, "1M01 Salt, bar 5, 01:01:00:00"`)
	require.Contains(t, text, `1, 23040, Marker_t, "Hit: beam"`, "eight beats on")
	require.Contains(t, text, `Title_t, "Violins 1"`)
	require.Contains(t, text, `Title_t, "Click"`)
	require.Contains(t, text, "Note_on_c, 9, 34, 120")
	require.Contains(t, midiText(t, files["1M01 Salt/Call.mid"]), "Note_on_c")
	sheet := string(files["1M01 Salt/1M01 Salt.txt"])
	require.Contains(t, sheet, "01:01:00:00, which is bar 5")
	require.Contains(t, sheet, "Strings, 1 rows")
	require.Contains(t, sheet, "patches, and how articulations are switched (1)")

	now := c.filmOf(t, path)
	for _, x := range now.Cues {
		require.Equal(t, id, x.Template)
		require.Equal(t, "call", x.Call)
		require.NotEmpty(t, x.Started)
	}
	require.Equal(t, "Start 2 cues", c.do("GET", path+"/undo", nil).field(t, "undo"))
	require.Equal(t, 200, ask(map[string]any{"cues": []cue.ID{first}}).status, "its own template is known now")
}

// A cue knows what has changed in its template since it was started, and takes single changes: its
// files are written again with those and without the others. What was undone is not told, and what
// needs an earlier change is told so.
func TestACueTakesSingleChanges(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	id := c.keep(t, violins(t))
	templates := "/api/templates/" + id
	path := c.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, c.do("POST", path+"/spotting?take=true", []byte("number,title,start,end,tempo\n1M01,Salt,01:01:00:00,01:02:30:00,96\n")).status)
	first := c.filmOf(t, path).Cues[0].ID
	since := path + "/cues/" + string(first) + "/since"
	require.Contains(t, string(c.do("GET", since, nil).body), "is not started yet")
	require.Equal(t, 200, c.do("POST", path+"/start", map[string]any{"cues": []cue.ID{first}, "template": id}).status)
	type row struct {
		Revision   int64
		Label, Not string
		Taken      bool
	}
	told := func() []row { return decode[[]row](t, c.do("GET", since, nil)) }
	require.Empty(t, told())

	change := func(x map[string]any) {
		t.Helper()
		now := c.do("GET", templates, nil).field(t, "revision")
		done := c.do("POST", templates+"/changes", map[string]any{"base": now, "change": x})
		require.Equal(t, 200, done.status, string(done.body))
	}
	rename := func(row, name string) {
		change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "name": name}}})
	}
	rename("i", "Violins I long")
	require.Equal(t, 200, c.do("POST", templates+"/rows", map[string]any{"kind": "guide", "count": 1}).status)
	for _, i := range decode[struct {
		Template struct{ Instruments []struct{ ID, Kind string } }
	}](t, c.do("GET", templates, nil)).Template.Instruments {
		if i.Kind == "guide" {
			rename(i.ID, "Old cut music")
		}
	}
	rename("i", "Fiddles")
	require.Equal(t, 200, c.do("POST", templates+"/undo", nil).status)
	list := told()
	require.Len(t, list, 3, "what was undone is not there: %v", list)
	require.Empty(t, list[0].Not)
	require.Empty(t, list[1].Not)
	require.Contains(t, list[2].Not, "does not work without others")

	take := func(n int, on bool) got {
		return c.do("POST", since, map[string]any{"revision": list[n].Revision, "take": on})
	}
	require.Equal(t, 422, take(2, true).status)
	require.Equal(t, 200, take(1, true).status)
	require.Equal(t, 200, take(2, true).status, "it goes with the row")
	require.Contains(t, told()[1].Not, "does not work without others", "and the row stays while it does")
	require.Equal(t, 422, take(1, false).status)
	require.Equal(t, 422, c.do("POST", since, map[string]any{"revision": 999, "take": true}).status)

	written := func(own bool) (session, sheet string) {
		done := c.do("POST", path+"/start", map[string]any{"cues": []cue.ID{first}, "own": own})
		require.Equal(t, 200, done.status, string(done.body))
		archive, err := zip.NewReader(bytes.NewReader(done.body), int64(len(done.body)))
		require.NoError(t, err)
		for _, f := range archive.File {
			r, err := f.Open()
			require.NoError(t, err)
			data, err := io.ReadAll(r)
			require.NoError(t, err)
			switch {
			case strings.HasSuffix(f.Name, ".txt"):
				sheet = string(data)
			case strings.HasSuffix(f.Name, ".dawproject"):
				inner, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
				require.NoError(t, err)
				r, err := inner.Open("project.xml")
				require.NoError(t, err)
				xml, err := io.ReadAll(r)
				require.NoError(t, err)
				session = string(xml)
			}
		}
		return session, sheet
	}
	session, sheet := written(true)
	require.Contains(t, session, "Old cut music", "taken")
	require.NotContains(t, session, "Violins I long", "not taken")
	require.Contains(t, sheet, fmt.Sprintf("what changed in revision %d, %d", list[1].Revision, list[2].Revision))
	before := c.filmOf(t, path).Cues[0]
	require.Equal(t, []int64{list[1].Revision, list[2].Revision}, before.Took)
	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	require.Len(t, c.filmOf(t, path).Cues[0].Took, 1, "each is one change")

	rename("i", "Fiddles")
	list = told()
	require.Equal(t, 200, take(len(list)-1, true).status)
	require.Equal(t, 200, c.do("POST", templates+"/undo", nil).status)
	require.True(t, told()[len(list)-1].Taken, "undone in the template, the cue has it still")
	session, _ = written(true)
	require.Contains(t, session, "Fiddles")

	session, _ = written(false)
	require.Contains(t, session, "Violins I long", "started anew, it has the present")
	now := c.filmOf(t, path).Cues[0]
	require.Empty(t, now.Took)
	require.Greater(t, now.Version, before.Version)
	require.Empty(t, told())
}
