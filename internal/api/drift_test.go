package api_test

import (
	"archive/zip"
	"bytes"
	"io"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

type drift struct {
	ID          string
	Differences []struct {
		Noun, How, ID, Name string
		Fields              []struct{ Name, Here, There string }
	}
	Elsewhere, Left []string
	Questions       []struct{ Key, Text, Chosen string }
	Found           map[string]int
	Revision        int
}

// savedAgain is a session as a sequencer saves it: some of its text is another.
func savedAgain(t *testing.T, data []byte, change func(string) string) []byte {
	in, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	var b bytes.Buffer
	out := zip.NewWriter(&b)
	for _, f := range in.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		w, err := out.Create(f.Name)
		require.NoError(t, err)
		_, err = w.Write([]byte(change(string(text))))
		require.NoError(t, err)
	}
	require.NoError(t, out.Close())
	return b.Bytes()
}

// A session is taken out, changed elsewhere and read back: what differs is told each time it is asked,
// taken in part, and what is unsure is answered and remembered.
func TestASessionIsReadBack(t *testing.T) {
	_, c, path, _ := imported(t)
	file := c.do("GET", path+"/export/dawproject", nil)
	require.Equal(t, 200, file.status)
	require.Contains(t, strings.Join(as[[]string](t, c.do("GET", path+"/export/dawproject/left", nil)), "; "), "patches, and how articulations are switched")
	require.NotEmpty(t, as[[]string](t, c.do("GET", path+"/export/smf/left", nil)))
	require.Empty(t, as[[]string](t, c.do("GET", path+"/export/template/left", nil)))
	require.Equal(t, 422, c.do("GET", path+"/export/none/left", nil).status)
	same := as[drift](t, c.do("POST", path+"/drift?name=Monday.dawproject", file.body))
	require.Empty(t, same.Differences)
	require.Empty(t, same.Elsewhere)
	require.Positive(t, same.Found["mark"])

	rows := as[opened](t, c.do("GET", path, nil)).Template.Instruments
	renamed, other := rows[0], rows[1]
	changed := savedAgain(t, file.body, func(s string) string {
		s = strings.Replace(s, `name="`+renamed.Name+`"`, `name="`+renamed.Name+` with mute"`, 1)
		s = strings.ReplaceAll(s, "[fanfold "+other.ID+"]", "")
		return strings.NewReplacer(`"fanfold.`+other.ID+`"`, `"own"`, `name="`+other.Name+`"`, `name="Whale song"`).Replace(s)
	})
	d := as[drift](t, c.do("POST", path+"/drift?name=Friday.dawproject", changed))
	require.Len(t, d.Questions, 1, "what stands in its place")
	require.Equal(t, "new", d.Questions[0].Chosen)
	said := as[drift](t, c.do("POST", path+"/drift/"+d.ID, map[string]any{"answers": map[string]string{d.Questions[0].Key: "same"}}))
	require.Len(t, said.Differences, 2)
	again := as[drift](t, c.do("POST", path+"/drift/"+d.ID, map[string]any{}))
	require.Equal(t, said, again, "the answer is remembered")

	taken := as[drift](t, c.do("POST", path+"/drift/"+d.ID, map[string]any{"take": []any{map[string]any{"noun": "row", "id": renamed.ID, "field": "name"}}}))
	require.Len(t, taken.Differences, 1)
	require.Equal(t, renamed.Name+" with mute", as[opened](t, c.do("GET", path, nil)).Template.Instruments[0].Name)
	require.Equal(t, 200, c.do("POST", path+"/undo", nil).status)
	require.Len(t, as[drift](t, c.do("POST", path+"/drift/"+d.ID, map[string]any{})).Differences, 2, "undo brings it back")

	right := c.do("POST", path+"/drift/"+d.ID+"/right?picks="+url.QueryEscape(`[{"noun":"row","id":"`+renamed.ID+`"}]`), changed)
	require.Equal(t, 200, right.status, string(right.body))
	require.Contains(t, right.header.Get("Content-Disposition"), "Friday, corrected.dawproject")
	require.Len(t, as[drift](t, c.do("POST", path+"/drift?name=Saturday.dawproject", right.body)).Differences, 2, "one is put right; the other's mark is lost")
	right = c.do("POST", path+"/drift/"+d.ID+"/right", changed)
	require.Empty(t, as[drift](t, c.do("POST", path+"/drift?name=Sunday.dawproject", right.body)).Differences, "with what was answered")
	require.Equal(t, 422, c.do("POST", path+"/drift/"+d.ID+"/right", []byte("no session")).status)
	require.Equal(t, 422, c.do("POST", path+"/drift/"+d.ID+"/right?picks=x", changed).status)

	list := as[[]struct{ ID, Name, By string }](t, c.do("GET", path+"/drift", nil))
	require.Len(t, list, 4)
	require.Equal(t, "Friday.dawproject", list[2].Name)
	require.Equal(t, 204, c.do("DELETE", path+"/drift/"+d.ID, nil).status)
	require.Equal(t, 404, c.do("POST", path+"/drift/"+d.ID, map[string]any{}).status)
	require.Equal(t, 404, c.do("DELETE", path+"/drift/"+d.ID, nil).status)
}

// An empty template takes all of a session: what somebody already has becomes a template.
func TestASessionFillsAnEmptyTemplate(t *testing.T) {
	_, c, path, _ := imported(t)
	file := c.do("GET", path+"/export/dawproject", nil).body
	was := as[opened](t, c.do("GET", path, nil)).Template.Instruments
	empty := c.newTemplate("Harbour")
	d := as[drift](t, c.do("POST", empty+"/drift?name=h.dawproject", file))
	var take []any
	for _, x := range d.Differences {
		take = append(take, map[string]any{"noun": x.Noun, "id": x.ID})
	}
	after := as[drift](t, c.do("POST", empty+"/drift/"+d.ID, map[string]any{"take": take}))
	require.Empty(t, after.Differences)
	var had, has []string
	for _, i := range was {
		if i.Kind != "spare" {
			had = append(had, i.Name)
		}
	}
	for _, i := range as[opened](t, c.do("GET", empty, nil)).Template.Instruments {
		has = append(has, i.Name)
	}
	require.ElementsMatch(t, had, has)
}

// Files that are no sessions say what is wrong, and nothing is remembered.
func TestFilesThatAreNoSessions(t *testing.T) {
	_, c, path, _ := imported(t)
	for want, data := range map[string][]byte{
		"neither a DAWproject file nor a MIDI file": []byte("nothing of the kind"),
		"there is no project.xml in it":             savedAgain(t, archiveOf(t, "a.txt"), func(s string) string { return s }),
		"the file is empty":                         []byte("x"),
	} {
		answer := c.do("POST", path+"/drift?name=x.dawproject", data)
		require.Equal(t, 422, answer.status, string(answer.body))
		require.Contains(t, string(answer.body), want)
	}
	require.Empty(t, as[[]any](t, c.do("GET", path+"/drift", nil)))
}

func archiveOf(t *testing.T, name string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	_, err := z.Create(name)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Bytes()
}
