package e2e_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// colours makes a film of shots of one colour each, of so many frames, with a tone as its sound.
func colours(t *testing.T, path, rate, start string, shots ...any) {
	t.Helper()
	args := []string{"-v", "error", "-y"}
	names, seconds := "", 0.0
	var per float64
	_, err := fmt.Sscan(rate, &per)
	require.NoError(t, err)
	for n := 0; n < len(shots); n += 2 {
		long := float64(shots[n+1].(int)) / per
		args = append(args, "-f", "lavfi", "-i", fmt.Sprintf("color=c=%s:size=320x180:rate=%s:duration=%g", shots[n], rate, long))
		names += fmt.Sprintf("[%d:v]", n/2)
		seconds += long
	}
	graph := fmt.Sprintf("%sconcat=n=%d:v=1[v]", names, len(shots)/2)
	args = append(args, "-f", "lavfi", "-i", fmt.Sprintf("sine=frequency=300:sample_rate=48000:duration=%g", seconds),
		"-filter_complex", graph, "-map", "[v]", "-map", fmt.Sprintf("%d:a", len(shots)/2),
		"-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", "-timecode", start, path)
	out, err := exec.Command("ffmpeg", args...).CombinedOutput()
	require.NoError(t, err, "%s", out)
}

// twoCuts makes a production of one reel by the contract: three shots of 4 s, of which the second
// cut has the last two, a cue from 01:00:02:00 to 01:00:11:00 with a hit at the second shot.
const twoCuts = `async name => {
	const send = async (method, path, body, raw) => {
		const done = await fetch("/api/productions" + path, { method, headers: { "Content-Type": raw ? "application/octet-stream" : "application/json" }, body: raw ? body : JSON.stringify(body) });
		if (!done.ok) throw new Error(path + ": " + await done.text());
		return done.json();
	};
	const film = await send("POST", "", { name, rate: "25" });
	const edl = (list) => "TITLE: R1\nFCM: NON-DROP FRAME\n" + list.map((s, n) => "00" + (n + 1) + "  " + s + " V C 00:00:10:00 00:00:14:00 01:00:" + String(4 * n).padStart(2, "0") + ":00 01:00:" + String(4 * n + 4).padStart(2, "0") + ":00\n").join("");
	const one = await send("POST", "/" + film.id + "/cuts?name=One", edl(["RED", "GREEN", "BLUE"]), true);
	await send("POST", "/" + film.id + "/cuts?name=Two&reel=" + one.reel, edl(["GREEN", "BLUE"]), true);
	const cue = await send("POST", "/" + film.id + "/cues", { reel: one.reel, start: 90050, end: 90275 });
	await send("POST", "/" + film.id + "/changes", { base: cue.revision, change: { ops: [{ kind: "cue", id: cue.id, set: { title: "Lamp", hits: [{ name: "the match", frame: 90100, weight: 1, tolerance: 2 }] } }] } });
	return film.id;
}`

// at waits until the picture shows a frame that satisfies a condition.
func (p *person) pictureAt(condition string) {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`condition => { const at = Number(document.querySelector("[data-part=picture]")?.dataset.at); return new Function("at", "return " + condition)(at) }`, condition))
	require.NoError(p.t, err, "the picture shows no frame with %s", condition)
}

// shows waits until the film shows a colour in its middle: the largest of red, green and blue.
func (p *person) shows(which string, of int) {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`(of, which) => {
		const v = document.querySelectorAll("[data-part=picture] video")[of];
		if (!v || v.readyState < 2 || v.seeking) return false;
		const c = document.createElement("canvas");
		c.width = c.height = 1;
		const g = c.getContext("2d");
		g.drawImage(v, 100, 60, 1, 1, 0, 0, 1, 1);
		const [r, gr, b] = g.getImageData(0, 0, 1, 1).data;
		return { red: r, green: gr, blue: b }[which] === Math.max(r, gr, b) && Math.max(r, gr, b) > 80;
	}`, of, which))
	require.NoError(p.t, err, "film %d does not show %s", of, which)
}

// to sets the playhead on a frame by a click on the strip and the keys.
func (p *person) playheadTo(frame int) {
	p.t.Helper()
	p.page.MustEval(`() => document.querySelector("[data-strip]").focus()`)
	at := p.see(`[data-part=picture]`).MustEval(`() => Number(this.dataset.at)`).Int()
	for ; at < frame-24; at += 25 {
		require.NoError(p.t, p.page.KeyActions().Press(input.ShiftLeft).Type(input.ArrowRight).Release(input.ShiftLeft).Do())
	}
	for ; at > frame+24; at -= 25 {
		require.NoError(p.t, p.page.KeyActions().Press(input.ShiftLeft).Type(input.ArrowLeft).Release(input.ShiftLeft).Do())
	}
	for ; at < frame; at++ {
		p.keys(input.ArrowRight)
	}
	for ; at > frame; at-- {
		p.keys(input.ArrowLeft)
	}
	p.pictureAt(fmt.Sprintf("at === %d", frame))
}

