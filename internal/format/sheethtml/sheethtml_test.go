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
	since := handover.Since{Changes: []handover.Past{{Revision: 3, Author: "<b>Eve</b>", Label: `Set name of "Flute"`}}}
	pages := handover.Handbook(lantern, since)
	var b bytes.Buffer
	require.NoError(t, sheethtml.Write(&b, lantern.Name, pages))
	text := b.String()
	require.Equal(t, len(pages), strings.Count(text, "<h2 id="))
	require.Equal(t, len(pages), strings.Count(text, `<li><a href="#chapter-`))
	require.Contains(t, text, "&lt;b&gt;Eve&lt;/b&gt;")
	for _, i := range lantern.Instruments {
		if i.Kind != "spare" {
			require.Contains(t, text, "<td>"+strings.ReplaceAll(i.Name, "'", "&#39;"))
		}
	}
	require.NotContains(t, text, "http", "nothing is fetched")
	start := strings.Index(text, "<section>")
	decoder := xml.NewDecoder(strings.NewReader("<all>" + strings.TrimSuffix(strings.TrimSpace(text[start:]), "</html>") + "</all>"))
	for { // well formed, as another reader has it
		_, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		require.NoError(t, err)
	}
}
