package musicxml_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/musicxml"
)

const pier = "testdata/pier.musicxml"

func readFile(t *testing.T, name string) *musicxml.Score {
	t.Helper()
	f, err := os.Open(name)
	require.NoError(t, err)
	defer f.Close()
	s, err := musicxml.Read(f)
	require.NoError(t, err)
	return s
}

func TestPartsNotesAndWays(t *testing.T) {
	s := readFile(t, pier)
	require.Equal(t, "The causeway", s.Title)
	require.Len(t, s.Parts, 3)
	require.Equal(t, 2, s.Measures)
	require.Equal(t, []musicxml.Tempo{{Tick: 0, BPM: 90}}, s.Tempi)
	flute, horn, violins := s.Parts[0], s.Parts[1], s.Parts[2]
	require.Equal(t, []string{"wind.flutes.flute"}, flute.Sounds)
	require.Equal(t, []musicxml.Note{
		{Start: 0, End: 1440, Key: 72, Velocity: 80, Ways: []string{"flutter"}, Measure: 1}, // two tied notes
		{Start: 1440, End: 1920, Key: 75, Velocity: 80, Ways: []string{"staccato"}, Measure: 1},
		{Start: 1920, End: 2880, Key: 76, Velocity: 80, Ways: []string{"legato"}, Measure: 2},
		{Start: 2880, End: 3840, Key: 77, Velocity: 80, Ways: []string{"legato"}, Measure: 2},
	}, flute.Notes)
	require.Equal(t, []musicxml.Note{{Start: 0, End: 1920, Key: 65, Velocity: 112, Ways: []string{"stopped"}, Measure: 1}}, horn.Notes, "a horn in F sounds a fifth lower")
	var ways []string
	for _, n := range violins.Notes {
		ways = append(ways, strings.Join(n.Ways, "+"))
	}
	require.Equal(t, []string{"con sordino+pizzicato", "con sordino+pizzicato", "con sordino", "tremolo+con sordino", ""}, ways)
	require.EqualValues(t, 0, violins.Notes[2].Start, "the second voice begins with the measure")
}

