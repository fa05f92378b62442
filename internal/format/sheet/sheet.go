// Package sheet writes tables as CSV as in RFC 4180: UTF-8, comma, CR LF. A
// table goes in, bytes come out: exact for lists that are read back, safe to open
// in a spreadsheet for sheets.
package sheet

import (
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"strings"

	"fanfold/internal/core/handover"
)

// WriteList writes a list that is read back: every cell exactly as it is.
func WriteList(w io.Writer, t handover.Table) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	if err := out.Write(t.Headings); err != nil {
		return fmt.Errorf("write sheet: %w", err)
	}
	if err := out.WriteAll(t.Rows); err != nil {
		return fmt.Errorf("write sheet: %w", err)
	}
	return nil
}

// Write writes a sheet that people open in spreadsheets, which take some texts
// for formulas: such a text gets an apostrophe before it.
func Write(w io.Writer, t handover.Table) error {
	safe := handover.Table{Headings: calm(t.Headings), Rows: make([][]string, len(t.Rows))}
	for n, row := range t.Rows {
		safe.Rows[n] = calm(row)
	}
	return WriteList(w, safe)
}

func calm(cells []string) []string {
	out := make([]string, len(cells))
	for n, cell := range cells {
		out[n] = cell
		if cell == "" || !strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
			continue
		}
		if _, err := strconv.ParseFloat(cell, 64); err != nil { // a number is not a formula
			out[n] = "'" + cell
		}
	}
	return out
}
