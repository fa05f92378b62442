package e2e_test

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	corecue "fanfold/internal/core/cue"
	"fanfold/internal/core/tempo"
	madeup "fanfold/internal/demo"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/wav"
)

// printed has the music of a cue printed, and waits until it is proved.
func (p *person) printed(cue string) {
	p.t.Helper()
	p.unfold("print")
	p.press("Print cues…")
	p.seeText(`[role=dialog] h2`, "Print cues")
	p.clickOn("the cue", func() (*rod.Element, error) {
		return p.page.Timeout(patience()).ElementR(`[role=dialog] li label`, cue)
	})
	p.press("Print 1 cue")
	p.gone(`[role=dialog]`)
	p.see(`[aria-label=Prints] [data-print*="` + cue + `"]`)
	p.proved("32 stems add up to the mix, residual -1[0-9][0-9] dBFS")
}

// shortMusic gives a cue four bars of music, from its start on.
func (p *person) shortMusic(number string) { p.music(number, 4) }

// longerMusic gives it five.
func (p *person) longerMusic(number string) { p.music(number, 5) }

func (p *person) music(number string, bars int64) {
	p.t.Helper()
	const quarter = 480
	time, err := tempo.NewTime(quarter, []tempo.Change{{Quarter: 500_000}}, nil)
	require.NoError(p.t, err)
	film, err := madeup.Film()
	require.NoError(p.t, err)
	at := slices.IndexFunc(film.Cues, func(c *corecue.Cue) bool { return c.Number == number })
	first := film.Cues[at].Bar - 1
	var parts []smf.Played
	for k, name := range []string{"Harp", "Violas", "Cellos", "Clarinet 1"} {
		x := smf.Played{Name: name, Port: -1}
		for bar := range bars {
			from := (first+bar)*4*quarter + int64(k)*60
			key := 50 + 5*k + int(bar)*[]int{2, 3, -2, 4}[k]
			x.Messages = append(x.Messages, articulation.Message{Tick: from, Status: articulation.NoteOn, Channel: 1, Data1: key, Data2: 60 + 8*k},
				articulation.Message{Tick: from + 3*quarter, Status: articulation.NoteOff, Channel: 1, Data1: key, Data2: 64})
		}
		parts = append(parts, x)
	}
	var b bytes.Buffer
	require.NoError(p.t, smf.WritePlayed(&b, time, parts))
	was := p.page.MustEval(`async (music, cue) => {
		const all = await (await fetch("/api/productions")).json();
		const film = all.find((p) => p.name === "The Salt Lantern").id;
		const path = "/api/productions/" + film + "/cues/" + cue + "/music";
		const was = new Uint8Array(await (await fetch(path)).arrayBuffer());
		const put = (data) => fetch(path + "?name=short.mid", { method: "PUT", headers: { "Content-Type": "application/octet-stream" }, body: data });
		const done = await put(Uint8Array.from(atob(music), (c) => c.charCodeAt(0)));
		if (!done.ok) throw new Error(await done.text());
		return [path, btoa(String.fromCharCode(...was))];
	}`, base64.StdEncoding.EncodeToString(b.Bytes()), string(film.Cues[at].ID))
	p.t.Cleanup(func() {
		_, err := p.page.Timeout(patience()).Eval(`async (path, music) => {
			await fetch(path + "?name=cue.mid", { method: "PUT", headers: { "Content-Type": "application/octet-stream" }, body: Uint8Array.from(atob(music), (c) => c.charCodeAt(0)) });
		}`, was.Arr()[0].Str(), was.Arr()[1].Str())
		if err != nil {
			p.t.Log("the music of the cue is not as it was: ", err)
		}
	})
}

// proved waits for the line of a proof.
func (p *person) proved(line string) {
	p.t.Helper()
	_, err := p.page.Timeout(10*patience()).ElementR(`[data-part=print-line]`, line)
	if err != nil {
		said, _ := p.page.Timeout(patience()).Element(`[data-part=print-line]`)
		require.NoError(p.t, err, "it was never proved as %q; it says %q", line, said.MustText())
	}
}

// files downloads the files of the print that is looked at, by their names.
func (p *person) files() map[string][]byte {
	p.t.Helper()
	out := map[string][]byte{}
	list := p.page.MustEval(`async () => {
		const id = location.pathname.match(/[0-9a-f-]{36}/)?.[0] ?? (await (await fetch("/api/templates")).json())[0].id;
		const { prints } = await (await fetch("/api/templates/" + id + "/prints")).json();
		const whole = await (await fetch("/api/prints/" + prints[0].id)).json();
		return whole.files.map((f) => [f.path, "/api/prints/" + prints[0].id + "/files/" + f.number]);
	}`)
	for _, x := range list.Arr() {
		out[x.Arr()[0].Str()] = p.fetch(x.Arr()[1].Str())
	}
	return out
}

