package e2e_test

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/bagit"
)

// An owner takes the whole studio out, deletes it by its name, sees when it goes, and keeps it.
func TestTheWholeStudio(t *testing.T) {
	p := enter(t, 1280, 800)
	p.click(`[aria-label="View and account"]`)
	p.press("Members")
	at := *p.see(`[data-part=whole-studio] a`).MustAttribute("href")
	text := p.page.MustEval(`async (at) => {
		const bytes = new Uint8Array(await (await fetch(at)).arrayBuffer());
		let out = "";
		for (let n = 0; n < bytes.length; n += 32768) out += String.fromCharCode(...bytes.subarray(n, n + 32768));
		return btoa(out);
	}`, at).Str()
	data, err := base64.StdEncoding.DecodeString(text)
	require.NoError(t, err)
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.NoError(t, bagit.Check(archive))

	p.press("delete the studio")
	p.see(`[aria-label="Name of the studio"]`).MustInput("Salt")
	p.press("^Delete the studio$")
	p.seeText("[role=alert]", "type the name of the studio")
	p.see(`[aria-label="Name of the studio"]`).MustSelectAllText().MustInput("Salt Lantern")
	p.press("^Delete the studio$")
	p.gone("[role=dialog]")
	p.seeText(`[data-part=studio-ends]`, "Salt Lantern was deleted. It goes for good on")
	p.press("^Keep it$")
	p.gone(`[data-part=studio-ends]`)
}

// Whoever runs a server takes a studio out by command and brings it in on another, where its owner comes
// in by the link that is told.
func TestAStudioMovesByCommand(t *testing.T) {
	from, to := prepareServer(t), prepareServer(t)
	from.audio, to.audio, to.email = t.TempDir(), t.TempDir(), "eve@studio.example"
	from.start()
	var made struct{ ID string }
	from.must("POST", "/api/templates", map[string]string{"name": "Salt"}, &made)
	from.must("POST", "/api/productions", map[string]string{"name": "Salt Film", "rate": "24"}, nil)
	command := func(s *server, args ...string) (string, error) {
		cmd := exec.Command(studio.binary, append(append([]string{"studio"}, args...), "--audio", s.audio)...)
		cmd.Env = append(os.Environ(), "DATABASE_URL="+s.db.URL)
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	file := filepath.Join(t.TempDir(), "studio.zip")
	out, err := command(from, "out", "Nobody's", "-o", file)
	require.Error(t, err)
	require.Contains(t, out, `there is no studio "Nobody's"; there are: Studio`)
	out, err = command(from, "out", "Studio", "-o", file)
	require.NoError(t, err, out)
	for name, begins := range map[string]string{"patches": "library,code", "activity": "at (UTC),who"} {
		list := filepath.Join(t.TempDir(), name+".csv")
		cmd := exec.Command(studio.binary, "studio", name, "Studio", "-o", list)
		cmd.Env = append(os.Environ(), "DATABASE_URL="+from.db.URL)
		told, err := cmd.CombinedOutput()
		require.NoError(t, err, string(told))
		text, err := os.ReadFile(list)
		require.NoError(t, err)
		require.True(t, strings.HasPrefix(string(text), begins), "%.80s", text)
	}
	film := filepath.Join(t.TempDir(), "film.zip")
	out, err = command(from, "production", "Studio", "Nothing", "-o", film)
	require.Error(t, err)
	require.Contains(t, out, `there is no production "Nothing"; there are: Salt Film`)
	require.NoFileExists(t, film)
	out, err = command(from, "production", "Studio", "Salt Film", "-o", film)
	require.NoError(t, err, out)
	archive, err := zip.OpenReader(film)
	require.NoError(t, err)
	defer archive.Close()
	require.NoError(t, bagit.Check(&archive.Reader))
	out, err = command(from, "in", file)
	require.Error(t, err)
	require.Contains(t, out, "is on this server already")

	to.start()
	out, err = command(to, "in", file, "--address", to.address)
	require.NoError(t, err, out)
	link := regexp.MustCompile(`ada@studio\.example: \S+/invitation/(\S+)`).FindStringSubmatch(out)
	require.NotNil(t, link, out)
	to.must("POST", "/api/session/invitation/"+link[1], map[string]string{"password": "seven wet ropes and a bell"}, nil)
	var one struct{ Template struct{ Name string } }
	to.must("GET", "/api/templates/"+made.ID, nil, &one)
	require.Equal(t, "Salt", one.Template.Name)
}
