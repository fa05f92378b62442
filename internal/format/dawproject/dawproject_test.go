package dawproject_test

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/dawproject"
)

// element is any element of a file, as another reader has it.
type element struct {
	XMLName  xml.Name
	Attrs    []xml.Attr `xml:",any,attr"`
	Children []element  `xml:",any"`
}

func (e element) attr(name string) string {
	for _, a := range e.Attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (e element) each(do func(element)) {
	do(e)
	for _, c := range e.Children {
		c.each(do)
	}
}

func (e element) all(name string) (out []element) {
	e.each(func(x element) {
		if x.XMLName.Local == name {
			out = append(out, x)
		}
	})
	return out
}

func unpacked(t *testing.T, data []byte) map[string][]byte {
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	out := map[string][]byte{}
	for _, f := range archive.File {
		r, err := f.Open()
		require.NoError(t, err)
		out[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
	}
	return out
}

// The demo as a session: well formed as Debian's xmllint has it; a track for every row, in the
// folders of its sections; every channel goes to one that is there; sends before and after the
// fader as the routes have them; loaded as the call says; guides apart; what it cannot say is
// told.
func TestTheDemoAsASession(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	call := lantern.Calls[1]
	loaded := map[template.ID]bool{}
	for _, id := range call.Instruments {
		loaded[id] = true
	}
	s := session.Of(lantern, loaded)
	var b, again bytes.Buffer
	require.NoError(t, dawproject.Write(&b, s))
	require.NoError(t, dawproject.Write(&again, session.Of(lantern, loaded)))
	require.Equal(t, b.Bytes(), again.Bytes(), "the same each time")
	files := unpacked(t, b.Bytes())
	require.Len(t, files, 2)
	path := filepath.Join(t.TempDir(), "project.xml")
	require.NoError(t, os.WriteFile(path, files["project.xml"], 0o600))
	said, err := exec.Command("xmllint", "--nonet", "--noout", path).CombinedOutput()
	require.NoError(t, err, string(said))

	var p element
	require.NoError(t, xml.Unmarshal(files["project.xml"], &p))
	require.Equal(t, "1.0", p.attr("version"))
	ids := map[string]bool{}
	p.each(func(x element) {
		if id := x.attr("id"); id != "" {
			require.False(t, ids[id], "%s is there twice", id)
			ids[id] = true
		}
	})
	roles := map[string]int{}
	for _, c := range p.all("Channel") {
		roles[c.attr("role")]++
		if to := c.attr("destination"); to != "" {
			require.True(t, ids[to], to)
		}
		for _, x := range c.all("Send") {
			require.True(t, ids[x.attr("destination")])
			require.Contains(t, []string{"pre", "post"}, x.attr("type"))
		}
	}
	rows, ready := 0, 0
	for _, i := range lantern.Instruments {
		if i.Kind != template.Spare {
			rows++
		}
		if loaded[i.ID] {
			ready++
		}
	}
	require.Equal(t, rows, roles["regular"])
	require.Equal(t, 1, roles["master"])
	buses := map[template.BusKind]int{}
	for _, x := range lantern.Buses {
		buses[x.Kind]++
	}
	require.Equal(t, buses[template.Return], roles["effect"])
	require.Equal(t, buses[template.Group]+buses[template.Stem], roles["submix"])
	on := 0
	for _, x := range p.all("Track") {
		if x.attr("contentType") == "notes" && x.attr("loaded") == "true" {
			on++
		}
	}
	require.Equal(t, ready, on)
	last := p.all("Track")
	for _, x := range last {
		if x.attr("name") == "Guides" && x.attr("contentType") == "tracks" {
			for _, c := range x.all("Channel") {
				require.Empty(t, c.attr("destination"), "in no stem")
			}
		}
	}
	require.Contains(t, s.Left, "patches, and how articulations are switched (414)")
	flute := lantern.Instruments[0]
	for _, x := range last {
		if x.attr("name") == flute.Name {
			require.Regexp(t, `^#[0-9a-f]{6}$`, x.attr("color"))
			require.NotEmpty(t, x.all("Send"))
		}
	}
}
