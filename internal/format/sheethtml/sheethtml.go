// Package sheethtml writes sheets as one HTML page that needs nothing else: pages
// with a title and a table go in, a document with contents, to be read on a screen
// or printed, comes out.
package sheethtml

import (
	"fmt"
	"html/template"
	"io"
	"regexp"

	"fanfold/internal/core/handover"
	"fanfold/internal/format/svg"
)

var page = template.Must(template.New("book").Funcs(template.FuncMap{"drawn": drawn, "colour": colour}).Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>{{.Title}}</title>
<style>
body { font: 10pt/1.4 "Source Sans 3", "Helvetica Neue", Arial, sans-serif; color: #2b2721; background: #faf7ec; max-width: 76rem; margin: 2rem auto; padding: 0 1.5rem; }
h1, h2 { font-family: "Source Serif 4", Georgia, serif; line-height: 1.2; }
h1 { font-size: 2.4rem; margin-bottom: 0.2rem; }
h2 { margin: 2rem 0 0.4rem; break-after: avoid; }
nav ol { columns: 3; padding-left: 1.6rem; }
section { padding-left: 0.7rem; border-left: 4px solid transparent; }
table { width: 100%; border-collapse: collapse; }
.cover table { width: auto; }
th, td { text-align: left; vertical-align: top; padding: 0.1rem 0.7rem 0.1rem 0; }
th { border-bottom: 1px solid #2b2721; }
th:empty { border: 0; padding: 0; }
thead { display: table-header-group; }
tr { break-inside: avoid; }
tbody tr:nth-child(even) { background: #f1eddd; }
td i { display: inline-block; width: 3rem; height: 0.8em; margin-right: 0.5rem; }
tr.divider td { border-bottom: 1px solid #2b2721; font-weight: bold; height: 1.2em; }
svg { display: block; break-inside: avoid; }
a { color: inherit; }
@page { size: A4 landscape; margin: 14mm; }
@media print { body { background: none; margin: 0; padding: 0; max-width: none; font-size: 8.5pt; } h2.begins { break-before: page; } }
</style>
{{range $n, $p := .Pages}}{{if .Cover}}<h1>{{.Title}}</h1>
<p>{{.Note}}</p>
{{else if not $n}}<h1>{{$.Title}}</h1>
{{end}}{{if not $n}}<nav aria-label="Contents"><ol>{{range $m, $q := $.Pages}}{{if not .Cover}}<li><a href="#chapter-{{$m}}">{{$q.Title}}</a></li>{{end}}{{end}}</ol></nav>
{{end}}<section{{if .Cover}} class="cover"{{end}}{{with .Tint}} style="border-color: {{colour .}}"{{end}}>
{{if not .Cover}}<h2 id="chapter-{{$n}}"{{if not .Follows}} class="begins"{{end}}>{{.Title}}</h2>
{{if ne .Note $.Title}}{{with .Note}}<p>{{.}}</p>
{{end}}{{end}}{{end}}{{range .Text}}<p>{{.}}</p>
{{end}}{{with .Drawing}}{{drawn .}}
{{end}}{{if .Rows}}<table><thead><tr>{{range .Headings}}<th scope="col">{{.}}</th>{{end}}</tr></thead>
<tbody>{{range .Rows}}{{if $p.Divides .}}<tr class="divider"><td colspan="{{len $p.Headings}}">{{index . 0}}</td></tr>
{{else}}<tr>{{range $c, $text := .}}<td>{{if $p.Shows $c}}{{if $text}}<i style="background: {{colour $text}}"></i>{{end}}{{end}}{{$text}}</td>{{end}}</tr>
{{end}}{{end}}</tbody></table>{{end}}</section>
{{end}}</html>
`))

// mostWide is how wide a drawing becomes, px.
const mostWide = 1160

// drawn is a drawing as an element of the page: its words are escaped where they are written.
func drawn(d *handover.Drawing) template.HTML {
	return template.HTML(svg.Within(*d, mostWide)) //nolint:gosec // see above
}

var hex = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// colour is a colour as a style; nothing else is one.
func colour(text string) template.CSS {
	if !hex.MatchString(text) {
		return "transparent"
	}
	return template.CSS(text) //nolint:gosec // six digits
}

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
