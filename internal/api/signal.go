package api

import (
	"context"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/ribbon"
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
	marks := slices.Concat(h.Crowded(), v.Proof.Marks)
	tried := or(r.Params.Tried, false)
	out := gen.Marks200JSONResponse{Total: len(marks), Revision: v.Revision, Tried: tried}
	out.Marks = make([]gen.Mark, min(mostMarks, or(r.Params.Count, mostMarks), len(marks)))
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for n, m := range marks[:len(out.Marks)] {
		out.Marks[n] = gen.Mark{Code: m.Code, Subject: m.Subject, Name: m.Name, Message: m.Message, Remedies: []gen.Remedy{}}
		if !tried {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			remedies, at := v.Proof.Remedies(m)
			for k, remedy := range remedies {
				x := gen.Remedy{Label: remedy.Label, At: at[k], Can: remedy.Build != nil || remedy.Rests != nil}
				if remedy.Rests != nil {
					held := elsewhere(*remedy.Rests)
					x.Rests = &held
				}
				out.Marks[n].Remedies = append(out.Marks[n].Remedies, x)
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
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
	var only map[template.ID]bool
	if or(r.Params.Ready, false) {
		only = h.Ready()
	}
	if along := template.ID(or(r.Params.Sight, "")); along != "" {
		ready := only
		only = map[template.ID]bool{}
		for _, f := range v.Facts {
			only[f.ID] = slices.Contains(f.Sights, along) && (ready == nil || ready[f.ID])
		}
	}
	d := ribbon.Draw(v.Template, v.Proof.Fan, ribbon.View{
		Fold: template.ID(or(r.Params.Fold, "")), Toggled: toggled(r.Params.Toggled), Room: min(1e5, max(0, or(r.Params.Room, 0))), Only: only,
	})
	out := gen.Routing200JSONResponse{Places: make([]gen.Place, len(d.Places)), Ribbons: make([]gen.Ribbon, len(d.Ribbons)), Columns: d.Columns, Height: d.Height, Sums: []gen.FoldSum{}}
	for n, p := range d.Places {
		out.Places[n] = gen.Place{
			Id: p.ID, Name: p.Name, Kind: gen.PlaceKind(p.Kind), Number: given(p.Number), Tint: p.Tint, Column: p.Column,
			Y: p.Y, H: p.H, Count: p.Count, Holds: given(p.Holds), In: given(p.In),
		}
	}
	for n, x := range d.Ribbons {
		out.Ribbons[n] = gen.Ribbon{
			From: x.From, To: x.To, Count: x.Count, Send: given(x.Send), LowDb: x.LowDB, HighDb: x.HighDB, Tap: gen.RibbonTap(x.Tap), Y1: x.Y1, Y2: x.Y2, H: x.H,
		}
	}
	for _, fold := range v.Template.Folds {
		out.Sums = append(out.Sums, foldSum(v.Proof.Fan, fold))
	}
	return out, nil
}

// given is a pointer to a value that says something, nil for one that does not.
func given[T comparable](x T) *T {
	var none T
	if x == none {
		return nil
	}
	return &x
}

// mostDiffer is how many mismatches are told one by one.
const mostDiffer = 200

func foldSum(f *fan.Fan, fold *template.Fold) gen.FoldSum {
	sum := f.Sum(fold)
	out := gen.FoldSum{
		Fold: fold.ID, Name: fold.Name, Stems: sum.Stems, Sources: sum.Sources, AddsUp: sum.AddsUp(), Dry: sum.Dry,
		LargestDb: silenceDB, Mismatches: len(sum.Mismatches),
	}
	out.DryRows, out.WetRows = sum.DryRows, sum.WetRows
	for _, w := range sum.Without {
		x := struct {
			Home *string `json:"home,omitempty"`
			Name string  `json:"name"`
			Rows int     `json:"rows"`
			Stem gen.Id  `json:"stem"`
		}{Name: w.Stem.Name, Rows: w.Rows, Stem: w.Stem.ID}
		if w.Home != nil {
			x.Home = &w.Home.Name
		}
		out.Without = append(out.Without, x)
	}
	out.Without = some(out.Without)
	if sum.Largest > 0 {
		out.LargestDb = levelDB(sum.Largest)
	}
	for _, m := range sum.Mismatches[:min(mostDiffer, len(sum.Mismatches))] {
		out.Differ = append(out.Differ, struct {
			Chain   string  `json:"chain"`
			Id      gen.Id  `json:"id"`
			MixDb   float64 `json:"mixDb"`
			Name    string  `json:"name"`
			StemsDb float64 `json:"stemsDb"`
		}{f.ChainName(m.Chain), m.Instrument.ID, levelDB(m.Mix), m.Instrument.Name, levelDB(m.Stems)})
	}
	out.Differ = some(out.Differ)
	return out
}

// levelDB is a level, dB; silenceDB for none.
func levelDB(gain float64) float64 { return max(silenceDB, template.Decibels(gain)) }

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
		out = append(out, gen.Arrival{Id: a.Instrument.ID, Name: a.Instrument.Name, Chain: f.ChainName(a.Chain), GainDb: levelDB(a.Gain), Ways: a.Ways})
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
	i, err := instrument(v.Template, r.Instrument)
	if err != nil {
		return nil, err
	}
	return gen.Trace200JSONResponse(stepsOf(v.Proof.Fan.Trace(i))), nil
}

// Layers implements the contract.
func (s *server) Layers(ctx context.Context, r gen.LayersRequestObject) (gen.LayersResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	i, err := instrument(t, r.Instrument)
	if err != nil {
		return nil, err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	is := articulation.Together(words, articulation.LayersOf(t, i))
	out := gen.Layers200JSONResponse{
		Layers: []gen.Layer{}, Map: append([]gen.Mapping{}, is.Map...), Serving: append([]gen.Mapping{}, is.Serving...), Keys: append([]int{}, is.Keys...),
		Faults: layerFaults(is.Faults), Lacking: layerFaults(is.Lacking),
	}
	for _, x := range t.PatchesOf(i) {
		out.Layers = append(out.Layers, gen.Layer{Name: x.Name, Library: t.Index().Libraries[x.Library].Name, Map: append([]gen.Mapping{}, x.Map...)})
	}
	return out, nil
}

func layerFaults(list []articulation.LayerFault) []gen.LayerFault {
	out := []gen.LayerFault{}
	for _, f := range list {
		out = append(out, gen.LayerFault{Articulation: f.Articulation, Message: f.Message})
	}
	return out
}

func stepsOf(tr fan.Trace) []gen.TraceStep {
	out := make([]gen.TraceStep, len(tr))
	for n, step := range tr {
		out[n] = gen.TraceStep{Text: step.Text, Leaf: step.Leaf, Id: step.ID, Join: step.Join}
	}
	return out
}

// BusTrace implements the contract.
func (s *server) BusTrace(ctx context.Context, r gen.BusTraceRequestObject) (gen.BusTraceResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	b := v.Template.Index().Buses[template.ID(r.Bus)]
	if b == nil {
		return nil, &change.Refused{Subject: template.ID(r.Bus), Reason: "the bus is no longer in the template"}
	}
	return gen.BusTrace200JSONResponse(stepsOf(v.Proof.Fan.BusTrace(b))), nil
}

// Reach implements the contract: every bus an instrument reaches, in the order
// sound meets them.
func (s *server) Reach(ctx context.Context, r gen.ReachRequestObject) (gen.ReachResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	i, err := instrument(v.Template, r.Instrument)
	if err != nil {
		return nil, err
	}
	f := v.Proof.Fan
	left, right := fan.Sides(i.Pan)
	out := gen.Reach200JSONResponse{}
	for _, b := range deliver.InOrder(v.Template) {
		for _, x := range f.FromInstrument(i) {
			if f.Bus(x) == b {
				out = append(out, gen.ReachRow{Bus: b.ID, Chain: f.ChainName(x.Chain), Wet: f.Wet(x.Chain), GainDb: levelDB(x.Gain), LeftDb: levelDB(x.Gain * left), RightDb: levelDB(x.Gain * right), Ways: int(x.Ways)})
			}
		}
	}
	return out, nil
}

func instrument(t *template.Template, id string) (*template.Instrument, error) {
	i := t.Instrument(template.ID(id))
	if i == nil {
		return nil, &change.Refused{Subject: template.ID(id), Reason: "the instrument is no longer in the template"}
	}
	return i, nil
}
