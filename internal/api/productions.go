package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format"
	"fanfold/internal/format/sheet"
	"fanfold/internal/format/sheetpdf"
	"fanfold/internal/format/spotting"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

func (s *server) film(ctx context.Context, id uuid.UUID) (*app.Film, app.Person, error) {
	p := person(ctx)
	f, err := s.app.OpenFilm(ctx, p, id)
	return f, p, err
}

func productionRow(row db.Document) gen.ProductionRow {
	about := app.FilmAboutFrom(row.About)
	return gen.ProductionRow{Id: row.ID, Name: row.Name, Revision: row.Revision, Rate: about.Rate, Reels: about.Reels, Cues: about.Cues, Templates: append([]string{}, about.Templates...)}
}

// Productions implements the contract.
func (s *server) Productions(ctx context.Context, _ gen.ProductionsRequestObject) (gen.ProductionsResponseObject, error) {
	list, err := s.app.Productions(ctx, person(ctx))
	out := gen.Productions200JSONResponse{}
	for _, row := range list {
		out = append(out, productionRow(row))
	}
	return out, err
}

// CreateProduction implements the contract.
func (s *server) CreateProduction(ctx context.Context, r gen.CreateProductionRequestObject) (gen.CreateProductionResponseObject, error) {
	row, err := s.app.NewProduction(ctx, person(ctx), r.Body.Name, r.Body.Rate)
	return gen.CreateProduction201JSONResponse(productionRow(row)), err
}

// OpenProduction implements the contract.
func (s *server) OpenProduction(ctx context.Context, r gen.OpenProductionRequestObject) (gen.OpenProductionResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := f.View()
	out := gen.OpenProduction200JSONResponse{
		Id: r.Id, Revision: v.Revision, Locked: v.Locked, Settings: app.SettingsOf(v.Production), Reels: []gen.Reel{}, Cuts: app.CutsOf(v.Production), Cues: []gen.Cue{},
		Marks: append([]cue.Mark{}, v.Marks...), Sums: v.Production.Sums(time.Now()),
	}
	for _, x := range v.Production.Reels {
		out.Reels = append(out.Reels, *x)
	}
	for _, x := range v.Production.Cues {
		out.Cues = append(out.Cues, *x)
	}
	return out, nil
}

// ChangeProduction implements the contract.
func (s *server) ChangeProduction(ctx context.Context, r gen.ChangeProductionRequestObject) (gen.ChangeProductionResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.Change(ctx, p, r.Body.Base, r.Body.Change)
	return gen.ChangeProduction200JSONResponse{Revision: revision}, err
}

// ProductionUndoable implements the contract.
func (s *server) ProductionUndoable(ctx context.Context, r gen.ProductionUndoableRequestObject) (gen.ProductionUndoableResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	undo, redo, err := f.Undoable(ctx, p)
	return gen.ProductionUndoable200JSONResponse{Undo: undo, Redo: redo}, err
}

// UndoProduction implements the contract.
func (s *server) UndoProduction(ctx context.Context, r gen.UndoProductionRequestObject) (gen.UndoProductionResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.Undo(ctx, p)
	return gen.UndoProduction200JSONResponse{Revision: revision}, err
}

// RedoProduction implements the contract.
func (s *server) RedoProduction(ctx context.Context, r gen.RedoProductionRequestObject) (gen.RedoProductionResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.Redo(ctx, p)
	return gen.RedoProduction200JSONResponse{Revision: revision}, err
}

// ProductionHistory implements the contract.
func (s *server) ProductionHistory(ctx context.Context, r gen.ProductionHistoryRequestObject) (gen.ProductionHistoryResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	rows, err := f.History(ctx, or(r.Params.Before, 0))
	return gen.ProductionHistory200JSONResponse(pastChanges(rows)), err
}

// TakeBackOneOfProduction implements the contract.
func (s *server) TakeBackOneOfProduction(ctx context.Context, r gen.TakeBackOneOfProductionRequestObject) (gen.TakeBackOneOfProductionResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.TakeBackOne(ctx, p, r.Revision)
	return gen.TakeBackOneOfProduction200JSONResponse{Revision: revision}, err
}

// SpotCues implements the contract.
func (s *server) SpotCues(ctx context.Context, r gen.SpotCuesRequestObject) (gen.SpotCuesResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var mapping map[string]string
	if text := or(r.Params.Mapping, ""); text != "" {
		if err := json.Unmarshal([]byte(text), &mapping); err != nil {
			return nil, &change.Refused{Reason: fmt.Sprintf("the mapping is not a JSON object: %v", err)}
		}
	}
	done, err := f.Spot(ctx, p, r.Body, mapping, or(r.Params.Take, false))
	if err != nil {
		return nil, err
	}
	columns := []string{}
	for _, c := range spotting.Columns {
		if c.In&spotting.OfCues != 0 {
			columns = append(columns, c.Name)
		}
	}
	return gen.SpotCues200JSONResponse{
		Columns: columns, Headings: done.Read.Headings, Mapping: done.Read.Mapping, Unmatched: done.Read.Unmatched, New: done.Does.New, Changed: done.Does.Changed,
		Reels: done.Does.Reels, Problems: append([]cue.Problem{}, done.Problems...), Revision: unless(done.Revision, 0),
	}, nil
}

