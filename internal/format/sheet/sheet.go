// Package sheet writes tables as CSV as in RFC 4180: UTF-8, comma, CR LF. A
// table goes in, bytes come out.
package sheet

import (
	"encoding/csv"
	"fmt"
	"io"

	"fanfold/internal/core/handover"
)

// Write writes a table with its headings.
func Write(w io.Writer, t handover.Table) error {
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