// fetch is what the server answers the person at a path.
func (p *person) fetch(path string) []byte {
	p.t.Helper()
	cookies, err := p.page.Cookies(nil)
	require.NoError(p.t, err)
	r, err := http.NewRequestWithContext(p.page.GetContext(), http.MethodGet, studio.address+path, nil)
	require.NoError(p.t, err)
	for _, c := range cookies {
		r.AddCookie(&http.Cookie{Name: c.Name, Value: c.Value})
	}
	got, err := http.DefaultClient.Do(r)
	require.NoError(p.t, err)
	data, err := io.ReadAll(got.Body)
	require.NoError(p.t, err)
	require.NoError(p.t, got.Body.Close())
	require.Equal(p.t, 200, got.StatusCode, string(data[:min(len(data), 500)]))
	return data
}

// isWhole has other programs look at a package: sha256sum (coreutils) finds
// every file as the manifest has it.
func isWhole(t testing.TB, data []byte) {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "package.zip"), data, 0o600))
	run := func(in string, args ...string) {
		cmd := exec.Command(args[0], args[1:]...)
		cmd.Dir = in
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%v: %s", args, out)
	}
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	root := strings.SplitN(archive.File[0].Name, "/", 2)[0]
	for _, f := range archive.File {
		from, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(from)
		require.NoError(t, err)
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, f.Name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), text, 0o600))
	}
	run(filepath.Join(dir, root), "sha256sum", "-c", "--quiet", "manifest-sha256.txt")
	run(filepath.Join(dir, root), "sha256sum", "-c", "--quiet", "tagmanifest-sha256.txt")
}

