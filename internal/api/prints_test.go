package api_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/audit"
	"fanfold/internal/demo"
	"fanfold/internal/format/bagit"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/format/wav"
)

// toneFrames is how long a made-up file is: a second, since all of it is proved several times with
// the race detector.
const toneFrames = 48_000

// tone is a file of a second: partials that fade in and out.
func tone(t testing.TB, hz, gain float64, add ...float64) []byte {
	t.Helper()
	f, err := os.Create(filepath.Join(t.TempDir(), "x.wav"))
	require.NoError(t, err)
	defer f.Close()
	w, err := wav.NewWriter(f, wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Whole24, Broadcast: &wav.Broadcast{Begin: 48_000}})
	require.NoError(t, err)
	x := make([]float64, toneFrames)
	for n := range x {
		s := float64(n) / 48_000
		fade := math.Sin(math.Pi * s)
		for _, f := range append([]float64{hz}, add...) {
			x[n] += gain * .2 * fade * fade * (math.Sin(2*math.Pi*f*s) + .3*math.Sin(2*math.Pi*3.01*f*s))
		}
	}
	y := make([]float64, len(x))
	for n := range y {
		y[n] = .8 * x[n]
	}
	require.NoError(t, w.Write(x, y))
	require.NoError(t, w.Close(nil))
	data, err := os.ReadFile(f.Name())
	require.NoError(t, err)
	return data
}

type wholePrint struct {
	State, Line, Reason string
	Faults              int
	Report              *audit.Report
	Files               []struct {
		Number          int
		Path, Role, How string
	}
}

// until waits for a print to be in a state.
func (c *client) until(path, state string) (x wholePrint) {
	c.t.Helper()
	require.Eventually(c.t, func() bool {
		x = wholePrint{}
		got := c.do("GET", path, nil)
		require.Equal(c.t, 200, got.status, string(got.body))
		require.NoError(c.t, json.Unmarshal(got.body, &x))
		return x.State == state || x.State == "failed"
	}, time.Minute, 50*time.Millisecond)
	require.Equal(c.t, state, x.State, x.Reason)
	return x
}

// lantern takes the demo's template in; it gives its path.
func (c *client) lantern() string {
	c.t.Helper()
	lantern, err := demo.Template()
	require.NoError(c.t, err)
	var b bytes.Buffer
	require.NoError(c.t, templatefile.Write(&b, lantern))
	made := c.do("POST", "/api/templates/file", b.Bytes())
	require.Less(c.t, made.status, 300, string(made.body))
	return "/api/templates/" + made.field(c.t, "id").(string)
}

// take takes files into a print that was recorded elsewhere, and has them proved.
func (c *client) take(templates string, files map[string][]byte) string {
	c.t.Helper()
	got := c.do("POST", templates+"/prints/recorded", map[string]any{"title": "From the sequencer"})
	require.Equal(c.t, 201, got.status, string(got.body))
	path := "/api/prints/" + got.field(c.t, "id").(string)
	for name, data := range files {
		got := c.do("PUT", path+"/files?name="+url.QueryEscape(name), data)
		require.Equal(c.t, 204, got.status, string(got.body))
	}
	refused := c.do("PUT", path+"/files?name=notes.txt", []byte("no sound at all"))
	require.Equal(c.t, 422, refused.status)
	require.Contains(c.t, string(refused.body), "choose a WAV or FLAC file")
	require.Equal(c.t, 204, c.do("POST", path+"/resume", nil).status)
	return path
}

