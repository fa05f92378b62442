package e2e_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

const harbour = `Path,Track Name,Arts,Lib,Stem,Group,RAM,Where
Winds / Flutes,Piccolo,long;staccato,Millrace Winds,High winds,Flutes,310,left
Winds / Flutes,Flute 1,long;staccato,Millrace Winds,High winds,Flutes,412,left
Winds / Bassoons,Bassoon 1,long,Millrace Winds,Low winds,,390,right
Brass / Horns,Horns a 4,long;swell,Tallow Brass,Horns,,910,right
Brass / Horns,Horns a 6,long,Tallow Brass,Horns,,much,right
Brass / Tubas,Tuba,long,Tallow Brass,Low brass,,640,right
`

// The whole job on a list of one's own, as its owner does it: a new template,
// the list with its odd column and its bad row, a machine and the host that
// its command starts, seats, routes, calls, and the files that leave.
func TestFromAListToATemplateThatPlays(t *testing.T) {
	p := enter(t, 1280, 800)
	p.page.MustEval(`() => document.activeElement.blur()`)
	p.keys(input.Slash)
	p.see("[cmdk-input]").MustInput("New template")
	p.keys(input.Enter)
	p.click(`[role=dialog] input[type=checkbox]`) // on machines of its own
	p.fromNothing("Harbour")

	list := filepath.Join(t.TempDir(), "harbour.csv")
	require.NoError(t, os.WriteFile(list, []byte(harbour), 0o644))
	p.press("Bring in a row list")
	doubt := filepath.Join(t.TempDir(), "doubt.csv")
	require.NoError(t, os.WriteFile(doubt, []byte("Section,Name,Library,RAM\nWinds,Flute,Millrace Winds,\"1,024\"\n"), 0o644))
	p.see(`[role=dialog] input[type=file]`).MustSetFiles(doubt)
	p.seeText("[data-part=decimal]", "Is 1,024 in this list[^]*1024 MiB[^]*1.024 MiB[^]*Nothing is taken until you confirm")
	p.seeText("[role=dialog] .button-main", "Take 0 rows")
	p.page.MustElementR("[data-part=decimal] label", "^1024 MiB").MustClick()
	p.seeText("[role=dialog] .button-main", "Take 1 row")
	twice := filepath.Join(t.TempDir(), "twice.csv")
	require.NoError(t, os.WriteFile(twice, []byte("Section,Name,Patch,Library,RAM\nWinds,Flute 1,Flute,Millrace Winds,310\nWinds,Flute 2,Flute,Millrace Winds,412\n"), 0o644))
	p.see(`[role=dialog] input[type=file]`).MustSetFiles(twice)
	p.seeText(`[aria-label="Disagreements"]`, "line 2[^]*Flute is 310 in line 2, 412 in line 3; the larger is taken")
	p.seeText("[role=dialog] .button-main", "Take 2 rows")
	p.see(`[role=dialog] input[type=file]`).MustSetFiles(list)
	p.gone("[data-part=decimal]")
	p.seeText("[data-part=problems]", "line 6[^]*preload_mib[^]*is not a size")
	require.Equal(t, "preload_mib", p.see(`select[aria-label="Read RAM as"]`).MustProperty("value").Str())
	require.Empty(t, p.see(`select[aria-label="Read Where as"]`).MustProperty("value").Str())
	p.see(`select[aria-label="Read Where as"]`).MustSelect("notes")
	p.seeText("[data-part=preview]", "5 good rows")
	p.press("Take 5 rows")
	p.seeText(`[data-row=Piccolo] [data-field=stem]`, "High winds")
	p.seeText("[data-badge=marks]", "5 marks")

	stop := p.addMachineAndItsHost(t, "Elm")
	defer stop()
	p.press("Seat everyone")
	p.see(`[data-riser="Elm 1"] [data-seat="Horns a 4"]`)
	p.seeText("[data-badge=marks]", "Proved")

	p.unfold("orchestra", "calls")
	p.focusSheet()
	p.keys(input.Home)
	p.seeText("[data-part=trace]", `Millrace Winds[^]*Elm, riser 1, port 1, channel 1[^]*outputs 3-4[^]*Flutes[^]*High winds[^]*Winds[^]*Mix`)
	p.chord(input.ShiftLeft, input.End)
	p.keys(input.KeyC)
	for _, row := range []string{"Piccolo", "Flute 1", "Bassoon 1", "Horns a 4", "Tuba"} {
		p.see(`[data-row="` + row + `"][data-state=ready]`)
	}
	p.see(`[aria-label="Name of the call"]`).MustInput("1M01 Arrival")
	p.keys(input.Enter)
	p.see(`[data-call="1M01 Arrival"]`)
	p.press("Rest all")
	p.see(`[data-row=Tuba][data-state=tacet]`)
	p.click(`[data-call="1M01 Arrival"] button:nth-of-type(2)`)
	p.see(`[data-row=Tuba][data-state=ready]`)

	p.unfold("routing")
	p.click(`[data-node=Horns][data-kind=stem]`)
	p.seeText(`[data-inspects=Horns] [data-part=arriving]`, "Horns a 4[^]*dry[^]*0 dB")
	p.click(`[data-inspects=Horns] button[title="Where the signal is taken"]`)
	p.seeText(`[data-inspects=Horns] [data-route=Brass]`, "before fader")
	p.undo(1)
	p.seeText(`[data-inspects=Horns] [data-route=Brass]`, "after fader")

	id := p.page.MustEval(`() => JSON.parse(localStorage.getItem("fanfold.template"))`).Str()
	require.Equal(t, "MThd", string(download(t, id, "smf")[:4]))
	require.Equal(t, 6, strings.Count(string(download(t, id, "routing")), "\r\n"))
	require.Contains(t, string(download(t, id, "rows")), "Winds / Flutes,Piccolo,long;staccato")
	require.Contains(t, string(download(t, id, "template")), `"notes": "left"`)
	p.back(t)
}

// addMachineAndItsHost adds a machine and runs, in a shell, the one command
// that the page shows for it.
func (p *person) addMachineAndItsHost(t *testing.T, name string) (stop func()) {
	p.unfold("seating")
	p.press("Add a machine")
	p.see(`[role=dialog] input`).MustInput(name)
	p.keys(input.Enter)
	command := p.see("[role=dialog] pre").MustText()
	p.keys(input.Escape)
	host := exec.Command("sh", "-c", "exec env "+strings.Replace(command, "fanfold", studio.binary, 1)+" --speed 40")
	host.Dir = t.TempDir() // where it keeps its credential
	require.NoError(t, startTied(host, syscall.SIGTERM))
	p.seeText(`[data-machine=`+name+`]`, "host here")
	return func() {
		_ = host.Process.Signal(syscall.SIGTERM) // it may have ended already
		_ = host.Wait()
	}
}

// toTemplate opens a template by its name.
func (p *person) toTemplate(name string) {
	p.t.Helper()
	p.click(`[aria-label^="Template: "]`)
	p.item("All templates")
	p.click(`[role=dialog] [data-template="` + name + `"] > button`)
	p.gone("[role=dialog]")
	p.see(`[aria-label="Template: ` + name + `"]`)
}

// back opens the demo's own template again, for the tests after this.
func (p *person) back(t *testing.T) {
	t.Helper()
	p.toTemplate("The Salt Lantern")
	p.see(`[data-spine=orchestra], [data-row="Piccolo long"]`)
}
