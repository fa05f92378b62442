package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/template"
)

// SessionFiles implements the contract.
func (s *server) SessionFiles(ctx context.Context, r gen.SessionFilesRequestObject) (gen.SessionFilesResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	list, err := h.SessionFiles(ctx, p)
	out := gen.SessionFiles200JSONResponse{}
	for _, f := range list {
		out = append(out, gen.SessionFile{Id: f.ID, Name: f.Name, ReadAt: f.CreatedAt, By: f.Author})
	}
	return out, err
}

// BringSession implements the contract.
func (s *server) BringSession(ctx context.Context, r gen.BringSessionRequestObject) (gen.BringSessionResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	id, err := h.BringSession(ctx, p, or(r.Params.Name, "The session"), r.Body)
	if err != nil {
		return nil, err
	}
	d, err := h.DriftOf(ctx, p, id, nil)
	return gen.BringSession201JSONResponse(driftOf(id, d)), err
}

// Drift implements the contract.
func (s *server) Drift(ctx context.Context, r gen.DriftRequestObject) (gen.DriftResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	order := or(r.Body.Order, false)
	if picks := picksOf(r.Body.Take); len(picks) > 0 || order {
		if _, err := h.TakeDrift(ctx, p, r.Session, picks, order); err != nil {
			return nil, err
		}
	}
	answers := map[template.ID]string{}
	for key, value := range or(r.Body.Answers, nil) {
		answers[template.ID(key)] = value
	}
	d, err := h.DriftOf(ctx, p, r.Session, answers)
	return gen.Drift200JSONResponse(driftOf(r.Session, d)), err
}

// ForgetSession implements the contract.
func (s *server) ForgetSession(ctx context.Context, r gen.ForgetSessionRequestObject) (gen.ForgetSessionResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.ForgetSession204Response{}, h.ForgetSession(ctx, p, r.Session)
}

// PutSessionRight implements the contract.
func (s *server) PutSessionRight(ctx context.Context, r gen.PutSessionRightRequestObject) (gen.PutSessionRightResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var picks []gen.Pick
	if text := or(r.Params.Picks, ""); text != "" {
		if err := json.Unmarshal([]byte(text), &picks); err != nil {
			return nil, &change.Refused{Reason: fmt.Sprintf("the picks are not a JSON list: %v", err)}
		}
	}
	x, err := h.PutSessionRight(ctx, p, r.Session, picksOf(&picks), or(r.Params.Order, false), r.Body)
	return righted{x}, err
}

// righted answers with a session file that is put right.
type righted struct{ *app.Righted }

// VisitPutSessionRightResponse implements the generated response.
func (x righted) VisitPutSessionRightResponse(w http.ResponseWriter) error {
	defer func() { _ = x.Close() }() // it was sent, or nobody takes it
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": x.Name}))
	w.Header().Set("Content-Length", strconv.FormatInt(x.Size, 10))
	w.Header().Set("X-Left", strings.Join(x.Left, "; "))
	if _, err := io.Copy(w, x); err != nil {
		panic(http.ErrAbortHandler) // who receives it must not take it for whole
	}
	return nil
}

// picksOf are differences that are to be taken.
func picksOf(list *[]gen.Pick) (out []compare.Pick) {
	for _, x := range or(list, nil) {
		out = append(out, compare.Pick{Noun: compare.Noun(x.Noun), ID: x.Id, Field: or(x.Field, "")})
	}
	return out
}

func differencesOf(list []compare.Difference) []gen.Difference {
	out := []gen.Difference{}
	for _, d := range list {
		x := gen.Difference{Noun: gen.DifferenceNoun(d.Noun), How: gen.DifferenceHow(d.How), Id: d.ID, Name: d.Name, Where: d.Where, Fields: []gen.FieldDifference{}}
		for _, f := range d.Fields {
			x.Fields = append(x.Fields, gen.FieldDifference{Name: f.Name, Here: f.Here, There: f.There})
		}
		out = append(out, x)
	}
	return out
}

func driftOf(id uuid.UUID, d app.Drift) gen.Drift {
	out := gen.Drift{
		Id: id, Revision: d.Revision, Differences: differencesOf(d.Differences), Elsewhere: append([]string{}, d.Elsewhere...), Left: append([]string{}, d.Left...),
		Questions: []gen.SessionQuestion{}, Found: map[string]int{},
	}
	for how, n := range d.Found {
		out.Found[string(how)] = n
	}
	for _, q := range d.Ask {
		x := gen.SessionQuestion{Key: string(q.Key), Text: q.Text, About: q.About, Chosen: q.Chosen}
		for _, o := range q.Options {
			x.Options = append(x.Options, struct {
				Value string `json:"value"`
				Words string `json:"words"`
			}{o.Value, o.Words})
		}
		out.Questions = append(out.Questions, x)
	}
	return out
}
