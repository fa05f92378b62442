package e2e_test

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"

	"fanfold/internal/format/wav"
)

// library opens the Library beside the Orchestra and finds patches.
func (p *person) library(find, patch string) {
	p.t.Helper()
	p.unfold("library", "orchestra")
	p.see(`[aria-label="Find patches"]`).MustSelectAllText().MustInput(find)
	p.see(`[data-patch="` + patch + `"]`)
	p.gone(`[data-patch="Piccolo long"]`) // the first of all
	p.click(`[data-patch="` + patch + `"]`)
	p.see(`[data-leaf=library] section[aria-label="` + patch + `"]`)
}

// A patch becomes an instrument by the keyboard, where its kind stands, wired
// as its neighbours are; and by dragging it before a row.
func TestAPatchBecomesAnInstrument(t *testing.T) {
	p := enter(t, 1280, 800)
	p.library("vla spic", "Violas short")
	p.seeText("[data-leaf=library] [data-card]", "A fifth below the violins")
	p.page.MustEval(`() => document.querySelector("[aria-label=Patches]").focus()`)
	p.keys(input.Enter)
	p.seeText("[role=status]", "It is in the Orchestra")
	p.seeText("[data-leaf=orchestra]", "420 instruments")
	p.seeText("[data-badge=marks]", "3 marks") // it has no seat yet, and the name is there already
	p.undo(1)

	p.find("Piccolo long", "Piccolo long")
	p.library("tam-tam", "Tam-tam")
	p.drag(`[data-patch="Tam-tam"]`, `[data-row="Piccolo long"]`)
	p.above("Tam-tam", "Piccolo long")
	p.undo(1)
	p.gone(`[data-row="Tam-tam"]`)
}

// One key for two articulations is told at once, marked by the proof when it
// is kept, and fixed where it stands.
func TestASwitchClashIsResolved(t *testing.T) {
	p := enter(t, 1280, 800)
	p.library("oboe 2 long", "Oboe 2 long")
	marks := p.see("[data-badge=marks]").MustText()
	p.see(`[aria-label="Switches of legato"]`).MustSelectAllText().MustInput("key C1")
	p.keys(input.Enter)
	p.seeText(`[aria-label="Faults of the map"]`, "key C1 selects both long and legato")
	p.press("Save map")
	p.seeText("[data-badge=marks]", "2 marks")
	p.press("2 marks")
	p.seeText("[data-mark]", "In the map of Oboe 2 long, key 24 selects both")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.unfold("orchestra")
	p.press("2 marks")
	p.press("In the map of Oboe 2 long") // leads to it
	p.gone("[role=dialog]")
	p.see(`[data-leaf=library] section[aria-label="Oboe 2 long"]`)

	p.press("Give legato a free key")
	p.press("Save map")
	p.seeText("[data-badge=marks]", "^"+marks)
	p.seeText(`[aria-label="Articulation map of Oboe 2 long"]`, "Try it out")
	p.press("Copy map")
	p.seeText("[role=status]", "is copied")
	for range 2 {
		p.click(`[aria-label="Undo in the catalogue"]`)
		p.page.MustWaitRequestIdle("/events")()
	}
	p.see(`[aria-label="Switches of legato"][value="key C♯1"]`)
}

// Notes written by hand become messages; what the map does not hold is named.
func TestNotesAreTriedOut(t *testing.T) {
	p := enter(t, 1280, 800)
	p.library("flute 2 long", "Flute 2 long")
	p.click("[data-leaf=library] section details:has([aria-label='Notes to try']) summary, [role=group] summary")
	p.see(`[aria-label="Notes to try"]`).MustSelectAllText().MustInput("C5 1/4 legato; D5; E5 barked")
	p.seeText(`[aria-label="Articulation map of Flute 2 long"]`, "not in the map: barked")
	p.seeText(`[aria-label=Messages] li`, "key 25 on")
	p.see(`[aria-label="Notes to try"]`).MustSelectAllText().MustInput("C5; Q9")
	p.seeText(`[aria-label="Articulation map of Flute 2 long"]`, "begin with a key such as C4")
}