// A composer gives a reel its film: its header is told, each frame that the playhead stands on is
// the frame of the film, it plays with bars and hits over it, and the film of the cut before is
// compared, on the same picture. A film of the wrong rate is a mark.
func TestThePictureOfAReel(t *testing.T) {
	films := filepath.Join(studio.dir, "studio", "films")
	colours(t, filepath.Join(films, "one.mp4"), "25", "01:00:00:00", "red", 100, "green", 100, "blue", 100)
	colours(t, filepath.Join(films, "two.mov"), "25", "01:00:00:00", "green", 100, "blue", 100)
	colours(t, filepath.Join(films, "wrong.mp4"), "24", "01:00:00:00", "green", 96)
	p := enter(t, 1280, 800)
	name := fmt.Sprintf("Pictured %d", os.Getpid())
	p.page.MustEval(twoCuts, name)
	p.film(name)
	p.see(`[data-slate="1"]`)

	choose := func(cut, file string, before ...string) {
		p.press("Cuts…")
		p.click(`[aria-label="Film of reel 1 in ` + cut + `"]`)
		p.seeText(`[role=dialog] h2`, "Film of reel 1, "+cut)
		for _, text := range append(before, file) {
			p.press(text)
		}
		p.seeText(`[role=dialog] dl`, file)
	}
	choose("One", "one.mp4", ".*studio/films") // the folder is remembered from then on
	p.seeText(`[role=dialog] dl`, "320 × 180, 25 frames a second, avc1")
	p.seeText(`[role=dialog] dl`, "01:00:00:00")
	require.Empty(t, p.see(`[aria-label="To check"]`).MustText())
	p.press("Done")
	p.gone(`[role=dialog]`)
	choose("Two", "two.mov")
	p.press("Done")
	p.gone(`[role=dialog]`)

	p.playheadTo(90_099)
	p.shows("red", 0)
	p.click(`[aria-label="One frame on"]`)
	p.pictureAt("at === 90100")
	p.shows("green", 0)
	p.see(`[data-met="90100"]`)
	require.NoError(t, p.see(`[aria-label="Compare with"]`).Select([]string{"beside Two"}, true, rod.SelectorTypeText))
	p.shows("green", 1)
	p.playheadTo(90_200)
	p.shows("blue", 0)
	p.shows("blue", 1)
	p.playheadTo(90_050)
	p.seeText(`[data-beside]`, "this picture is not in it")

	p.click(`[aria-label=Play]`)
	p.see(`[data-coming="90100"]`)
	p.pictureAt("at > 90110")
	off := p.page.MustEval(`() => {
		const v = document.querySelector("[data-part=picture] video");
		return Math.abs(90000 + v.currentTime * 25 - Number(document.querySelector("[data-part=picture]").dataset.at));
	}`).Num()
	require.Less(t, off, 6.0, "the playhead goes with the film, as far as a busy machine draws it")
	p.pictureAt("at > 90200")
	p.page.MustEval(`() => document.querySelector("[data-strip]").focus()`)
	p.keys(input.Space)
	p.see(`[aria-label=Play]`)

	choose("One", "wrong.mp4", "Remove it")
	p.seeText(`[aria-label="To check"]`, "it has 24 frames a second, the production 25")
	p.press("Done")
	p.seeText(`[data-part=film-marks]`, "film-rate")
}

// pull drags what is found by so many pixels, to the right.
func (p *person) pull(selector string, by float64) {
	p.t.Helper()
	e := p.see(selector)
	e.MustScrollIntoView()
	box := e.MustShape().Box()
	x, y := box.X+box.Width/2, box.Y+box.Height/2
	p.page.Mouse.MustMoveTo(x, y)
	p.page.Mouse.MustDown(proto.InputMouseButtonLeft)
	p.page.Mouse.MustMoveTo(x+by/2, y)
	p.page.Mouse.MustMoveTo(x+by, y)
	p.page.Mouse.MustUp(proto.InputMouseButtonLeft)
}