// What this reader counts, in a score by hand and in one that Debian's
// python3-ly engraved, the npm package musicxml-io counts too: the web tests
// hold the same figures against it.
func TestCounts(t *testing.T) {
	var files map[string]map[string]struct{ Measures, Notes, Staccato, Accent, Tremolo int }
	data, err := os.ReadFile("testdata/pier.counts.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &files))
	require.Len(t, files, 2)
	for name, want := range files {
		score := readFile(t, "testdata/"+name)
		require.Len(t, score.Parts, len(want))
		for _, p := range score.Parts {
			asks := map[string]int{}
			for _, x := range p.Techniques() {
				asks[x.Name] = x.Notes
			}
			w := want[p.ID]
			require.Equal(t, []int{w.Measures, w.Notes, w.Staccato, w.Accent, w.Tremolo}, []int{p.Measures, len(p.Notes), asks["staccato"], asks["accent"], asks["tremolo"]}, "%s, %s", name, p.ID)
		}
	}
}

// A score engraved elsewhere: Debian's python3-ly writes MusicXML from a
// source of its own language.
func TestAScoreOfAnotherProgram(t *testing.T) {
	out := filepath.Join(t.TempDir(), "pier.xml")
	said, err := exec.Command("ly", "musicxml", "testdata/pier.ly", "-o", out).CombinedOutput()
	require.NoError(t, err, "%s", said)
	s := readFile(t, out)
	require.Len(t, s.Parts, 2)
	var keys []int
	for _, n := range s.Parts[0].Notes {
		keys = append(keys, n.Key)
	}
	require.Equal(t, []int{72, 74, 76, 77, 79}, keys)
	require.Equal(t, 3, s.Parts[0].Measures)
	techniques := map[string]int{}
	for _, p := range s.Parts {
		for _, x := range p.Techniques() {
			techniques[x.Name] += x.Notes
		}
	}
	require.Equal(t, 2, techniques["staccato"])
	require.Equal(t, 1, techniques["accent"])
	require.Equal(t, 2, techniques["legato"])
	require.Equal(t, 1, techniques["tremolo"])
}

func packed(t *testing.T, files map[string]string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

const container = `<container><rootfiles><rootfile full-path="music/x.xml"/></rootfiles></container>`

func TestPackedScores(t *testing.T) {
	plain, err := os.ReadFile(pier)
	require.NoError(t, err)
	s, err := musicxml.Read(bytes.NewReader(packed(t, map[string]string{"META-INF/container.xml": container, "music/x.xml": string(plain)})))
	require.NoError(t, err)
	require.Equal(t, readFile(t, pier), s)
	for says, files := range map[string]map[string]string{
		"container.xml is not in the packed file": {"x": ""},
		"names no score":                        {"META-INF/container.xml": "<container/>"},
		"music/x.xml is not in the packed file": {"META-INF/container.xml": container},
	} {
		_, err := musicxml.Read(bytes.NewReader(packed(t, files)))
		require.ErrorContains(t, err, says)
	}
	_, err = musicxml.Read(strings.NewReader("PK\x03\x04torn"))
	require.ErrorContains(t, err, "damaged")
	_, err = musicxml.Read(bytes.NewReader(packed(t, map[string]string{"META-INF/container.xml": container, "music/x.xml": strings.Repeat(" ", musicxml.MaxBytes+1)})))
	require.ErrorContains(t, err, "larger than 64 MiB unpacked", "a file that grows without end costs bounded memory")
}

func TestOtherEncodings(t *testing.T) {
	for name, data := range map[string][]byte{
		"latin": []byte("<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><score-partwise><part-list><score-part id=\"P\"><part-name>Fl\xf6te</part-name></score-part></part-list></score-partwise>"),
		"utf16": utf16("<?xml version=\"1.0\" encoding=\"UTF-16\"?><score-partwise><part-list><score-part id=\"P\"><part-name>Flöte</part-name></score-part></part-list></score-partwise>"),
	} {
		s, err := musicxml.Read(bytes.NewReader(data))
		require.NoError(t, err, name)
		require.Equal(t, "Flöte", s.Parts[0].Name)
	}
}

func utf16(s string) []byte {
	out := []byte{0xff, 0xfe}
	for _, r := range s {
		out = append(out, byte(r), byte(r>>8))
	}
	return out
}

func TestBrokenScoresSayWhere(t *testing.T) {
	part := func(body string) string {
		return "<score-partwise>\n<part-list><score-part id=\"P\"/></part-list>\n<part id=\"P\"><measure>\n" + body + "\n</measure></part></score-partwise>"
	}
	for says, text := range map[string]string{
		"it holds no score":                    "",
		"not as a MusicXML score":              "<html/>",
		"line 1: XML syntax error":             "<score-partwise>",
		`the part "Q" is not in the part list`: `<score-partwise><part id="Q"/></score-partwise>`,
		"two parts have the id":                `<score-partwise><part-list><score-part id="P"/><score-part id="P"/></part-list></score-partwise>`,
		"line 4: divisions are 1":              part("<attributes><divisions>0</divisions></attributes>"),
		`<duration> says "x"`:                  part("<note><duration>x</duration></note>"),
		"a duration is out of bounds":          part("<backup><duration>1e8</duration></backup>"),
		`a note has the step "H"`:              part("<note><pitch><step>H</step><octave>4</octave></pitch><duration>1</duration></note>"),
		"outside the keys of MIDI":             part("<note><pitch><step>C</step><octave>12</octave></pitch><duration>1</duration></note>"),
		"nested too deep":                      "<score-partwise>" + strings.Repeat("<work>", 80),
	} {
		_, err := musicxml.Read(strings.NewReader(text))
		require.ErrorContains(t, err, says)
	}
}

func FuzzRead(f *testing.F) {
	plain, err := os.ReadFile(pier)
	require.NoError(f, err)
	f.Add(plain)
	f.Add([]byte("<score-timewise><part-list><score-part id='P'/></part-list><measure><part id='P'><note><rest/></note></part></measure></score-timewise>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := musicxml.Read(bytes.NewReader(data))
		if err != nil {
			return
		}
		for _, p := range s.Parts {
			for _, n := range p.Notes {
				require.True(t, n.Key >= 0 && n.Key < 128 && n.End >= n.Start)
			}
			p.Techniques()
		}
	})
}

// measures makes a score of one part of the measures' inner XML, with 4 divisions a quarter.
func measures(inner ...string) string {
	out := `<score-partwise><part-list><score-part id="P1"><part-name>Viola</part-name></score-part></part-list><part id="P1">`
	for n, m := range inner {
		if n == 0 {
			m = "<attributes><divisions>4</divisions></attributes>" + m
		}
		out += "<measure>" + m + "</measure>"
	}
	return out + "</part></score-partwise>"
}

func note(step string, duration int, voice, ties string) string {
	out := "<note><pitch><step>" + step + "</step><octave>4</octave></pitch><duration>" + strconv.Itoa(duration) + "</duration>"
	for _, tie := range strings.Fields(ties) {
		out += `<tie type="` + tie + `"/>`
	}
	return out + "<voice>" + voice + "</voice></note>"
}

const backBar = "<backup><duration>16</duration></backup>"

// Worked by hand: a note that goes on goes on in its own voice, however many voices
// have its pitch; where none of its voice ends there, in the one that does.
func TestTiesGoByVoice(t *testing.T) {
	for name, x := range map[string]struct {
		score string
		want  []musicxml.Note
	}{
		"two voices of one pitch": {measures(
			note("C", 16, "1", "start")+backBar+note("C", 8, "2", "start")+note("C", 8, "2", "stop"),
			note("C", 16, "1", "stop"),
		), []musicxml.Note{{Start: 0, End: 3840}, {Start: 0, End: 1920}}},
		"ends and goes on":         {measures(note("C", 16, "1", "start"), note("C", 16, "1", "stop start"), note("C", 4, "1", "stop")), []musicxml.Note{{Start: 0, End: 4320}}},
		"crosses to another voice": {measures(note("C", 16, "1", "start"), note("C", 16, "2", "stop")), []musicxml.Note{{Start: 0, End: 3840}}},
		"never ends":               {measures(note("C", 16, "1", "start"), note("D", 16, "1", ""), note("C", 16, "2", "")), []musicxml.Note{{Start: 0, End: 1920}, {Start: 1920, End: 3840}, {Start: 3840, End: 5760}}},
		"ends what never began":    {measures(note("C", 16, "1", "stop")), []musicxml.Note{{Start: 0, End: 1920}}},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := musicxml.Read(strings.NewReader(x.score))
			require.NoError(t, err)
			var got []musicxml.Note
			for _, n := range s.Parts[0].Notes {
				got = append(got, musicxml.Note{Start: n.Start, End: n.End})
			}
			require.ElementsMatch(t, x.want, got)
		})
	}
}