// Swapping a patch says what is lost first, and keeps the rest.
func TestSwappingTellsWhatIsLost(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("Clarinet 3 long", "Clarinet 3 long")
	p.library("oboe 1 short", "Oboe 1 short")
	p.press("Use 1")
	p.press("Swap into 1")
	p.seeText("[role=dialog]", "Lost: long, legato, flutter, trill")
	p.press("Swap it")
	p.seeText(`[data-row="Clarinet 3 long"]`, "staccato")
	p.undo(1)
	p.seeText(`[data-row="Clarinet 3 long"]`, "legato")

	p.press("Use 1")
	p.press("Layer onto 1")
	p.seeText(`[data-row="Clarinet 3 long"]`, "long · legato")
	p.seeText("[role=status]", "Gained: staccato")
	p.undo(1)
}

// A row that plays two patches of two libraries: both are named wherever the row is, what
// one makes of the other's switches is marked, and a map that serves both is taken.
func TestALayeredRowSaysWhatItsPatchesDo(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("Clarinet 3 long", "Clarinet 3 long")
	p.library("altos short", "Altos short")
	p.press("Use 1")
	p.press("Layer onto 1")
	p.unfold("orchestra")
	p.seeText(`[data-row="Clarinet 3 long"] [data-field=library]`, "MW \\+ SO")
	p.seeText("[data-part=trace]", "Millrace Winds \\+ Saint Orrin Voices")
	p.click("[data-badge=marks]")
	p.seeText("[role=dialog]", "The patches of Clarinet 3 long hear each other.s switches")
	p.keys(input.Escape)
	p.find("Clarinet 3 long", "Clarinet 3 long")
	p.menu("1 selected", "Articulations", "Map…")
	p.seeText("[role=dialog]", "hear the same messages")
	p.seeText(`[data-way=long]`, "does not have it; stays as it was")
	p.seeText(`[aria-label=Layers]`, "! key [A-G0-9#-]+ is [a-z ]+ in Altos short")
	trim := p.see(`[aria-label="Trim of Altos short, dB"]`)
	require.NoError(t, trim.SelectAllText())
	require.NoError(t, trim.Input("-6"))
	p.changing(func() { p.keys(input.Enter) })
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => document.querySelector('[aria-label="Trim of Altos short, dB"]')?.value === "−6 dB"`)))
	p.press("Take that map")
	p.seeText("[role=dialog]", "It has a map of its own")
	p.keys(input.Escape)
	p.seeText("[data-badge=marks]", "2 marks$") // the player has a sound too many now, which is another matter
	p.undo(3)
}

// A row that was measured gets a second patch, and a trim for it: each time it is measured
// again, and its level trim keeps it as loud as it was. What is changed while nothing can be
// measured stays marked.
func TestALayeredRowKeepsItsLevel(t *testing.T) {
	p := enter(t, 1280, 800)
	p.find("Clarinet 3 long", "Clarinet 3 long")
	p.unfold("balance")
	p.press("Measure ▾")
	p.press("The selection .1.")
	p.seeText(`[data-leaf=balance] header`, "1 heard")
	level := func() float64 { return p.figure(`[data-balance] svg[role=img]`, "data-level") }
	trim := func() float64 { return p.figure(`[data-balance] input`, "data-db") }
	was := level()
	require.Zero(t, trim())

	p.library("bass clarinet long", "Bass clarinet long")
	p.press("Use 1")
	p.press("Layer onto 1")
	p.unfold("balance")
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => Number(document.querySelector("[data-balance] input")?.dataset.db) < -1`)), "two patches are louder than one")
	p.gone(`[data-part=measured-before]`)
	require.InDelta(t, was, level(), .11)
	layered := trim()

	p.find("Clarinet 3 long", "Clarinet 3 long")
	p.menu("1 selected", "Articulations", "Map…")
	field := p.see(`[aria-label="Trim of Bass clarinet long, dB"]`)
	require.NoError(t, field.SelectAllText())
	require.NoError(t, field.Input("-9"))
	p.changing(func() { p.keys(input.Enter) })
	p.keys(input.Escape)
	p.unfold("balance")
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`was => Number(document.querySelector("[data-balance] input")?.dataset.db) > was`, layered)))
	require.InDelta(t, was, level(), .11)
	p.gone(`[data-part=measured-before]`)

	p.undo(1) // the level that was kept
	p.seeText(`[data-part=measured-before]`, "1 row measured before its patches, layers or microphones changed")
	p.changing(func() { p.press("Measure and keep the level") })
	p.gone(`[data-part=measured-before]`)
	require.InDelta(t, was, level(), .11)
	p.undo(5)
	p.seeText(`[data-leaf=balance] header`, "nothing measured yet")
}

