package api_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
)

type patch struct {
	ID, Library, Player, Name, Sound, Dynamics string
	PreloadMib                                 float64
	Map                                        []struct{ Articulation string }
}

type page struct {
	Total   int
	Patches []patch
}

// as reads what a request answered.
func as[T any](t *testing.T, g got) T {
	t.Helper()
	require.Less(t, g.status, 300, "%s", g.body)
	var out T
	require.NoError(t, json.Unmarshal(g.body, &out), "%s", g.body)
	return out
}

type catalogue struct {
	ID        string
	Revision  int64
	Libraries []struct{ ID, Name string }
	Shelves   []struct {
		Patches    int
		PreloadMib float64
	}
	Vocabulary []struct{ ID, Name string }
	Own        []string
	Sounds     []struct{ ID string }
	Rig        []template.Machine
}

type opened struct {
	Revision int64
	Template struct {
		Instruments []struct {
			ID, Name, Kind string
			Patches        []string
			Articulations  []string
		}
		Libraries []struct{ ID, Name string }
		Patches   []patch
	}
}

// imported is a template with a flute and a piccolo, and what the studio knows.
func imported(t *testing.T) (*server, *client, string, catalogue) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	return s, c, path, as[catalogue](t, c.do("GET", "/api/catalogue", nil))
}

func TestTheCatalogueTakesInWhatTemplatesBring(t *testing.T) {
	s, c, path, cat := imported(t)
	require.Len(t, cat.Libraries, 1)
	require.Equal(t, "Millrace Winds", cat.Libraries[0].Name)
	require.Equal(t, 2, cat.Shelves[0].Patches)
	require.Len(t, cat.Rig, 1)
	require.Equal(t, "Alder", cat.Rig[0].Name)
	require.Greater(t, len(cat.Sounds), 60)

	found := as[page](t, c.do("GET", "/api/catalogue/patches?text=mill+picc", nil))
	require.Equal(t, 1, found.Total)
	require.Equal(t, "Piccolo", found.Patches[0].Name)

	eve := s.signedIn(t, "eve")
	require.Zero(t, as[page](t, eve.do("GET", "/api/catalogue/patches", nil)).Total, "another studio knows nothing of it")
	require.Equal(t, 404, eve.do("GET", "/api/templates/"+cat.ID, nil).status)

	// Another template that names the library means the same one.
	other := c.newTemplate("Brine")
	require.Equal(t, 200, c.do("POST", other+"/import?take=true", []byte("section,instrument,library,stem\nWinds,Piccolo,millrace winds,Winds\n")).status)
	there := as[opened](t, c.do("GET", other, nil))
	require.Equal(t, found.Patches[0].ID, there.Template.Instruments[0].Patches[0])
	require.Equal(t, 310.0, there.Template.Patches[0].PreloadMib)
	_ = path
}

func TestTemplatesFollowTheCatalogueAndItsUndo(t *testing.T) {
	_, c, path, cat := imported(t)
	p := as[page](t, c.do("GET", "/api/catalogue/patches?text=piccolo", nil)).Patches[0]
	edit := map[string]any{"base": cat.Revision, "ids": []string{p.ID}, "set": map[string]any{
		"preloadMib": 99, "sound": "wind.flutes.flute.piccolo", "dynamics": "none",
		"map": []any{map[string]any{"articulation": "long", "switches": []any{map[string]any{"kind": "key", "number": 60}}}, map[string]any{"articulation": "stacc.", "switches": []any{map[string]any{"kind": "key", "number": 60}}}},
	}}
	require.Equal(t, 200, c.do("POST", "/api/catalogue/patches/edit", edit).status)
	size := func() float64 {
		for _, x := range as[opened](t, c.do("GET", path, nil)).Template.Patches {
			if x.ID == p.ID {
				return x.PreloadMib
			}
		}
		return -1
	}
	require.Equal(t, 99.0, size())
	marks := as[struct{ Codes []struct{ Code string } }](t, c.do("GET", path+"/marks", nil))
	var codes []string
	for _, m := range marks.Codes {
		codes = append(codes, m.Code)
	}
	require.Subset(t, codes, []string{"switch-clash", "switch-in-range", "no-dynamics"})

	require.NotContains(t, c.do("GET", path+"/undo", nil).field(t, "undo"), "catalogue", "following is nobody's to undo")
	require.Equal(t, 200, c.do("POST", "/api/templates/"+cat.ID+"/undo", nil).status)
	require.Equal(t, 310.0, size())

	stale := c.do("POST", "/api/catalogue/patches/edit", edit)
	require.Equal(t, 409, stale.status, "%s", stale.body)
}

