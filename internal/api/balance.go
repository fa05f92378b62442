package api

import (
	"context"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/balance"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/template"
)

// Balance implements the contract.
func (s *server) Balance(ctx context.Context, r gen.BalanceRequestObject) (gen.BalanceResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	b := balance.Of(v.Template)
	out := gen.Balance{Calls: []gen.Headroom{}, Strengths: calibrate.Strengths[:], WorkingDb: balance.WorkingDB, OffDb: balance.OffDB, Unheard: b.Unheard, Rows: make([]gen.BalanceRow, len(b.Rows))}
	for n, x := range b.Rows {
		out.Rows[n] = gen.BalanceRow{Id: x.Row.ID, Level: x.LevelDB, Soft: x.SoftDB, Strong: x.StrongDB, Off: x.Off, Before: x.Before, Stands: x.Stands, Tone: x.ToneDB, Fault: x.Fault}
	}
	out.Weights = []gen.GroupWeight{}
	for _, x := range balance.WeightsOf(v.Template, v.Proof.Fan) {
		w := gen.GroupWeight{Group: x.Group.ID, Desks: x.Desks, Strength: x.Strength, From: x.FromDB, To: x.ToDB, Now: x.NowDB, Then: x.ThenDB, Why: x.Why}
		for _, i := range x.Rows {
			w.Rows = append(w.Rows, i.ID)
		}
		out.Weights = append(out.Weights, w)
	}
	for _, x := range balance.Headrooms(v.Template, v.Proof.Fan) {
		out.Calls = append(out.Calls, gen.Headroom{Call: x.Call.ID, Rows: x.Rows, Heard: x.Heard, Level: x.LevelDB, Strong: x.StrongDB, Peak: x.PeakDB, Over: x.OverDB})
	}
	return gen.Balance200JSONResponse(out), nil
}

func measuring(m app.Measuring) gen.Measuring {
	return gen.Measuring{Running: m.Running, Done: m.Done, Of: m.Of, LeftMs: m.LeftMs, Heard: m.Heard, Kept: m.Kept, Reason: m.Reason, Not: append([]string{}, m.Not...), Changed: changedRows(m.Changed)}
}

func changedRows(list []app.ChangedRow) []gen.ChangedRow {
	out := make([]gen.ChangedRow, len(list))
	for n, x := range list {
		out[n] = gen.ChangedRow{Id: x.ID, Name: x.Name, What: x.What}
	}
	return out
}

// Calibration implements the contract.
func (s *server) Calibration(ctx context.Context, r gen.CalibrationRequestObject) (gen.CalibrationResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	c, err := h.Calibration(ctx, p, or(r.Params.Revision, 0), or(r.Params.Together, false))
	if err != nil {
		return nil, err
	}
	out := gen.Calibration200JSONResponse{Revision: c.Revision, Seconds: c.Seconds}
	out.Pairs = make([]struct {
		Name string `json:"name"`
		Rows int    `json:"rows"`
	}, len(c.Pairs))
	for n, x := range c.Pairs {
		out.Pairs[n].Name, out.Pairs[n].Rows = x.Name, x.Rows
	}
	return out, nil
}

// CalibrationTest implements the contract.
func (s *server) CalibrationTest(ctx context.Context, r gen.CalibrationTestRequestObject) (gen.CalibrationTestResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	data, name, err := h.CalibrationTest(ctx, p, or(r.Params.Revision, 0), or(r.Params.Together, false))
	return download{data, name, "audio/midi"}, err
}

// Calibrate implements the contract.
func (s *server) Calibrate(ctx context.Context, r gen.CalibrateRequestObject) (gen.CalibrateResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	c, err := h.Calibrate(ctx, p, or(r.Params.Revision, 0), or(r.Params.Together, false), r.Pair, r.Body)
	return gen.Calibrate200JSONResponse{Heard: c.Heard, Not: append([]string{}, c.Not...), Changed: changedRows(c.Changed)}, err
}

// StartMeasuring implements the contract.
func (s *server) StartMeasuring(ctx context.Context, r gen.StartMeasuringRequestObject) (gen.StartMeasuringResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	m, err := h.StartMeasuring(ctx, p, r.Body.Rows, r.Body.KeepLevel != nil && *r.Body.KeepLevel)
	return gen.StartMeasuring200JSONResponse(measuring(m)), err
}