// Fields are set for every chosen patch at once; a wrong one is refused and
// stays as it was.
func TestPatchesAreEditedTogether(t *testing.T) {
	p := enter(t, 1280, 800)
	p.library("bassoon 3", "Bassoon 3 long")
	require.NoError(t, p.page.Keyboard.Press(input.ShiftLeft))
	p.click(`[data-patch="Bassoon 3 effects"]`)
	require.NoError(t, p.page.Keyboard.Release(input.ShiftLeft))
	p.seeText("[data-leaf=library] h3", "3 patches")
	p.see(`[data-leaf=library] section`).MustElementR("label", "Ready, MiB").MustElement("input").MustSelectAllText().MustInput("lots")
	p.keys(input.Enter)
	p.seeText("[role=alert], [role=status]", `"lots" is not a number`)
	p.see(`[data-leaf=library] section`).MustElementR("label", "Ready, MiB").MustElement("input").MustSelectAllText().MustInput("77")
	p.keys(input.Enter)
	p.seeText(`[data-row="Bassoon 3 long"], [data-patch="Bassoon 3 effects"]`, "77")
	p.click(`[aria-label="Undo in the catalogue"]`)
}

// A folder is scanned: progress shows, broken files are named, and what was
// measured stands on the shelf.
func TestAFolderIsScanned(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("library", "orchestra")
	p.press("Scan")
	root := p.see(`[role=dialog] input[value^="/"]`).MustProperty("value").Str()
	mine := filepath.Join(root, "Pier whistles")
	require.NoError(t, os.MkdirAll(mine, 0o755))
	var tone bytes.Buffer
	require.NoError(t, wav.Write16(&tone, 48000, 1, make([]int16, 48_000)))
	for name, data := range map[string][]byte{
		"tone.wav":         tone.Bytes(),
		"Low whistle.sfz":  []byte("<group> sw_lokey=20 sw_hikey=21 sw_last=20 sw_label=long <region> sample=tone.wav lokey=60 hikey=84\n<group> sw_lokey=20 sw_hikey=21 sw_last=21 sw_label=flz. <region> sample=tone.wav lokey=60 hikey=84"),
		"Torn whistle.sfz": []byte("<region> sample=tone.wav lokey=q"),
	} {
		require.NoError(t, os.WriteFile(filepath.Join(mine, name), data, 0o644))
	}
	p.see(`[role=dialog] input[value^="/"]`).MustSelectAllText().MustInput(mine)
	p.see(`[role=dialog] input[list=libraries]`).MustInput("Pier whistles")
	p.press("Scan it")
	p.see(`[data-scan="Pier whistles"][data-state=done]`)
	p.seeText(`[data-scan="Pier whistles"]`, "done: 1 patch")
	p.seeText(`[data-scan="Pier whistles"]`, "1 file could not be read")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.press("Pier whistles")
	p.click(`[data-patch="Low whistle"]`)
	p.seeText("[data-leaf=library] h3", "measured")
	p.see(`[aria-label="Switches of flz."][value="key A0"]`)
	p.click(`[aria-label="Undo in the catalogue"]`)
	p.gone(`[data-patch="Low whistle"]`)
}

