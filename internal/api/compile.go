package api

import (
	"bytes"
	"context"
	"io"
	"net/http"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/patchlist"
	"fanfold/internal/format/smf"
)

// mostMessages is how many messages are shown; the file holds all.
const mostMessages = 400

func told(clock *tempo.Map, from int64, messages []articulation.Message) []gen.TriedMessage {
	out := []gen.TriedMessage{}
	for _, m := range messages[:min(mostMessages, len(messages))] {
		ms := float64(clock.Micros(m.Tick)-clock.Micros(from)) / 1000
		out = append(out, gen.TriedMessage{Ms: ms, Channel: m.Channel, Text: m.Text(), Why: m.Why})
	}
	return out
}

// piece opens a template and reads the music that is sent for it.
func (s *server) piece(ctx context.Context, id uuid.UUID, body io.Reader) (*app.Hot, app.Person, app.Piece, error) {
	h, p, err := s.open(ctx, id)
	if err != nil {
		return nil, p, app.Piece{}, err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, p, app.Piece{}, err
	}
	piece, err := app.ReadPiece(ctx, body, words)
	return h, p, piece, err
}

func (s *server) compile(ctx context.Context, id uuid.UUID, instrument string, body io.Reader, part, bar *int) (app.Piece, app.Compiled, error) {
	h, p, piece, err := s.piece(ctx, id, body)
	if err != nil {
		return piece, app.Compiled{}, err
	}
	done, err := h.Compile(ctx, p, template.ID(instrument), piece, or(part, 0), or(bar, 1))
	return piece, done, err
}

// Compile implements the contract.
func (s *server) Compile(ctx context.Context, r gen.CompileRequestObject) (gen.CompileResponseObject, error) {
	piece, done, err := s.compile(ctx, r.Id, r.Instrument, r.Body, r.Params.Part, r.Params.Bar)
	if err != nil {
		return nil, err
	}
	out := gen.CompileReport{
		Parts: []gen.CompilePart{}, Part: or(r.Params.Part, 0), Messages: told(done.Time.Clock, 0, done.Messages), Total: len(done.Messages),
		Missing: done.Missing, Outside: done.Outside, Switches: done.Switches, Notes: append([]string{}, piece.Notes...),
	}
	for _, p := range piece.Parts {
		out.Parts = append(out.Parts, gen.CompilePart{Name: p.Name, Notes: len(p.Part.Notes)})
	}
	return gen.Compile200JSONResponse(out), nil
}

// CompileMidi implements the contract.
func (s *server) CompileMidi(ctx context.Context, r gen.CompileMidiRequestObject) (gen.CompileMidiResponseObject, error) {
	_, done, err := s.compile(ctx, r.Id, r.Instrument, r.Body, r.Params.Part, r.Params.Bar)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := smf.WriteCompiled(&b, done.Name, done.Time, done.Messages); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: handover.FileName(done.Name) + ".mid", mediaType: "audio/midi"}, nil
}

// VisitCompileMidiResponse implements the generated response.
func (d download) VisitCompileMidiResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// VisitPatchListResponse implements the generated response.
func (d download) VisitPatchListResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// PatchList implements the contract.
func (s *server) PatchList(ctx context.Context, _ gen.PatchListRequestObject) (gen.PatchListResponseObject, error) {
	h, err := s.app.Catalogue(ctx, person(ctx))
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := patchlist.Write(&b, h.View().Template); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: "Catalogue.csv", mediaType: "text/csv; charset=utf-8"}, nil
}

// TakePatchList implements the contract.
func (s *server) TakePatchList(ctx context.Context, r gen.TakePatchListRequestObject) (gen.TakePatchListResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	list, err := patchlist.Read(r.Body)
	if err != nil {
		return nil, err
	}
	var sum catalogue.Taken
	var problems []intake.Problem
	plan := func(t *template.Template) (change.Change, error) {
		var c change.Change
		c, sum, problems = catalogue.Listed(t, list.Headings, list.Lines, intake.Reading{MiddleC: t.MiddleC(), Decimal: intake.Decimal(or(r.Params.Decimal, ""))}, app.NewID)
		return c, nil
	}
	out := gen.PatchListReport{Columns: catalogue.Columns()}
	if _, err := plan(h.View().Template); err != nil {
		return nil, err
	}
	if or(r.Params.Take, false) && sum.Added+sum.Updated > 0 {
		revision, err := h.Apply(ctx, p, plan)
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	out.Added, out.Updated, out.Same, out.Unsure = sum.Added, sum.Updated, sum.Same, sum.Unsure
	out.Problems, out.Told = listProblems(append(list.Problems, problems...)), listProblems(sum.Told)
	return gen.TakePatchList200JSONResponse(out), nil
}
