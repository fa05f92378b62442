package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format"
	"fanfold/internal/format/smf"
	"fanfold/internal/store"
)

func costs(estimates []calls.Estimate, unseated int) gen.CallCost {
	out := gen.CallCost{Unseated: unseated, Machines: []gen.MachineCost{}}
	for _, e := range estimates {
		c := gen.MachineCost{
			Id: e.Machine.ID, Name: e.Machine.Name, BeforeMib: e.BeforeMiB, AfterMib: e.AfterMiB, LimitMib: e.LimitMiB,
			Seconds: e.Learned.Seconds(), Computed: e.Wait.Seconds(), Loads: len(e.Order), Fits: e.Fits(), Rest: []gen.Id{},
		}
		if !e.Fits() {
			c.Refusal = e.Refusal()
		}
		for _, r := range e.Rest {
			c.Rest = append(c.Rest, r.Instrument.ID)
		}
		out.Machines = append(out.Machines, c)
	}
	return out
}

// CallCost implements the contract.
func (s *server) CallCost(ctx context.Context, r gen.CallCostRequestObject) (gen.CallCostResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	estimates, unseated := h.Estimate(r.Body.Ids, app.How(r.Body.How))
	return gen.CallCost200JSONResponse(costs(estimates, len(unseated))), nil
}

// CompareCalls implements the contract.
func (s *server) CompareCalls(ctx context.Context, r gen.CompareCallsRequestObject) (gen.CompareCallsResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t, to := h.View().Template, r.Body.To
	if r.Body.Both {
		to = calls.Combine(t, r.Body.From, to)
	}
	c := calls.Compare(t, r.Body.From, calls.Combine(t, to, h.Kept()))
	id := func(i *template.Instrument) template.ID { return i.ID }
	return gen.CompareCalls200JSONResponse{
		Loads: idsOf(c.Loads, id), Rests: idsOf(c.Rests, id), Stays: idsOf(c.Stays, id), Cost: costs(c.Estimates, len(c.Unseated)),
	}, nil
}

// Call implements the contract.
func (s *server) Call(ctx context.Context, r gen.CallRequestObject) (gen.CallResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	estimates, unseated := h.Estimate(r.Body.Ids, app.How(r.Body.How))
	if err := h.Call(ctx, r.Body.Ids, app.How(r.Body.How), or(r.Body.Sure, false)); err != nil {
		return nil, err
	}
	return gen.Call200JSONResponse(costs(estimates, len(unseated))), nil
}

// SaveCall implements the contract.
func (s *server) SaveCall(ctx context.Context, r gen.SaveCallRequestObject) (gen.SaveCallResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	wanted := h.Wanted()
	revision, err := h.Apply(ctx, p, func(t *template.Template) (change.Change, error) { return app.SaveCall(t, r.Body.Name, wanted) })
	return gen.SaveCall200JSONResponse{Revision: revision}, err
}

// MakeCredential implements the contract.
func (s *server) MakeCredential(ctx context.Context, r gen.MakeCredentialRequestObject) (gen.MakeCredentialResponseObject, error) {
	h, p, err := s.open(ctx, r.Body.Template)
	if err != nil {
		return nil, err
	}
	m := h.View().Template.Index().Machines[r.Body.Machine]
	if m == nil {
		return nil, store.ErrNotFound
	}
	token, err := s.app.MakeCredential(ctx, p, m.Name)
	if err != nil {
		return nil, err
	}
	command := fmt.Sprintf("fanfold host --server %s --name %s --memory %g --cores %d --disk-rate %g", s.app.RigAddress(), shellQuote(m.Name), m.LimitMiB(), m.Cores, m.DiskMiBs)
	for _, l := range h.View().Template.Libraries {
		if l.InstalledOn(m.Name) {
			command += " --library " + shellQuote(l.Name)
		}
	}
	return gen.MakeCredential201JSONResponse{Command: command + " --credential " + token}, nil
}

// RevokeCredential implements the contract.
func (s *server) RevokeCredential(ctx context.Context, r gen.RevokeCredentialRequestObject) (gen.RevokeCredentialResponseObject, error) {
	if err := s.app.RevokeCredential(ctx, person(ctx), r.Credential); err != nil {
		return nil, err
	}
	return gen.RevokeCredential204Response{}, nil
}

