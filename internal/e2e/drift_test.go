package e2e_test

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// workedOn is a session as a sequencer saves it after a week: a track is renamed, one is gone, one is
// softer and one has come; the mark of one is lost.
func workedOn(t *testing.T, session []byte) string {
	in, err := zip.NewReader(bytes.NewReader(session), int64(len(session)))
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "Friday.dawproject")
	out, err := os.Create(path)
	require.NoError(t, err)
	defer out.Close()
	z := zip.NewWriter(out)
	for _, f := range in.File {
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		s := string(data)
		if f.Name == "project.xml" {
			s = swap(t, s, `name="Flute 1 long"`, `name="Flute 1 sustains"`)
			s = swap(t, s, `name="Oboe 1 short"`, `name="Oboe 1 marcato"`)
			s = strings.NewReplacer(marks(t, s, "Oboe 1 marcato")...).Replace(s)
			from, to := element(t, s, `name="Piccolo short"`)
			copied := strings.NewReplacer(`name="Piccolo short"`, `name="Piccolo whistles"`, "fanfold.", "own.", "[fanfold ", "[was ").Replace(s[from:to])
			s = s[:to] + copied + s[to:]
			from, to = element(t, s, `name="Clarinet 1 short"`)
			s = s[:from] + s[to:]
			from, to = element(t, s, `name="Bassoon 1 long"`)
			s = s[:from] + swap(t, s[from:to], `name="Volume" unit="linear" min="0" max="2" value="1"`, `name="Volume" unit="linear" min="0" max="2" value="0.5"`) + s[to:]
		}
		w, err := z.Create(f.Name)
		require.NoError(t, err)
		_, err = w.Write([]byte(s))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return path
}

func swap(t *testing.T, s, from, to string) string {
	require.Contains(t, s, from)
	i := strings.LastIndex(s, from)
	return s[:i] + to + s[i+len(from):]
}

// element is where a track with some text stands in a session.
func element(t *testing.T, s, text string) (from, to int) {
	at := strings.Index(s, text)
	require.Positive(t, at, text)
	return strings.LastIndex(s[:at], "<Track"), at + strings.Index(s[at:], "</Track>") + len("</Track>")
}

// marks are the replacements that take a track's mark away.
func marks(t *testing.T, s, name string) []string {
	from, to := element(t, s, `name="`+name+`"`)
	x := s[from:to]
	_, rest, _ := strings.Cut(x, `"fanfold.`)
	id, _, _ := strings.Cut(rest, `"`)
	return []string{"[fanfold " + id + "]", "", "fanfold." + id, "own"}
}