func TestAPatchInUseStays(t *testing.T) {
	_, c, path, cat := imported(t)
	p := as[page](t, c.do("GET", "/api/catalogue/patches?text=piccolo", nil)).Patches[0]
	drop := map[string]any{"base": cat.Revision, "change": map[string]any{"kind": "drop", "patches": []string{p.ID}}}
	refused := c.do("POST", "/api/templates/"+cat.ID+"/changes", drop)
	require.Equal(t, 422, refused.status)
	require.Contains(t, string(refused.body), "Piccolo plays Piccolo in Salt; swap its patch first")
	row := as[opened](t, c.do("GET", path, nil)).Template.Instruments[0].ID
	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": as[opened](t, c.do("GET", path, nil)).Revision, "change": map[string]any{"kind": "delete", "ids": []string{row}}}).status)
	require.Equal(t, 200, c.do("POST", "/api/templates/"+cat.ID+"/changes", drop).status)
	for _, x := range as[opened](t, c.do("GET", path, nil)).Template.Patches {
		require.NotEqual(t, p.ID, x.ID, "the template drops its copy too")
	}
}

func TestUseAndSwap(t *testing.T) {
	_, c, path, _ := imported(t)
	flute := as[page](t, c.do("GET", "/api/catalogue/patches?text=flute", nil)).Patches[0]
	used := as[struct{ Added []string }](t, c.do("POST", path+"/use", map[string]any{"patches": []string{flute.ID}}))
	require.Len(t, used.Added, 1)
	first := as[opened](t, c.do("GET", path, nil)).Template.Instruments[0]
	ask := map[string]any{"ids": []string{first.ID}, "patch": flute.ID, "layer": true, "take": false}
	require.Equal(t, 200, c.do("POST", path+"/swap", ask).status)
	require.Len(t, as[opened](t, c.do("GET", path, nil)).Template.Instruments[0].Patches, 1, "it was only asked")
	ask["take"] = true
	require.Equal(t, 200, c.do("POST", path+"/swap", ask).status)
	require.Len(t, as[opened](t, c.do("GET", path, nil)).Template.Instruments[0].Patches, 2)
	again := c.do("POST", path+"/swap", ask)
	require.Equal(t, 422, again.status)
	require.Contains(t, string(again.body), "already")
}

func TestMapsAreCheckedAndTried(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	list := []any{
		map[string]any{"articulation": "long", "switches": []any{map[string]any{"kind": "key", "number": 24}}},
		map[string]any{"articulation": "pizz.", "switches": []any{map[string]any{"kind": "key", "number": 24}}},
	}
	faults := as[struct {
		Clashes []struct{ Message string }
		Free    []int
		Said    []string
	}](t, c.do("POST", "/api/catalogue/map/check", map[string]any{"map": list, "keyLow": 48, "keyHigh": 90}))
	require.Equal(t, "key 24", faults.Clashes[0].Message)
	require.Equal(t, 47, faults.Free[0])

	try := func(notes string) got {
		return c.do("POST", "/api/catalogue/map/try", map[string]any{"map": list, "keyLow": 48, "keyHigh": 90, "channel": 4, "notes": notes})
	}
	tried := as[struct {
		Messages []struct {
			Ms      float64
			Channel int
			Text    string
		}
		Missing []string
	}](t, try("C4 1/4 long; E4 barked"))
	require.Equal(t, "key 24 on, velocity 100", tried.Messages[0].Text)
	require.Equal(t, "key 60 on, velocity 90", tried.Messages[1].Text)
	require.Equal(t, []string{"barked"}, tried.Missing)
	require.Equal(t, 4, tried.Messages[0].Channel)
	wrong := try("C4; H9 1/4")
	require.Equal(t, 422, wrong.status)
	require.Contains(t, string(wrong.body), `note 2, \"H9 1/4\": begin with a key`)
	bad := c.do("POST", "/api/catalogue/map/check", map[string]any{"map": []any{map[string]any{"articulation": "x", "switches": []any{map[string]any{"kind": "key", "number": 200}}}}, "keyLow": 0, "keyHigh": 1})
	require.Equal(t, 422, bad.status)
	require.Contains(t, string(bad.body), "a key is 0 to 127, not 200")
}

