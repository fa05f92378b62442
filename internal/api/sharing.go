package api

import (
	"bytes"
	"cmp"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"mime"
	"net/http"
	"path"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"fanfold/internal/app"
	"fanfold/internal/core/audit"
	"fanfold/internal/store"
)

// What is shared by a link is read by whoever has it: without signing in, and nothing else.

//go:embed shared.html
var sharedText string

var sharedPages = template.Must(template.New("shared").Parse(sharedText))

// Where the links of deliveries lead, and those of templates and handbooks.
const (
	sharedPath         = "/delivery/"
	sharedTemplatePath = "/shared/"
)

// sharing serves what is shared by links.
func (s *server) sharing(e *echo.Echo) {
	e.GET(sharedTemplatePath+":secret", s.sharedTemplatePage)
	e.GET(sharedTemplatePath+":secret/:format", s.sharedTemplateFile)
	e.GET(sharedPath+":secret", s.sharedPage)
	e.GET(sharedPath+":secret/package", s.sharedPackage)
	e.GET(sharedPath+":secret/:print/:file", s.sharedFile)
}

// ofLink opens what a request's link leads to. What it answers is kept by nobody on the way.
func ofLink[T any](c *echo.Context, open func(context.Context, string) (T, error)) (T, error) {
	c.Response().Header().Set("Cache-Control", "private, no-store")
	x, err := open(c.Request().Context(), c.Param("secret"))
	if errors.Is(err, store.ErrNotFound) {
		err = errGone
	}
	return x, err
}

func (s *server) shared(c *echo.Context) (app.Shared, error) { return ofLink(c, s.app.Shared) }

// pageOfLink writes a page of shared.html, or that the link leads nowhere.
func pageOfLink(c *echo.Context, name string, of any, err error) error {
	status := http.StatusOK
	switch {
	case errors.Is(err, errGone):
		status, name, of = http.StatusNotFound, "gone", "T"+errGone.Message[1:]
	case err != nil:
		return err
	}
	var b bytes.Buffer
	if err := sharedPages.ExecuteTemplate(&b, name, of); err != nil {
		return fmt.Errorf("write the page of a link: %w", err)
	}
	return c.HTMLBlob(status, b.Bytes())
}

// When a day, and a moment, is written on these pages.
const (
	sharedDay    = "2 January 2006"
	sharedMoment = "2 January 2006, 15:04 MST"
)

var errGone = echo.NewHTTPError(http.StatusNotFound, "this link no longer works; ask whoever gave it to you for a new one")

type sharedPrint struct {
	Title, About string
	Files        []sharedOne
}

type sharedOne struct {
	Name, Link, Size string
	Mix              bool
}

func (s *server) sharedPage(c *echo.Context) error {
	x, err := s.shared(c)
	if err != nil {
		return pageOfLink(c, "", nil, err)
	}
	here := path.Join(sharedPath, c.Param("secret"))
	var prints []sharedPrint
	all := int64(0)
	for n, p := range x.Prints {
		one := sharedPrint{Title: p.Title, About: fmt.Sprintf("version %d; %s", p.Version, p.Line)}
		for k, f := range p.Files {
			all += f.Bytes
			one.Files = append(one.Files, sharedOne{f.Path, fmt.Sprintf("%s/%d/%d", here, n, k), sizeText(f.Bytes), f.Role != string(audit.Stem)})
		}
		slices.SortStableFunc(one.Files, func(a, b sharedOne) int { return cmp.Compare(first(b), first(a)) }) // what is heard first
		prints = append(prints, one)
	}
	return pageOfLink(c, "delivery", map[string]any{
		"Title": x.Title, "By": x.By, "To": x.To, "Note": x.Note, "Made": x.Made.Format(sharedDay), "Ends": x.Ends.Format(sharedMoment),
		"Here": here, "Size": sizeText(all), "Prints": prints,
	}, nil)
}

// sizeText writes a size as the browser does: in millions of bytes.
func sizeText(bytes int64) string {
	if bytes >= 1e9 {
		return fmt.Sprintf("%.1f GB", float64(bytes)/1e9)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/1e6)
}

func (s *server) sharedPackage(c *echo.Context) error {
	x, err := s.shared(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	pack, err := x.Parcel(ctx)
	if err != nil {
		return err
	}
	fetched := func() {
		late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
		defer cancel()
		if err := s.app.Fetched(late, x.ID); err != nil {
			slog.Error("note that a delivery was fetched", "error", err)
		}
	}
	return packaged{ctx, pack, fetched}.visit(c.Response())
}

func (s *server) sharedFile(c *echo.Context) error {
	x, err := s.shared(c)
	if err != nil {
		return err
	}
	n, err1 := strconv.Atoi(c.Param("print"))
	k, err2 := strconv.Atoi(c.Param("file"))
	if err1 != nil || err2 != nil {
		return store.ErrNotFound
	}
	f, err := x.File(c.Request().Context(), n, k)
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", f.MediaType)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("inline", map[string]string{"filename": f.Name}))
	return serveParts(c.Request().Context(), w, c.Request().Header.Get("Range"), f.At, f)
}

func first(x sharedOne) int {
	if x.Mix {
		return 1
	}
	return 0
}