// cuesLeaving is a production whose cues leave in a format, and the reel, if it is one that is there.
func (s *server) cuesLeaving(ctx context.Context, id uuid.UUID, name string, reel *string) (*cue.Production, format.CueExport, cue.ID, error) {
	f, _, err := s.film(ctx, id)
	if err != nil {
		return nil, format.CueExport{}, "", err
	}
	e, err := format.FindCues(name)
	if err != nil {
		return nil, e, "", store.ErrNotFound
	}
	p, one := f.View().Production, cue.ID(or(reel, ""))
	if one != "" && p.Reel(one) == nil {
		return nil, e, "", store.ErrNotFound
	}
	return p, e, one, nil
}

// CuesOut implements the contract.
func (s *server) CuesOut(ctx context.Context, r gen.CuesOutRequestObject) (gen.CuesOutResponseObject, error) {
	p, e, reel, err := s.cuesLeaving(ctx, r.Id, r.Format, r.Params.Reel)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := e.Write(&b, p, reel); err != nil {
		return nil, &change.Refused{Reason: err.Error()}
	}
	name := p.Timeline(reel).Title
	return download{data: b.Bytes(), name: handover.FileName(name) + " cues" + e.Extension, mediaType: e.MediaType}, nil
}

// VisitCuesOutResponse implements the generated response.
func (d download) VisitCuesOutResponse(w http.ResponseWriter) error { return d.VisitExportResponse(w) }

// CuesLeft implements the contract.
func (s *server) CuesLeft(ctx context.Context, r gen.CuesLeftRequestObject) (gen.CuesLeftResponseObject, error) {
	p, e, reel, err := s.cuesLeaving(ctx, r.Id, r.Format, r.Params.Reel)
	if err != nil {
		return nil, err
	}
	return gen.CuesLeft200JSONResponse(append([]string{}, e.Left(p, reel)...)), nil
}

// BringInCut implements the contract.
func (s *server) BringInCut(ctx context.Context, r gen.BringInCutRequestObject) (gen.BringInCutResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	where := app.Picture{Reel: cue.ID(or(r.Params.Reel, "")), Cut: cue.ID(or(r.Params.Cut, "")), Name: or(r.Params.Name, ""), On: or(r.Params.On, "")}
	done, err := f.BringIn(ctx, p, r.Body, where)
	return gen.BringInCut200JSONResponse{Cut: gen.Id(done.Cut), Reel: gen.Id(done.Reel), Events: done.Events, Notes: append([]string{}, done.Notes...), Revision: done.Revision}, err
}

// CutEvents implements the contract.
func (s *server) CutEvents(ctx context.Context, r gen.CutEventsRequestObject) (gen.CutEventsResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	picture := f.View().Production.CutOf(cue.ID(r.Cut)).Reel(cue.ID(r.Reel))
	if picture == nil {
		return gen.CutEvents200JSONResponse{}, nil
	}
	return gen.CutEvents200JSONResponse(append([]cut.Event{}, picture.Events...)), nil
}

// Conform implements the contract.
func (s *server) Conform(ctx context.Context, r gen.ConformRequestObject) (gen.ConformResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	x, err := f.Conform(cue.ID(r.Cut))
	if err != nil {
		return nil, err
	}
	out := gen.Conform200JSONResponse{Reels: []gen.ReelMatch{}}
	for _, m := range x.Reels {
		out.Reels = append(out.Reels, gen.ReelMatch{Reel: gen.Id(m.Reel), Pieces: append([]cut.Piece{}, m.Pieces...), Gone: append([]cut.Span{}, m.Gone...), Fresh: append([]cut.Span{}, m.Fresh...), Old: m.Old, New: m.New})
	}
	for n, v := range x.Verdicts {
		one := struct {
			Proposals []gen.CueProposal `json:"proposals"`
			Verdict   gen.CueVerdict    `json:"verdict"`
		}{[]gen.CueProposal{}, v}
		for _, q := range x.Proposals[n] {
			one.Proposals = append(one.Proposals, gen.CueProposal{Way: gen.CueProposalWay(q.Way), Text: q.Text, Bend: q.Bend, Worst: q.Worst, Errors: q.Errors, Lost: q.Lost})
		}
		out.Cues = append(out.Cues, one)
	}
	return out, nil
}

// TakeCut implements the contract.
func (s *server) TakeCut(ctx context.Context, r gen.TakeCutRequestObject) (gen.TakeCutResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	choices := map[cue.ID]int{}
	for id, n := range r.Body.Choices {
		choices[cue.ID(id)] = n
	}
	revision, err := f.TakeCut(ctx, p, cue.ID(r.Cut), choices)
	return gen.TakeCut200JSONResponse{Revision: revision}, err
}

// BackToCut implements the contract.
func (s *server) BackToCut(ctx context.Context, r gen.BackToCutRequestObject) (gen.BackToCutResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.BackTo(ctx, p, cue.ID(r.Cut))
	return gen.BackToCut200JSONResponse{Revision: revision}, err
}