// A folder is scanned as a job: measured patches come to the catalogue, broken
// files are told, a second scan reads nothing again, and no other folder can
// be seen.
func TestAFolderIsScanned(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	root := t.TempDir()
	require.NoError(t, demo.WriteSamples(root))
	require.NoError(t, s.app.AllowScans(root))
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	t.Cleanup(stop)

	require.Equal(t, `["Lamp Room Bells"]`, strings.TrimSpace(string(c.do("GET", "/api/scans/folders?folder="+root, nil).body)))
	for _, outside := range []string{"/etc", root + "/../", filepath.Dir(root), root + "x", "relative"} {
		require.Equal(t, 422, c.do("GET", "/api/scans/folders?folder="+outside, nil).status, outside)
		require.Equal(t, 422, c.do("POST", "/api/scans", map[string]any{"folder": outside, "library": "X"}).status, outside)
	}
	require.Equal(t, 422, c.do("POST", "/api/scans", map[string]any{"folder": root, "library": " "}).status)

	run := func() app.Scan {
		started := as[app.Scan](t, c.do("POST", "/api/scans", map[string]any{"folder": root + "/Lamp Room Bells", "library": "Lamp Room Bells"}))
		var last app.Scan
		require.Eventually(t, func() bool {
			last = as[struct{ Scans []app.Scan }](t, c.do("GET", "/api/scans", nil)).Scans[0]
			return last.ID == started.ID && last.State != "waiting" && last.State != "running"
		}, 30*time.Second, 50*time.Millisecond)
		return last
	}
	first := run()
	require.Equal(t, "done", first.State, first.Reason)
	require.Equal(t, []int{9, 9, 9, 0, 1}, []int{first.Patches, first.Done, first.Files, first.Unchanged, first.BrokenCount})
	require.Contains(t, first.Broken[0].File, "Rail chimes scraped.wav")
	found := as[struct {
		Total   int
		Patches []template.Patch
	}](t, c.do("GET", "/api/catalogue/patches?text=marimba+roll", nil))
	require.Equal(t, 1, found.Total)
	p := found.Patches[0]
	require.True(t, p.Measured)
	require.Equal(t, "pitched-percussion.marimba", p.Sound)
	require.Equal(t, []int{45, 84, 2}, []int{p.KeyLow, p.KeyHigh, p.RoundRobins})
	require.Equal(t, "damped", p.Map[2].Articulation)

	second := run()
	require.Equal(t, 8, second.Unchanged, "all but the one that lacks a sample")
	require.Contains(t, second.Reason, "0 new, 0 other than before, 9 as they were")

	eve := s.signedIn(t, "eve")
	require.Empty(t, as[struct{ Scans []app.Scan }](t, eve.do("GET", "/api/scans", nil)).Scans)
	require.Equal(t, 404, eve.do("DELETE", "/api/scans/"+first.ID.String(), nil).status)
	require.Equal(t, 422, c.do("DELETE", "/api/scans/"+first.ID.String(), nil).status, "it has ended")
}

