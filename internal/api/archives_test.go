package api_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
	"fanfold/internal/format/bagit"
)

// A production with a cue, its music, a template and stems that were recorded is archived, and opened
// in a studio that has none of it: reels, cuts, cue, music, template, audio and proof are as they
// were, and the audio is proved again. What is damaged, incomplete or too large makes nothing.
func TestArchives(t *testing.T) {
	s := serve(t)
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer stop()
	c, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	templates := c.lantern()
	path := c.newFilm(t, "The Salt Lantern")
	require.Equal(t, 200, c.do("POST", path+"/cuts?name=One", edlOf([3]any{"A001", 0, 2400}, [3]any{"A002", 50, 24})).status)
	film := c.filmOf(t, path)
	made := c.do("POST", path+"/cues", map[string]any{"reel": film.Reels[0].ID, "start": 86_400, "end": 86_400 + 240})
	require.Less(t, made.status, 300, string(made.body))
	film = c.filmOf(t, path)
	of := film.Cues[0]
	op := map[string]any{"kind": "cue", "id": of.ID, "set": map[string]any{"title": "The lamp is lit", "template": templates[len("/api/templates/"):], "started": "2026-11-27"}}
	changed := c.do("POST", path+"/changes", map[string]any{"base": film.Revision, "change": map[string]any{"ops": []any{op}}})
	require.Equal(t, 200, changed.status, string(changed.body))
	kept := c.do("PUT", path+"/cues/"+string(of.ID)+"/music?name=lamp.mid", fourBars(t))
	require.Less(t, kept.status, 300, string(kept.body))

	// A row plays a recording, which goes along.
	opened := c.do("GET", templates, nil)
	var whole struct {
		Revision int64
		Template template.Template
	}
	require.NoError(t, json.Unmarshal(opened.body, &whole))
	row := whole.Template.Instruments[3].ID
	printed := c.do("POST", templates+"/instruments/"+string(row)+"/printed?file=row.wav", tone(t, 330, 1))
	require.Less(t, printed.status, 300, string(printed.body))

	got := c.do("POST", templates+"/prints/recorded", map[string]any{"title": "x", "production": path[len("/api/productions/"):], "cue": of.ID})
	require.Equal(t, 201, got.status, string(got.body))
	print := "/api/prints/" + got.field(t, "id").(string)
	for name, data := range map[string][]byte{"Horns.wav": tone(t, 220, 1), "Mix.wav": tone(t, 220, 1)} {
		require.Equal(t, 204, c.do("PUT", print+"/files?name="+url.QueryEscape(name), data).status)
	}
	require.Equal(t, 204, c.do("POST", print+"/resume", nil).status)
	first := c.until(print, "done")
	early := false
	for _, m := range first.Report.Marks {
		early = early || m.Code == "start" && strings.Contains(m.Message, "earlier than the cue begins") && m.Note
	}
	require.True(t, early, "they are stamped with second 1, and the cue begins at an hour")

	archive := c.do("GET", path+"/archive?cue="+string(of.ID), nil)
	require.Equal(t, 200, archive.status, string(archive.body[:min(300, len(archive.body))]))
	r, err := zip.NewReader(bytes.NewReader(archive.body), int64(len(archive.body)))
	require.NoError(t, err)
	require.NoError(t, bagit.Check(r))
	require.Equal(t, 404, eve.do("GET", path+"/archive", nil).status)
	require.Equal(t, 404, c.do("GET", path+"/archive?cue=nobody", nil).status)

	// What is wrong makes nothing.
	hurt := bytes.Clone(archive.body)
	hurt[bytes.Index(hurt, []byte("RIFF"))+5000] ^= 1
	for says, data := range map[string][]byte{
		"not a zip archive":              []byte("no archive at all"),
		"damaged: .*as it was":           hurt,
		"not an archive of a production": bagOf(t, map[string]string{"x.txt": "x"}),
		"newer Fanfold":                  bagOf(t, map[string]string{"archive.json": `{"format": "fanfold-archive", "version": 2, "production": {}}`}),
		"its production":                 bagOf(t, map[string]string{"archive.json": `{"format": "fanfold-archive", "version": 1, "production": {"name": ""}}`}),
	} {
		answer := eve.do("POST", "/api/archives", data)
		require.Equal(t, 422, answer.status, string(answer.body))
		require.Regexp(t, says, string(answer.body))
	}
	require.Equal(t, "[]", strings.TrimSpace(string(eve.do("GET", "/api/productions", nil).body)))

	there := eve.do("POST", "/api/archives", archive.body)
	require.Equal(t, 201, there.status, string(there.body))
	again := "/api/productions/" + there.field(t, "production").(string)
	now := eve.filmOf(t, again)
	require.Equal(t, "The Salt Lantern", now.Settings.Name)
	require.Len(t, now.Cues, 1)
	require.Equal(t, "The lamp is lit", now.Cues[0].Title)
	require.Equal(t, film.Reels, now.Reels)
	mine := "/api/templates/" + there.field(t, "templates").([]any)[0].(string)
	require.Equal(t, mine[len("/api/templates/"):], now.Cues[0].Template)
	require.Equal(t, fourBars(t), eve.do("GET", again+"/cues/"+string(of.ID)+"/music", nil).body)
	var other struct{ Template template.Template }
	require.NoError(t, json.Unmarshal(eve.do("GET", mine, nil).body, &other))
	require.Len(t, other.Template.Instruments, len(whole.Template.Instruments))
	require.Equal(t, 200, eve.do("GET", "/api/recordings/"+other.Template.Instrument(row).Printed.Audio, nil).status)
	var prints struct {
		Prints []struct{ ID, Line, Reason string }
	}
	require.NoError(t, json.Unmarshal(eve.do("GET", mine+"/prints", nil).body, &prints))
	require.Len(t, prints.Prints, 1)
	require.Equal(t, first.Line, prints.Prints[0].Line)
	require.Contains(t, prints.Prints[0].Reason, "from an archive of")
	heard := "/api/prints/" + prints.Prints[0].ID
	require.Equal(t, 200, eve.do("GET", heard+"/waves/0", nil).status)
	require.Equal(t, c.do("GET", print+"/files/0", nil).body, eve.do("GET", heard+"/files/0", nil).body)
	require.Equal(t, 204, eve.do("POST", heard+"/resume", nil).status)
	require.Equal(t, first.Line, eve.until(heard, "done").Line)
}

// bagOf is a bag with some files.
func bagOf(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	bag := bagit.NewWriter(&b, "bag", time.Now())
	for name, text := range files {
		require.NoError(t, bag.Add(name, io.Reader(strings.NewReader(text))))
	}
	require.NoError(t, bag.Close(nil))
	return b.Bytes()
}
