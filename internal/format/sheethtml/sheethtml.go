// Package sheethtml writes sheets as one HTML page that needs nothing else: pages
// with a title and a table go in, a document with contents, to be read on a screen
// or printed, comes out.
package sheethtml

import (
	"fmt"
	"html/template"
	"io"

	"fanfold/internal/core/handover"
)

var page = template.Must(template.New("book").Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>{{.Title}}</title>
<style>
body { font: 10pt/1.45 "Source Sans 3", "Helvetica Neue", Arial, sans-serif; color: #2b2721; background: #faf7ec; max-width: 72rem; margin: 2rem auto; padding: 0 1.5rem; }
h1, h2 { font-family: "Source Serif 4", Georgia, serif; line-height: 1.2; }
h2 { margin-top: 2.4rem; break-after: avoid; }
nav ol { columns: 2; }
table { width: 100%; border-collapse: collapse; }
th, td { text-align: left; vertical-align: top; padding: 0.15rem 0.6rem 0.15rem 0; }
th { border-bottom: 1px solid #2b2721; }
thead { display: table-header-group; }
tr { break-inside: avoid; }
tbody tr:nth-child(even) { background: #f1eddd; }
a { color: inherit; }
@page { size: A4 landscape; margin: 14mm; }
@media print { body { background: none; margin: 0; padding: 0; max-width: none; font-size: 9pt; } h2 { break-before: page; } }
</style>
<h1>{{.Title}}</h1>
<nav aria-label="Contents"><ol>{{range $n, $p := .Pages}}<li><a href="#chapter-{{$n}}">{{$p.Title}}</a></li>{{end}}</ol></nav>
{{range $n, $p := .Pages}}<section><h2 id="chapter-{{$n}}">{{$p.Title}}</h2>
{{with $p.Note}}<p>{{.}}</p>
{{end}}<table><thead><tr>{{range .Headings}}<th scope="col">{{.}}</th>{{end}}</tr></thead>
<tbody>{{range .Rows}}<tr>{{range .}}<td>{{.}}</td>{{end}}</tr>
{{end}}</tbody></table></section>
{{end}}</html>
`))

// Write writes pages as one document. Equal pages give equal bytes.
func Write(w io.Writer, title string, pages []handover.Page) error {
	err := page.Execute(w, struct {
		Title string
		Pages []handover.Page
	}{title, pages})
	if err != nil {
		return fmt.Errorf("write HTML: %w", err)
	}
	return nil
}
