package e2e_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// film opens a production in Cues.
func (p *person) film(name string) {
	p.t.Helper()
	p.unfold("cues")
	require.NoError(p.t, p.see(`[aria-label=Production]`).Select([]string{"^" + name + "$"}, true, rod.SelectorTypeRegex))
	require.NoError(p.t, p.page.Timeout(patience()).Wait(rod.Eval(`name => document.querySelector("[aria-label=Production]")?.selectedOptions[0]?.textContent === name`, name)))
}

// cueSays waits until a field of a cue in the sheet says something.
func (p *person) cueSays(field, cue, text string) {
	p.t.Helper()
	err := p.page.Timeout(patience()).Wait(rod.Eval(`(label, text) => document.querySelector('[aria-label="' + label + '"]')?.value === text`, field+" of "+cue, text))
	require.NoError(p.t, err, "%s of %s: %s", field, cue, text)
}

// sets types a value into a field and leaves it.
func (p *person) sets(label, text string) {
	p.t.Helper()
	e := p.see(`[aria-label="` + label + `"]`)
	require.NoError(p.t, e.SelectAllText())
	require.NoError(p.t, e.Input(text))
	p.keys(input.Enter)
}

// An assistant makes a production, spots three cues from a list with a line that cannot be
// taken, drags the end of one and sets the start of another, adds one at the playhead, and takes
// single steps back.
func TestCuesAreSpotted(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("cues")
	p.see(`[data-strip]`)
	require.NoError(t, p.see(`[aria-label=Production]`).Select([]string{"New production…"}, true, rod.SelectorTypeText))
	name := fmt.Sprintf("Spotted %d", os.Getpid())
	p.see(`#film-name`).MustInput(name)
	require.NoError(t, p.see(`#film-rate`).Select([]string{"^24$"}, true, rod.SelectorTypeRegex))
	p.press("^Create$")
	p.gone(`[role=dialog]`)
	p.seeText(`[data-leaf=cues] header`, "0 cues")
	list := filepath.Join(t.TempDir(), "spotting.csv")
	require.NoError(t, os.WriteFile(list, []byte("Cue No;Cue Title;TC In;TC Out;Colour\n1M01;Salt;01:00:10:00;01:01:00:00;x\n1M02;Lamp;01:02:00:00;01:03:00:00;\n1M03;Bad;01:04:00:24;01:05:00:00;\n2M01;Storm;02:00:30:00;02:02:00:00;\n"), 0o600))
	p.press("Add ▾")
	p.press("A list of cues")
	p.see(`[role=dialog] input[type=file]`).MustSetFiles(list)
	p.seeText(`[data-part=spotted]`, "3 new cues; 2 reels made: 1, 2")
	p.seeText(`[role=dialog]`, "line 4: its start: 01:04:00:24 is not a timecode at 24")
	p.press("Take 3 cues")
	p.gone(`[role=dialog]`)
	p.seeText(`[data-leaf=cues] header`, "3 cues, 3:20")
	p.cueSays("Start", "1M02", "01:02:00:00")

	// The cues of a reel leave for picture editors, and what that leaves out is told.
	p.press("Take out ▾")
	p.press("^Reel 2")
	item := p.page.MustElementR("[role=menu] a[href*=edl][href*=reel]", "Event list")
	took := p.page.MustEval(`async (at) => (await fetch(at)).text()`, *item.MustAttribute("href")).Str()
	require.Contains(t, took, "001  2M01     A     C        02:00:30:00 02:02:00:00 02:00:30:00 02:02:00:00\n* FROM CLIP NAME: 2M01 Storm")
	require.NotContains(t, took, "1M01")
	item.MustClick()
	p.seeText(`[role=status]`, "1 thing is left out: tempi, bars and status of cues")

	// A dialog that closes lets the mouse through a moment later.
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => getComputedStyle(document.body).pointerEvents !== "none"`)))
	// The end of 1M01 is dragged to the right, by half of what lies between it and 1M02.
	strip := p.see(`[data-strip="1"]`)
	strip.MustScrollIntoView()
	box := strip.MustShape().Box()
	from, frames := p.figure(`[data-strip="1"]`, "data-from"), p.figure(`[data-strip="1"]`, "data-frames")
	x := func(frame float64) float64 { return box.X + 44 + (frame-from)/frames*(box.Width-44-6) }
	y := box.Y + 15 + 20 + 12
	end := float64(86_400 + 60*24)
	p.page.Mouse.MustMoveTo(x(end)-2, y)
	p.page.Mouse.MustDown(proto.InputMouseButtonLeft)
	p.page.Mouse.MustMoveTo(x(end)+20, y)
	p.page.Mouse.MustMoveTo(x(end)+40, y)
	p.page.Mouse.MustUp(proto.InputMouseButtonLeft)
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => { const v = document.querySelector('[aria-label="End of 1M01"]')?.value; return v !== "01:01:00:00" && v > "01:01:05" && v < "01:02:00:01" }`)))
	p.cueSays("Start", "1M01", "01:00:10:00")
	p.press("Undo")
	p.cueSays("End", "1M01", "01:01:00:00")

	p.sets("Start of 1M02", "01:02:00:24")
	p.seeText(`[role=alert]`, "is not a timecode")
	p.cueSays("Start", "1M02", "01:02:00:00")
	p.sets("Start of 1M02", "01:01:58:12")
	p.cueSays("Start", "1M02", "01:01:58:12")
	p.sets("End of 1M01", "01:02:10:00")
	p.seeText(`[data-part=film-marks]`, "1M02 Lamp begins at 01:01:58:12, before 1M01 Salt ends at 01:02:10:00")
	p.press("Undo")
	p.gone(`[data-part=film-marks]`)

	p.page.Mouse.MustMoveTo(x(86_400+150*24), box.Y+20)
	p.page.Mouse.MustClick(proto.InputMouseButtonLeft)
	p.seeText(`[data-part=playhead]`, "01:0")
	p.press("Add ▾")
	p.press("A cue at the playhead")
	p.see(`[data-cue-row="1M03"][aria-selected=true]`)
	p.see(`[aria-label="Cues of the production"]`).MustFocus()
	p.keys(input.Delete)
	p.gone(`[data-cue-row="1M03"]`)

	// A status has another name, and cues that have it as well; a reel begins elsewhere; one undo.
	require.NoError(t, p.see(`[aria-label=Production]`).Select([]string{"Settings of this one"}, true, rod.SelectorTypeText))
	statuses := p.see(`#set-statuses`)
	statuses.MustSelectAllText().MustInput("heard\nsketched\nwith the director\napproved\norchestrated\nrecorded\nmixed\ndelivered")
	p.see(`#set-numbering`).MustSelectAllText().MustInput("{reel}m{number}")
	p.see(`[aria-label="Name of reel 2"]`).MustSelectAllText().MustInput("two")
	p.press("^Save$")
	p.gone(`[role=dialog]`)
	p.cueSays("Status", "1M02", "heard")
	p.seeText(`[aria-label="Cues of the production"]`, "Reel two")
	p.see(`[data-cue-row="1M02"]`)
	p.press("Undo")
	p.cueSays("Status", "1M02", "spotted")
	require.NoError(t, p.see(`[aria-label=Production]`).Select([]string{"Settings of this one"}, true, rod.SelectorTypeText))
	p.see(`#set-statuses`).MustSelectAllText().MustInput("sketched")
	p.press("^Save$")
	p.seeText(`[role=alert]`, `"spotted" is not a status of this production`)
	p.press("Cancel")
	p.gone(`[role=dialog]`)
	p.film("The Salt Lantern") // as others expect it
}

