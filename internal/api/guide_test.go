package api_test

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/docs/guide"
	"fanfold/docs/screenshots"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/proof"
)

// Every code of a mark is explained, with an example and a remedy, and no other is.
func TestEveryMarkIsExplained(t *testing.T) {
	text, err := guide.Pages.ReadFile("marks.md")
	require.NoError(t, err)
	wanted := map[string]bool{proof.CrowdedCode: true}
	for _, r := range proof.Rules {
		wanted[r.Code] = true
	}
	for _, c := range cue.Codes {
		wanted[c.Code] = true
	}
	parts := strings.Split(string(text), "\n### ")[1:]
	for _, part := range parts {
		code, says, _ := strings.Cut(part, "\n")
		require.True(t, wanted[code], "there is no mark %s", code)
		delete(wanted, code)
		require.Contains(t, says, "*Example:*", code)
		require.Contains(t, strings.ReplaceAll(says, "\n", " "), "*Remedy:*", code)
	}
	require.Empty(t, wanted, "these marks are not explained")
}

// The guide is read by anybody; its links and pictures lead somewhere, and it says nothing in HTML of
// its own.
func TestTheGuideIsServed(t *testing.T) {
	s := serve(t)
	c := s.client(t)
	entries, err := guide.Pages.ReadDir(".")
	require.NoError(t, err)
	link := regexp.MustCompile(`(?:href|src)="([^"]+)"`)
	for _, e := range entries {
		got := c.do("GET", "/guide/"+strings.TrimSuffix(e.Name(), ".md"), nil)
		require.Equal(t, 200, got.status, e.Name())
		page := string(got.body)
		require.Contains(t, page, "<h1")
		require.NotContains(t, page, "raw HTML omitted")
		for _, m := range link.FindAllStringSubmatch(page, -1) {
			if name, ok := strings.CutPrefix(m[1], "/guide/pictures/"); ok {
				_, err := screenshots.Pictures.ReadFile(name)
				require.NoError(t, err, "%s shows %s", e.Name(), name)
				continue
			}
			_, err := guide.Pages.ReadFile(m[1] + ".md")
			require.NoError(t, err, "%s leads to %s", e.Name(), m[1])
		}
	}
	require.Contains(t, string(c.do("GET", "/guide/marks", nil).body), `<h3 id="orphan">`)
	require.Contains(t, string(c.do("GET", "/guide/orchestra", nil).body), "<td>J, K, ↑, ↓</td>")
	require.Equal(t, "image/png", c.do("GET", "/guide/pictures/cues-day.png", nil).header.Get("Content-Type"))
	for _, path := range []string{"/guide/nothing", "/guide/pictures/nothing.png", "/guide/pictures/..%2f..%2fREADME.md"} {
		require.Equal(t, 404, c.do("GET", path, nil).status, path)
	}
}
