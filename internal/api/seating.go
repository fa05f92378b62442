package api

import (
	"context"
	"fmt"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// nearlyFull is the share at which something counts as nearly full.
const nearlyFull = 0.9

func unseatedRows(plan seating.Plan) []gen.UnseatedRow {
	out := []gen.UnseatedRow{}
	for _, u := range plan.Unseated {
		out = append(out, gen.UnseatedRow{Id: u.Instrument.ID, Name: u.Instrument.Name, Reason: u.Reason})
	}
	return out
}

func seatingCost(c seating.Cost) gen.SeatingCost {
	return gen.SeatingCost{
		Unseated: c.Unseated, Moved: c.Moved, Risers: c.Risers, Wishes: c.Wishes, Pairs: c.Pairs,
		Uneven: c.Uneven, Total: c.Total,
	}
}

// Seating implements the contract: how all sit now, and why those who do not
// could not.
func (s *server) Seating(ctx context.Context, r gen.SeatingRequestObject) (gen.SeatingResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	plan := seating.Everyone(t, seating.Options{Rounds: -1, Held: h.HeldByOthers()})
	now := seating.Judge(t)
	out := gen.Seating200JSONResponse{
		RisersUsed: now.Risers, LowerBound: plan.LowerBound, Unseated: unseatedRows(plan),
		Cost: seatingCost(now), Full: []gen.NearlyFull{}, Weights: t.PlanWeights(), Links: []gen.SeatingLink{},
	}
	reasons := map[template.ID]bool{}
	for _, u := range plan.Unseated {
		reasons[u.Instrument.ID] = true
	}
	for _, i := range t.ScoreOrder() {
		if i.NeedsSeat() && i.Seat == nil && !reasons[i.ID] {
			out.Unseated = append(out.Unseated, gen.UnseatedRow{Id: i.ID, Name: i.Name, Reason: "not seated yet; there is room for it"})
		}
	}
	for _, f := range seating.NearlyFull(t, nearlyFull, h.HeldByOthers()) {
		out.Full = append(out.Full, gen.NearlyFull{Machine: f.Machine.Name, Riser: f.Riser, What: f.What, Text: f.Text(), Share: f.Share()})
	}
	for _, l := range seating.Links(t) {
		out.Links = append(out.Links, gen.SeatingLink{
			Machine: l.Machine.ID, Pairs: l.Pairs, Mbits: l.Mbits(), CarriesMbits: l.Machine.CarriesMbits(), LatencyMs: l.Machine.LatencyMs(),
		})
	}
	return out, nil
}

// SeatEveryone implements the contract.
func (s *server) SeatEveryone(ctx context.Context, r gen.SeatEveryoneRequestObject) (gen.SeatEveryoneResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	held := h.HeldByOthers()
	var plan seating.Plan
	done, err := s.make(ctx, r.Id, func(t *template.Template) (change.Change, error) {
		plan = seating.Everyone(t, seating.Options{Fresh: r.Body.Fresh, Held: held})
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

// ShiftSeats implements the contract.
func (s *server) ShiftSeats(ctx context.Context, r gen.ShiftSeatsRequestObject) (gen.ShiftSeatsResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	to := template.Seat{Machine: r.Body.To.Machine, Riser: r.Body.To.Riser, Port: r.Body.To.Port, Channel: r.Body.To.Channel}
	var shifts []seating.Shift
	make := func(t *template.Template) (c change.Change, err error) {
		c, shifts, err = seating.MoveShifting(t, r.Body.Ids, to)
		return c, err
	}
	out := gen.ShiftSeats200JSONResponse{}
	if or(r.Body.Take, false) {
		revision, err := h.Apply(ctx, p, make)
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	} else if _, err := make(h.View().Template); err != nil {
		return nil, err
	}
	for _, x := range shifts {
		out.Shifts = append(out.Shifts, struct {
			Channel int    `json:"channel"`
			Id      gen.Id `json:"id"`
			Name    string `json:"name"`
			Port    int    `json:"port"`
		}{x.To.Channel, x.Instrument.ID, x.Instrument.Name, x.To.Port})
	}
	out.Shifts = some(out.Shifts)
	return out, nil
}

func planState(p app.PlanState) gen.SeatingPlan {
	return gen.SeatingPlan{
		Revision: p.Revision, Running: p.Running, Seconds: p.For.Seconds(), Tried: p.Tried,
		Now: seatingCost(p.Now), Then: seatingCost(p.Then),
		LowerBound: p.Plan.LowerBound, Changes: len(p.Plan.Seats), Unseated: unseatedRows(p.Plan),
	}
}

// StartPlan implements the contract.
func (s *server) StartPlan(ctx context.Context, r gen.StartPlanRequestObject) (gen.StartPlanResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.StartPlan200JSONResponse(planState(h.StartPlan(p, r.Body.Fresh))), nil
}

// PlanState implements the contract.
func (s *server) PlanState(ctx context.Context, r gen.PlanStateRequestObject) (gen.PlanStateResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	state, err := h.PlanState(p)
	return gen.PlanState200JSONResponse(planState(state)), err
}

// StopPlan implements the contract.
func (s *server) StopPlan(ctx context.Context, r gen.StopPlanRequestObject) (gen.StopPlanResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	state, err := h.StopPlan(p)
	return gen.StopPlan200JSONResponse(planState(state)), err
}

// TakePlan implements the contract.
func (s *server) TakePlan(ctx context.Context, r gen.TakePlanRequestObject) (gen.TakePlanResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.TakePlan(ctx, p)
	return gen.TakePlan200JSONResponse{Revision: revision}, err
}

// WhatIf implements the contract.
func (s *server) WhatIf(ctx context.Context, r gen.WhatIfRequestObject) (gen.WhatIfResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	supposed, err := supposition(t, *r.Body)
	if err != nil {
		return nil, err
	}
	o, err := seating.WhatIf(t, supposed)
	return gen.WhatIf200JSONResponse{Now: seatingCost(o.Now), Then: seatingCost(o.Then), Unseated: unseatedRows(o.Plan)}, err
}

func supposition(t *template.Template, ask gen.WhatIfAsk) (change.Change, error) {
	machine := or(ask.Machine, "")
	switch ask.Kind {
	case gen.WhatIfAskKindGone:
		return seating.WithoutMachine(machine), nil
	case gen.WhatIfAskKindMemory:
		return seating.WithMemory(t, machine, or(ask.Mib, 0))
	case gen.WhatIfAskKindAnother:
		return seating.WithAnother(t, machine, app.NewID)
	default:
		return seating.WithLibrary(t, or(ask.Library, ""), machine)
	}
}

// FewestMoves implements the contract.
func (s *server) FewestMoves(ctx context.Context, r gen.FewestMovesRequestObject) (gen.FewestMovesResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	find := func(t *template.Template) (seating.Moves, error) {
		switch r.Body.Kind {
		case gen.MovesAskKindFewer:
			return seating.OneRiserFewer(t)
		case gen.MovesAskKindEmpty:
			return seating.EmptyRiser(t, or(r.Body.Machine, ""), or(r.Body.Riser, 0))
		default:
			return seating.FreeMemory(t, or(r.Body.Machine, ""), or(r.Body.Mib, 0))
		}
	}
	t := h.View().Template
	moves, err := find(t)
	if err != nil {
		return nil, err
	}
	out := gen.FewestMoves200JSONResponse{Text: moves.Text}
	for _, m := range moves.Seats {
		name := t.Index().Machines[m.Seat.Machine].Name
		to := fmt.Sprintf("%s, riser %d, port %d, channel %d", name, m.Seat.Riser, m.Seat.Port, m.Seat.Channel)
		out.Moves = append(out.Moves, struct {
			Id   gen.Id `json:"id"`
			Name string `json:"name"`
			To   string `json:"to"`
		}{m.ID, t.Instrument(m.ID).Name, to})
	}
	if r.Body.Take {
		out.Revision, err = h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
			moves, err := find(t)
			return change.Batch{Label: moves.Text, Changes: []change.Change{moves.Change()}}, err
		})
	}
	return out, err
}

// SeatByHand implements the contract.
func (s *server) SeatByHand(ctx context.Context, r gen.SeatByHandRequestObject) (gen.SeatByHandResponseObject, error) {
	ids, machine, riser := or(r.Body.Ids, nil), or(r.Body.Machine, ""), or(r.Body.Riser, 0)
	done, err := s.make(ctx, r.Id, func(t *template.Template) (change.Change, error) {
		switch r.Body.Kind {
		case gen.Release:
			return seating.Release(ids), nil
		case gen.Renumber:
			return seating.Renumber(t, machine, riser)
		case gen.Riser:
			return seating.MoveRiser(t, machine, riser, or(r.Body.ToMachine, ""), or(r.Body.ToRiser, 0))
		case gen.Copy:
			return app.CopyRiser(machine, riser, or(r.Body.ToMachine, ""), or(r.Body.ToRiser, 0))(t)
		default:
			return seating.Consecutive(t, ids, seating.Part(r.Body.Kind), or(r.Body.From, 0))
		}
	})
	return gen.SeatByHand200JSONResponse(done), err
}

// WhyThere implements the contract.
func (s *server) WhyThere(ctx context.Context, r gen.WhyThereRequestObject) (gen.WhyThereResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	why, err := seating.Explain(h.View().Template, r.Instrument)
	out := gen.WhyThere200JSONResponse{Reasons: why.Reasons}
	for _, e := range why.Elsewhere {
		out.Elsewhere = append(out.Elsewhere, struct {
			Can     bool   `json:"can"`
			Machine string `json:"machine"`
			Text    string `json:"text"`
		}{e.Can, e.Machine.Name, e.Text})
	}
	return out, err
}
