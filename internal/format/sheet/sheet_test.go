package sheet_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/handover"
	"fanfold/internal/format/sheet"
)

// RFC 4180, section 2: lines end with CRLF; cells with a comma, a quote or a
// line break are quoted, and a quote within is doubled.
func TestRFC4180(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, sheet.Write(&out, handover.Table{Headings: []string{"aaa", "bbb"}, Rows: [][]string{{"x,y", `b"bb`}, {"two\nlines", ""}}}))
	require.Equal(t, "aaa,bbb\r\n\"x,y\",\"b\"\"bb\"\r\n\"two\r\nlines\",\r\n", out.String())
}

// Whatever is written is read back by Go's own reader.
func TestWhatIsWrittenIsReadBack(t *testing.T) {
	cell := rapid.StringMatching(`[a-zA-Zäöü ,;"'\n/·-]{0,12}`)
	rapid.Check(t, func(r *rapid.T) {
		wide := rapid.IntRange(1, 5).Draw(r, "columns")
		table := handover.Table{Headings: rapid.SliceOfN(cell, wide, wide).Draw(r, "headings")}
		for range rapid.IntRange(0, 6).Draw(r, "rows") {
			table.Rows = append(table.Rows, rapid.SliceOfN(cell, wide, wide).Draw(r, "row"))
		}
		var out bytes.Buffer
		require.NoError(r, sheet.WriteList(&out, table))
		reader := csv.NewReader(&out)
		got, err := reader.ReadAll()
		require.NoError(r, err)
		var want [][]string
		for _, row := range append([][]string{table.Headings}, table.Rows...) {
			if wide == 1 && row[0] == "" {
				continue // a line without anything is not a row to a reader of CSV
			}
			want = append(want, row)
		}
		require.Equal(r, want, got)
	})
}

type full struct{}

func (full) Write([]byte) (int, error) { return 0, errors.New("the disk is full") }

func TestAFailedWriteIsTold(t *testing.T) {
	rows := [][]string{{strings.Repeat("x", 10_000)}}
	require.ErrorContains(t, sheet.Write(full{}, handover.Table{Headings: []string{"a"}, Rows: rows}), "the disk is full")
}

// What a spreadsheet would take for a formula is made a text; a number, and what
// Fanfold reads back, stay as they are. The characters are those of OWASP, "CSV
// Injection"; the list from memory.
func TestSheetsAreSafeToOpen(t *testing.T) {
	table := handover.Table{Headings: []string{"=now()", "dB"}, Rows: [][]string{{"=1+1", "-6.5"}, {"@sum", "+3"}, {"\tx", "-inf. wind"}, {"-", "plain = text"}}}
	var out bytes.Buffer
	require.NoError(t, sheet.Write(&out, table))
	require.Equal(t, "'=now(),dB\r\n'=1+1,-6.5\r\n'@sum,+3\r\n'\tx,'-inf. wind\r\n'-,plain = text\r\n", out.String())
	require.Equal(t, "=1+1", table.Rows[0][0], "the table is left as it is")
	out.Reset()
	require.NoError(t, sheet.WriteList(&out, table))
	require.Contains(t, out.String(), "\n=1+1,-6.5\r\n")
}
