package sheetpdf

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/sfnt"
)

//go:embed fonts/SourceSans3-Regular.ttf
var regular []byte

//go:embed fonts/SourceSans3-Bold.ttf
var bold []byte

//go:embed fonts/DejaVuSans.ttf
var wideRegular []byte

//go:embed fonts/DejaVuSans-Bold.ttf
var wideBold []byte

//go:embed fonts/DroidSansFallback.ttf
var eastern []byte

// face is a font and what it holds, the first one that has a sign being used for it.
type face struct {
	name          string
	regular, bold []byte
	signs         func() *sfnt.Font
}

// faces: the usual one; one of more alphabets, Greek to Arabic, and of signs such as ♯
// and ♭; and one of Chinese, Japanese and Korean.
var faces = []face{
	{"sans", regular, bold, parsed(regular)},
	{"wide", wideRegular, wideBold, parsed(wideRegular)},
	{"east", eastern, eastern, parsed(eastern)},
}

func parsed(data []byte) func() *sfnt.Font {
	return sync.OnceValue(func() *sfnt.Font {
		f, err := sfnt.Parse(data)
		if err != nil {
			panic(fmt.Sprintf("a shipped font cannot be read: %v", err)) // the build has it
		}
		return f
	})
}

// faceOf is the first face that has a sign; -1 for none.
func faceOf(r rune) int {
	if r >= 0x10000 { // beyond what the PDF's fonts address
		return -1
	}
	if r == ' ' || r == '\u00a0' {
		return 0
	}
	var b sfnt.Buffer
	for n := range faces {
		if g, err := faces[n].signs().GlyphIndex(&b, r); err == nil && g != 0 {
			return n
		}
	}
	return -1
}

// missing stands for a sign that no face has.
const missing = '\ufffd'

// piece is a run of text in one face.
type piece struct {
	face int
	text string
}

// typesetter writes text in whatever faces it needs.
type typesetter struct {
	pdf   *fpdf.Fpdf
	known map[rune]int
	added map[string]bool // faces with their style
	lacks map[rune]bool   // signs that no face has
	style string
	size  float64
}

func newTypesetter(pdf *fpdf.Fpdf) *typesetter {
	return &typesetter{pdf: pdf, known: map[rune]int{}, added: map[string]bool{}, lacks: map[rune]bool{}}
}

// set chooses the style ("" or "B") and size, points.
func (t *typesetter) set(style string, size float64) {
	t.style, t.size = style, size
	t.use(0)
}

// use sets a face, which is added to the file when it is first used.
func (t *typesetter) use(face int) {
	if key := faces[face].name + t.style; !t.added[key] {
		t.added[key] = true
		data := faces[face].regular
		if t.style == "B" {
			data = faces[face].bold
		}
		t.pdf.AddUTF8FontFromBytes(faces[face].name, t.style, data)
	}
	t.pdf.SetFont(faces[face].name, t.style, t.size)
}

// pieces takes a line apart, as it is seen from left to right.
func (t *typesetter) pieces(line string) []piece {
	var out []piece
	for _, r := range visual(line) {
		if unicode.IsControl(r) {
			r = ' '
		}
		f, ok := t.known[r]
		if !ok {
			f = faceOf(r)
			t.known[r] = f
		}
		if f < 0 {
			t.lacks[r] = true
			r, f = missing, faceOf(missing)
		}
		if r == ' ' && len(out) > 0 {
			f = out[len(out)-1].face
		}
		if n := len(out); n > 0 && out[n-1].face == f {
			out[n-1].text += string(r)
		} else {
			out = append(out, piece{f, string(r)})
		}
	}
	return out
}

// width of a line, mm.
func (t *typesetter) width(line string) float64 {
	sum := 0.0
	for _, p := range t.pieces(line) {
		t.use(p.face)
		sum += t.pdf.GetStringWidth(p.text)
	}
	t.use(0)
	return sum
}

// write writes a line from a place on, mm, in a room so wide and high, at its left or
// right.
func (t *typesetter) write(x, y, wide, high float64, line, align string) {
	if align == "R" {
		x += max(0, wide-t.width(line))
	}
	for _, p := range t.pieces(line) {
		t.use(p.face)
		w := t.pdf.GetStringWidth(p.text)
		t.pdf.SetXY(x, y)
		margin := t.pdf.GetCellMargin()
		t.pdf.SetCellMargin(0)
		t.pdf.CellFormat(w, high, p.text, "", 0, "L", false, 0, "")
		t.pdf.SetCellMargin(margin)
		x += w
	}
	t.use(0)
}

// wrap breaks a text into lines that are so wide at most: at spaces, between signs of
// writings that have none, and within a word that is wider by itself.
func (t *typesetter) wrap(text string, wide float64) []string {
	var lines []string
	line, at := "", 0.0
	flush := func() {
		lines = append(lines, strings.TrimRight(line, " "))
		line, at = "", 0
	}
	for _, word := range words(text) {
		w := t.width(word)
		if at > 0 && at+t.width(strings.TrimRight(word, " ")) > wide {
			flush()
		}
		for w > wide && len([]rune(word)) > 1 {
			letters := []rune(word)
			n := 1
			for n < len(letters) && t.width(string(letters[:n+1])) <= wide {
				n++
			}
			line = string(letters[:n])
			flush()
			word = string(letters[n:])
			w = t.width(word)
		}
		line += word
		at += w
	}
	if line != "" || len(lines) == 0 {
		flush()
	}
	return lines
}

// words are the parts of a text that stay on one line, with the spaces behind them.
func words(text string) []string {
	var out []string
	begun := false
	for _, r := range strings.ReplaceAll(text, "\n", " ") {
		alone := unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul)
		if r != ' ' && (!begun || alone) || len(out) == 0 {
			out = append(out, "")
		}
		out[len(out)-1] += string(r)
		begun = r != ' ' && !alone
		if r == ' ' {
			begun = false
		}
	}
	return slices.DeleteFunc(out, func(w string) bool { return w == "" })
}

// told says which signs could not be set; empty when all could.
func (t *typesetter) told() string {
	if len(t.lacks) == 0 {
		return ""
	}
	var codes []string
	for r := range t.lacks {
		codes = append(codes, fmt.Sprintf("U+%04X", r))
	}
	slices.Sort(codes)
	more := ""
	if len(codes) > 12 {
		more = fmt.Sprintf(" and %d more", len(codes)-12)
		codes = codes[:12]
	}
	return fmt.Sprintf("Signs that cannot be printed here, shown as %c: %s%s", missing, strings.Join(codes, ", "), more)
}
