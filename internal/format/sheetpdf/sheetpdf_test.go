package sheetpdf_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
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
