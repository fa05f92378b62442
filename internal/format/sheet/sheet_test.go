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
		require.NoError(r, sheet.Write(&out, table))
		reader := csv.NewReader(&out)
		got, err := reader.ReadAll()
		require.NoError(r, err)
		var want [][]string
		for _, row := range append([][]string{table.Headings}, table.Rows...) {
			if wide == 1 && row[0] == "" {
				continue // a line without anything is no row to a reader of CSV
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
