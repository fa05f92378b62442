package api

import (
	"bytes"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"

	"fanfold/docs/guide"
	"fanfold/docs/screenshots"
	"fanfold/internal/store"
)

// guidePages are the pages of the guide as HTML, by name.
var guidePages = sync.OnceValues(func() (map[string][]byte, error) {
	markdown := goldmark.New(goldmark.WithExtensions(extension.GFM), goldmark.WithParserOptions(parser.WithAutoHeadingID()))
	names, err := fs.Glob(guide.Pages, "*.md")
	if err != nil {
		return nil, err
	}
	out := map[string][]byte{}
	for _, name := range names {
		text, err := fs.ReadFile(guide.Pages, name)
		if err != nil {
			return nil, err
		}
		var body, page bytes.Buffer
		if err := markdown.Convert(bytes.ReplaceAll(text, []byte("../screenshots/"), []byte("/guide/pictures/")), &body); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		title, _, _ := strings.Cut(strings.TrimPrefix(string(text), "# "), "\n")
		err = guidePage.Execute(&page, struct {
			Title string
			Body  template.HTML
		}{title, template.HTML(body.String())}) //nolint:gosec // our own pages, which hold no HTML
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		out[strings.TrimSuffix(name, ".md")] = page.Bytes()
	}
	return out, nil
})

var guidePage = template.Must(template.New("guide").Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{{.Title}} · Fanfold</title>
<style>
body { font: 11pt/1.5 "Source Sans 3", "Helvetica Neue", Arial, sans-serif; color: #2b2721; background: #faf7ec; max-width: 46rem; margin: 2rem auto; padding: 0 1.5rem; }
h1, h2, h3 { font-family: "Source Serif 4", Georgia, serif; line-height: 1.2; }
img { max-width: 100%; border: 1px solid #d9d3c1; }
th, td { text-align: left; vertical-align: top; padding: 0.1rem 1rem 0.1rem 0; }
a { color: inherit; }
</style>
<main>
{{.Body}}</main>
</html>
`))

// guiding serves the guide to whoever reads it, signed in or not.
func guiding(e *echo.Echo) {
	e.GET("/guide/:page", func(c *echo.Context) error {
		pages, err := guidePages()
		if err != nil {
			return err
		}
		page, ok := pages[c.Param("page")]
		if !ok {
			return store.ErrNotFound
		}
		c.Response().Header().Set("Cache-Control", "no-cache")
		return c.HTMLBlob(http.StatusOK, page)
	})
	e.GET("/guide/pictures/:name", func(c *echo.Context) error {
		picture, err := fs.ReadFile(screenshots.Pictures, c.Param("name"))
		if err != nil {
			return store.ErrNotFound
		}
		return c.Blob(http.StatusOK, "image/png", picture)
	})
}
