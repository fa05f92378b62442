package api

import (
	"context"
	"math"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

// mostMarks is how many marks are listed at once; the counts tell of the rest.
const mostMarks = 300

// silenceDB stands for a level of nothing at all, dB.
const silenceDB = -400

// Marks implements the contract.
func (s *server) Marks(ctx context.Context, r gen.MarksRequestObject) (gen.MarksResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	out := gen.Marks200JSONResponse{Total: len(v.Proof.Marks), Revision: v.Revision, Marks: []gen.Mark{}}
	for _, m := range v.Proof.Marks[:min(mostMarks, len(v.Proof.Marks))] {
		mark := gen.Mark{Code: m.Code, Subject: m.Subject, Name: m.Name, Message: m.Message}
		mark.Remedies = []gen.Remedy{}
		for _, remedy := range m.Remedies {
			mark.Remedies = append(mark.Remedies, gen.Remedy{Label: remedy.Label, Can: remedy.Build != nil})
		}
		out.Marks = append(out.Marks, mark)
	}
	counts := v.Proof.Counts()
	for _, rule := range proof.Rules {
		out.Codes = append(out.Codes, gen.CodeCount{Code: rule.Code, About: rule.About, Count: counts[rule.Code]})
	}
	return out, nil
}

// Mend implements the contract.
func (s *server) Mend(ctx context.Context, r gen.MendRequestObject) (gen.MendResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.Apply(ctx, p, app.Mend(r.Body.Code, r.Body.Subject, r.Body.Remedy))
	return gen.Mend200JSONResponse{Revision: revision}, err
}

// Routing implements the contract.
func (s *server) Routing(ctx context.Context, r gen.RoutingRequestObject) (gen.RoutingResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	f := v.Proof.Fan
	picture := f.Picture()
	out := gen.Routing200JSONResponse{Sections: []gen.Flowing{}, Buses: []gen.Flowing{}, Ribbons: []gen.Ribbon{}, Sums: []gen.FoldSum{}}
	for _, sec := range v.Template.SectionsInOrder() {
		if n := picture.Sections[sec.ID]; n > 0 {
			out.Sections = append(out.Sections, gen.Flowing{Id: sec.ID, Count: n})
		}
	}
	for _, b := range v.Template.Buses {
		out.Buses = append(out.Buses, gen.Flowing{Id: b.ID, Count: picture.Buses[b.ID]})
	}
	for _, x := range picture.Ribbons {
		ribbon := gen.Ribbon{From: x.From, To: x.To, Count: x.Count, Send: x.Send, LowDb: x.LowDB, HighDb: x.HighDB, Tap: string(x.Tap)}
		if x.Instrument != "" {
			ribbon.Instrument = &x.Instrument
		}
		out.Ribbons = append(out.Ribbons, ribbon)
	}
	for _, fold := range v.Template.Folds {
		sum := f.Sum(fold)
		entry := gen.FoldSum{Fold: fold.ID, Name: fold.Name, Stems: sum.Stems, Sources: sum.Sources, AddsUp: sum.AddsUp(), LargestDb: silenceDB}
		if sum.Largest > 0 {
			entry.LargestDb = max(silenceDB, template.Decibels(sum.Largest))
		}
		if !sum.AddsUp() {
			entry.Worst = sum.Mismatches[0].Instrument.Name
		}
		out.Sums = append(out.Sums, entry)
	}
	return out, nil
}

// Arriving implements the contract.
func (s *server) Arriving(ctx context.Context, r gen.ArrivingRequestObject) (gen.ArrivingResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	if v.Template.Index().Buses[template.ID(r.Bus)] == nil {
		return nil, store.ErrNotFound
	}
	f := v.Proof.Fan
	out := gen.Arriving200JSONResponse{}
	for _, a := range f.Arriving(template.ID(r.Bus)) {
		db := template.Decibels(a.Gain)
		if math.IsInf(db, 0) {
			db = silenceDB
		}
		out = append(out, gen.Arrival{Id: a.Instrument.ID, Name: a.Instrument.Name, Chain: f.ChainName(a.Chain), GainDb: db, Ways: a.Ways})
	}
	return out, nil
}

// Trace implements the contract.
func (s *server) Trace(ctx context.Context, r gen.TraceRequestObject) (gen.TraceResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	i := v.Template.Instrument(template.ID(r.Instrument))
	if i == nil {
		return nil, &change.Refused{Subject: template.ID(r.Instrument), Reason: "the instrument is no longer in the template"}
	}
	out := gen.Trace200JSONResponse{}
	for _, step := range v.Proof.Fan.Trace(i) {
		out = append(out, gen.TraceStep{Text: step.Text, Leaf: step.Leaf, Id: step.ID, Join: step.Join})
	}
	return out, nil
}