// Bars are the measures: an upbeat, metres that change, composite ones, a measure that
// nothing fills, and one that is fuller than its metre.
func TestBarsAreMeasures(t *testing.T) {
	metre := func(beats, unit string) string {
		return "<attributes><time><beats>" + beats + "</beats><beat-type>" + unit + "</beat-type></time></attributes>"
	}
	s, err := musicxml.Read(strings.NewReader(measures(
		note("C", 4, "1", ""), note("C", 16, "1", ""), metre("2+2+3", "16")+note("C", 7, "1", ""), "", metre("3", "4")+note("C", 16, "1", ""), metre("0", "5")+note("C", 12, "1", ""),
	)))
	require.NoError(t, err)
	time, err := s.Time()
	require.NoError(t, err)
	var starts []int64
	for bar := range int64(7) {
		starts = append(starts, time.Bars.Start(bar+1))
	}
	require.Equal(t, []int64{0, 480, 2400, 3240, 4080, 6000, 7440}, starts)
	require.Equal(t, 6, s.Measures)
	for n, x := range s.Parts[0].Notes {
		require.Equal(t, int64(x.Measure), time.Bars.At(x.Start), "note %d", n)
	}
}

// Reading ends with who asked for it.
func TestReadingEndsWithItsContext(t *testing.T) {
	gone, stop := context.WithCancel(t.Context())
	stop()
	_, err := musicxml.ReadWithin(gone, strings.NewReader(measures(strings.Repeat(note("C", 1, "1", ""), 2000))))
	require.ErrorContains(t, err, "context canceled")
}