// The second cut of the film, by hand: 36 and 25 frames go before and in 1M02, five seconds come
// in within 1M03, 60 frames go in 1M04 and a shot of 523 in 1M05; three seconds come in before
// reel 2. All is taken in one step, and taken back in one; the cut before is gone back to.
func TestASecondCut(t *testing.T) {
	p := enter(t, 1280, 800)
	p.film("The Salt Lantern")
	p.press("Cuts")
	p.press("Compare the cues with it")
	p.seeText(`[data-part=conform-sum]`, "946 frames are gone, 200 are new. Cues: 1 untouched, 8 moved, 5 changed inside, 0 gone")
	p.seeMany(`[data-part=ribbons] path`, 140)
	p.seeText(`[data-cue-number="1M02"]`, "changed inside, moves by −36 frames")
	p.seeText(`[data-cue-number="1M06"]`, "moved by −519 frames")
	p.seeText(`[data-cue-number="1M06"]`, "01:16:19:06")
	p.seeText(`[data-cue-number="2M08"]`, "moved by \\+75 frames")
	p.click(`[aria-label="1M04 The keeper's ledger follows"]`)
	p.seeText(`[data-cue-number="1M04"]`, "stays as it is")
	p.press("Take Cut 2")
	p.gone(`[role=dialog]`)
	p.cueSays("Start", "1M01", "01:00:08:00")
	p.cueSays("Start", "1M02", "01:03:18:19")
	p.cueSays("Start", "1M04", "01:09:15:00")
	p.cueSays("Start", "1M06", "01:16:19:06")
	p.cueSays("Start", "2M08", "02:01:07:00")
	p.press("Undo")
	p.cueSays("Start", "1M06", "01:16:40:00")
	p.cueSays("Start", "2M08", "02:01:04:00")

	p.press("Redo")
	p.cueSays("Start", "1M06", "01:16:19:06")
	p.press("Cuts")
	p.click(`[data-cut="Cut 1"] .button:not(.button-main)`)
	p.seeText(`[data-cut="Cut 1"]`, "the cues are in it")
	p.keys(input.Escape)
	p.cueSays("Start", "1M06", "01:16:40:00")
	p.cueSays("End", "1M02", "01:04:32:00")
}

