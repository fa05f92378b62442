package sheetpdf_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/note"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/sheetpdf"
)

// text is what another reader finds: Debian's poppler-utils, pdftotext.
func text(t *testing.T, pdf []byte) []string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "sheet.pdf")
	require.NoError(t, os.WriteFile(path, pdf, 0o644))
	out, err := exec.Command("pdftotext", "-layout", path, "-").CombinedOutput()
	require.NoError(t, err, "%s", out)
	return strings.Split(strings.TrimSuffix(string(out), "\f"), "\f")
}

// The demo's routing sheet, read by another program: section by section, with every instrument, its seat, outputs, group, stem
// and sends, and one for the stems.
func TestTheRoutingSheetToPrint(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	lantern = coretest.Must(lantern, change.Add{Instruments: []change.Placed{
		{At: 2, Instrument: &template.Instrument{ID: "line", Section: lantern.Instruments[1].Section, Name: "Flutes proper", Kind: template.Divider}},
	}})
	pages := handover.RoutingPages(lantern)
	var b, again bytes.Buffer
	require.NoError(t, sheetpdf.Write(&b, "Routing", pages))
	require.NoError(t, sheetpdf.Write(&again, "Routing", pages))
	require.Equal(t, b.Bytes(), again.Bytes(), "equal sheets are equal bytes")
	read := text(t, b.Bytes())
	require.LessOrEqual(t, len(read), 16, "sections go on below each other")
	all := strings.Join(read, "\n")
	for _, i := range lantern.Instruments {
		require.Contains(t, all, i.Name)
	}
	require.Contains(t, read[0], "Winds / Flutes")
	require.Regexp(t, `Piccolo long +Birch 1·1·1 +3-4 +Flutes +High winds +Hall, High winds -14 dB pre`, read[0])
	require.Regexp(t, `(?s)Piccolo short .*\n *Flutes proper\n *Piccolo effects`, read[0], "a divider in its place")
	last := read[len(read)-1]
	require.Contains(t, last, "Stems")
	require.Regexp(t, `68 +High winds +fine +Winds +dry and wet +stereo`, last)
	require.Contains(t, last, fmt.Sprintf("%d of %d", len(read), len(read)))
}

// A long section goes on over several sheets, and long texts over several
// lines; nothing is cut.
func TestLongSheetsGoOn(t *testing.T) {
	p := handover.Page{Title: "Long", Note: "Test"}
	p.Headings = []string{"name", "sends"}
	for n := range 120 {
		p.Rows = append(p.Rows, []string{fmt.Sprintf("Row %d", n), strings.Repeat("Hall, Low strings long -14 dB pre; ", 9) + fmt.Sprintf("end %d", n)})
	}
	var b bytes.Buffer
	require.NoError(t, sheetpdf.Write(&b, "Long", []handover.Page{p}))
	read := text(t, b.Bytes())
	require.Greater(t, len(read), 3)
	require.Contains(t, read[1], "Long, continued")
	for n := range 120 {
		require.Contains(t, strings.Join(read, "\n"), fmt.Sprintf("end %d", n))
	}
}

// The handbook of a small template is short: its parts go on below each other, and all of it is there.
func TestTheHandbookOfAFewRows(t *testing.T) {
	small := coretest.Orchestra(3, 1)
	small = coretest.Must(small, seating.Everyone(small, seating.Options{}).Change())
	var b bytes.Buffer
	pages := handover.Handbook(small, handover.Edition{Revision: 2})
	require.NoError(t, sheetpdf.WriteBook(&b, small.Name, pages))
	read := text(t, b.Bytes())
	require.LessOrEqual(t, len(read), 4)
	all := strings.Join(read, "\n")
	for _, p := range pages {
		require.Contains(t, all, p.Title)
	}
	for _, i := range small.Instruments {
		require.Contains(t, all, i.Name)
	}
}

