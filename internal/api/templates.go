package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
	"fanfold/internal/format/rows"
	"fanfold/internal/format/templatefile"
)

func (s *server) open(ctx context.Context, id uuid.UUID) (*app.Hot, app.Person, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, id)
	return h, p, err
}

// Templates implements the contract.
func (s *server) Templates(ctx context.Context, _ gen.TemplatesRequestObject) (gen.TemplatesResponseObject, error) {
	list, err := s.app.TemplateList(ctx, person(ctx))
	out := gen.Templates200JSONResponse{}
	for _, row := range list {
		x := gen.TemplateListed{Id: row.ID, Name: row.Name, Revision: row.Revision, Locked: row.Locked, ChangedAt: row.ChangedAt, ChangedBy: row.ChangedBy}
		x.About, x.Rows = app.Said(row.About)
		if row.EndsAt.Valid {
			x.EndsAt = &row.EndsAt.Time
		}
		out = append(out, x)
	}
	return out, err
}

// EndTemplate implements the contract.
func (s *server) EndTemplate(ctx context.Context, r gen.EndTemplateRequestObject) (gen.EndTemplateResponseObject, error) {
	return gen.EndTemplate204Response{}, s.app.EndTemplate(ctx, person(ctx), r.Id)
}

// KeepTemplate implements the contract.
func (s *server) KeepTemplate(ctx context.Context, r gen.KeepTemplateRequestObject) (gen.KeepTemplateResponseObject, error) {
	return gen.KeepTemplate204Response{}, s.app.KeepTemplate(ctx, person(ctx), r.Id)
}

// CreateTemplate implements the contract.
func (s *server) CreateTemplate(ctx context.Context, r gen.CreateTemplateRequestObject) (gen.CreateTemplateResponseObject, error) {
	from := app.From{Line: or(r.Body.Line, ""), Template: or(r.Body.From, uuid.Nil)}
	from.Machines = or(r.Body.Machines, false)
	if r.Body.Sections != nil {
		from.Sections = *r.Body.Sections
	}
	if r.Body.Rows != nil {
		from.Rows = *r.Body.Rows
	}
	row, err := s.app.Begin(ctx, person(ctx), r.Body.Name, from)
	return gen.CreateTemplate201JSONResponse{Id: row.ID, Name: row.Name, Revision: row.Revision}, err
}

// Beginnings implements the contract.
func (s *server) Beginnings(context.Context, gen.BeginningsRequestObject) (gen.BeginningsResponseObject, error) {
	out := gen.Beginnings200JSONResponse{}
	for _, b := range casting.Beginnings() {
		out = append(out, gen.Beginning{Name: b.Name, About: b.About, Line: b.Line})
	}
	return out, nil
}

// Shorthand implements the contract.
func (s *server) Shorthand(_ context.Context, r gen.ShorthandRequestObject) (gen.ShorthandResponseObject, error) {
	parts, unread, err := casting.Shorthand(r.Params.Line)
	if err != nil && len(unread) == 0 {
		return nil, &change.Refused{Reason: err.Error()}
	}
	out := gen.Shorthand200JSONResponse{Desks: []string{}, Unread: unreadIn(unread)}
	for _, p := range parts {
		out.Desks = append(out.Desks, p.Name)
	}
	return out, nil
}

func unreadIn(list []casting.Unread) []gen.Unread {
	out := []gen.Unread{}
	for _, u := range list {
		out = append(out, gen.Unread{Text: u.Text, Reason: u.Reason})
	}
	return out
}

// TakeFile implements the contract.
func (s *server) TakeFile(ctx context.Context, r gen.TakeFileRequestObject) (gen.TakeFileResponseObject, error) {
	t, err := templatefile.ReadWithin(ctx, r.Body)
	if err != nil {
		return nil, err
	}
	p := person(ctx)
	if r.Params.Stands != nil {
		cat, err := s.app.Catalogue(ctx, p)
		if err != nil {
			return nil, err
		}
		var stands []template.ID
		for _, id := range *r.Params.Stands {
			stands = append(stands, template.ID(id))
		}
		if t, err = catalogue.Stand(t, cat.View().Template, stands); err != nil {
			return nil, err
		}
	}
	row, err := s.app.Create(ctx, p, t)
	return gen.TakeFile201JSONResponse{Id: row.ID, Name: row.Name, Revision: row.Revision}, err
}

