package api

import (
	"context"
	"encoding/json"
	"fmt"
	"mime"
	"net/http"
	"strconv"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/audit"
	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
)

func printRow(x app.Print) gen.PrintRow {
	return gen.PrintRow{
		Id: x.ID, Title: x.Title, Version: x.Version, Recorded: x.Recorded, Ask: x.Ask, Revision: x.Revision, State: gen.PrintRowState(x.State), Reason: x.Reason,
		Done: x.Done, Of: x.Of, LeftS: x.LeftS, Line: x.Line, Faults: x.Faults, By: x.By, Made: x.Made,
	}
}

// Prints implements the contract.
func (s *server) Prints(ctx context.Context, r gen.PrintsRequestObject) (gen.PrintsResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	list, err := h.Prints(ctx, p)
	if err != nil {
		return nil, err
	}
	cues, err := s.app.PrintableCues(ctx, p, r.Id)
	out := gen.Prints200JSONResponse{Prints: []gen.PrintRow{}, Cues: []gen.PrintableCue{}, Ready: s.app.CanPrint()}
	for _, x := range list {
		out.Prints = append(out.Prints, printRow(x))
	}
	for _, c := range cues {
		row := gen.PrintableCue{Production: c.Production, ProductionName: c.ProductionName, Cue: string(c.Cue), Called: c.Called, RateHz: c.RateHz}
		if c.Why != "" {
			row.Why = &c.Why
		}
		out.Cues = append(out.Cues, row)
	}
	return out, err
}

// StartPrint implements the contract.
func (s *server) StartPrint(ctx context.Context, r gen.StartPrintRequestObject) (gen.StartPrintResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	id, err := h.StartPrint(ctx, p, *r.Body)
	return gen.StartPrint201JSONResponse{Id: id}, err
}

// TakeRecorded implements the contract.
func (s *server) TakeRecorded(ctx context.Context, r gen.TakeRecordedRequestObject) (gen.TakeRecordedResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	ask := app.PrintAsk{Production: r.Body.Production, Cue: cue.ID(or(r.Body.Cue, "")), PeakDB: or(r.Body.PeakDb, 0), Loudness: or(r.Body.Loudness, 0)}
	ask.Folds = or(r.Body.Folds, nil)
	id, err := h.TakeRecorded(ctx, p, r.Body.Title, ask)
	return gen.TakeRecorded201JSONResponse{Id: id}, err
}

// PrintOf implements the contract.
func (s *server) PrintOf(ctx context.Context, r gen.PrintOfRequestObject) (gen.PrintOfResponseObject, error) {
	x, err := s.app.Print(ctx, person(ctx), r.Id)
	if err != nil {
		return nil, err
	}
	row := printRow(x)
	out := gen.PrintOf200JSONResponse{
		Id: row.Id, Title: row.Title, Version: row.Version, Recorded: row.Recorded, Ask: row.Ask, Revision: row.Revision, State: gen.PrintWholeState(row.State), Reason: row.Reason,
		Done: row.Done, Of: row.Of, LeftS: row.LeftS, Line: row.Line, Faults: row.Faults, By: row.By, Made: row.Made, Template: x.Template, Files: []gen.PrintedFileOf{},
	}
	for _, f := range x.Files {
		out.Files = append(out.Files, gen.PrintedFileOf{Number: int(f.Number), Path: f.Path, Bus: f.Bus, Stem: f.Stem, Role: f.Role, How: f.How, Bytes: f.Bytes, Sha256: f.Sha256})
	}
	if len(x.Report) > 0 {
		out.Report = &audit.Report{}
		err = json.Unmarshal(x.Report, out.Report)
	}
	return out, err
}

// DeletePrint implements the contract.
func (s *server) DeletePrint(ctx context.Context, r gen.DeletePrintRequestObject) (gen.DeletePrintResponseObject, error) {
	return gen.DeletePrint204Response{}, s.app.DeletePrint(ctx, person(ctx), r.Id)
}

// StopPrint implements the contract.
func (s *server) StopPrint(ctx context.Context, r gen.StopPrintRequestObject) (gen.StopPrintResponseObject, error) {
	return gen.StopPrint204Response{}, s.app.StopPrint(ctx, person(ctx), r.Id)
}