// A score is read from a file, cast, corrected by hand and laid down as a
// call; an orchestra written in a line likewise.
func TestAScoreIsCast(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("library", "calls")
	p.press("Cast")
	p.see(`input[aria-label=Score]`).MustSetFiles("../format/musicxml/testdata/pier.musicxml")
	p.seeText(`[data-part-name="Flute 1"]`, "Flute 1 long[^]*Flute 1 short[^]*what the template has")
	p.seeText(`[data-part-name="Horn in F"]`, "stopped$")
	p.click(`[aria-label="Choose who plays Horn in F"]`)
	p.see(`[aria-label="Find a player"]`).MustSelectAllText().MustInput("fog horns")
	p.press("Fog horns")
	p.seeText(`[data-part-name="Horn in F"]`, "Fog horns[^]*chosen by hand")
	p.keys(input.Escape)
	p.press("By the list")
	p.seeText(`[data-part-name="Horn in F"]`, "what the template has")
	p.press("Cast it")
	p.see(`[data-call="The causeway"]`)
	p.undo(1)
	p.gone(`[data-call="The causeway"]`)

	p.press("Cast")
	p.see(`[aria-label="Orchestra in a line"]`).MustInput("2[1.zorbaphone] - hp")
	p.press("Read it")
	p.seeText("[data-part=unread]", "“zorbaphone”: no instrument has this name")
	p.see(`[data-part-name="Flute 1"]`) // the rest is kept
	p.see(`[aria-label="Orchestra in a line"]`).MustSelectAllText().MustInput("2[1.pic] - hp")
	p.press("Read it")
	p.seeText(`[data-part-name="Piccolo"]`, "Piccolo long[^]*Piccolo short")
	p.seeText("[role=dialog]", "3 parts; 0 new rows")

	// The same, as a template of its own.
	p.see("[role=dialog] form:last-of-type select").MustSelect("a new template")
	p.see("[role=dialog] form:last-of-type input").MustInput("Small pier")
	p.press("Cast it")
	p.see(`[aria-label="Template: Small pier"]`)
	p.see(`[data-call="Small pier"]`)
	p.unfold("orchestra")
	p.see(`[data-row="Piccolo long"]`)
	p.see(`[data-section="Harps"]`)
	p.toTemplate("The Salt Lantern")
	p.see(`[aria-label="Template: The Salt Lantern"]`)
}

// A new template begins with a score, and another with a row list; each is made ready to
// play in the same go.
func TestAScoreAndAListArePlayedAtOnce(t *testing.T) {
	p := enter(t, 1280, 800)
	p.click(`[aria-label^="Template: "]`)
	p.press("New template")
	p.see(`[aria-label="Name of the template"]`).MustInput("The causeway")
	p.page.MustElementR("[role=dialog] label", "^A score$").MustClick()
	p.see(`[aria-label="Stems to deliver"]`).MustSelect("Film, sections: one stem a section, percussion in two")
	p.press("^Create$")
	p.see(`input[aria-label=Score]`).MustSetFiles("../format/musicxml/testdata/pier.musicxml")
	p.see(`[data-part-name="Violins I"]`)
	p.press("Cast it")
	p.seeText("[data-part=furnished]", "[0-9]+ rows got a seat")
	p.press("^Done$")
	p.unfold("orchestra", "routing")
	p.seeText("[data-part=sums]", "add up to the mix")
	p.unfold("calls")
	p.see(`[data-call="Opening call"]`)
	p.press("Rest all")

	p.click(`[aria-label="Template: The causeway"]`)
	p.press("New template")
	p.see(`[aria-label="Name of the template"]`).MustInput("Harbour list")
	p.page.MustElementR("[role=dialog] label", "^A row list$").MustClick()
	p.press("^Create$")
	list := filepath.Join(t.TempDir(), "list.csv")
	require.NoError(t, os.WriteFile(list, []byte("Section,Name,Articulations\nWinds,Flute 1 long,long;legato\nWinds,Oboe 2,\nWinds,Heckelphone,long\n"), 0o644))
	p.see(`[role=dialog] input[type=file]`).MustSetFiles(list)
	p.press("Take 3 rows")
	p.seeText("[data-part=furnished]", "[45] rows play now, from Millrace Winds")
	p.seeText("[role=dialog]", "1 row stays free[^]*Heckelphone: nobody on the list plays it")
	p.press("^Done$")
	p.unfold("orchestra")
	p.see(`[data-row="Flute 1 long"]`)
	p.back(t)
}