// MeasuringState implements the contract.
func (s *server) MeasuringState(ctx context.Context, r gen.MeasuringStateRequestObject) (gen.MeasuringStateResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.MeasuringState200JSONResponse(measuring(h.MeasuringState())), nil
}

// StopMeasuring implements the contract.
func (s *server) StopMeasuring(ctx context.Context, r gen.StopMeasuringRequestObject) (gen.StopMeasuringResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.StopMeasuring200JSONResponse(measuring(h.StopMeasuring())), nil
}

// LevelTrims implements the contract.
func (s *server) LevelTrims(ctx context.Context, r gen.LevelTrimsRequestObject) (gen.LevelTrimsResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	out := gen.LevelTrims{Trims: []gen.LevelTrim{}}
	for _, x := range h.Trims(r.Body.Rows) {
		out.Trims = append(out.Trims, gen.LevelTrim{Id: x.Row.ID, Name: x.Row.Name, FromDb: x.FromDB, ToDb: x.ToDB, Why: x.Why, Short: x.Short})
	}
	return gen.LevelTrims200JSONResponse(out), nil
}

// TakeLevelTrims implements the contract.
func (s *server) TakeLevelTrims(ctx context.Context, r gen.TakeLevelTrimsRequestObject) (gen.TakeLevelTrimsResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.TakeTrims(ctx, p, r.Body.Rows)
	return gen.TakeLevelTrims200JSONResponse{Revision: revision}, err
}

// Hall implements the contract.
func (s *server) Hall(ctx context.Context, r gen.HallRequestObject) (gen.HallResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	out := gen.Hall200JSONResponse{Stage: balance.StageOf(t), Sections: []gen.Standing{}}
	out.CriticalM = balance.CriticalDistance(out.Stage.VolumeM3, out.Stage.DecayS)
	for _, x := range balance.Halls {
		out.Halls = append(out.Halls, struct {
			Name  string             `json:"name"`
			Stage template.StagePlan `json:"stage"`
		}{x.Name, x.Stage})
	}
	for _, x := range balance.Hall(t) {
		standing := gen.Standing{
			Section: x.Section.ID, Rows: x.Rows, X: x.X, Y: x.Y, Own: x.Own, DistanceM: x.DistanceM, DelayMs: x.DelayMs, LevelDb: x.LevelDB,
			DirectDb: x.DirectDB, AirDb: x.AirDB, Pan: x.Pan,
		}
		for _, send := range x.Sends {
			standing.Sends = append(standing.Sends, struct {
				Level float64 `json:"level"`
				None  bool    `json:"none"`
				Room  string  `json:"room"`
				Rows  int     `json:"rows"`
			}{send.Level, send.None, string(send.Room), send.Rows})
		}
		out.Sections = append(out.Sections, standing)
	}
	return out, nil
}

// Microphones implements the contract.
func (s *server) Microphones(ctx context.Context, r gen.MicrophonesRequestObject) (gen.MicrophonesResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	list, err := h.Microphones(ctx, p, template.ID(r.Instrument))
	out := make(gen.Microphones200JSONResponse, len(list))
	for n, m := range list {
		out[n] = gen.Microphones{Names: append([]string{}, m.Names...), Now: m.Now, Level: m.Heard.Levels[1], DecayS: m.Heard.DecayS, Tone: m.ToneDB, Apart: m.ApartDB}
	}
	return out, err
}

// TakeWeights implements the contract.
func (s *server) TakeWeights(ctx context.Context, r gen.TakeWeightsRequestObject) (gen.TakeWeightsResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.TakeWeights(ctx, p, r.Body.Groups)
	return gen.TakeWeights200JSONResponse{Revision: revision}, err
}

// TakeHall implements the contract.
func (s *server) TakeHall(ctx context.Context, r gen.TakeHallRequestObject) (gen.TakeHallResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.TakeHall(ctx, p, r.Body.Sections)
	return gen.TakeHall200JSONResponse{Revision: revision}, err
}