// The music of a cue is printed: every stem and the mix, with one line that says that they add
// up. They are taken out, one gain is changed by a tenth of a dB behind the print's back, another
// is doubled and has a guide in it, and all are brought in again: each is told with its stem, and
// drawn where it is. A stem is heard by itself, from any place.
func TestACueIsPrintedProvedAndHeard(t *testing.T) {
	p := enter(t, 1280, 800)
	p.shortMusic("1M04")
	p.printed("1M04")
	p.see(`[data-lane=Mix] canvas[data-drawn]`)
	p.seeText(`[data-group=fine]`, "add up, residual -1[0-9][0-9] dBFS")
	p.seeText(`[data-part=silent]`, "Nobody plays in .*Horns")
	shots := os.Getenv("FANFOLD_SHOTS") // to renew the pictures of the documents
	if shots != "" {
		p.shoot(shots, "print-day.png")
	}

	link, err := p.page.Timeout(patience()).ElementR("a", "^Download$")
	require.NoError(t, err)
	pack := p.fetch(*link.MustAttribute("href"))
	isWhole(t, pack)
	if shots != "" {
		p.shootSheet(shots, pack)
	}
	files := p.files()
	require.Len(t, files, 34)
	dir := t.TempDir()
	for name, data := range files {
		h, err := wav.Read(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err, name)
		require.Equal(t, 24, h.Bits)
		require.EqualValues(t, (3600+9*60+15)*48_000, h.Says.Begin, "the cue's start")
		switch {
		case strings.Contains(name, "Low strings long"):
			data = changed(data, func(_ int, v float64) float64 { return v * math.Pow(10, .1/20) })
		case strings.Contains(name, "Harp"):
			data = changed(data, func(n int, v float64) float64 { return 2*v + .02*guideAt(n) })
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, strings.ReplaceAll(name, "1M04 The keeper's ledger v1 ", "")), data, 0o600))
	}
	mix := files["1M04 The keeper's ledger v1 Mix.wav"]
	require.NotEmpty(t, mix)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "Dialogue.wav"), changed(mix, func(n int, _ float64) float64 { return .5 * guideAt(n) }), 0o600))

	p.press("Bring in recordings…")
	var all []string
	all, err = filepath.Glob(filepath.Join(dir, "*.wav"))
	require.NoError(t, err)
	require.NoError(t, p.see(`[role=dialog] [aria-label="The files"]`).SetFiles(all))
	p.seeText(`[role=dialog]`, fmt.Sprintf("%d files", len(all)))
	p.see(`#bring-in-title`).MustInput("From the sequencer")
	p.press("Bring in and prove")
	p.gone(`[role=dialog]`)
	p.proved("; [0-9]+ more")
	p.seeText(`[data-part=print-marks]`, "Low strings long is 0.10 dB louder than in the mix")
	p.seeText(`[data-part=print-marks]`, "Harp contains the guide Dialogue.wav")
	p.seeText(`[data-part=print-marks]`, "Harp is doubled|Harp is 6.0")
	p.see(`[data-lane="Low strings long"] canvas[data-drawn]`)
	if shots != "" {
		p.page.MustEval(`() => { document.documentElement.dataset.theme = "pit" }`)
		p.shoot(shots, "print-fault-pit.png")
		p.page.MustEval(`() => { document.documentElement.dataset.theme = "day" }`)
	}

	// Heard: a stem by itself, from the middle, without a gap in what is scheduled.
	p.click(`[data-lane="Low strings long"] button`)
	p.see(`[data-lane="Low strings long"] button[aria-pressed=true]`)
	p.click(`[aria-label=Play]`)
	p.see(`[aria-label=Pause]`)
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => /^0:0[2-9]/.test(document.querySelector("[data-part=print-time]").textContent)`)))
	p.click(`[data-group=fine] [title^="Hear all of it"]`)
	p.see(`[data-group=fine] [title^="Hear all of it"][aria-pressed=true]`)
	p.click(`[aria-label=Pause]`)
	p.see(`[aria-label=Play]`)
	p.keys(input.Escape)

	// What a file is, by hand: it is remembered.
	require.NoError(t, p.see(`[aria-label="What Dialogue.wav is"]`).Select([]string{"^other$"}, true, rod.SelectorTypeRegex))
	_, err = p.page.Timeout(10*patience()).ElementR(`[data-part=print-marks]`, "notes? that are probably intended")
	require.NoError(t, err)
	require.NoError(t, p.page.Timeout(10*patience()).Wait(rod.Eval(`() => {
		const marks = document.querySelector("[data-part=print-marks]")?.textContent ?? "";
		return marks.includes("Low strings long") && !marks.includes("contains the guide");
	}`)), "the guide is no longer one")

	p.comparedAndDelivered()

	for left := 1; left >= 0; left-- {
		p.press("Delete…")
		p.press("Delete its audio")
		p.seeJust(`[aria-label=Prints] [data-print]`, left)
	}
	p.seeText(`[data-leaf=print]`, "Stems, and the proof that they add up")
}

// shootSheet takes a picture of the delivery sheet of a package.
func (p *person) shootSheet(dir string, pack []byte) {
	p.t.Helper()
	archive, err := zip.NewReader(bytes.NewReader(pack), int64(len(pack)))
	require.NoError(p.t, err)
	at := slices.IndexFunc(archive.File, func(f *zip.File) bool { return strings.HasSuffix(f.Name, "/delivery sheet.html") })
	require.GreaterOrEqual(p.t, at, 0)
	from, err := archive.File[at].Open()
	require.NoError(p.t, err)
	text, err := io.ReadAll(from)
	require.NoError(p.t, err)
	name := filepath.Join(p.t.TempDir(), "sheet.html")
	require.NoError(p.t, os.WriteFile(name, text, 0o600))
	sheet := &person{t: p.t, page: p.page.Browser().MustPage("file://"+name).MustSetViewport(1280, 800, 1, false).MustWaitLoad()}
	sheet.shoot(dir, "delivery-sheet.png")
	sheet.page.MustClose()
}

// comparedAndDelivered has what was recorded compared with what was printed, and delivers it: the
// stem that was changed is told, the other print is heard instead, and whoever has the link fetches
// the whole package without signing in, until it ends.
func (p *person) comparedAndDelivered() {
	p.t.Helper()
	require.NoError(p.t, p.see(`[aria-label="Compare with"]`).Select([]string{"1M04"}, true, rod.SelectorTypeText))
	p.seeText(`[data-lane="Low strings long"] [data-part=differs]`, "0.10 dB louder from")
	p.seeText(`[data-lane=Mix] [data-part=differs]`, "^the same$")
	p.seeText(`[data-part=shapes]`, "-[0-9.]+ LUFS, 1M04")
	p.see(`[aria-label="Loudness over time"] path[d^=M]`)
	p.see(`[aria-label=Spectrum] path[d^=M]`)
	p.press("Hear it instead")
	p.click(`[aria-label=Play]`)
	p.see(`[aria-label=Pause]`)
	require.NoError(p.t, p.page.Timeout(patience()).Wait(rod.Eval(`() => /^0:0[1-9]/.test(document.querySelector("[data-part=print-time]").textContent)`)))
	p.click(`[aria-label=Pause]`)

	p.press("Deliver…")
	p.seeText(`[role=dialog]`, "marks? will be in its delivery sheet")
	p.clickOn("the print of 1M04", func() (*rod.Element, error) {
		return p.page.Timeout(patience()).ElementR(`[role=dialog] li label`, "1M04")
	})
	p.see(`#deliver-to`).MustInput("The mixer")
	p.see(`#deliver-note`).MustInput("The harp is on its way.")
	require.NoError(p.t, p.see(`#deliver-folders`).Select([]string{"A folder for each cue"}, true, rod.SelectorTypeText))
	p.press("Deliver 2 cues")
	p.seeText(`[role=dialog] h2`, "Delivered to The mixer")
	link := p.see(`[role=dialog] [aria-label=Link]`).MustProperty("value").Str()
	p.press("Done")
	p.gone(`[role=dialog]`)
	p.seeText(`[aria-label="Delivery to The mixer"]`, "The harp is on its way")

	get := func(path string) (int, []byte) {
		r, err := http.NewRequestWithContext(p.page.GetContext(), http.MethodGet, path, nil)
		require.NoError(p.t, err)
		got, err := http.DefaultClient.Do(r)
		require.NoError(p.t, err)
		data, err := io.ReadAll(got.Body)
		require.NoError(p.t, err)
		require.NoError(p.t, got.Body.Close())
		return got.StatusCode, data
	}
	status, page := get(link)
	require.Equal(p.t, 200, status)
	require.Contains(p.t, string(page), "The harp is on its way.")
	require.NotContains(p.t, string(page), "Dialogue")
	status, data := get(link + "/package")
	require.Equal(p.t, 200, status)
	isWhole(p.t, data)
	p.press("End the link")
	p.seeText(`[aria-label="Delivery to The mixer"]`, "no link is open; fetched once")
	status, _ = get(link)
	require.Equal(p.t, 404, status)
	p.click(`[aria-label=Prints] [data-print]`)
	p.see(`[data-lane=Mix]`)
}