// A list of preferences is copied, changed and decides who plays.
func TestACastingListDecides(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("library")
	p.press("Cast")
	p.see(`input[aria-label=Score]`).MustSetFiles("../format/musicxml/testdata/pier.musicxml")
	p.see(`[data-part-name="Violins I"]`)
	p.press("Lists")
	p.press("Copy it")
	p.see(`[aria-label="Name of the list"]`).MustSelectAllText().MustInput("Textures for all")
	p.see(`[aria-label="Where to look"]`).MustSelect("Fallback")
	p.press("Save list")
	p.seeText("[role=dialog]", "version 2")
	p.seeText(`[data-part-name="Violins I"]`, "the last resort")
	p.press("Remove")
	p.seeText(`[data-part-name="Violins I"]`, "what the template has")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
}

// An instrument is spread out to a row for each articulation, and gathered
// again; one undo takes either back.
func TestAnInstrumentIsSpreadOutAndGathered(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("tuba long", "Tuba long")
	p.menu("1 selected", "Articulations", "Lay them out")
	p.seeText("[role=dialog]", "As in: Tuba long long, Tuba long legato")
	p.see(`[role=dialog] input:not([type=radio])`).MustSelectAllText().MustInput("{name}: {articulation}")
	p.press("Lay it out")
	p.gone("[role=dialog]")
	p.see(`[data-row="Tuba long: swell"]`)
	p.seeText("[data-leaf=orchestra]", "422 instruments")
	p.seeText("[data-badge=marks]", "^1 mark")
	p.click(`[data-row="Tuba long: legato"]`)
	p.menu("1 selected", "Articulations", "Lay them out")
	p.press("Lay it out")
	p.gone("[role=dialog]")
	p.see(`[data-row="Tuba long"]`)
	p.seeText("[data-leaf=orchestra]", "419 instruments")
	p.undo(2)
	p.see(`[data-row="Tuba long"]`)
}

// A row gets a map of its own, and plays a part of a score through it; the
// file that is taken out holds the messages.
func TestAPartIsPlayedThroughARow(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("orchestra")
	p.find("flute 3 long", "Flute 3 long")
	p.menu("1 selected", "Articulations", "Map…")
	p.seeText("[role=dialog]", "follows the map of its patch")
	p.see(`[aria-label="Switches of flutter"]`).MustSelectAllText().MustInput("cc 32 0-20")
	p.keys(input.Enter)
	p.press("Save map")
	p.seeText("[role=dialog]", "It has a map of its own")
	p.keys(input.Escape)
	p.gone("[role=dialog]")

	p.menu("1 selected", "Articulations", "Play a part")
	p.see(`input[aria-label=Music]`).MustSetFiles("../format/musicxml/testdata/pier.musicxml")
	p.seeText("[role=dialog]", "not in the map: staccato")
	p.seeText("[aria-label=Messages]", "controller 32 = 10")
	wait := p.page.Browser().MustWaitDownload()
	p.press("Take out as MIDI")
	require.True(t, bytes.HasPrefix(wait(), []byte("MThd")))
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.undo(1)
}

// The studio's own words, the name of middle C, and the catalogue as a list.
func TestTheCatalogueAsAWhole(t *testing.T) {
	p := enter(t, 1280, 800)
	p.library("timpani rolls", "Timpani rolls")
	p.press("More")
	p.press("Articulations and their names")
	p.press("New articulation")
	p.see("[role=dialog] label:first-of-type input:required").MustInput("thunder sheet roll")
	p.press("^Save$")
	p.see(`[data-term="thunder sheet roll"]`)
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.click(`[aria-label="Undo in the catalogue"]`)

	before := p.see(`[data-patch="Timpani rolls"]`).MustText()
	p.press("More")
	p.press("C3$")
	p.seeText(`[data-patch="Timpani rolls"]`, "D1")
	require.Contains(t, before, "D2")
	p.click(`[aria-label="Undo in the catalogue"]`)
	p.seeText(`[data-patch="Timpani rolls"]`, "D2")

	list := filepath.Join(t.TempDir(), "patches.csv")
	require.NoError(t, os.WriteFile(list, []byte("library,patch,preload_mib,key_low\nColdharbour Percussion,Timpani rolls,555,\nColdharbour Percussion,Salt gong,90,\nTallow Brass,Bad,1,H9\n"), 0o644))
	p.see(`input[aria-label="Patch list"]`).MustSetFiles(list)
	p.seeText("[role=dialog]", "1 new, 1 changed, 0 as they are")
	p.seeText("[role=dialog]", "line 4, key_low")
	p.press("Take the good lines")
	p.seeText(`[data-patch="Timpani rolls"]`, "555")
	p.click(`[aria-label="Undo in the catalogue"]`)
	p.seeText(`[data-patch="Timpani rolls"]`, "750")
}