// FileMachines implements the contract.
func (s *server) FileMachines(ctx context.Context, r gen.FileMachinesRequestObject) (gen.FileMachinesResponseObject, error) {
	t, err := templatefile.ReadWithin(ctx, r.Body)
	if err != nil {
		return nil, err
	}
	cat, err := s.app.Catalogue(ctx, person(ctx))
	if err != nil {
		return nil, err
	}
	seats := map[template.ID]int{}
	for _, i := range t.Instruments {
		if i.Seat != nil {
			seats[i.Seat.Machine]++
		}
	}
	strange := catalogue.Strange(t, cat.View().Template)
	out := gen.FileMachines200JSONResponse{}
	proposed := catalogue.Propose(t, cat.View().Template)
	for n, m := range t.Machines {
		out = append(out, gen.FileMachine{Name: m.Name, MemoryMib: m.MemoryMiB, Seats: seats[m.ID], Strange: slices.Contains(strange, m), Stands: string(proposed[n])})
	}
	return out, nil
}

// OpenTemplate implements the contract.
func (s *server) OpenTemplate(ctx context.Context, r gen.OpenTemplateRequestObject) (gen.OpenTemplateResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	of, at := h.OfVersion()
	return gen.OpenTemplate200JSONResponse{
		Locked: h.Locked(), Of: unless(of, uuid.Nil), At: unless(at, 0),
		Id: r.Id, Revision: v.Revision, Template: v.Template, Facts: v.Facts, Rig: h.Rig(), Risers: app.Risers(v.Template), Shades: app.Shades(v.Template),
		Proof: app.ProofSummary{Marks: len(v.Proof.Marks), Counts: v.Proof.Counts()},
	}, nil
}

// Change implements the contract.
func (s *server) Change(ctx context.Context, r gen.ChangeRequestObject) (gen.ChangeResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	c, err := change.Unmarshal(r.Body.Change)
	if err != nil {
		return nil, &change.Refused{Reason: err.Error()}
	}
	revision, err := h.ApplyFrom(ctx, p, r.Body.Base, c)
	return gen.Change200JSONResponse{Revision: revision}, err
}

// Undoable implements the contract.
func (s *server) Undoable(ctx context.Context, r gen.UndoableRequestObject) (gen.UndoableResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	undo, redo, err := h.Undoable(ctx, p)
	return gen.Undoable200JSONResponse{Undo: undo, Redo: redo}, err
}

// Undo implements the contract.
func (s *server) Undo(ctx context.Context, r gen.UndoRequestObject) (gen.UndoResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.Undo(ctx, p)
	return gen.Undo200JSONResponse{Revision: revision}, err
}

// Redo implements the contract.
func (s *server) Redo(ctx context.Context, r gen.RedoRequestObject) (gen.RedoResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.Redo(ctx, p)
	return gen.Redo200JSONResponse{Revision: revision}, err
}

// make applies a change made on the present template.
func (s *server) make(ctx context.Context, id uuid.UUID, maker app.Maker) (gen.Applied, error) {
	h, p, err := s.open(ctx, id)
	if err != nil {
		return gen.Applied{}, err
	}
	revision, err := h.Apply(ctx, p, maker)
	return gen.Applied{Revision: revision}, err
}

// adding is make, telling which instruments are new.
func (s *server) adding(ctx context.Context, id uuid.UUID, maker app.Maker) (gen.Applied, error) {
	added := []template.ID{}
	done, err := s.make(ctx, id, func(t *template.Template) (change.Change, error) {
		c, err := maker(t)
		if err != nil {
			return nil, err
		}
		after, _, err := change.Apply(t, c)
		if err != nil {
			return nil, err
		}
		added = added[:0] // it may be made again
		for _, i := range after.Instruments {
			if t.Instrument(i.ID) == nil {
				added = append(added, i.ID)
			}
		}
		return c, nil
	})
	done.Added = &added
	return done, err
}

// AddRows implements the contract.
func (s *server) AddRows(ctx context.Context, r gen.AddRowsRequestObject) (gen.AddRowsResponseObject, error) {
	var section, after template.ID
	if r.Body.Section != nil {
		section = *r.Body.Section
	}
	if r.Body.After != nil {
		after = *r.Body.After
	}
	done, err := s.adding(ctx, r.Id, app.NewRows(section, after, template.Kind(r.Body.Kind), r.Body.Count))
	return gen.AddRows200JSONResponse(done), err
}

// Duplicate implements the contract.
func (s *server) Duplicate(ctx context.Context, r gen.DuplicateRequestObject) (gen.DuplicateResponseObject, error) {
	done, err := s.adding(ctx, r.Id, app.Seated(app.Duplicate(r.Body.Ids)))
	return gen.Duplicate200JSONResponse(done), err
}

// Again implements the contract.
func (s *server) Again(ctx context.Context, r gen.AgainRequestObject) (gen.AgainResponseObject, error) {
	done, err := s.adding(ctx, r.Id, app.Again(r.Body.Ids))
	return gen.Again200JSONResponse(done), err
}

