package api

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/format/musicxml"
)

// Cast implements the contract.
func (s *server) Cast(ctx context.Context, r gen.CastRequestObject) (gen.CastResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	title, parts, unread, err := partsOf(ctx, r.Body, or(r.Params.Line, ""))
	if err != nil {
		return nil, err
	}
	ask := app.CastAsk{Parts: parts, List: template.ID(or(r.Params.List, "")), Name: or(r.Params.Name, title), Take: or(r.Params.Take, false)}
	if r.Params.Hand != nil {
		if err := json.Unmarshal([]byte(*r.Params.Hand), &ask.Hand); err != nil {
			return nil, &change.Refused{Reason: fmt.Sprintf("what was chosen by hand is not a JSON object: %v", err)}
		}
	}
	cast, err := h.Cast(ctx, p, ask)
	if err != nil {
		return nil, err
	}
	cat, err := s.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	out := gen.CastReport{Title: title, List: cast.List, Parts: []gen.CastPart{}, Unread: unreadIn(unread)}
	if cast.Revision > 0 {
		out.Revision = &cast.Revision
	}
	for _, c := range cast.Choices {
		out.Parts = append(out.Parts, castPart(c, h.View().Template, cat.View().Template))
	}
	return gen.Cast200JSONResponse(out), nil
}

// Furnish implements the contract.
func (s *server) Furnish(ctx context.Context, r gen.FurnishRequestObject) (gen.FurnishResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	is, revision, err := h.Furnish(ctx, p, app.FurnishAsk{Fill: r.Body.Fill, List: or(r.Body.List, ""), Stems: or(r.Body.Stems, ""), Seats: r.Body.Seats, OpeningMiB: r.Body.OpeningMib})
	if err != nil {
		return nil, err
	}
	out := gen.Furnish200JSONResponse{
		Revision: revision, Filled: is.Filled + is.Added, Joined: is.Joined, Free: []gen.FreeRow{}, Libraries: append([]string{}, is.Libraries...), Stems: is.Stems,
		Seated: is.Seated, Unseated: is.Unseated, Opening: is.Opening, OpeningMib: is.OpeningMiB,
	}
	for _, f := range is.Free {
		out.Free = append(out.Free, gen.FreeRow{Row: f.Row, Name: f.Name, Why: f.Why})
	}
	return out, nil
}

// partsOf reads the parts of a score, or of an orchestra in shorthand.
func partsOf(ctx context.Context, body io.Reader, line string) (string, []casting.Part, []casting.Unread, error) {
	if line != "" {
		parts, unread, err := casting.Shorthand(line)
		if err != nil {
			return "", nil, nil, &change.Refused{Reason: err.Error()}
		}
		return "The orchestra", parts, unread, nil
	}
	in := bufio.NewReader(body)
	if _, err := in.Peek(1); err != nil {
		return "", nil, nil, &change.Refused{Reason: "drop a MusicXML file, or write the orchestra in a line"}
	}
	score, err := musicxml.ReadWithin(ctx, in)
	if err != nil {
		return "", nil, nil, err
	}
	parts := make([]casting.Part, len(score.Parts))
	for n, p := range score.Parts {
		low, high, _ := p.Range()
		parts[n] = casting.Part{ID: p.ID, Name: p.Name, Sound: casting.SoundOf(p.Sounds, p.Name), Notes: len(p.Notes), Low: low, High: high}
		for _, x := range p.Techniques() {
			parts[n].Ways = append(parts[n].Ways, casting.Way{Name: x.Name, Notes: x.Notes, First: x.First})
		}
	}
	if score.Title == "" {
		score.Title = "The score"
	}
	return score.Title, parts, nil, nil
}

func castPart(c casting.Choice, t, cat *template.Template) gen.CastPart {
	out := gen.CastPart{
		Id: c.Part.ID, Name: c.Part.Name, Sound: c.Part.Sound, Players: c.Part.Players, Notes: c.Part.Notes, Low: c.Part.Low, High: c.Part.High,
		Ways: []gen.CastWay{}, Entry: c.Entry, Why: c.Why, Lacks: c.Lacks, Outside: c.Outside, Chosen: []gen.CastPlayer{},
	}
	if c.Part.Notes == 0 {
		out.Low, out.High = 0, 0
	}
	for _, w := range c.Part.Ways {
		out.Ways = append(out.Ways, gen.CastWay{Name: w.Name, Notes: w.Notes, First: w.First})
	}
	for _, id := range c.Instruments {
		if i := t.Instrument(id); i != nil {
			var libraries []string
			for _, l := range t.LibrariesOf(i) {
				libraries = append(libraries, l.Name)
			}
			out.Chosen = append(out.Chosen, gen.CastPlayer{Id: id, Name: i.Name, Library: strings.Join(libraries, " + "), InTemplate: true})
		}
	}
	for _, id := range c.Patches {
		if p := cat.Index().Patches[id]; p != nil {
			out.Chosen = append(out.Chosen, gen.CastPlayer{Id: id, Name: p.Name, Library: cat.Index().Libraries[p.Library].Name})
		}
	}
	return out
}