// guideAt is a made-up guide: a voice-like buzz that comes and goes.
func guideAt(n int) float64 {
	s := float64(n) / 48_000
	if math.Mod(s, 2) > 1.3 {
		return 0
	}
	x, hz := 0.0, 140+30*math.Sin(3*s)+11*math.Sin(7.3*s)
	for k := 1.0; k < 20; k++ {
		x += math.Sin(2*math.Pi*k*hz*s+k*k) / k
	}
	return x * math.Sin(math.Pi*math.Mod(s, 2)/1.3) * (.3 + .2*math.Sin(float64(n*n%7919)))
}

// changed is a file of 24 bits with other samples; both sides of a frame get the same.
func changed(data []byte, do func(n int, v float64) float64) []byte {
	out := bytes.Clone(data)
	at := bytes.Index(out, []byte("data")) + 8
	for n := 0; at+6*n+6 <= len(out); n++ {
		for c := range 2 {
			b := out[at+6*n+3*c:]
			v := float64(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)>>8) / (1 << 23)
			x := int32(math.Round(max(-1, min(1, do(n, v))) * (1<<23 - 1)))
			var w [4]byte
			binary.LittleEndian.PutUint32(w[:], uint32(x))
			copy(b[:3], w[:3])
		}
	}
	return out
}

// A section is recorded over in a cue: its rows play recordings of their own sound, and the cue
// printed again sounds as before in every stem. With other music they are stale, and told; then
// they play again, all at once.
func TestASectionIsRecordedOver(t *testing.T) {
	p := enter(t, 1280, 800)
	p.shortMusic("1M05")
	p.printed("1M05")
	over := func() {
		t.Helper()
		p.press("Record over…")
		require.NoError(t, p.see(`#over-cue`).Select([]string{"1M05"}, true, rod.SelectorTypeText))
	}
	over()
	p.click(`[data-section=Strings] input`)
	p.press("Record over 1 section")
	p.gone(`[role=dialog]`)
	p.proved("rows? (is|are) recorded over; (its|their) patches took [0-9.]+ GiB")
	over()
	p.seeText(`[data-section=Strings]`, "recorded over in 1M05")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)

	p.press("Print cues…")
	p.clickOn("the cue", func() (*rod.Element, error) {
		return p.page.Timeout(patience()).ElementR(`[role=dialog] li label`, "1M05")
	})
	p.press("Print 1 cue")
	p.gone(`[role=dialog]`)
	p.seeText(`[aria-label=Prints] [aria-current=true]`, "v2")
	p.proved("32 stems add up to the mix")
	require.NoError(t, p.see(`[aria-label="Compare with"]`).Select([]string{"v1"}, true, rod.SelectorTypeText))
	p.seeText(`[data-lane=Mix] [data-part=differs]`, "^the same$")
	p.seeText(`[data-lane="Low strings long"] [data-part=differs]`, "^the same$")

	p.longerMusic("1M05")
	over()
	p.seeText(`[data-section=Strings]`, "recordings? stale")
	p.click(`[data-section=Strings] button`)
	p.seeText(`[data-section=Strings]`, `[0-9]+ rows$`)
	p.keys(input.Escape)
	for left := 2; left >= 0; left-- {
		p.press("Delete…")
		p.press("Delete its audio")
		p.seeJust(`[aria-label=Prints] [data-print]`, left)
	}
}