// A running scan is stopped, and takes nothing in.
func TestAScanIsStopped(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	root := t.TempDir()
	for n := range 4000 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprintf("p%04d.sfz", n)), []byte(strings.Repeat("<region> sample=*sine key=60\n", 200)), 0o644))
	}
	require.NoError(t, s.app.AllowScans(root))
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	t.Cleanup(stop)
	started := as[app.Scan](t, c.do("POST", "/api/scans", map[string]any{"folder": root, "library": "Long"}))
	require.Eventually(t, func() bool {
		return as[struct{ Scans []app.Scan }](t, c.do("GET", "/api/scans", nil)).Scans[0].Done > 0
	}, 20*time.Second, 10*time.Millisecond)
	require.Equal(t, 204, c.do("DELETE", "/api/scans/"+started.ID.String(), nil).status)
	require.Eventually(t, func() bool {
		return as[struct{ Scans []app.Scan }](t, c.do("GET", "/api/scans", nil)).Scans[0].State == "stopped"
	}, 20*time.Second, 50*time.Millisecond)
	require.Zero(t, as[page](t, c.do("GET", "/api/catalogue/patches", nil)).Total)
}

type castReport struct {
	Title    string
	List     string
	Revision int64
	Parts    []struct {
		ID, Name, Sound, Why string
		Lacks                []string
		Ways                 []struct{ Name string }
		Chosen               []struct {
			ID, Name   string
			InTemplate bool
		}
	}
}

// A score is cast: its parts and techniques are read, each is given to
// somebody for a reason, and taking it adds rows and a call.
func TestAScoreIsCast(t *testing.T) {
	_, c, path, _ := imported(t)
	score, err := os.ReadFile("../format/musicxml/testdata/pier.musicxml")
	require.NoError(t, err)
	asked := as[castReport](t, c.do("POST", path+"/cast", score))
	require.Equal(t, "The causeway", asked.Title)
	require.Equal(t, "Flute 1", asked.Parts[0].Name)
	require.Equal(t, "wind.flutes.flute", asked.Parts[0].Sound)
	require.Equal(t, "1. what the template has", asked.Parts[0].Why)
	require.True(t, asked.Parts[0].Chosen[0].InTemplate)

	hand := url.QueryEscape(`{"P3":["` + asked.Parts[0].Chosen[0].ID + `"]}`)
	taken := as[castReport](t, c.do("POST", path+"/cast?take=true&hand="+hand, score))
	require.Equal(t, "chosen by hand", taken.Parts[2].Why)
	require.Positive(t, taken.Revision)
	require.Contains(t, string(c.do("GET", path, nil).body), `"name":"The causeway"`)

	line := as[castReport](t, c.do("POST", path+"/cast?line="+url.QueryEscape("2[1.pic] - tmp"), []byte("")))
	require.Len(t, line.Parts, 3)
	for says, ask := range map[string]struct {
		query string
		body  []byte
	}{
		"drop a MusicXML file":          {"", []byte("")},
		"not as a MusicXML score":       {"", []byte("<html/>")},
		"no instrument has this name":   {"?line=foghorns", nil},
		"the casting list is no longer": {"?list=gone", score},
		"is not a JSON object":          {"?hand=x", score},
		"nobody plays":                  {"?take=true&line=org&list=casting-template-only", nil},
	} {
		got := c.do("POST", path+"/cast"+ask.query, append([]byte{}, ask.body...))
		require.Equal(t, 422, got.status, says)
		require.Contains(t, string(got.body), says)
	}
}