// The handbook, read by another program: its cover says which state it is of and names the page on which
// each chapter begins; everybody is in it with articulations, library, stem and seat, and in the index; it
// takes twenty pages at most, and none of the long ones is half empty.
func TestTheHandbook(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	lantern = lantern.Clone()
	lantern.Settings.About = "A winter film; strings are recorded in March."
	at := time.Date(2026, 3, 3, 10, 0, 0, 0, time.UTC)
	pages := handover.Handbook(lantern, handover.Edition{Revision: 12, At: at, Version: "First reading", Changes: []handover.Past{{Revision: 12, Author: "Composer", Label: "Delete Flute 2 long"}}})
	var b, again bytes.Buffer
	require.NoError(t, sheetpdf.WriteBook(&b, "The Salt Lantern", pages))
	require.NoError(t, sheetpdf.WriteBook(&again, "The Salt Lantern", pages))
	require.Equal(t, b.Bytes(), again.Bytes(), "equal books are equal bytes")
	read := text(t, b.Bytes())
	require.LessOrEqual(t, len(read), 20)
	all := strings.Join(read, "\n")
	require.Contains(t, read[0], "revision 12 · 3 March 2026 · First reading, with later changes")
	require.Contains(t, read[0], "A winter film; strings are recorded in March.")
	require.Regexp(t, `instruments that play patches +414`, read[0])
	for _, p := range pages[1:] {
		m := regexp.MustCompile(regexp.QuoteMeta(p.Title) + ` +(\d+)( |\n)`).FindStringSubmatch(read[0])
		require.NotNil(t, m, "%s is not among the contents", p.Title)
		n, err := strconv.Atoi(m[1])
		require.NoError(t, err)
		require.Contains(t, read[n-1], p.Title)
	}
	index := strings.Join(read[len(read)-2:], "\n")
	for _, i := range lantern.Instruments {
		if i.Kind == template.Spare {
			continue
		}
		require.Contains(t, all, i.Name)
		if i.Seat != nil {
			require.Regexp(t, regexp.QuoteMeta(i.Name)+` .*`+fmt.Sprintf(`%d·%d·%02d, %s`, i.Seat.Riser, i.Seat.Port, i.Seat.Channel, i.Seat.Outputs()), all, "somebody can seat it again")
		}
	}
	for name, page := range map[string]string{"Piccolo": "Winds / Flutes", "Anvil": "Percussion / Metals"} {
		m := regexp.MustCompile(`\b` + name + ` +(\d+)`).FindStringSubmatch(index)
		require.NotNil(t, m, name)
		n, err := strconv.Atoi(m[1])
		require.NoError(t, err)
		require.Contains(t, read[n-1], page)
	}
	for _, says := range []string{"Changes since First reading", "Delete Flute 2 long", "MIDI note 60 is written", "a key that is pressed before the notes", "Riser 1", "211 instruments sit here", "Flutes 21, Oboes 15", "loads in"} {
		require.Contains(t, all, says)
	}
	require.NotContains(t, all, "dB dB")
}

// A machine's sheet has its risers drawn, and those that sit there below.
func TestTheSeatingSheetToPrint(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, sheetpdf.Write(&b, "Seating", handover.SeatingPages(lantern)))
	read := text(t, b.Bytes())
	begins := 0
	for _, page := range read {
		for _, m := range lantern.Machines {
			if strings.HasPrefix(strings.TrimSpace(page), m.Name+"  ") && strings.Contains(page, "instruments sit here") {
				begins++
				require.Contains(t, page, m.Name+", riser 1")
				require.Regexp(t, `Riser 1 +\d+ seats`, page)
			}
		}
	}
	require.Equal(t, len(lantern.Machines), begins, "each machine begins a page")
}

// Every key's name, the demo's whole handbook and routing sheet, and names in all the writings of
// Alphabets are set in fonts that have their signs; others are told.
func TestNoSignIsMissing(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	var texts []string
	for key := range 128 {
		texts = append(texts, note.Name(key, note.Scientific))
	}
	for _, p := range append(handover.Handbook(lantern, handover.Edition{}), handover.RoutingPages(lantern)...) {
		texts = append(append(texts, p.Title, p.Note), p.Headings...)
		for _, row := range p.Rows {
			texts = append(texts, row...)
		}
	}
	for _, text := range sheetpdf.Alphabets {
		texts = append(texts, text)
	}
	missing, told := sheetpdf.Missing(texts...)
	require.Empty(t, missing)
	require.Empty(t, told)
	_, told = sheetpdf.Missing("ไวโอลิน 𝄪")
	require.Contains(t, told, "Signs that cannot be printed here, shown as \ufffd: U+0E04"[:48])
	require.Contains(t, told, "U+1D12A")
}