// Stems that were recorded elsewhere come in, are matched and proved; what a file is can be said
// by hand, and is remembered; they are heard added up, and drawn; nobody of another studio hears
// them; deleted, their audio is gone.
func TestRecordingsAreProved(t *testing.T) {
	s := serve(t)
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer stop()
	c, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	templates := c.lantern()
	take := func(files map[string][]byte) string { t.Helper(); return c.take(templates, files) }
	path := take(map[string][]byte{"Horns.wav": tone(t, 220, 1), "Harp.wav": tone(t, 523, 1), "Mix.wav": tone(t, 220, 1, 523), "Weird.wav": tone(t, 100, .1)})
	x := c.until(path, "done")
	require.True(t, x.Report.Matched, x.Line)
	require.Len(t, x.Files, 4)
	roles := map[string]string{}
	numbers := map[string]int{}
	for _, f := range x.Files {
		roles[f.Path], numbers[f.Path] = f.Role, f.Number
	}
	require.Equal(t, map[string]string{"Horns.wav": "stem", "Harp.wav": "stem", "Mix.wav": "mix", "Weird.wav": "other"}, roles)

	// Another gain is found; the file that nobody knew is said to be a guide.
	second := take(map[string][]byte{"Horns take 2.wav": tone(t, 220, 1.0116), "Harp take 2.wav": tone(t, 523, 1), "Mix take 2.wav": tone(t, 220, 1, 523), "Weird take 2.wav": tone(t, 100, .1)})
	y := c.until(second, "done")
	require.Contains(t, y.Line, "Horns is 0.10 dB louder than in the mix")
	for _, f := range y.Files {
		if f.Path == "Weird take 2.wav" {
			require.Equal(t, 204, c.do("POST", second+"/matches", map[string]any{"says": map[string]string{strconv.Itoa(f.Number): "guide"}}).status)
		}
	}
	require.Equal(t, 422, c.do("POST", second+"/matches", map[string]any{"says": map[string]string{"0": "bus-nobody"}}).status)
	c.until(second, "done")
	third := take(map[string][]byte{"Weird take 3.wav": tone(t, 100, .1), "Mix.wav": tone(t, 220, 1)})
	z := c.until(third, "done")
	for _, f := range z.Files {
		if f.Path == "Weird take 3.wav" {
			require.Equal(t, "guide", f.Role)
			require.Equal(t, "by hand", f.How)
		}
	}

	// A server that ended in the middle of it: who is there goes on.
	_, err = s.store.Pool.Exec(context.Background(), "update prints set state = 'running', owner = gen_random_uuid(), beat_at = now() - interval '1 minute', report = null where id = $1", second[len("/api/prints/"):])
	require.NoError(t, err)
	require.Contains(t, c.until(second, "done").Line, "Horns is 0.10 dB louder")

	// Heard: two stems added up, from a place.
	sound := c.do("GET", path+"/sound?files="+strconv.Itoa(numbers["Horns.wav"])+","+strconv.Itoa(numbers["Harp.wav"])+"&from=24000&frames=1000", nil)
	require.Equal(t, 200, sound.status)
	mix := c.do("GET", path+"/sound?files="+strconv.Itoa(numbers["Mix.wav"])+"&from=24000&frames=1000", nil)
	require.Len(t, sound.body, 8000)
	for n := 0; n < 8000; n += 4 {
		at := func(b []byte) float64 { return float64(math.Float32frombits(binary.LittleEndian.Uint32(b[n:]))) }
		require.InDelta(t, at(mix.body), at(sound.body), 1e-5)
	}
	require.Len(t, c.do("GET", path+"/waves/"+strconv.Itoa(numbers["Mix.wav"]), nil).body, (toneFrames+255)/256*4)
	r, err := http.NewRequestWithContext(context.Background(), http.MethodGet, c.base+path+"/files/"+strconv.Itoa(numbers["Mix.wav"]), nil)
	require.NoError(t, err)
	r.Header.Set("Range", "bytes=0-3")
	part, err := c.http.Do(r)
	require.NoError(t, err)
	data, err := io.ReadAll(part.Body)
	require.NoError(t, err)
	require.NoError(t, part.Body.Close())
	require.Equal(t, 206, part.StatusCode)
	require.Equal(t, "RIFF", string(data))

	// Handed over: a bag with everything in it, that is what its manifest says.
	handed := c.do("GET", path+"/package", nil)
	require.Equal(t, 200, handed.status)
	archive, err := zip.NewReader(bytes.NewReader(handed.body), int64(len(handed.body)))
	require.NoError(t, err)
	require.NoError(t, bagit.Check(archive))
	var names []string
	for _, f := range archive.File {
		names = append(names, f.Name)
	}
	for _, name := range []string{"data/Horns.wav", "data/Mix.wav", "data/about/delivery sheet.pdf", "data/about/delivery sheet.html", "data/about/cue sheet.csv", "data/about/From the sequencer v1 proof.json", "manifest-sha256.txt"} {
		require.Contains(t, names, "From the sequencer v1/"+name)
	}
	html, err := archive.Open("From the sequencer v1/data/about/delivery sheet.html")
	require.NoError(t, err)
	sheet, err := io.ReadAll(html)
	require.NoError(t, err)
	require.Contains(t, string(sheet), "stereo, 48 kHz, 24 bits")
	require.NotContains(t, names, "From the sequencer v1/data/Weird.wav", "nobody knows what it is")

	// Against an earlier print: the stem that is louder, the one that is the same, one that was not there.
	last := map[string]int{}
	for _, f := range y.Files {
		last[f.Path] = f.Number
	}
	before := path[len("/api/prints/"):]
	for name, line := range map[string]string{"Horns take 2.wav": "0.10 dB louder throughout", "Harp take 2.wav": "the same", "Weird take 2.wav": "the same"} {
		got := c.do("GET", second+"/files/"+strconv.Itoa(last[name])+"/against/"+before, nil)
		require.Equal(t, 200, got.status, string(got.body))
		if name == "Weird take 2.wav" {
			line = "the earlier print has no such file" // there it is not a guide
		}
		require.Equal(t, line, got.field(t, "line"), name)
	}
	shape := c.do("GET", second+"/files/"+strconv.Itoa(last["Mix take 2.wav"])+"/shape", nil)
	require.Equal(t, 200, shape.status)
	require.InDelta(t, y.Report.Files[slices.IndexFunc(y.Report.Files, func(f audit.Figures) bool { return f.Role == audit.Mix })].LUFS, shape.field(t, "lufs"), .01)
	require.Contains(t, string(sheet), "On the mix alone, and in no stem: limiter")

	for _, ask := range []string{"", "/package", "/sound?files=0", "/waves/0", "/files/0"} {
		require.Equal(t, 404, eve.do("GET", path+ask, nil).status, ask)
	}
	require.Equal(t, 204, c.do("DELETE", path, nil).status)
	require.Equal(t, 404, c.do("GET", path+"/files/0", nil).status)
	list := c.do("GET", templates+"/prints", nil)
	require.Equal(t, 200, list.status)
	require.Equal(t, 2, strings.Count(string(list.body), `"From the sequencer"`))
	require.Equal(t, 422, c.do("POST", templates+"/prints", map[string]any{"rateHz": 22050, "samples": "24", "trimDb": 0, "leaveOut": false, "long": false, "peakDb": -1}).status)
}

