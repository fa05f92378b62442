package e2e_test

import (
	"bytes"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/osc"
	"fanfold/internal/format/smf"
)

// cue writes a MIDI file of one track.
func cue(t *testing.T, track string, keys ...int) string {
	time, err := tempo.NewTime(480, nil, nil)
	require.NoError(t, err)
	var messages []articulation.Message
	for n, key := range keys {
		at := int64(n) * 480
		messages = append(messages,
			articulation.Message{Tick: at, Status: articulation.NoteOn, Channel: 3, Data1: key, Data2: 80},
			articulation.Message{Tick: at + 240, Status: articulation.NoteOff, Channel: 3, Data1: key})
	}
	var file bytes.Buffer
	require.NoError(t, smf.WriteCompiled(&file, track, time, messages))
	path := filepath.Join(t.TempDir(), "3M02 Low tide.mid")
	require.NoError(t, os.WriteFile(path, file.Bytes(), 0o644))
	return path
}

// The music of a cue becomes its call with one click; a part nobody plays is
// given to who is selected.
func TestACueBringsInWhatItUses(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[data-row="Oboe 1 long"]`)
	p.unfold("calls")
	p.press("From music")
	p.see(`[aria-label="Music"]`).MustSetFiles(cue(t, "Bottle of Kel", 60, 62))
	p.seeText(`[data-part-name="Bottle of Kel"]`, "2 notes")
	p.seeText(`[data-part-name="Bottle of Kel"]`, "nobody")
	p.click(`[data-part-name="Bottle of Kel"] button`)
	p.seeText(`[data-part-name="Bottle of Kel"]`, `Oboe 1 long[\s\S]*by hand`)
	p.see(`[aria-label="Music"]`).MustSetFiles(cue(t, "Flute 1 long", 72, 74, 76))
	p.seeText(`[data-part-name="Flute 1 long"]`, "by name")
	p.seeText(`[data-part=cue-cost]`, "1 instrument")
	p.press("Save and call it")
	p.gone("[role=dialog]")
	p.seeText(`[data-call="3M02 Low tide"]`, "from its music")
	p.seeText(`[data-leaf=calls] header`, "1 ready")
	p.unfold("orchestra")
	p.see(`[data-row="Flute 1 long"][data-state=ready]`)

	// its recording takes its place, and it comes back
	p.click(`[data-row="Flute 1 long"]`)
	p.menu("1 selected", "Memory", "Play a recording")
	wav := filepath.Join(t.TempDir(), "Flute.wav")
	require.NoError(t, os.WriteFile(wav, recording(48000), 0o644))
	p.seeText("[data-part=recordings]", "Recordings take .* of the studio's 20")
	p.see(`[aria-label="Recording"]`).MustSetFiles(wav)
	p.press("^Play it$")
	p.gone("[role=dialog]")
	p.see(`[data-row="Flute 1 long"][data-state=printed]`)
	p.menu("1 selected", "Memory", "Play a recording")
	p.seeText(`[data-part=printed]`, "Flute.wav, 1.0 s")
	p.press("Listen")
	p.see(`[data-part=listen][data-playing=true]`)
	p.see(`[data-part=listen][data-playing=false]`) // after a second
	p.seeText(`[data-part=listen]`, "0:01 / 0:01")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.focusSheet()
	p.keys(input.KeyC)
	p.seeText("[role=status]", "Flute 1 long plays its recording and loads nothing")
	p.menu("1 selected", "Memory", "Play its patches again")
	p.see(`[data-row="Flute 1 long"][data-state=ready]`)
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
	p.undo(3)
	p.gone(`[data-call="3M02 Low tide"]`)
}

// recording is a WAV file of mono silence at 48 kHz.
func recording(frames int) []byte {
	var b bytes.Buffer
	u32 := func(x int) { b.Write([]byte{byte(x), byte(x >> 8), byte(x >> 16), byte(x >> 24)}) }
	b.WriteString("RIFF")
	u32(36 + 2*frames)
	b.WriteString("WAVEfmt ")
	u32(16)
	b.Write([]byte{1, 0, 1, 0})
	u32(48000)
	u32(96000)
	b.Write([]byte{2, 0, 16, 0})
	b.WriteString("data")
	u32(2 * frames)
	b.Write(make([]byte, 2*frames))
	return b.Bytes()
}

// What is kept stays when everything rests, and is rested only when somebody
// says so.
func TestKeptRowsAskBeforeTheyRest(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.click(`[data-row="Piccolo long"]`)
	p.menu("1 selected", "Memory", "Keep ready")
	p.see(`[data-row="Piccolo long"] [aria-label=kept]`)
	p.click(`[data-row="Piccolo short"]`)
	p.page.MustEval(`() => document.querySelector("[role=grid]").focus()`)
	p.keys(input.KeyC)
	p.see(`[data-row="Piccolo short"][data-state=ready]`)
	p.see(`[data-row="Piccolo long"][data-state=ready]`)
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "1 ready")
	p.press("Rest all")
	p.seeText("[role=dialog]", "Piccolo long is kept. Rest all the same?")
	p.press("Cancel")
	p.seeText(`[data-leaf=calls] header`, "1 ready")
	p.press("Rest all")
	p.press("Rest them")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
	p.unfold("orchestra")
	p.undo(1)
	p.gone(`[data-row="Piccolo long"] [aria-label=kept]`)
}

// A call that does not fit says so before it is made, and is made with what is
// in its way resting.
func TestACallThatDoesNotFitAndItsRemedy(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra", "calls")
	p.page.MustEval(`() => document.querySelector("[role=grid]").focus()`)
	p.chord(input.ControlLeft, input.KeyA)
	p.seeText(`[data-part=memory]`, "short: .* Rest .*, which frees")
	p.press("Call it with those [0-9]+ resting")
	p.gone(`[role=alert]`)
	p.page.Timeout(2 * patience()).MustWait(`() => {
		const ready = parseInt(document.querySelector("[data-leaf=calls] header").textContent.match(/(\d+) ready/)?.[1] ?? "0");
		return ready > 50;
	}`)
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
}

// Two templates sit on the studio's machines: what one holds there is told in the
// other, and rested from there.
func TestWhatAnotherTemplateHolds(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra", "calls")
	p.click(`[data-row="Piccolo long"]`)
	p.page.MustEval(`() => document.querySelector("[role=grid]").focus()`)
	p.keys(input.KeyC)
	p.see(`[data-row="Piccolo long"][data-state=ready]`)
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.see(`[aria-label="Name of the template"]`).MustInput("Night crossing")
	p.page.MustElementR("[role=dialog] label", "^Another template$").MustClick()
	p.press("^Create$")
	p.see(`[aria-label="Template: Night crossing"]`)
	p.unfold("orchestra", "calls")
	p.seeText(`[data-part=held-elsewhere]`, "The Salt Lantern holds [0-9.]+ [MG]iB of it")
	p.unfold("seating")
	p.press("Plan…")
	p.seeText(`[data-part=left-to-others]`, "what they hold now: [0-9.]+ [MG]iB on Birch")
	p.keys(input.Escape)
	p.unfold("orchestra", "calls")

	// with just too little memory for both, its largest call is crowded: a mark, whose
	// remedy rests the other template
	p.changing(func() {
		p.edit(`await (async () => {
			const { calls, machines } = o.template, opening = calls.find((c) => c.opening)?.instruments ?? [];
			let tight;
			for (const c of calls) {
				const r = await fetch("/api/templates/" + id + "/calls/cost", { method: "POST", headers: { "Content-Type": "application/json" },
					body: JSON.stringify({ ids: [...new Set([...c.instruments, ...opening])], how: "call" }) });
				const m = (await r.json()).machines.find((m) => m.others.length > 0);
				if (!tight || m.afterMib > tight.afterMib) tight = m;
			}
			const m = machines.find((m) => m.id === tight.id);
			return { kind: "put", machines: [{ at: -1, value: { ...m, memoryMib: m.reserveMib + tight.afterMib + tight.others[0].mib / 2 } }] };
		})()`)
	})
	p.seeText(`[data-badge=marks]`, "[1-9] marks?")
	p.click(`[data-badge=marks]`)
	p.seeText(`[data-mark=crowded]`, "does not fit now: .* short: .*, and The Salt Lantern holds .* there")
	p.press("Rest The Salt Lantern on")
	p.gone(`[data-mark=crowded]`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.undo(1)
	p.gone(`[data-part=held-elsewhere]`)

	p.page.MustEval(`async () => {
		const there = (await (await fetch("/api/templates")).json()).find((t) => t.name === "The Salt Lantern").id;
		const { template } = await (await fetch("/api/templates/" + there)).json();
		const ids = template.instruments.filter((i) => i.name === "Piccolo long").map((i) => i.id);
		await fetch("/api/templates/" + there + "/calls", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ ids, how: "call" }) });
	}`)
	p.seeText(`[data-part=held-elsewhere]`, "The Salt Lantern holds [0-9.]+ [MG]iB of it")
	p.press("Rest The Salt Lantern there")
	p.gone(`[data-part=held-elsewhere]`)
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "Calls\\s*0 ready")
	p.back(t)
	p.unfold("calls")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
}

// A small set is chosen for a budget; what it leaves out is said, and only what
// is ready shows when asked.
func TestASmallOneOutOfTheBigOne(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("calls")
	p.menu("More", "Small")
	p.seeText("[data-part=small-sum]", "[0-9]+ instruments in 1[56].* GiB")
	p.seeText(`[data-want="High strings long"]`, "Violins [12] long")
	p.see("[data-extra]")
	p.see(`[aria-label="Budget, GiB"]`).MustSelectAllText().MustInput("1")
	p.seeText(`[role=dialog]`, "left out: takes")
	p.see(`[aria-label="Also wanted"]`).MustInput("harpsichord")
	p.press("^Add$")
	p.seeText(`[data-want=harpsichord]`, "left out: takes")
	p.see(`[aria-label="Also wanted"]`).MustInput("theremin")
	p.press("^Add$")
	p.seeText("[role=dialog]", "Nobody plays theremin")
	p.see(`[aria-label="Budget, GiB"]`).MustSelectAllText().MustInput("16")
	p.seeText(`[data-want=harpsichord]`, "Harpsichord")
	p.click(`[data-want="Harp"] input`)
	p.seeText(`[data-want="Harp"]`, "not wanted")
	p.click(`[role=dialog] .button-main`)
	p.gone("[role=dialog]")
	p.page.Timeout(2 * patience()).MustWait(`() => / [1-9]\d* ready/.test(" " + document.querySelector("[data-leaf=calls] header").textContent.replace("Calls", " "))`)
	p.unfold("orchestra", "routing")
	p.click(`[aria-label="View and account"]`)
	p.click(`[role=menuitemcheckbox]`)
	p.gone(`[data-row="Piccolo effects"]`)
	p.see(`[data-leaf=orchestra] [data-row]`)
	p.page.MustWait(`() => [...document.querySelectorAll("[data-leaf=orchestra] [data-row]")].every((r) => r.dataset.state === "ready")`)
	p.gone(`[role=menu]`)
	p.press("Ready only ×")
	p.see(`[data-row="Piccolo effects"]`)
	p.unfold("calls")
	p.press("Rest all")
}

// A machine tells what it is and holds; a credential is made, shown once, and
// taken back.
func TestAMachineAndItsCredentials(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("seating")
	p.click(`[data-machine="Cedar"] button:nth-of-type(2)`)
	p.seeText(`[data-host="State"]`, "here")
	p.seeText(`[data-host="Program"]`, "fanfold host")
	p.seeText(`[data-host="Disk"]`, "MiB/s")
	p.see(`[data-part=host] figure svg`)
	before := len(p.seeMany(`[data-credential]`, 1))
	p.press("Make one")
	p.seeText("[data-part=host] pre", "FANFOLD_CREDENTIAL=[^ ]+ fanfold host --server ")
	p.page.MustWait(`n => document.querySelectorAll("[data-credential]").length === n + 1`, before)
	p.seeText(`[data-credential]:last-of-type`, "never connected")
	p.click(`[data-credential]:last-of-type button`)
	p.page.MustWait(`n => document.querySelectorAll("[data-credential]").length === n`, before)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.seeText(`[data-machine="Cedar"]`, "host here")
}

// A music program wakes an instrument over Open Sound Control, once the
// template listens.
func TestAMusicProgramWakesAnInstrument(t *testing.T) {
	p := enter(t, 1280, 800)
	free, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	port := free.LocalAddr().(*net.UDPAddr).Port
	free.Close()
	p.click(`[aria-label^="Template: "]`)
	p.press("Name and settings")
	p.see(`[role=dialog] input[placeholder=off]`).MustInput(fmt.Sprint(port))
	p.press("^Save$")
	p.gone("[role=dialog]")
	conn, err := net.DialUDP("udp4", nil, &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1), Port: port})
	require.NoError(t, err)
	defer conn.Close()
	answer := make([]byte, 1000)
	require.Eventually(t, func() bool {
		_, _ = conn.Write(osc.Write(osc.Message{Address: "/fanfold/call", Args: []any{"piccolo short"}}))
		_ = conn.SetReadDeadline(time.Now().Add(time.Second))
		n, err := conn.Read(answer)
		if err != nil {
			return false
		}
		got, err := osc.Read(answer[:n])
		return err == nil && got[0].Args[0] == "called Piccolo short"
	}, 20*time.Second, 100*time.Millisecond)
	p.see(`[data-row="Piccolo short"][data-state=ready]`)
	p.unfold("calls")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
	p.undo(1)
}

// What the notes of a cue touch of scanned samples is shown beside the whole;
// trimming to it is one change, and loading whole another.
func TestTrimmingToACue(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("library", "orchestra")
	p.press("Scan")
	root := p.see(`[role=dialog] input[value^="/"]`).MustProperty("value").Str()
	p.see(`[role=dialog] input[value^="/"]`).MustSelectAllText().MustInput(filepath.Join(root, "Lamp Room Bells"))
	p.see(`[role=dialog] input[list=libraries]`).MustInput("Lamp Room Bells")
	p.press("Scan it")
	p.see(`[data-scan="Lamp Room Bells"][data-state=done]`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.library("fog bell", "Fog bell")
	p.page.MustEval(`() => document.querySelector("[aria-label=Patches]").focus()`)
	p.keys(input.Enter)
	p.seeText("[role=status]", "It is in the Orchestra")
	p.unfold("calls")
	p.press("From music")
	p.see(`[aria-label="Music"]`).MustSetFiles(cue(t, "Fog bell", 37, 38))
	p.seeText(`[data-part-name="Fog bell"]`, "by name")
	p.press("Save as a call")
	p.gone("[role=dialog]")
	p.click(`[aria-label="Actions for the call 3M02 Low tide"]`)
	p.press("Trim to its music")
	p.seeText(`[data-trim="Fog bell"]`, `6 of 18`) // three ways, two rounds each, of three runs of keys
	p.press("Trim$")
	p.seeText(`[data-trim="Fog bell"]`, "trimmed")
	p.press("Load whole")
	p.page.MustWait(`() => !document.querySelector('[data-trim="Fog bell"]')?.textContent.includes("trimmed")`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.undo(4)
	p.gone(`[data-call="3M02 Low tide"]`)
	p.unfold("library")
	p.click(`[aria-label="Undo in the catalogue"]`)
}

// A host that fails is seen to: what it cannot load has failed, with the
// reason; what it loads is ready; and once it is gone nothing there is ready,
// until it comes back.
func TestAHostFailingOnScreen(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("seating")
	p.press("Add a machine")
	p.see(`[role=dialog] input`).MustInput("Elm")
	p.keys(input.Enter)
	command := p.see("[role=dialog] pre").MustText()
	p.keys(input.Escape)
	p.see(`[data-machine=Elm]`)
	dir := t.TempDir() // where hosts keep their credential
	run := func(extra ...string) *exec.Cmd {
		words := regexp.MustCompile(`'[^']*'|\S+`).FindAllString(command, -1)
		for n, w := range words {
			words[n] = strings.Trim(w, "'")
		}
		cmd := exec.Command(studio.binary, append(words[2:], extra...)...)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), words[0]) // the credential
		require.NoError(t, startTied(cmd, syscall.SIGKILL))
		return cmd
	}
	host := run("--speed", "50", "--corrupt", "Anvil")
	defer func() { _ = host.Process.Kill(); _ = host.Wait() }()
	p.seeText(`[data-machine=Elm]`, "host here")
	for n, row := range []string{"Anvil", "Piccolo long"} {
		p.find(row, row)
		p.unfold("seating")
		p.see(`form[aria-label="Move seats"] [aria-label=Machine]`).MustSelect("Elm")
		p.see(`form[aria-label="Move seats"] label:nth-of-type(3) input`).MustSelectAllText().MustInput(fmt.Sprint(n + 1)) // channel
		p.press("Move$")
		p.see(`[data-riser="Elm 1"] [data-seat="` + row + `"]`)
		p.unfold("orchestra")
		p.click(`[data-row="` + row + `"]`)
		p.press("Call 1")
		p.unfold("seating")
	}
	p.unfold("orchestra", "calls")
	p.see(`[data-row="Piccolo long"][data-state=ready]`)
	p.seeText("[data-part=arriving]", "the samples of Anvil cannot be read")
	p.seeText(`[data-leaf=calls] header`, "1 ready")

	require.NoError(t, host.Process.Kill())
	_ = host.Wait()
	p.seeText("[data-part=arriving]", "Elm is away")
	p.see(`[data-row="Piccolo long"][data-state=tuning]`)
	host = run("--speed", "50")
	p.see(`[data-row="Piccolo long"][data-state=ready]`)
	p.seeText(`[data-leaf=calls] header`, "2 ready")
	p.press("Rest all")
	p.seeText(`[data-leaf=calls] header`, "0 ready")
	p.undo(3)
	p.unfold("seating")
	p.gone(`[data-machine=Elm]`)
}

// A small set becomes a template of its own, with its stems, machines and colours, and is
// called when it opens.
func TestASmallTemplateOutOfTheBigOne(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("calls")
	p.menu("More", "Small")
	p.seeText("[data-part=small-sum]", "[0-9]+ instruments in")
	p.see(`[aria-label="Name of the small set"]`).MustSelectAllText().MustInput("Lantern sketch")
	p.press("Make a template")
	p.see(`[aria-label="Template: Lantern sketch"]`)
	p.gone("[role=dialog]")
	p.unfold("orchestra", "routing")
	p.seeText(`[data-leaf=orchestra] header`, "[0-9]+ instruments")
	p.seeText("[data-part=sums]", "add up to the mix")
	p.unfold("calls")
	p.seeText("[data-leaf=calls]", "Opening call")
	p.page.Timeout(2 * patience()).MustWait(`() => / [1-9]\d* ready/.test(" " + document.querySelector("[data-leaf=calls] header").textContent.replace("Calls", " "))`)
	p.press("Rest all")
}
