package sheetpdf

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"codeberg.org/go-pdf/fpdf"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/handover"
)

// alphabets are words of the writings that names come in, most of them the word for
// music or a violin.
var alphabets = map[string]string{
	"sharps and flats": "C♯1 to B♭4, F♮", "Greek": "Μουσική ΩΔ", "Cyrillic": "Скрипки ёжъ", "Hebrew": "כינור ראשון", "Arabic": "موسيقى الكمان", "Persian": "پیانو گیتار",
	"Chinese": "第一小提琴 管弦樂", "Japanese": "ヴァイオリン ひちりき", "Korean": "바이올린 한국", "Latin": "Žluťoučký façade ßœ ½ …",
}

// Hebrew and Arabic as they are seen from left to right; the shapes of the Arabic
// letters are those of the Unicode charts, from memory: meem, then lam with alef.
func TestWhatRunsToTheLeft(t *testing.T) {
	require.Equal(t, "Violin 1", visual("Violin 1"))
	require.Equal(t, "ןושאר", visual("ראשון"))
	require.Equal(t, "1 רוניכ", visual("כינור 1"))
	require.Equal(t, "Long רוניכ", visual("Long כינור"))
	require.Equal(t, "\ufee3\ufee2", joined("مم"), "at the beginning, then at the end")
	require.Equal(t, "\ufee3\ufee4\ufee2", joined("ممم"), "and in the middle")
	require.Equal(t, "\ufed7\ufef0", joined("قى"))
	require.Equal(t, "\ufefb", joined("لا"), "two letters in one sign")
	require.Equal(t, "\ufedb\ufefc\ufee1", joined("كلام"), "alef does not join to what follows")
}

// A text is broken into lines no wider than their column, and nothing of it is lost.
func TestNothingIsLostInLines(t *testing.T) {
	set := newTypesetter(fpdf.New("L", "mm", "A4", ""))
	set.pdf.AddPage()
	set.set("", textSize)
	rapid.Check(t, func(r *rapid.T) {
		text := strings.Join(rapid.SliceOfN(rapid.SampledFrom([]string{"Violins", "a", "第一小提琴", "long-and-longer-and-longest-name", "C♯1", "한국", "Скрипки"}), 0, 12).Draw(r, "words"), " ")
		wide := rapid.Float64Range(8, 60).Draw(r, "wide")
		lines := set.wrap(text, wide)
		require.Equal(r, strings.ReplaceAll(text, " ", ""), strings.ReplaceAll(strings.Join(lines, ""), " ", ""))
		for _, line := range lines {
			require.LessOrEqual(r, set.width(line), wide+0.01, line)
		}
	})
}

// Another program finds the fonts inside the file, and no sign that they lack; and reads
// the names. Debian's poppler-utils: pdffonts, pdftotext.
func TestOtherProgramsFindTheFonts(t *testing.T) {
	p := handover.Page{Title: "Alphabets ♯", Note: "C♯1"}
	p.Headings = []string{"writing", "name"}
	for name, text := range alphabets {
		p.Rows = append(p.Rows, []string{name, text})
	}
	var b bytes.Buffer
	require.NoError(t, Write(&b, "Alphabets", []handover.Page{p}))
	path := filepath.Join(t.TempDir(), "a.pdf")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	fonts, err := exec.Command("pdffonts", path).CombinedOutput()
	require.NoError(t, err, "%s", fonts)
	require.Equal(t, 5, strings.Count(string(fonts), "yes no  yes"), "inside the file, with their meaning: %s", fonts)
	text, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	require.NoError(t, err)
	for _, name := range []string{"C♯1 to B♭4", "Μουσική", "Скрипки", "第一小提琴", "ヴァイオリン", "바이올린"} {
		require.Contains(t, string(text), name)
	}
}
