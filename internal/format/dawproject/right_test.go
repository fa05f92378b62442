package dawproject_test

import (
	"archive/zip"
	"bytes"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/dawproject"
)

func ids() session.Options { return session.Options{Mint: session.Fresh(coretest.Mint())} }

// righted puts a file right against a template: what comes of it, and what is left.
func righted(t require.TestingT, here *template.Template, data []byte, picks ...compare.Pick) ([]byte, []string) {
	s, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	fixes, err := session.Right(here, &s, ids(), picks, false)
	require.NoError(t, err)
	var b bytes.Buffer
	left, err := dawproject.Right(&b, bytes.NewReader(data), int64(len(data)), fixes)
	require.NoError(t, err)
	return b.Bytes(), append(fixes.Left, left...)
}

func driftOf(t require.TestingT, here *template.Template, data []byte) session.Drift {
	s, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	r, err := session.Read(here, &s, ids())
	require.NoError(t, err)
	return session.Against(here, r.There)
}

func project(t *testing.T, data []byte) string {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	r, err := z.Open("project.xml")
	require.NoError(t, err)
	text, err := io.ReadAll(r)
	require.NoError(t, err)
	return string(text)
}

// A session that was worked on is put right, as a whole or in part; its own tracks, devices, comments
// and odd spellings stay byte for byte.
func TestASessionIsPutRight(t *testing.T) {
	here, err := demo.Template()
	require.NoError(t, err)
	was := project(t, written(t, session.Of(here, nil)))
	own := `<Track id="mine" name="My &quot;synth&quot;" contentType="notes" odd='yes'><Channel id="mine.c" role="regular"><Devices><Device deviceID="&lt;x&gt;"/></Devices></Channel></Track>`
	from, to := trackAt(t, was, "Oboe 1 short")
	now := was[:from] + own + was[to:] // one gone, one come
	now = strings.NewReplacer(
		`name="Flute 1 long"`, `name="Fl. 1"`,
		`name="Flutes" color="`, `name="Flutes" color="#101010" was="`,
	).Replace(now)
	now = in(t, now, "Flute 1 short", `name="Volume" unit="linear" min="0" max="2" value="1"`, `name="Volume" unit="decibel" value="-12"`)
	now = in(t, now, "Bassoon 1 long", `min="0" max="1" value="0.5"`, `min="-1" max="1" value="0.75"`)
	from, to = trackAt(t, now, "Piccolo long")
	head, rest, _ := strings.Cut(now[from:to], "<Sends>")
	_, tail, _ := strings.Cut(rest, "</Sends>")
	now = now[:from] + head + tail + now[to:]
	now = in(t, now, "High winds", `audioChannels="2"`, `audioChannels="1"`)
	data := packed(t, now)
	d := driftOf(t, here, data)
	require.Len(t, d.Differences, 8)

	some, _ := righted(t, here, data, compare.Pick{Noun: compare.Row, ID: idOf(here, "Flute 1 long"), Field: "name"})
	require.Len(t, driftOf(t, here, some).Differences, 7)
	require.Equal(t, strings.Replace(now, `name="Fl. 1"`, `name="Flute 1 long"`, 1), project(t, some), "one word is another")

	all, left := righted(t, here, data)
	d = driftOf(t, here, all)
	require.Len(t, d.Differences, 1)
	require.Equal(t, compare.Added, d.Differences[0].How)
	require.Empty(t, d.Elsewhere)
	require.Equal(t, []string{"tracks only in the session (1)"}, left)
	require.Contains(t, project(t, all), own)
	require.Contains(t, project(t, all), `name="Volume" unit="decibel" value="0"`, "in the unit it was in")
	require.Contains(t, project(t, all), `min="-1" max="1" value="0"`)
	z, err := zip.NewReader(bytes.NewReader(all), int64(len(all)))
	require.NoError(t, err)
	take, err := z.Open("audio/take.wav")
	require.NoError(t, err)
	text, err := io.ReadAll(take)
	require.NoError(t, err)
	require.Equal(t, "RIFF", string(text))
}

// trackAt is where a track of a name stands.
func trackAt(t *testing.T, s, name string) (from, to int) {
	at := strings.Index(s, `name="`+name+`"`)
	require.Positive(t, at, name)
	return strings.LastIndex(s[:at], "<Track"), at + strings.Index(s[at:], "</Track>") + len("</Track>")
}