// A hit is dragged along the strip and snaps to the cut of a shot; a marker on a beat is dragged and
// stays on a beat; zoomed to its frames, the strip shows each of them.
func TestHitsAndMarkersAreDragged(t *testing.T) {
	p := enter(t, 1280, 800)
	name := fmt.Sprintf("Dragged %d", os.Getpid())
	p.page.MustEval(twoCuts, name)
	p.film(name)
	p.see(`[data-slate="1"]`)
	p.click(`[data-cue-row="1M01"] span`)
	p.hitAt("01:00:04:00")
	frames := p.figure(`[data-strip="1"]`, "data-frames")
	perFrame := (p.see(`[data-strip="1"]`).MustShape().Box().Width - 50) / frames
	p.pull(`[data-hit="0"]`, 50*perFrame)
	p.hitAt("01:00:06:00")
	p.pull(`[data-hit="0"]`, 52*perFrame) // 01:00:08:02, two frames from the cut to the third shot
	p.hitAt("01:00:08:00")
	p.press("Undo")
	p.hitAt("01:00:06:00")

	p.playheadTo(90_125)
	p.press("On the beat") // at 120 from 01:00:02:00 on, 6 beats later
	p.see(`[aria-label="Name of marker 1"]`)
	p.seeText(`[aria-label=Markers] li`, "bar 6.3")
	p.pull(`[data-marker="0"]`, 30*perFrame) // 2.4 beats
	p.seeText(`[aria-label=Markers] li`, "bar 7")

	p.click(`[data-part=cue] h4 + span .button`) // Add, beside Tempo
	p.see(`[aria-label="Tempo 2, quarter notes a minute"]`)
	is := func(label, want string) {
		err := p.page.Timeout(patience()).Wait(rod.Eval(`(label, want) => document.querySelector('[aria-label="' + label + '"]')?.value === want`, label, want))
		require.NoError(t, err, "%s is not %s", label, want)
	}
	is("Bar of tempo 2", "6")                 // after the bar on its start: there the playhead is not
	p.pull(`[data-tempo="1"]`, 2*50*perFrame) // two bars of 50 frames
	is("Bar of tempo 2", "8")
	for !p.see(`[aria-label="Zoom in"]`).MustProperty("disabled").Bool() {
		p.click(`[aria-label="Zoom in"]`)
	}
	require.InDelta(t, 48, p.figure(`[data-strip="1"]`, "data-frames"), 12)
	p.see(`[data-strip="1"] [data-part=frames]`)
}

// hitAt waits until the first hit of the chosen cue stands at a timecode.
func (p *person) hitAt(code string) {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`code => document.querySelector('[aria-label="Time of hit 1"]')?.value === code`, code))
	require.NoError(p.t, err, "the hit never stood at %s", code)
}

// Files are dropped on the leaf: an event list is held against the cues at once, a list of cues is
// looked at, and music belongs to the cue that is chosen.
func TestFilesAreDroppedOnCues(t *testing.T) {
	p := enter(t, 1280, 800)
	name := fmt.Sprintf("Dropped %d", os.Getpid())
	p.page.MustEval(twoCuts, name)
	p.film(name)
	p.see(`[data-slate="1"]`)
	p.drop(`[data-leaf=cues]`, "cut3.edl", "TITLE: R1\nFCM: NON-DROP FRAME\n001  RED V C 00:00:10:00 00:00:14:00 01:00:00:00 01:00:04:00\n002  BLUE V C 00:00:10:00 00:00:14:00 01:00:04:00 01:00:08:00\n")
	p.seeText(`[role=dialog] h2`, "^One to Cut 3$")
	p.seeText(`[role=dialog]`, "1M01 Lamp")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.drop(`[data-leaf=cues]`, "more.csv", "number,title,start,end\n1M02,Late,01:00:11:10,01:00:11:20\n")
	p.seeText(`[data-part=spotted]`, "1 new cue")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.drop(`[data-leaf=cues]`, "lamp.mid", "MThd")
	p.seeText(`[role=alert]`, "Choose the cue that this music belongs to first")
	p.drop(`[data-leaf=cues]`, "lamp.pdf", "x")
	p.seeText(`[role=alert]`, "Drop an event list, a list of cues, or the MIDI or MusicXML file")
	p.click(`[data-cue-row="1M01"] span`)
	p.see(`[data-part=cue]`)
	p.drop(`[data-leaf=cues]`, "lamp.mid", "MThd")
	p.seeText(`[role=alert]`, "MIDI")
}

// A composer who was only given a film makes a cut of it without an event list: the reel is as long as
// the film, and it plays.
func TestAFilmWithoutAList(t *testing.T) {
	colours(t, filepath.Join(studio.dir, "studio", "films", "alone.mp4"), "25", "01:00:00:00", "red", 250, "blue", 250)
	p := enter(t, 1280, 800)
	name := fmt.Sprintf("Alone %d", os.Getpid())
	p.page.MustEval(`async name => {
		const send = (path, body) => fetch("/api/productions" + path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body ?? {}) }).then((r) => r.json());
		const film = await send("", { name, rate: "25" });
		await send("/" + film.id + "/reels");
	}`, name)
	p.film(name)
	p.seeText(`[data-slate]`, "No picture yet")
	p.press("Cuts…")
	p.press("Without a list")
	p.seeText(`[data-cut="Cut 1"]`, "the cues are in it")
	p.click(`[aria-label="Film of reel 1 in Cut 1"]`)
	p.press(".*studio/films")
	p.press("alone.mp4")
	p.seeText(`[role=dialog] dl`, "01:00:20:00")
	p.press("Done")
	p.gone(`[role=dialog]`)
	p.playheadTo(90_249)
	p.shows("red", 0)
	p.keys(input.ArrowRight)
	p.pictureAt("at === 90250")
	p.shows("blue", 0)
	p.gone(`[data-part=film-marks]`)
}
