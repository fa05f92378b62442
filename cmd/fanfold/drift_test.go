package main

import (
	"archive/zip"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
)

// saved is a session as a sequencer saves it again: some text of its project.xml is another.
func saved(t *testing.T, from string, change func(string) string) string {
	in, err := zip.OpenReader(from)
	require.NoError(t, err)
	defer in.Close()
	to := filepath.Join(t.TempDir(), "saved.dawproject")
	out, err := os.Create(to)
	require.NoError(t, err)
	defer out.Close()
	z := zip.NewWriter(out)
	for _, f := range in.File {
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		w, err := z.Create(f.Name)
		require.NoError(t, err)
		_, err = w.Write([]byte(change(string(data))))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return to
}

// A session leaves, is changed elsewhere, and is held against its template; what differs is taken.
func TestASessionDrifts(t *testing.T) {
	f := made(t)
	session := filepath.Join(f.dir, "t.dawproject")
	code, out, errs := do("export", f.seated, "--format", "dawproject", "-o", session)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "left out: patches, and how articulations are switched (4)")
	code, out, errs = do("drift", session, "--template", f.seated)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "nothing differs")

	renamed := saved(t, session, func(s string) string { return strings.Replace(s, `name="Piccolo"`, `name="Picc."`, 1) })
	var said struct {
		Differences []differenceJSON
		Left        []string
	}
	object(t, 1, &said, "drift", renamed, "--template", f.seated)
	require.Len(t, said.Differences, 1)
	require.Equal(t, "Picc.", said.Differences[0].Name)
	require.Equal(t, "Piccolo", said.Differences[0].Fields[0].Here)
	taken := filepath.Join(f.dir, "taken.fanfold.json")
	code, out, errs = do("drift", renamed, "--template", f.seated, "-o", taken)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "name: Piccolo → Picc.")
	code, _, errs = do("drift", renamed, "--template", taken)
	require.Equal(t, 0, code, errs)

	righted := filepath.Join(f.dir, "right.dawproject")
	code, _, errs = do("drift", renamed, "--template", f.seated, "--right", righted)
	require.Equal(t, 0, code, errs)
	code, out, errs = do("drift", righted, "--template", f.seated)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "nothing differs")

	code, _, errs = do("drift", session)
	require.Equal(t, 2, code)
	require.Contains(t, errs, "--template")
	code, _, errs = do("drift", f.list, "--template", f.seated)
	require.Equal(t, 1, code)
	require.Contains(t, errs, "neither a DAWproject file nor a MIDI file")
	code, _, errs = do("drift", session, "--template", f.seated, "--answer", "what")
	require.Equal(t, 2, code)
	require.Contains(t, errs, "is not KEY=VALUE")
}

// A session, and a MIDI file, become templates of their own.
func TestASessionBecomesATemplateFile(t *testing.T) {
	f := made(t)
	for format, want := range map[string]string{"dawproject": "t.dawproject", "smf": "t.mid"} {
		session, out := filepath.Join(f.dir, want), filepath.Join(f.dir, format+".fanfold.json")
		code, _, errs := do("export", f.seated, "--format", format, "-o", session)
		require.Equal(t, 0, code, errs)
		code, said, errs := do("import", session, "-o", out, "--answer", "feeds-mix=group")
		require.Equal(t, 0, code, errs)
		x, err := readTemplate(out)
		require.NoError(t, err)
		names := map[string]template.Kind{}
		for _, i := range x.Instruments {
			names[x.InstrumentPath(i)] = i.Kind
		}
		if format == "smf" {
			require.Equal(t, map[string]template.Kind{"Winds / Flutes / Piccolo": "sampled", "Winds / Flutes / Flute 1": "sampled", "Winds / Bassoons / Bassoon": "sampled", "Brass / Horns / Horns a 4": "sampled"}, names)
			continue
		}
		require.Equal(t, map[string]template.Kind{"Winds / Flutes / Piccolo": "sampled", "Winds / Flutes / Flute 1": "sampled", "Winds / Bassoons / Bassoon": "sampled", "Brass / Horns / Horns a 4": "sampled", "Guides / Dialogue": "guide"}, names)
		require.Contains(t, said, "are they stems?")
		for _, b := range x.Buses {
			require.NotEqual(t, template.Stem, b.Kind, b.Name)
		}
	}
	code, _, errs := do("import", filepath.Join(f.dir, "t.dawproject"), "-o", f.made, "--into", f.seated)
	require.Equal(t, 2, code)
	require.Contains(t, errs, "fanfold drift")
}