// What is delivered is kept on record, with what is newer since; whoever has the link hears and
// fetches it without signing in, until it ends, and reaches nothing else by it.
func TestDeliveries(t *testing.T) {
	s := serve(t)
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer stop()
	c, eve, stranger := s.signedIn(t, "ada"), s.signedIn(t, "eve"), s.client(t)
	templates := c.lantern()
	files := map[string][]byte{"Horns.wav": tone(t, 220, 1), "Mix.wav": tone(t, 220, 1), "Dialogue.wav": tone(t, 100, .1)}
	path := c.take(templates, files)
	ask := map[string]any{"prints": []string{path[len("/api/prints/"):]}, "to": "The mixer", "note": "Mind the <horns>.", "folders": "fold", "listening": true, "linkDays": 3}
	require.Equal(t, 422, c.do("POST", templates+"/deliveries", map[string]any{"prints": ask["prints"], "to": " ", "note": "", "folders": "one", "listening": false, "linkDays": 0}).status)
	c.until(path, "done")
	made := c.do("POST", templates+"/deliveries", ask)
	require.Equal(t, 201, made.status, string(made.body))
	id, link := made.field(t, "id").(string), "/delivery/"+made.field(t, "secret").(string)

	page := stranger.do("GET", link, nil)
	require.Equal(t, 200, page.status, string(page.body))
	for _, text := range []string{"From the sequencer", "to The mixer", "Mind the &lt;horns&gt;.", "Mix/Mix.wav", "Horns.wav", "version 1; "} {
		require.Regexp(t, text, string(page.body))
	}
	require.NotContains(t, string(page.body), "Dialogue")
	require.Equal(t, "private, no-store", page.header.Get("Cache-Control"))
	r, err := http.NewRequestWithContext(context.Background(), http.MethodGet, s.URL+link+"/0/1", nil)
	require.NoError(t, err)
	r.Header.Set("Range", "bytes=0-3")
	part := stranger.send(r)
	require.Equal(t, 206, part.status)
	require.Equal(t, "RIFF", string(part.body))
	whole := stranger.do("GET", link+"/package", nil)
	archive, err := zip.NewReader(bytes.NewReader(whole.body), int64(len(whole.body)))
	require.NoError(t, err)
	require.NoError(t, bagit.Check(archive))
	copied, err := archive.Open("From the sequencer v1/data/listen/From the sequencer v1.flac")
	require.NoError(t, err)
	flac, err := io.ReadAll(copied)
	require.NoError(t, err)
	sound, err := soundfile.Open(bytes.NewReader(flac), int64(len(flac)))
	require.NoError(t, err)
	require.EqualValues(t, toneFrames, sound.Frames)
	for _, elsewhere := range []string{link + "/0/9", link + "/1/0", link + "/0/-1", "/delivery/x", "/delivery/x/package"} {
		require.Equal(t, 404, stranger.do("GET", elsewhere, nil).status, elsewhere)
	}
	require.Equal(t, 401, stranger.do("GET", path, nil).status)
	require.Equal(t, 404, eve.do("GET", "/api/deliveries/"+id+"/package", nil).status)
	require.Equal(t, 404, eve.do("DELETE", "/api/deliveries/"+id+"/link", nil).status)

	type delivery struct {
		Open    bool
		Fetched int
		Prints  []struct {
			Kept  bool
			Newer int
			Files []struct{ Path string }
		}
	}
	list := func() delivery {
		var x struct{ Deliveries []delivery }
		got := c.do("GET", templates+"/deliveries", nil)
		require.NoError(t, json.Unmarshal(got.body, &x), "%s", got.body)
		require.Len(t, x.Deliveries, 1)
		return x.Deliveries[0]
	}
	now := list()
	require.True(t, now.Open)
	require.Equal(t, 1, now.Fetched)
	require.True(t, now.Prints[0].Kept)
	require.Zero(t, now.Prints[0].Newer)
	require.Len(t, now.Prints[0].Files, 2)
	// What a file is said to be later changes nothing of what was handed over.
	for _, f := range c.until(path, "done").Files {
		if f.Path == "Horns.wav" {
			require.Equal(t, 204, c.do("POST", path+"/matches", map[string]any{"says": map[string]string{strconv.Itoa(f.Number): "other"}}).status)
		}
	}
	c.until(path, "done")
	later := stranger.do("GET", link+"/package", nil)
	archive, err = zip.NewReader(bytes.NewReader(later.body), int64(len(later.body)))
	require.NoError(t, err)
	for _, f := range now.Prints[0].Files {
		_, err := archive.Open("From the sequencer v1/data/" + f.Path)
		require.NoError(t, err)
	}
	second := c.take(templates, map[string][]byte{"Horns.wav": tone(t, 230, 1), "Mix.wav": tone(t, 230, 1)})
	c.until(second, "done")
	require.Equal(t, 2, list().Prints[0].Newer)

	// While the link is open its audio stays; a new link ends the old one; a link ends by its day, or by hand.
	kept := c.do("DELETE", path, nil)
	require.Equal(t, 422, kept.status)
	require.Contains(t, string(kept.body), "The mixer can still fetch it by a link; end the link first")
	again := c.do("POST", "/api/deliveries/"+id+"/link", map[string]any{"days": 1})
	require.Equal(t, 201, again.status)
	require.Equal(t, 404, stranger.do("GET", link, nil).status)
	link = "/delivery/" + again.field(t, "secret").(string)
	require.Equal(t, 200, stranger.do("GET", link, nil).status)
	_, err = s.store.Pool.Exec(context.Background(), "update deliveries set ends_at = now() - interval '1 second'")
	require.NoError(t, err)
	late := stranger.do("GET", link, nil)
	require.Equal(t, 404, late.status)
	require.Contains(t, string(late.body), "ask whoever gave it to you for a new one")
	again = c.do("POST", "/api/deliveries/"+id+"/link", map[string]any{"days": 1})
	require.Equal(t, 204, c.do("DELETE", "/api/deliveries/"+id+"/link", nil).status)
	require.Equal(t, 404, stranger.do("GET", "/delivery/"+again.field(t, "secret").(string), nil).status)
	require.Equal(t, 204, c.do("DELETE", path, nil).status)
	require.False(t, list().Prints[0].Kept)
	require.Equal(t, 422, c.do("GET", "/api/deliveries/"+id+"/package", nil).status)
}
