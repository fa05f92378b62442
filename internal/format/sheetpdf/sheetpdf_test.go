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

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/note"
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

// The demo's routing sheet, read by another program: a page for each section
// that holds instruments, with every instrument, its seat, outputs, group, stem
// and sends, and one for the stems.
func TestTheRoutingSheetToPrint(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	pages := handover.RoutingPages(lantern)
	var b, again bytes.Buffer
	require.NoError(t, sheetpdf.Write(&b, "Routing", pages))
	require.NoError(t, sheetpdf.Write(&again, "Routing", pages))
	require.Equal(t, b.Bytes(), again.Bytes(), "equal sheets are equal bytes")
	read := text(t, b.Bytes())
	require.GreaterOrEqual(t, len(read), len(pages))
	all := strings.Join(read, "\n")
	for _, i := range lantern.Instruments {
		require.Contains(t, all, i.Name)
	}
	require.Contains(t, read[0], "Winds / Flutes")
	require.Regexp(t, `Piccolo long +Birch 1·1·1 +3-4 +Flutes +High winds +Hall, High winds -14 dB pre`, read[0])
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

// The handbook, read by another program: its contents name the page on which
// each chapter begins, and everybody is in it with articulations, stem and seat.
func TestTheHandbook(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	since := handover.Since{Version: "First reading", Changes: []handover.Past{{Revision: 12, Author: "Composer", Label: "Delete Flute 2 long"}}}
	pages := handover.Handbook(lantern, since)
	var b bytes.Buffer
	require.NoError(t, sheetpdf.WriteBook(&b, "The Salt Lantern", pages))
	read := text(t, b.Bytes())
	all := strings.Join(read, "\n")
	found := 0
	for _, p := range pages {
		require.Regexp(t, regexp.QuoteMeta(p.Title)+` +\d+`, read[0]+read[1], "it is among the contents")
		m := regexp.MustCompile(regexp.QuoteMeta(p.Title) + ` +(\d+)\n`).FindStringSubmatch(read[0] + read[1])
		require.NotNil(t, m, p.Title)
		n, err := strconv.Atoi(m[1])
		require.NoError(t, err)
		require.Contains(t, read[n-1], p.Title)
		found++
	}
	require.Equal(t, len(pages), found)
	for _, i := range lantern.Instruments {
		words := strings.Fields(i.Name) // a long name goes on below
		require.True(t, i.Kind == template.Spare || strings.Contains(all, strings.Join(words[:max(1, len(words)-1)], " ")), i.Name)
	}
	require.Regexp(t, `instruments that play patches +414`, all)
	require.Contains(t, all, "Changes since First reading")
	require.Contains(t, all, "Delete Flute 2 long")
	require.Contains(t, all, "key 60 is called")
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
	for _, p := range append(handover.Handbook(lantern, handover.Since{}), handover.RoutingPages(lantern)...) {
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