func in(t *testing.T, s, name, old, is string) string {
	from, to := trackAt(t, s, name)
	require.Contains(t, s[from:to], old)
	return s[:from] + strings.Replace(s[from:to], old, is, 1) + s[to:]
}

func idOf(t *template.Template, name string) template.ID {
	for _, i := range t.Instruments {
		if i.Name == name {
			return i.ID
		}
	}
	return ""
}

// However a session has drifted, once it is put right nothing differs but what only it has: not where
// things stand, either.
func TestAnySessionIsPutRight(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		here := coretest.Orchestra(rapid.IntRange(2, 20).Draw(r, "rows"), 1)
		there := here
		for range rapid.IntRange(1, 6).Draw(r, "changes") {
			if len(there.Instruments) < 2 {
				break
			}
			if after, _, err := change.Apply(there, coretest.Any(there).Draw(r, "change")); err == nil {
				there = after
			}
		}
		var b bytes.Buffer
		require.NoError(r, dawproject.Write(&b, session.Of(there, nil)))
		all, left := righted(r, here, b.Bytes())
		d := driftOf(r, here, all)
		for _, x := range d.Differences {
			require.NotEqual(r, compare.Removed, x.How, "%+v: %v", x, left)
			for _, f := range x.Fields {
				require.Contains(r, strings.Join(left, "; "), "routes to buses", "%s of %s", f.Name, x.Name)
			}
		}
		require.Empty(r, d.Elsewhere)
	})
}

// Tracks move as they are: into the folders that the template has them in and its order, with what is
// between them; what only the session has stays behind what it stood behind; the order alone, or a
// single track, can be picked.
func TestTracksMoveAsTheyAre(t *testing.T) {
	here, err := demo.Template()
	require.NoError(t, err)
	was := project(t, written(t, session.Of(here, nil)))
	cut := func(s, name string) (rest, track string) {
		from, to := trackAt(t, s, name)
		return s[:from] + s[to:], s[from:to]
	}
	before := func(s, name, track string) string {
		from, _ := trackAt(t, s, name)
		return s[:from] + track + s[from:]
	}
	now, oboe := cut(was, "Oboe 1 short")
	own := `<Track id="mine" name="Mine" contentType="notes"><Channel id="mine.c" role="regular"/></Track>`
	oboe = strings.Replace(oboe, "<Channel", "<!-- kept --><Channel", 1)
	now = before(now, "Flute 2 long", own+oboe+"<!-- between -->")
	now, piccolo := cut(now, "Piccolo long")
	now = before(now, "Alto flute long", piccolo)
	data := packed(t, now)
	d := driftOf(t, here, data)
	require.Len(t, d.Differences, 2, "one in another folder, one that is its own")
	require.Equal(t, []string{"Piccolo long"}, d.Elsewhere)

	one, _ := righted(t, here, data, compare.Pick{Noun: compare.Row, ID: idOf(here, "Oboe 1 short"), Field: "section"})
	d = driftOf(t, here, one)
	require.Len(t, d.Differences, 1)
	require.Equal(t, []string{"Piccolo long"}, d.Elsewhere)

	s, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	fixes, err := session.Right(here, &s, ids(), nil, true)
	require.NoError(t, err)
	require.Empty(t, fixes.Fixes)
	var ordered bytes.Buffer
	_, err = dawproject.Right(&ordered, bytes.NewReader(data), int64(len(data)), fixes)
	require.NoError(t, err)
	d = driftOf(t, here, ordered.Bytes())
	require.Len(t, d.Differences, 2)
	require.Empty(t, d.Elsewhere)

	all, left := righted(t, here, data)
	require.Equal(t, []string{"tracks only in the session (1)"}, left)
	d = driftOf(t, here, all)
	require.Len(t, d.Differences, 1)
	require.Empty(t, d.Elsewhere)
	text := project(t, all)
	for _, part := range []string{own, oboe, piccolo, "<!-- between -->"} {
		require.Contains(t, text, part)
	}
	require.Len(t, text, len(now)+strings.Count(text, "\n")-strings.Count(now, "\n"), "nothing is lost or written twice")
}