// Host implements the contract.
func (s *server) Host(ctx context.Context, r gen.HostRequestObject) (gen.HostResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	m := h.View().Template.Index().Machines[template.ID(r.Machine)]
	if m == nil {
		return nil, store.ErrNotFound
	}
	v, err := s.app.Host(ctx, p, m.Name)
	if err != nil {
		return nil, err
	}
	out := gen.Host{
		Online: v.Online, Version: v.Report.Version, MemoryMib: v.Report.MemoryMiB, UsedMib: v.Report.UsedMiB, DiskMibs: v.Report.DiskMiBs,
		Cores: v.Report.Cores, Libraries: append([]string{}, v.Report.Libraries...), Ready: h.ReadyOn(m.ID), Voices: v.Report.Voices, Load: v.Report.Load,
		Factor: v.Pace.Factor(), Measured: v.Pace.Loads, History: []gen.HostSample{}, Credentials: []gen.HostCredential{},
	}
	if !v.Seen.IsZero() {
		out.Seen = &v.Seen
	}
	now := time.Now()
	for _, x := range v.History {
		out.History = append(out.History, gen.HostSample{Ago: now.Sub(x.At).Seconds(), UsedMib: x.UsedMiB, Voices: x.Voices})
	}
	for _, c := range v.Credentials {
		row := gen.HostCredential{Id: c.ID, Created: c.CreatedAt}
		if c.SeenAt.Valid {
			row.Seen = &c.SeenAt.Time
		}
		out.Credentials = append(out.Credentials, row)
	}
	return gen.Host200JSONResponse(out), nil
}

// CallFromMusic implements the contract.
func (s *server) CallFromMusic(ctx context.Context, r gen.CallFromMusicRequestObject) (gen.CallFromMusicResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	piece, err := app.ReadPiece(r.Body, words)
	if err != nil {
		return nil, err
	}
	ask := app.MusicAsk{Piece: piece, Name: or(r.Params.Name, piece.Title), Take: or(r.Params.Take, false)}
	if r.Params.Hand != nil {
		if err := json.Unmarshal([]byte(*r.Params.Hand), &ask.Hand); err != nil {
			return nil, &change.Refused{Reason: fmt.Sprintf("what was chosen by hand is no JSON object: %v", err)}
		}
	}
	heard, err := h.CallFromMusic(ctx, p, ask)
	if err != nil {
		return nil, err
	}
	estimates, unseated := h.Estimate(heard.Used, app.OnlyThem)
	out := gen.MusicReport{Name: ask.Name, Parts: []gen.MusicPart{}, Cost: costs(estimates, len(unseated))}
	if heard.Revision > 0 {
		out.Revision, out.Call = &heard.Revision, &heard.Call
	}
	for _, x := range heard.Parts {
		out.Parts = append(out.Parts, gen.MusicPart{
			Id: x.Music.ID, Name: x.Music.Name, Notes: x.Music.Notes, How: gen.MusicPartHow(x.How), Why: x.Why,
			Uses: append([]gen.Use{}, x.Uses...), Lacks: append([]string{}, x.Lacks...),
		})
	}
	return gen.CallFromMusic200JSONResponse(out), nil
}

// Print implements the contract.
func (s *server) Print(ctx context.Context, r gen.PrintRequestObject) (gen.PrintResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	make, err := app.Print(template.ID(r.Instrument), app.Recording{Name: r.Params.File, Head: r.Body, Size: r.Params.Size, Call: template.ID(or(r.Params.Call, ""))})
	if err != nil {
		return nil, err
	}
	revision, err := h.Apply(ctx, p, make)
	return gen.Print200JSONResponse{Revision: revision}, err
}

// CallMidi implements the contract.
func (s *server) CallMidi(ctx context.Context, r gen.CallMidiRequestObject) (gen.CallMidiResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	call := t.Index().Calls[template.ID(r.Call)]
	if call == nil {
		return nil, store.ErrNotFound
	}
	clock, err := tempo.New(handover.TicksPerQuarter)
	if err != nil {
		return nil, err
	}
	w := handover.NewWake(t, call)
	var b bytes.Buffer
	if err := smf.WriteCompiled(&b, w.Name, clock, w.Messages); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: format.FileName(w.Name) + ".mid", mediaType: "audio/midi"}, nil
}

// VisitCallMidiResponse implements the generated response.
func (d download) VisitCallMidiResponse(w http.ResponseWriter) error { return d.VisitExportResponse(w) }

// shellQuote quotes a text for a POSIX shell.
func shellQuote(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }
