package api

import (
	"bytes"
	"context"
	"log/slog"
	"mime"
	"path"
	"time"

	"github.com/labstack/echo/v5"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/handover"
	"fanfold/internal/format"
	"fanfold/internal/format/sheethtml"
	"fanfold/internal/format/sheetpdf"
	"fanfold/internal/store"
)

// ShareTemplate implements the contract.
func (s *server) ShareTemplate(ctx context.Context, r gen.ShareTemplateRequestObject) (gen.ShareTemplateResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	id, secret, err := h.Share(ctx, p, app.ShareKind(r.Body.Kind), r.Body.To, r.Body.Days)
	return gen.ShareTemplate201JSONResponse{Id: id, Secret: secret}, err
}

// Links implements the contract.
func (s *server) Links(ctx context.Context, _ gen.LinksRequestObject) (gen.LinksResponseObject, error) {
	rows, err := s.app.Links(ctx, person(ctx))
	out := gen.Links200JSONResponse{}
	for _, x := range rows {
		one := gen.OpenLink{Id: x.ID, Kind: gen.OpenLinkKind(x.Kind), Title: x.Title, To: x.Receiver, By: x.Author, Made: x.CreatedAt, Ends: x.EndsAt, Opened: int(x.Opened)}
		if x.OpenedAt.Valid {
			one.OpenedAt = &x.OpenedAt.Time
		}
		out = append(out, one)
	}
	return out, err
}

// EndShare implements the contract.
func (s *server) EndShare(ctx context.Context, r gen.EndShareRequestObject) (gen.EndShareResponseObject, error) {
	return gen.EndShare204Response{}, s.app.EndShare(ctx, person(ctx), r.Id)
}

// The formats that are a handbook.
const (
	handbookToPrint = "handbook"
	handbookToRead  = "handbook-html"
)

type sharedFormat struct{ Name, About, Link string }

func (s *server) sharedTemplatePage(c *echo.Context) error {
	x, err := ofLink(c, s.app.SharedTemplate)
	if err != nil {
		return pageOfLink(c, "", nil, err)
	}
	late, cancel := context.WithTimeout(context.WithoutCancel(c.Request().Context()), 10*time.Second)
	defer cancel()
	if err := s.app.Opened(late, x.Link); err != nil {
		slog.Error("note that a link was opened", "error", err)
	}
	here := path.Join(sharedTemplatePath, c.Param("secret"))
	v := x.View()
	about := "The handbook of a template."
	var files []sharedFormat
	for _, e := range format.Exports {
		if x.Kind == app.ShareTemplate && e.Name != handbookToRead || e.Name == handbookToPrint {
			files = append(files, sharedFormat{exportName(v.Template.Name, e), e.About, path.Join(here, e.Name)})
		}
	}
	if x.Kind == app.ShareTemplate {
		about = "A template, in all the formats that it can be taken out in."
	}
	return pageOfLink(c, "template", map[string]any{
		"Title": v.Template.Name, "By": x.By, "To": x.To, "Made": time.Now().Format(sharedDay), "Ends": x.Ends.Format(sharedMoment),
		"Here": here, "About": about, "Picture": x.Kind == app.ShareTemplate, "Files": files,
	}, nil)
}

// exportName is the name of the file that a template leaves in.
func exportName(template string, e format.Export) string {
	name := handover.FileName(template)
	if e.Name != "template" {
		name += " " + e.Name
	}
	return name + e.Extension
}

func (s *server) sharedTemplateFile(c *echo.Context) error {
	x, err := ofLink(c, s.app.SharedTemplate)
	if err != nil {
		return pageOfLink(c, "", nil, err)
	}
	ctx, v := c.Request().Context(), x.View()
	e, err := format.Find(c.Param("format"))
	book := e.Name == handbookToRead || e.Name == handbookToPrint
	if err != nil || x.Kind == app.ShareHandbook && !book {
		return store.ErrNotFound
	}
	var b bytes.Buffer
	if book {
		err = writeHandbook(ctx, &b, x.Hot, e.Name == handbookToRead)
	} else {
		err = e.Write(&b, v.Template)
	}
	if err != nil {
		return err
	}
	as := "attachment"
	if e.Name == handbookToRead || e.Name == "ribbons" {
		as = "inline"
	}
	c.Response().Header().Set("Content-Disposition", mime.FormatMediaType(as, map[string]string{"filename": exportName(v.Template.Name, e)}))
	return c.Blob(200, e.MediaType, b.Bytes())
}

// writeHandbook writes the handbook of a template, with what has changed since its last version.
func writeHandbook(ctx context.Context, b *bytes.Buffer, h *app.Hot, read bool) error {
	title, pages, err := h.Handbook(ctx)
	if err != nil {
		return err
	}
	if read {
		return sheethtml.Write(b, title, pages)
	}
	return sheetpdf.WriteBook(b, title, pages)
}