// A tempo is found for the four hits of a cue, and taken with a click; the bar and the beat at
// the playhead follow.
func TestATempoForFourHits(t *testing.T) {
	p := enter(t, 1280, 800)
	p.film("The Salt Lantern")
	p.click(`[data-cue-row="1M02"] span`)
	p.see(`[data-part=cue]`)
	p.press("Find tempi")
	p.click(`[role=dialog] .button-main`)
	p.seeMany(`[data-part=tempi] tbody tr`, 10)
	first := p.see(`[data-part=tempi] tbody tr td`).MustText()
	require.Regexp(t, regexp.MustCompile(`^[0-9]+\.[0-9]{2}$`), first)
	p.seeText(`[data-part=tempi] tbody tr`, "4 of 4")
	p.click(`[data-part=tempi] tbody tr .button`)
	p.gone(`[role=dialog]`)
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`want => Number(document.querySelector('[aria-label="Tempo 1, quarter notes a minute"]')?.value) === Number(want)`, first)))
	for _, at := range p.seeMany(`[aria-label=Hits] li span`, 4) {
		require.Regexp(t, regexp.MustCompile(`^([+−][0-3]\.[0-9]|0) f$`), at.MustText(), "within its tolerance")
	}
	p.click(`[data-cue-row="1M02"] span`) // the playhead goes to its start by the keys of the list
	p.see(`[aria-label="Cues of the production"]`).MustFocus()
	p.keys(input.ArrowDown)
	p.keys(input.ArrowUp)
	p.seeText(`[data-part=playhead]`, "01:03:20:05 *bar 5 beat 1 of 1M02 The lamp is lit")
	p.press("Undo")
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => document.querySelector('[aria-label="Tempo 1, quarter notes a minute"]')?.value === "84"`)))
}

// A cue is started: its own call is proposed, the folder is saved, and another reader (midicsv)
// finds in its MIDI where it begins. Worked by hand: 16 beats of count-in at 108 last 222.22 frames
// of 25, so that the file begins at 01:11:53:10.78; 25 frames a second are 1 in the two bits above
// the hour.
func TestACueIsStarted(t *testing.T) {
	p := enter(t, 1280, 800)
	p.film("The Salt Lantern")
	p.click(`[data-cue-row="1M05"] span`)
	p.press("Start…")
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => document.querySelector("#start-call")?.selectedOptions[0]?.textContent === "1M05 Lamp room"`)))
	wait := p.page.Browser().MustWaitDownload()
	p.press("Start 1M05 Lamp room")
	data := wait()
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	var names []string
	for _, f := range archive.File {
		names = append(names, f.Name)
		if f.Name != "1M05 Lamp room/1M05 Lamp room.mid" {
			continue
		}
		r, err := f.Open()
		require.NoError(t, err)
		midi := exec.Command("midicsv", "-")
		midi.Stdin = r
		text, err := midi.Output()
		require.NoError(t, err)
		require.Contains(t, string(text), "SMPTE_offset, 33, 11, 53, 10, 78\n")
		require.Contains(t, string(text), `"1M05 Lamp room, bar 5, 01:12:02:08"`)
		require.Contains(t, string(text), `"Hit: the door"`)
	}
	require.Contains(t, names, "1M05 Lamp room/1M05 Lamp room.dawproject")
	require.Contains(t, names, "1M05 Lamp room/Call.mid")
	p.seeText(`[data-part=begun]`, "started on .* from The Salt Lantern, revision [0-9]+")

	// The template goes on; the cue takes one change of two, and its files are written again.
	p.changing(func() {
		p.edit(`{ kind: "edit", edits: [{ id: named("Piccolo long"), notes: "never above the oboe" }] }`)
	})
	p.changing(func() {
		p.edit(`{ kind: "edit", edits: [{ id: named("Piccolo short"), name: "Piccolo dry" }] }`)
	})
	p.press("What has changed since")
	p.seeMany(`[aria-label="Changes since"] li`, 2)
	p.seeText(`[aria-label="Changes since"] li:nth-child(2)`, "Piccolo")
	p.click(`[aria-label="Changes since"] li:nth-child(2) input`)
	p.seeText(`[role=dialog]`, "and 1 later change")
	wait = p.page.Browser().MustWaitDownload()
	p.press("Write its files again")
	data = wait()
	archive, err = zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	sheet, err := archive.Open("1M05 Lamp room/1M05 Lamp room.txt")
	require.NoError(t, err)
	text, err := io.ReadAll(sheet)
	require.NoError(t, err)
	require.Contains(t, string(text), "With         what changed in revision")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.seeText(`[data-part=begun]`, "with 1 later change")

	require.NoError(t, p.see(`[aria-label=Production]`).Select([]string{"Its history…"}, true, rod.SelectorTypeText))
	p.seeText(`[aria-label="Changes of the production"] li`, "1M05 Lamp room takes")
	p.click(`[aria-label="Changes of the production"] li .link`)
	p.seeText(`[aria-label="Changes of the production"] li`, "Undo|Take back")
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
	p.seeText(`[data-part=begun]`, "revision [0-9]+ *(What has changed since)?$")
	p.press("Undo") // what was taken back comes again, goes again, and the cue is not started
	p.seeText(`[data-part=begun]`, "with 1 later change")
	p.press("Undo")
	p.seeText(`[data-part=begun]`, "revision [0-9]+ *(What has changed since)?$")
	p.press("Undo")
	p.gone(`[data-part=begun]`)
}