// A session is taken out, worked on elsewhere, and read back: what is unsure is asked, and three of the
// differences are taken, one of them a name alone.
func TestASessionIsReadBack(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	id := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	path := workedOn(t, download(t, id, "dawproject"))
	p.click(`[aria-label^="Template: "]`)
	p.item("Versions")
	p.item("Read a session back")
	p.see(`[role=dialog] input[aria-label=Session]`).MustSetFiles(path)
	p.seeText("[data-part=drift-count]", "1 only in the session, 1 only in the template, 3 changed")
	p.seeText("[role=dialog]", "Is Oboe 1 marcato the row Oboe 1 short, renamed")
	p.seeText(`[data-difference="Flute 1 sustains"]`, `name[\s\S]*Flute 1 long[\s\S]*Flute 1 sustains`)
	p.seeText(`[data-difference="Bassoon 1 long"]`, `level[\s\S]*0 dB[\s\S]*-6.02 dB`)
	if dir := os.Getenv("FANFOLD_SHOTS"); dir != "" {
		p.shoot(dir, "drift-day.png")
	}
	wait := p.page.Browser().MustWaitDownload()
	p.press("Correct the session")
	right := wait()
	p.seeText("[role=status], [role=alert]", "is corrected")
	require.Contains(t, string(projectOf(t, right)), `name="Flute 1 long"`)
	require.Contains(t, string(projectOf(t, right)), `name="Clarinet 1 short"`, "what was gone is there again")
	require.Contains(t, string(projectOf(t, right)), `name="Piccolo whistles"`, "what only the session has stays")
	p.click(`[aria-label="Only the name of Flute 1 sustains"]`)
	p.page.MustElement(`[data-difference="Bassoon 1 long"] input`).MustClick()
	p.page.MustElement(`[data-difference="Piccolo whistles"] input`).MustClick()
	p.press("Take 3 differences")
	p.seeText("[data-part=drift-count]", "0 only in the session, 1 only in the template, 1 changed")
	p.see(`[role=dialog] select[aria-label^="Is Oboe 1 marcato"]`).MustSelect("a new row; the other is gone")
	p.seeText("[data-part=drift-count]", "1 only in the session, 2 only in the template, 0 changed")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.see(`[data-row="Flute 1 sustains"]`)
	p.see(`[data-row="Piccolo whistles"]`)
	p.find("clarinet 1 short", "Clarinet 1 short")

	// It is remembered, with what was answered.
	p.click(`[aria-label^="Template: "]`)
	p.item("Versions")
	p.item("Read a session back")
	p.see(`[role=dialog] select[aria-label="Read before"]`)
	p.page.MustEval(`() => {
		const select = document.querySelector("[role=dialog] select[aria-label='Read before']");
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(select, select.options[1].value);
		select.dispatchEvent(new Event("change", { bubbles: true }));
	}`)
	p.seeText("[data-part=drift-count]", "1 only in the session, 2 only in the template, 0 changed")
	p.press("Forget it")
	p.gone(`[role=dialog] select[aria-label="Read before"]`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
}

// projectOf is the project of a session file.
func projectOf(t *testing.T, data []byte) []byte {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	r, err := z.Open("project.xml")
	require.NoError(t, err)
	text, err := io.ReadAll(r)
	require.NoError(t, err)
	return text
}

// A MIDI file that a sequencer saved is read back: it knows names, which can be taken; rows that it lacks
// are not taken to be gone.
func TestAMIDIFileIsReadBack(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	id := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	path := filepath.Join(t.TempDir(), "saved.mid")
	data := download(t, id, "smf")
	require.Contains(t, string(data), "Flute 1 long")
	require.NoError(t, os.WriteFile(path, bytes.Replace(data, []byte("Flute 1 long"), []byte("Flute 1 airy"), 1), 0o600))
	p.click(`[aria-label^="Template: "]`)
	p.item("Versions")
	p.item("Read a session back")
	p.see(`[role=dialog] input[aria-label=Session]`).MustSetFiles(path)
	p.seeText("[data-part=drift-count]", "0 only in the session, 0 only in the template, 1 changed")
	p.seeText(`[data-difference="Flute 1 airy"]`, `name[\s\S]*Flute 1 long[\s\S]*Flute 1 airy`)
	p.press("Take all")
	p.seeText("[data-part=drift-count]", "Nothing differs")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.see(`[data-row="Flute 1 airy"]`)
}

// A session that somebody has becomes a template.
func TestATemplateBeginsWithASession(t *testing.T) {
	p := enter(t, 1280, 800)
	id := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	path := filepath.Join(t.TempDir(), "mine.dawproject")
	require.NoError(t, os.WriteFile(path, download(t, id, "dawproject"), 0o600))
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.see(`[aria-label="Name of the template"]`).MustInput("Harbour")
	p.page.MustElementR("[role=dialog] label", "A session of your sequencer").MustClick()
	p.press("^Create$")
	p.see(`[role=dialog] input[aria-label=Session]`).MustSetFiles(path)
	p.seeText("[data-part=drift-count]", "419 rows, 38 sections, [0-9]+ buses")
	p.press("Take all")
	p.gone("[role=dialog]")
	p.unfold("orchestra")
	p.see(`[data-row="Piccolo long"]`)
	p.back(t)
}