// Lists are kept in the catalogue, with versions; the default one is taken.
func TestCastingListsAreKept(t *testing.T) {
	_, c, path, cat := imported(t)
	value := map[string]any{"id": "mine", "name": "Winds of the mill", "version": 1, "default": true, "entries": []any{map[string]any{"kind": "library", "library": cat.Libraries[0].ID, "sounds": []string{"wind"}}}}
	put := func(v map[string]any) got {
		return c.do("POST", "/api/templates/"+cat.ID+"/changes", map[string]any{"base": as[catalogue](t, c.do("GET", "/api/catalogue", nil)).Revision, "change": map[string]any{"kind": "put", "castings": []any{map[string]any{"at": -1, "value": v}}}})
	}
	require.Equal(t, 200, put(value).status)
	require.Equal(t, "mine", as[castReport](t, c.do("POST", path+"/cast?line=2", []byte(""))).List)
	value["entries"] = []any{map[string]any{"kind": "library", "library": "none"}}
	bad := put(value)
	require.Equal(t, 422, bad.status)
	require.Contains(t, string(bad.body), "no library has the id")
}

// A part of a score is compiled for an instrument as it sits; a MIDI file
// carries its ways in texts.
func TestAPartIsCompiled(t *testing.T) {
	_, c, path, cat := imported(t)
	flute := as[page](t, c.do("GET", "/api/catalogue/patches?text=flute", nil)).Patches[0]
	require.Equal(t, 200, c.do("POST", "/api/catalogue/patches/edit", map[string]any{"base": cat.Revision, "ids": []string{flute.ID}, "set": map[string]any{"keyLow": 60, "map": []any{
		map[string]any{"articulation": "long", "switches": []any{map[string]any{"kind": "key", "number": 24}}},
		map[string]any{"articulation": "stacc.", "switches": []any{map[string]any{"kind": "key", "number": 25}}},
	}}}).status)
	row := as[opened](t, c.do("GET", path, nil)).Template.Instruments[1].ID
	score, err := os.ReadFile("../format/musicxml/testdata/pier.musicxml")
	require.NoError(t, err)
	type report struct {
		Parts    []struct{ Name string }
		Messages []struct{ Text string }
		Missing  []string
		Total    int
	}
	got := as[report](t, c.do("POST", path+"/compile/"+row, score))
	require.Len(t, got.Parts, 3)
	require.Equal(t, []string{"flutter", "legato"}, got.Missing)
	require.Equal(t, 8+2, got.Total, "four notes, and the one switch")
	file := c.do("POST", path+"/compile/"+row+"/midi", score)
	require.Equal(t, "audio/midi", file.header.Get("Content-Type"))
	again := as[report](t, c.do("POST", path+"/compile/"+row+"?bar=2", file.body))
	require.Len(t, again.Parts, 1, "what was compiled is music again")
	for says, ask := range map[string]string{"plays no|no longer": "/compile/nobody", "choose one of them": "/compile/" + row + "?part=9"} {
		bad := c.do("POST", path+ask, score)
		require.Equal(t, 422, bad.status)
		require.Regexp(t, says, string(bad.body))
	}
	require.Contains(t, string(c.do("POST", path+"/compile/"+row, []byte("MThd")).body), "does not begin as a Standard MIDI File")
}

// The catalogue goes out as a list, is edited elsewhere, and comes back.
func TestThePatchListGoesOutAndComesBack(t *testing.T) {
	_, c, path, _ := imported(t)
	out := c.do("GET", "/api/catalogue/list", nil)
	require.Equal(t, 200, out.status)
	edited := strings.ReplaceAll(string(out.body), "310", "222") + "Tallow Brass,TB,,,,,,,,,,,,Horn,,,zz\r\n"
	type report struct {
		Added, Updated, Same int
		Problems             []struct{ Column string }
	}
	told := as[report](t, c.do("POST", "/api/catalogue/list", []byte(edited)))
	require.Equal(t, []int{0, 1, 1, 1}, []int{told.Added, told.Updated, told.Same, len(told.Problems)})
	require.Equal(t, "key_low", told.Problems[0].Column)
	require.Equal(t, 310.0, as[opened](t, c.do("GET", path, nil)).Template.Patches[0].PreloadMib, "it was only asked")
	require.Equal(t, 200, c.do("POST", "/api/catalogue/list?take=true", []byte(edited)).status)
	require.Equal(t, 222.0, as[opened](t, c.do("GET", path, nil)).Template.Patches[0].PreloadMib)
}