// OwnSeats implements the contract.
func (s *server) OwnSeats(ctx context.Context, r gen.OwnSeatsRequestObject) (gen.OwnSeatsResponseObject, error) {
	done, err := s.adding(ctx, r.Id, app.OwnSeats(r.Body.Ids))
	return gen.OwnSeats200JSONResponse(done), err
}

// Assign implements the contract.
func (s *server) Assign(ctx context.Context, r gen.AssignRequestObject) (gen.AssignResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.ApplySeen(ctx, p, r.Body.Base, app.Assign(r.Body.Ids, string(r.Body.Field), r.Body.Value))
	return gen.Assign200JSONResponse{Revision: revision}, err
}

// leaving is a template that leaves in a format, by its name.
func (s *server) leaving(ctx context.Context, id uuid.UUID, name string) (*template.Template, format.Export, error) {
	h, _, err := s.open(ctx, id)
	if err != nil {
		return nil, format.Export{}, err
	}
	e, err := format.Find(name)
	if err != nil {
		return nil, e, &change.Refused{Reason: err.Error()}
	}
	return h.View().Template, e, nil
}

// Export implements the contract.
func (s *server) Export(ctx context.Context, r gen.ExportRequestObject) (gen.ExportResponseObject, error) {
	t, e, err := s.leaving(ctx, r.Id, r.Format)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := e.Write(&b, t); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: exportName(t.Name, e), mediaType: e.MediaType}, nil
}

// ExportLeft implements the contract.
func (s *server) ExportLeft(ctx context.Context, r gen.ExportLeftRequestObject) (gen.ExportLeftResponseObject, error) {
	t, e, err := s.leaving(ctx, r.Id, r.Format)
	return gen.ExportLeft200JSONResponse(append([]string{}, e.LeftOut(t)...)), err
}

// ImportRows implements the contract.
func (s *server) ImportRows(ctx context.Context, r gen.ImportRowsRequestObject) (gen.ImportRowsResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	options := rows.Options{}
	if r.Params.Mapping != nil {
		if err := json.Unmarshal([]byte(*r.Params.Mapping), &options.Mapping); err != nil {
			return nil, &change.Refused{Reason: fmt.Sprintf("the mapping is not a JSON object: %v", err)}
		}
	}
	if r.Params.MiddleC != nil {
		options.MiddleC = *r.Params.MiddleC
	}
	options.Decimal = intake.Decimal(or(r.Params.Decimal, ""))
	list, err := rows.Read(r.Body, options)
	if err != nil {
		return nil, err
	}
	shelf, err := s.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	cat := shelf.View().Template
	def := intake.StandardDefaults()
	def.Free = or(r.Params.Free, false)
	out := preview(catalogue.Shelf(h.View().Template, cat), list, def)
	if r.Params.Take == nil || !*r.Params.Take || out.Instruments == 0 {
		return gen.ImportRows200JSONResponse(out), nil
	}
	revision, err := h.Apply(ctx, p, app.BringIn(list.Rows, cat, def))
	out.Revision = &revision
	return gen.ImportRows200JSONResponse(out), err
}

// sampleRows is how many good rows a preview shows.
const sampleRows = 8

func preview(t *template.Template, list *rows.List, def intake.Defaults) gen.ImportReport {
	_, report, problems := intake.Plan(t, list.Rows, intake.Sequence(), def)
	out := gen.ImportReport{
		Unsure: list.Unsure, Headings: list.Headings, Mapping: list.Mapping, Unmatched: list.Unmatched, Columns: intake.Columns,
		Instruments: report.Instruments, Sections: report.Sections, Stems: report.Stems, Groups: report.Groups,
		Libraries: report.Libraries, Players: report.Players, Machines: report.Machines, Patches: report.Patches, Stated: report.Stated,
	}
	all := slices.Concat(list.Problems, problems)
	slices.SortStableFunc(all, func(a, b intake.Problem) int { return a.Line - b.Line })
	out.Problems, out.Told = listProblems(all), listProblems(report.Told)
	bad := map[int]bool{}
	for _, p := range all {
		bad[p.Line] = true
	}
	out.Sample = []gen.SampleRow{}
	for _, row := range list.Rows {
		if bad[row.Line] || len(out.Sample) == sampleRows {
			continue
		}
		out.Sample = append(out.Sample, gen.SampleRow{Line: row.Line, Section: row.Section, Instrument: row.Instrument, Library: row.Library, Stem: row.Stem})
	}
	return out
}

// listProblems are problems of a list as the contract has them.
func listProblems(list []intake.Problem) []gen.ListProblem {
	out := make([]gen.ListProblem, len(list))
	for n, p := range list {
		out[n] = gen.ListProblem{Line: p.Line, Column: p.Column, Reason: p.Reason}
	}
	return out
}

// unless is nil for the value that says nothing.
func unless[T comparable](x, nothing T) *T {
	if x == nothing {
		return nil
	}
	return &x
}