// A folder on another machine is scanned by its host.
func TestAFolderOfAMachineIsScanned(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("library")
	p.press("Scan")
	p.see("[role=dialog] select").MustSelect("Birch")
	p.seeText("[role=dialog]", "its host looks there")
	folder := p.see(`[role=dialog] input[value^="/"]`)
	bells := filepath.Join(folder.MustProperty("value").Str(), "Lamp Room Bells")
	folder.MustSelectAllText().MustInput(bells)
	p.see(`[role=dialog] input[list=libraries]`).MustInput("Bells on Birch")
	p.press("Scan it")
	p.see(`[data-scan="Bells on Birch"][data-state=done]`)
	p.seeText(`[data-scan="Bells on Birch"]`, "on Birch[^]*done: (9|1[0-9]) patches")
	p.keys(input.Escape)
	p.gone("[role=dialog]")
	p.press("Bells on Birch")
	p.see(`[data-patch="Lamp bell"]`)
	p.click(`[aria-label="Undo in the catalogue"]`)
	p.gone(`[data-patch="Lamp bell"]`)
}

// A library gets an emblem: an icon of the shipped set, or a picture of which only
// what can be seen is kept; it shows on the shelf and in the rows.
func TestALibraryGetsAnEmblem(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("library", "orchestra")
	row := `[data-row="Piccolo long"] [data-emblem`
	p.see(row + `=wind]`)
	edit := func() {
		p.gone("[role=dialog]") // the one before closes once its change is answered
		p.page.MustEval(`() => document.querySelector("[aria-label='Edit Millrace Winds']").click()`)
		p.see(`[role=dialog] [aria-label="Letters of the emblem"]`)
	}
	edit()
	p.click(`[aria-label="The icon feather"]`)
	p.press("^Save$")
	p.see(row + `=feather]`)

	edit()
	drawing := filepath.Join(t.TempDir(), "reed.svg")
	require.NoError(t, os.WriteFile(drawing, []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 40">
		<script>parent.document.title = "taken over"</script><rect width="20" height="40" fill="#804020" onload="parent.document.title = 'taken over'"/></svg>`), 0o600))
	p.see(`[role=dialog] [type=file]`).MustSetFiles(drawing)
	p.see(`[role=dialog] [data-emblem=picture]`)
	p.press("^Save$")
	p.see(row + `=picture]`)
	require.Equal(t, "Fanfold", p.page.MustEval(`() => document.title`).Str())
	require.Equal(t, "128,64,32", p.page.MustEval(`async (at) => {
		const picture = document.querySelector(at)
		await picture.decode()
		const pen = document.createElement("canvas").getContext("2d")
		pen.drawImage(picture, 0, 0)
		return picture.naturalWidth === 64 ? [...pen.getImageData(32, 32, 1, 1).data].slice(0, 3).join() : "not 64 wide"
	}`, row+`=picture] img`).Str(), "the drawing, 64 pixels a side")

	edit()
	broken := filepath.Join(t.TempDir(), "broken.png")
	require.NoError(t, os.WriteFile(broken, []byte("\x89PNG\r\n\x1a\nno more"), 0o600))
	p.see(`[role=dialog] [type=file]`).MustSetFiles(broken)
	p.seeText("[role=dialog] [role=status]", "broken.png cannot be read as a picture")
	p.keys(input.Escape)
	for range 2 {
		p.click(`[aria-label="Undo in the catalogue"]`)
	}
	p.see(row + `=wind]`)
}