// FindTempi implements the contract.
func (s *server) FindTempi(ctx context.Context, r gen.FindTempiRequestObject) (gen.FindTempiResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	steady, maps, err := f.Tempi(cue.ID(r.Body.Cue), cue.FindAsk{LowBPM: r.Body.Low, HighBPM: r.Body.High, StartWays: r.Body.Ways, Beats: r.Body.Beats}, or(r.Body.Ratio, 0))
	return gen.FindTempi200JSONResponse{Steady: append([]cue.Found{}, steady...), Maps: append([]cue.Mapped{}, maps...)}, err
}

// CueBars implements the contract.
func (s *server) CueBars(ctx context.Context, r gen.CueBarsRequestObject) (gen.CueBarsResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	bars, err := f.Bars(cue.ID(r.Cue))
	return gen.CueBars200JSONResponse(bars), err
}

// FrameRates implements the contract.
func (s *server) FrameRates(context.Context, gen.FrameRatesRequestObject) (gen.FrameRatesResponseObject, error) {
	out := gen.FrameRates200JSONResponse{}
	for _, x := range timecode.Rates {
		out = append(out, x.Name)
	}
	return out, nil
}

// AddCue implements the contract.
func (s *server) AddCue(ctx context.Context, r gen.AddCueRequestObject) (gen.AddCueResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	id, revision, err := f.AddCue(ctx, p, cue.ID(r.Body.Reel), r.Body.Start, r.Body.End)
	return gen.AddCue200JSONResponse{Id: gen.Id(id), Revision: revision}, err
}

// AddReel implements the contract.
func (s *server) AddReel(ctx context.Context, r gen.AddReelRequestObject) (gen.AddReelResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	id, revision, err := f.AddReel(ctx, p)
	return gen.AddReel200JSONResponse{Id: gen.Id(id), Revision: revision}, err
}

// StartCues implements the contract.
func (s *server) StartCues(ctx context.Context, r gen.StartCuesRequestObject) (gen.StartCuesResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	ask := app.StartAsk{Template: or(r.Body.Template, uuid.Nil), Call: template.ID(or(r.Body.Call, "")), Click: or(r.Body.Click, false), Own: or(r.Body.Own, false)}
	for _, id := range r.Body.Cues {
		ask.Cues = append(ask.Cues, cue.ID(id))
	}
	done, err := f.Start(ctx, p, ask)
	if err != nil {
		return nil, err
	}
	return download{data: done.Zip, name: done.Name + ".zip", mediaType: "application/zip"}, nil
}

// VisitStartCuesResponse implements the generated response.
func (d download) VisitStartCuesResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// SinceStarted implements the contract.
func (s *server) SinceStarted(ctx context.Context, r gen.SinceStartedRequestObject) (gen.SinceStartedResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	list, err := f.Since(ctx, p, cue.ID(r.Cue))
	return gen.SinceStarted200JSONResponse(list), err
}

// TakeChange implements the contract.
func (s *server) TakeChange(ctx context.Context, r gen.TakeChangeRequestObject) (gen.TakeChangeResponseObject, error) {
	f, p, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := f.TakeChange(ctx, p, cue.ID(r.Cue), r.Body.Revision, r.Body.Take)
	return gen.TakeChange200JSONResponse{Revision: revision}, err
}

// CutReport implements the contract.
func (s *server) CutReport(ctx context.Context, r gen.CutReportRequestObject) (gen.CutReportResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	x, err := f.Conform(cue.ID(r.Cut))
	if err != nil {
		return nil, err
	}
	p := f.View().Production
	next := p.CutOf(cue.ID(r.Cut))
	if next == nil {
		return nil, store.ErrNotFound
	}
	title := p.Name + ", " + next.Name
	var b bytes.Buffer
	d := download{name: handover.FileName(title) + "." + string(r.Format), mediaType: "application/pdf"}
	if r.Format == gen.CutReportParamsFormatCsv {
		d.mediaType = "text/csv; charset=utf-8"
		err = sheet.Write(&b, handover.CutTable(p, x.Conforming))
	} else {
		err = sheetpdf.Write(&b, title, handover.CutReport(p, next, x.Conforming))
	}
	d.data = b.Bytes()
	return d, err
}

// VisitCutReportResponse implements the generated response.
func (d download) VisitCutReportResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// RecutMidi implements the contract.
func (s *server) RecutMidi(ctx context.Context, r gen.RecutMidiRequestObject) (gen.RecutMidiResponseObject, error) {
	f, _, err := s.film(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if _, err := f.RecutMIDI(cue.ID(r.Cue), cue.ID(or(r.Params.Cut, "")), or(r.Params.Choice, 0), &b, r.Body); err != nil {
		return nil, err
	}
	name := "cue"
	if c := f.View().Production.Cue(cue.ID(r.Cue)); c != nil {
		name = c.Called()
	}
	return download{data: b.Bytes(), name: handover.FileName(name) + " recut.mid", mediaType: "audio/midi"}, nil
}

// VisitRecutMidiResponse implements the generated response.
func (d download) VisitRecutMidiResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}
