package api

import (
	"context"
	"fmt"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

func costs(estimates []calls.Estimate, unseated int) gen.CallCost {
	out := gen.CallCost{Unseated: unseated, Machines: []gen.MachineCost{}}
	for _, e := range estimates {
		c := gen.MachineCost{
			Id: e.Machine.ID, Name: e.Machine.Name, BeforeMib: e.BeforeMiB, AfterMib: e.AfterMiB, LimitMib: e.LimitMiB,
			Seconds: e.Wait.Seconds(), Loads: len(e.Order), Fits: e.Fits(), Rest: []gen.Id{},
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
	c := calls.Compare(t, r.Body.From, to)
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
	if err := h.Call(ctx, r.Body.Ids, app.How(r.Body.How)); err != nil {
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
	return gen.MakeCredential201JSONResponse{Command: fmt.Sprintf("fanfold host --server %s --name %s --memory %g --cores %d --disk-rate %g --credential %s",
		s.app.RigAddress(), shellQuote(m.Name), m.LimitMiB(), m.Cores, m.DiskMiBs, token)}, nil
}

// shellQuote quotes a text for a POSIX shell.
func shellQuote(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }
