package sheethtml_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
	"fanfold/internal/demo"
	"fanfold/internal/format/sheethtml"
)

// The handbook as a page: a chapter and a place in the contents for each, a row
// for everybody, and names that look like tags are only text.
func TestTheHandbookAsAPage(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	since := handover.Edition{Changes: []handover.Past{{Revision: 3, Author: "<b>Eve</b>", Label: `Set name of "Flute"`}}}
	pages := handover.Handbook(lantern, since)
	var b bytes.Buffer
	require.NoError(t, sheethtml.Write(&b, lantern.Name, pages))
	text := b.String()
	require.Equal(t, len(pages)-1, strings.Count(text, "<h2 id="), "all but the cover")
	require.Equal(t, len(pages)-1, strings.Count(text, `<li><a href="#chapter-`))
	require.Equal(t, 1+len(lantern.Machines), strings.Count(text, "<svg "), "the ribbons, and the seats of each machine")
	require.Contains(t, text, `<i style="background: #`)
	require.Contains(t, text, "&lt;b&gt;Eve&lt;/b&gt;")
	for _, i := range lantern.Instruments {
		if i.Kind != "spare" {
			require.Contains(t, text, "<td>"+strings.ReplaceAll(i.Name, "'", "&#39;"))
		}
	}
	require.NotContains(t, text, "<p>"+lantern.Name+"</p>", "its name is not said on every page")
	var noted bytes.Buffer
	require.NoError(t, sheethtml.Write(&noted, "Salt", []handover.Page{{Title: "Files", Note: "two are missing", Table: handover.Table{Headings: []string{"a"}, Rows: [][]string{{"b"}}}}}))
	require.Contains(t, noted.String(), "<p>two are missing</p>")
	require.NotContains(t, text, "http", "nothing is fetched")
	start := strings.Index(text, "<section")
	decoder := xml.NewDecoder(strings.NewReader("<all>" + strings.TrimSuffix(strings.TrimSpace(text[start:]), "</html>") + "</all>"))
	for { // well formed, as another reader has it
		_, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		require.NoError(t, err)
	}
}
