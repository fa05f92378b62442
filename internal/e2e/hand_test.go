package e2e_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
	midi "gitlab.com/gomidi/midi/v2"
	"gitlab.com/gomidi/midi/v2/smf"
)

// pieceOf writes a MIDI file of named tracks, each with keys one after another.
func pieceOf(t *testing.T, tracks map[string][]uint8) string {
	t.Helper()
	file := smf.NewSMF1()
	file.TimeFormat = smf.MetricTicks(480)
	for name, keys := range tracks {
		var x smf.Track
		x.Add(0, smf.MetaTrackSequenceName(name))
		for _, k := range keys {
			x.Add(20, midi.NoteOn(0, k, 90))
			x.Add(200, midi.NoteOff(0, k))
		}
		x.Close(0)
		require.NoError(t, file.Add(x))
	}
	path := filepath.Join(t.TempDir(), "causeway.mid")
	out, err := os.Create(path)
	require.NoError(t, err)
	defer out.Close()
	_, err = file.WriteTo(out)
	require.NoError(t, err)
	return path
}

// The studio takes the hand that is proposed, sees how it comes out on a row, and turns a
// file that was played with it into what the rows need.
func TestOneHandForAllLibraries(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("Oboe 1 short", "Oboe 1 short")
	p.command("One hand for all")
	p.seeText("[role=dialog]", "[0-9]+ articulations of the studio.s libraries")
	p.press("Take what is proposed")
	p.see(`[role=dialog] [data-articulation="legato"]`)
	p.press("On the rows")
	p.seeText(`[data-wanted=staccato]`, "staccato\\s*staccato")
	p.seeText(`[data-wanted=spiccato]`, "> staccato instead")
	p.press("A file played with it")
	p.see(`[aria-label="Played file"]`).MustSetFiles(pieceOf(t, map[string][]uint8{"Oboe 1 short": {2, 72, 74}, "Theremin": {60}}))
	p.seeText(`[aria-label=Translated]`, "Oboe 1 short\\s*Oboe 1 short\\s*2\\s*1")
	p.seeText(`[aria-label=Translated]`, "Theremin\\s*> nobody")
	p.see(`[role=dialog] .button-main`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	require.Equal(t, 200.0, p.page.MustEval(`async () => (await fetch("/api/hand", {method: "PUT", headers: {"Content-Type": "application/json"}, body: JSON.stringify({map: []})})).status`).Num())
}

// A cue is held against the people of an orchestra; a finding is ignored and stays so,
// and other people change what is found.
func TestCouldPeoplePlayIt(t *testing.T) {
	p := enter(t, 1280, 800)
	p.command("Could people play it")
	p.see(`[aria-label="Music of the cue"]`).MustSetFiles(pieceOf(t, map[string][]uint8{"Trumpet 1 long": {72, 84, 90}, "Violins 1 long": {54, 60}, "Horn 1 long": {60}, "Theremin": {60}}))
	p.seeText("[data-part=playable-sum]", "3 places to look at, 3 parts against 1[0-9][0-9] players; not known what these are: Theremin")
	p.seeText(`[data-finding=comfort]`, "bar 1\\s*Trumpet 1\\s*up to C6; at ease it goes to A5")
	p.seeText(`[aria-label="What people could not play"]`, "Violins 1\\s*F♯3 lies below its range, which begins at G3")
	p.see(`[aria-label="Who plays"]`).MustInput("0 0 0 0 - 1 - str")
	p.press("Take these")
	p.seeText(`[aria-label="What people could not play"]`, "Trumpet 1\\s*nobody in the orchestra plays it")
	p.see(`[data-finding=range]`).MustElementR("button", "Ignore it").MustClick()
	p.gone(`[data-finding=range]`)
	p.press("Show the 1 that is ignored")
	p.seeText(`[data-finding=range]`, "Show it again")
	p.keys(input.Escape)
	p.undo(2)
}
