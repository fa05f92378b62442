package api

import (
	"context"
	"fmt"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

func unseatedRows(plan seating.Plan) []gen.UnseatedRow {
	out := []gen.UnseatedRow{}
	for _, u := range plan.Unseated {
		out = append(out, gen.UnseatedRow{Id: u.Instrument.ID, Name: u.Instrument.Name, Reason: u.Reason})
	}
	return out
}

// Seating implements the contract: what a plan would say now, so that those
// without a seat are listed with the reason.
func (s *server) Seating(ctx context.Context, r gen.SeatingRequestObject) (gen.SeatingResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	plan := seating.Everyone(t, seating.Options{})
	out := gen.Seating200JSONResponse{RisersUsed: seating.RisersUsed(t), LowerBound: plan.LowerBound, Unseated: unseatedRows(plan)}
	reasons := map[template.ID]bool{}
	for _, u := range plan.Unseated {
		reasons[u.Instrument.ID] = true
	}
	for _, i := range t.ScoreOrder() {
		if i.NeedsSeat() && i.Seat == nil && !reasons[i.ID] {
			out.Unseated = append(out.Unseated, gen.UnseatedRow{Id: i.ID, Name: i.Name, Reason: "not seated yet; there is room for it"})
		}
	}
	return out, nil
}

// SeatEveryone implements the contract.
func (s *server) SeatEveryone(ctx context.Context, r gen.SeatEveryoneRequestObject) (gen.SeatEveryoneResponseObject, error) {
	var plan seating.Plan
	done, err := s.make(ctx, r.Id, func(t *template.Template) (change.Change, error) {
		plan = seating.Everyone(t, seating.Options{Fresh: r.Body.Fresh})
		if len(plan.Seats) == 0 {
			if len(plan.Unseated) > 0 {
				u := plan.Unseated[0]
				return nil, &change.Refused{Subject: u.Instrument.ID, Reason: fmt.Sprintf("no seat could be given; %s: %s", u.Instrument.Name, u.Reason)}
			}
			return nil, &change.Refused{Reason: "everyone is seated already"}
		}
		return change.Batch{Label: "Seat everyone", Changes: []change.Change{plan.Change()}}, nil
	})
	rows := unseatedRows(plan)
	done.Unseated, done.RisersUsed, done.LowerBound = &rows, &plan.RisersUsed, &plan.LowerBound
	return gen.SeatEveryone200JSONResponse(done), err
}

// MoveSeats implements the contract.
func (s *server) MoveSeats(ctx context.Context, r gen.MoveSeatsRequestObject) (gen.MoveSeatsResponseObject, error) {
	to := template.Seat{Machine: r.Body.To.Machine, Riser: r.Body.To.Riser, Port: r.Body.To.Port, Channel: r.Body.To.Channel}
	done, err := s.make(ctx, r.Id, func(t *template.Template) (change.Change, error) { return seating.Move(t, r.Body.Ids, to) })
	return gen.MoveSeats200JSONResponse(done), err
}

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