// ResumePrint implements the contract.
func (s *server) ResumePrint(ctx context.Context, r gen.ResumePrintRequestObject) (gen.ResumePrintResponseObject, error) {
	return gen.ResumePrint204Response{}, s.app.ResumePrint(ctx, person(ctx), r.Id)
}

// SayWhatFilesAre implements the contract.
func (s *server) SayWhatFilesAre(ctx context.Context, r gen.SayWhatFilesAreRequestObject) (gen.SayWhatFilesAreResponseObject, error) {
	says := map[int]string{}
	for key, say := range r.Body.Says {
		n, err := strconv.Atoi(key)
		if err != nil {
			return nil, &change.Refused{Reason: fmt.Sprintf("files are named by their numbers; %q is not one", key)}
		}
		says[n] = say
	}
	return gen.SayWhatFilesAre204Response{}, s.app.Say(ctx, person(ctx), r.Id, says)
}

// TakeRecordedFile implements the contract.
func (s *server) TakeRecordedFile(ctx context.Context, r gen.TakeRecordedFileRequestObject) (gen.TakeRecordedFileResponseObject, error) {
	return gen.TakeRecordedFile204Response{}, s.app.TakeFile(ctx, person(ctx), r.Id, or(r.Params.Name, ""), r.Body, -1)
}

// PrintedFile implements the contract.
func (s *server) PrintedFile(ctx context.Context, r gen.PrintedFileRequestObject) (gen.PrintedFileResponseObject, error) {
	f, err := s.app.PrintFile(ctx, person(ctx), r.Id, r.Number)
	return printedFile{ctx, f, or(r.Params.Range, "")}, err
}

// printedFile answers with a file of a print, or the part of it that is asked for.
type printedFile struct {
	ctx  context.Context
	file app.PrintedFile
	part string // as HTTP's Range says it
}

// VisitPrintedFileResponse implements the generated response.
func (x printedFile) VisitPrintedFileResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", x.file.MediaType)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": x.file.Name}))
	w.Header().Set("Cache-Control", "private, no-cache")
	return serveParts(x.ctx, w, x.part, x.file.At, x.file)
}

// PrintWave implements the contract.
func (s *server) PrintWave(ctx context.Context, r gen.PrintWaveRequestObject) (gen.PrintWaveResponseObject, error) {
	data, err := s.app.PrintWave(ctx, person(ctx), r.Id, r.Number)
	return plainBytes(data), err
}

// PrintSound implements the contract.
func (s *server) PrintSound(ctx context.Context, r gen.PrintSoundRequestObject) (gen.PrintSoundResponseObject, error) {
	var numbers []int
	for _, text := range strings.Split(or(r.Params.Files, ""), ",") {
		if n, err := strconv.Atoi(text); err == nil {
			numbers = append(numbers, n)
		}
	}
	data, err := s.app.PrintSound(ctx, person(ctx), r.Id, numbers, or(r.Params.From, 0), or(r.Params.Frames, 48_000))
	return plainBytes(data), err
}

// plainBytes answers with bytes that are not text.
type plainBytes []byte

func (b plainBytes) visit(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	_, err := w.Write(b)
	return err
}

// VisitPrintWaveResponse implements the generated response.
func (b plainBytes) VisitPrintWaveResponse(w http.ResponseWriter) error { return b.visit(w) }

// VisitPrintSoundResponse implements the generated response.
func (b plainBytes) VisitPrintSoundResponse(w http.ResponseWriter) error { return b.visit(w) }

// PrintAgainst implements the contract.
func (s *server) PrintAgainst(ctx context.Context, r gen.PrintAgainstRequestObject) (gen.PrintAgainstResponseObject, error) {
	x, err := s.app.PrintAgainst(ctx, person(ctx), r.Id, r.Number, r.Before)
	return gen.PrintAgainst200JSONResponse(x), err
}

// PrintShape implements the contract.
func (s *server) PrintShape(ctx context.Context, r gen.PrintShapeRequestObject) (gen.PrintShapeResponseObject, error) {
	x, err := s.app.PrintShape(ctx, person(ctx), r.Id, r.Number)
	return gen.PrintShape200JSONResponse(x), err
}
