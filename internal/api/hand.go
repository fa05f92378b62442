package api

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"slices"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format/smf"
)

// Hand implements the contract.
func (s *server) Hand(ctx context.Context, _ gen.HandRequestObject) (gen.HandResponseObject, error) {
	own, proposed, err := s.app.Hand(ctx, person(ctx))
	return gen.Hand200JSONResponse{Map: append([]template.Mapping{}, own...), Proposed: append([]template.Mapping{}, proposed...)}, err
}

// SetHand implements the contract.
func (s *server) SetHand(ctx context.Context, r gen.SetHandRequestObject) (gen.SetHandResponseObject, error) {
	template.NormaliseMap(r.Body.Map)
	if err := s.app.SetHand(ctx, person(ctx), r.Body.Map); err != nil {
		return nil, err
	}
	own, proposed, err := s.app.Hand(ctx, person(ctx))
	return gen.SetHand200JSONResponse{Map: append([]template.Mapping{}, own...), Proposed: append([]template.Mapping{}, proposed...)}, err
}

// HandOnRows implements the contract.
func (s *server) HandOnRows(ctx context.Context, r gen.HandOnRowsRequestObject) (gen.HandOnRowsResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	rows, err := h.HandOn(ctx, p, r.Body.Ids)
	if err != nil {
		return nil, err
	}
	out := gen.HandOnRows200JSONResponse{}
	for _, x := range rows {
		out = append(out, gen.HandRow{Id: x.Instrument.ID, Reaches: reaches(x.Reaches), InTheWay: append([]string{}, x.InTheWay...)})
	}
	return out, nil
}

func reaches(list []articulation.Reach) []gen.Reach {
	out := []gen.Reach{}
	for _, r := range list {
		out = append(out, gen.Reach{Wanted: r.Wanted, Plays: said(r.Plays), Exact: r.Exact, Switches: append([]template.Switch{}, r.Switches...)})
	}
	return out
}

func (s *server) translate(ctx context.Context, id uuid.UUID, body io.Reader) (*app.Hot, app.Piece, []app.TranslatedPart, error) {
	h, p, piece, err := s.piece(ctx, id, body)
	if err != nil {
		return nil, piece, nil, err
	}
	parts, err := h.Translate(ctx, p, piece)
	return h, piece, parts, err
}

// Translate implements the contract.
func (s *server) Translate(ctx context.Context, r gen.TranslateRequestObject) (gen.TranslateResponseObject, error) {
	_, piece, parts, err := s.translate(ctx, r.Id, r.Body)
	if err != nil {
		return nil, err
	}
	out := gen.Translate200JSONResponse{Parts: []gen.TranslatedPart{}, Notes: append([]string{}, piece.Notes...)}
	for _, p := range parts {
		x := gen.TranslatedPart{Name: p.Name, Why: p.Why, Rows: []gen.TranslatedRow{}}
		for _, row := range p.Rows {
			x.Rows = append(x.Rows, gen.TranslatedRow{Id: row.Instrument.ID, Notes: row.Notes, Switches: row.Switches, Outside: row.Outside, Instead: reaches(row.Instead)})
		}
		out.Parts = append(out.Parts, x)
	}
	return out, nil
}

// TranslateMidi implements the contract.
func (s *server) TranslateMidi(ctx context.Context, r gen.TranslateMidiRequestObject) (gen.TranslateMidiResponseObject, error) {
	h, piece, parts, err := s.translate(ctx, r.Id, r.Body)
	if err != nil {
		return nil, err
	}
	time, played, err := app.PlayedParts(h.View().Template, piece, parts)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := smf.WritePlayed(&b, time, played); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: handover.FileName(h.View().Template.Name) + " translated.mid", mediaType: "audio/midi"}, nil
}

// VisitTranslateMidiResponse implements the generated response.
func (d download) VisitTranslateMidiResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

// Playable implements the contract.
func (s *server) Playable(ctx context.Context, r gen.PlayableRequestObject) (gen.PlayableResponseObject, error) {
	h, p, piece, err := s.piece(ctx, r.Id, r.Body)
	if err != nil {
		return nil, err
	}
	is, err := h.Playable(ctx, p, piece)
	if err != nil {
		return nil, err
	}
	quiet := h.View().Template.Settings.Quiet
	out := gen.Playable200JSONResponse{Orchestra: []gen.PlayingDesk{}, Unread: unreadIn(is.Unread), Parts: is.Parts, Unknown: append([]string{}, is.Unknown...), Findings: []gen.PlayFinding{}, Notes: append([]string{}, piece.Notes...)}
	for _, d := range is.Orchestra {
		out.Orchestra = append(out.Orchestra, gen.PlayingDesk{Name: d.Name, Players: d.Players})
	}
	for _, f := range is.Findings[:min(mostFindings, len(is.Findings))] {
		out.Findings = append(out.Findings, gen.PlayFinding{Key: f.Key(), Kind: string(f.Kind), Desk: f.Desk, From: f.From, To: f.To, Message: f.Message, Quiet: slices.Contains(quiet, f.Key())})
	}
	return out, nil
}

// mostFindings is how many findings are listed.
const mostFindings = 2000
