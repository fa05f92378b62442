package api

import (
	"context"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/template"
	"fanfold/internal/core/transfer"
)

// Settle implements the contract.
func (s *server) Settle(ctx context.Context, r gen.SettleRequestObject) (gen.SettleResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	c, err := change.Unmarshal(r.Body.Change)
	if err != nil {
		return nil, &change.Refused{Reason: err.Error()}
	}
	revision, err := h.ApplySeen(ctx, p, max(0, r.Body.Base), app.Settle(c))
	return gen.Settle200JSONResponse{Revision: revision}, err
}

// Wire implements the contract.
func (s *server) Wire(ctx context.Context, r gen.WireRequestObject) (gen.WireResponseObject, error) {
	maker := app.Maker(app.Wire)
	switch r.Body.What {
	case "rules":
		maker = app.ApplyRules
	case "numbers":
		maker = app.Renumber(or(r.Body.First, 1), or(r.Body.Gap, 0))
	}
	done, err := s.make(ctx, r.Id, maker)
	return gen.Wire200JSONResponse(done), err
}

// WirePreview implements the contract.
func (s *server) WirePreview(ctx context.Context, r gen.WirePreviewRequestObject) (gen.WirePreviewResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	c, err := app.Wire(v.Template)
	if err != nil {
		return nil, err
	}
	seen, err := deliver.Preview(v.Template, c)
	if err != nil {
		return nil, err
	}
	return gen.WirePreview200JSONResponse(outcome(v.Template, v.Revision, seen)), nil
}

func outcome(t *template.Template, revision int64, seen deliver.Outcome) gen.WiringOutcome {
	out := gen.WiringOutcome{
		Revision: revision, Made: namedBuses(seen.Made), Removed: namedBuses(seen.Removed), MovedRows: len(seen.Moved), Rewired: seen.Rewired,
	}
	for _, p := range seen.Split {
		out.Split = append(out.Split, struct {
			Into []string `json:"into"`
			Name string   `json:"name"`
		}{busNames(p.Into), p.Return.Name})
	}
	for _, m := range seen.Moved[:min(mostDiffer, len(seen.Moved))] {
		out.Moved = append(out.Moved, struct {
			From []string `json:"from"`
			Id   gen.Id   `json:"id"`
			Name string   `json:"name"`
			To   []string `json:"to"`
		}{busNames(m.From), m.Instrument.ID, m.Instrument.Name, busNames(m.To)})
	}
	for _, x := range seen.Stems {
		fold := ""
		if f := t.Index().Folds[x.Stem.Fold]; f != nil {
			fold = f.Name
		}
		out.Stems = append(out.Stems, struct {
			After  gen.StemLoad `json:"after"`
			Before gen.StemLoad `json:"before"`
			Fold   string       `json:"fold"`
			Id     gen.Id       `json:"id"`
			Name   string       `json:"name"`
		}{gen.StemLoad(x.After), gen.StemLoad(x.Before), fold, x.Stem.ID, x.Stem.Name})
	}
	out.Split, out.Moved, out.Stems = some(out.Split), some(out.Moved), some(out.Stems)
	return out
}

func namedBuses(buses []*template.Bus) []gen.NamedBus {
	out := []gen.NamedBus{}
	for _, b := range buses {
		out = append(out, gen.NamedBus{Name: b.Name, Kind: string(b.Kind)})
	}
	return out
}

func busNames(buses []*template.Bus) []string {
	out := []string{}
	for _, b := range buses {
		out = append(out, b.Name)
	}
	return out
}

// AddWet implements the contract.
func (s *server) AddWet(ctx context.Context, r gen.AddWetRequestObject) (gen.AddWetResponseObject, error) {
	done, err := s.make(ctx, r.Id, app.AddWet(r.Body.Stem))
	return gen.AddWet200JSONResponse(done), err
}

// Obey implements the contract.
func (s *server) Obey(ctx context.Context, r gen.ObeyRequestObject) (gen.ObeyResponseObject, error) {
	done, err := s.make(ctx, r.Id, app.Obey(r.Body.Ids, or(r.Body.Sends, false)))
	return gen.Obey200JSONResponse(done), err
}

// Nest implements the contract.
func (s *server) Nest(ctx context.Context, r gen.NestRequestObject) (gen.NestResponseObject, error) {
	done, err := s.make(ctx, r.Id, app.Nest(r.Body.Stems, or(r.Body.Parent, "")))
	return gen.Nest200JSONResponse(done), err
}

// AddFold implements the contract.
func (s *server) AddFold(ctx context.Context, r gen.AddFoldRequestObject) (gen.AddFoldResponseObject, error) {
	done, err := s.make(ctx, r.Id, app.AddFold(r.Body.Name, r.Body.At))
	return gen.AddFold200JSONResponse(done), err
}

// RemoveFold implements the contract.
func (s *server) RemoveFold(ctx context.Context, r gen.RemoveFoldRequestObject) (gen.RemoveFoldResponseObject, error) {
	done, err := s.make(ctx, r.Id, app.RemoveFold(template.ID(r.Fold)))
	return gen.RemoveFold200JSONResponse(done), err
}

// Starts implements the contract.
func (s *server) Starts(ctx context.Context, r gen.StartsRequestObject) (gen.StartsResponseObject, error) {
	if _, _, err := s.open(ctx, r.Id); err != nil {
		return nil, err
	}
	out := gen.Starts200JSONResponse{}
	for _, start := range deliver.Starts() {
		out = append(out, gen.StartRow{Name: start.Name, About: start.About})
	}
	return out, nil
}

// Establish implements the contract.
func (s *server) Establish(ctx context.Context, r gen.EstablishRequestObject) (gen.EstablishResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	report, revision, err := h.Establish(ctx, p, app.StemAsk{
		List: r.Body, Start: or(r.Params.Start, ""), Sections: or(r.Params.Sections, false),
		TakeAway: or(r.Params.TakeAway, false), Rules: or(r.Params.Rules, false), Take: or(r.Params.Take, false),
	})
	if err != nil {
		return nil, err
	}
	out := gen.Establish200JSONResponse{
		Folds: some(report.Folds), Made: some(report.Made), Kept: some(report.Kept), Moved: some(report.Moved),
		Removed: some(report.Removed), Staying: some(report.Staying), Rules: report.Rules,
	}
	if revision > 0 {
		out.Revision = &revision
	}
	return out, nil
}

// some is the list, never null.
func some[T any](list []T) []T { return append([]T{}, list...) }

func idsOf[T any](list []*T, id func(*T) template.ID) []template.ID {
	out := make([]template.ID, len(list))
	for n, x := range list {
		out[n] = id(x)
	}
	return out
}

func instrumentID(i *template.Instrument) template.ID { return i.ID }
func busID(b *template.Bus) template.ID               { return b.ID }

// TryRules implements the contract: what rules would say, in score order.
func (s *server) TryRules(ctx context.Context, r gen.TryRulesRequestObject) (gen.TryRulesResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	set := change.SetRules{}
	for n := range r.Body.Rules {
		set.Rules = append(set.Rules, &r.Body.Rules[n])
	}
	tried, _, err := change.Apply(v.Template, set)
	if err != nil {
		return nil, err
	}
	verdicts := map[template.ID]deliver.Verdict{}
	for _, x := range deliver.NewSorter(tried, tried.Rules).Sort(v.Proof.Fan) {
		verdicts[x.Instrument.ID] = x
	}
	out := gen.TryRules200JSONResponse{}
	for _, i := range tried.ScoreOrder() {
		x, ok := verdicts[i.ID]
		if !ok {
			continue
		}
		row := gen.Verdict{Id: i.ID, Now: idsOf(x.Now, busID), Rule: x.Rule, Why: x.Why(), Exception: x.Exception, Moves: x.Moves(), Also: []string{}}
		if x.Stem != nil {
			row.Stem = &x.Stem.ID
		}
		for _, f := range x.Also {
			row.Also = append(row.Also, string(f))
		}
		out = append(out, row)
	}
	return out, nil
}

// DeliveryCost implements the contract.
func (s *server) DeliveryCost(ctx context.Context, r gen.DeliveryCostRequestObject) (gen.DeliveryCostResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	minutes := or(r.Params.Minutes, 0)
	if !(minutes >= 0 && minutes <= 6000) {
		return nil, &change.Refused{Reason: "the length is 0 to 6000 minutes"}
	}
	c := deliver.Estimate(h.View().Template, minutes)
	out := gen.DeliveryCost200JSONResponse{
		Groups: c.Groups, Returns: c.Returns, Stems: c.Stems, Buses: c.Buses, Pairs: c.Pairs, Files: c.Files, Bytes: c.Bytes,
		Minutes: c.Minutes, Effects: c.Effects, Ways: c.Ways, AddsPerSecond: c.AddsPerSecond,
	}
	for _, f := range c.Folds {
		out.Folds = append(out.Folds, struct {
			Bytes   float64 `json:"bytes"`
			Files   int     `json:"files"`
			Fold    gen.Id  `json:"fold"`
			Returns int     `json:"returns"`
			Stems   int     `json:"stems"`
			Ways    int     `json:"ways"`
		}{f.Bytes, f.Files, f.Fold.ID, f.Returns, f.Stems, f.Ways})
	}
	return out, nil
}

// Dependants implements the contract.
func (s *server) Dependants(ctx context.Context, r gen.DependantsRequestObject) (gen.DependantsResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	v := h.View()
	d, err := deliver.DependOn(v.Template, v.Proof.Fan, template.ID(r.Bus))
	return gen.Dependants200JSONResponse{
		Instruments: len(d.Instruments), Buses: idsOf(d.Buses, busID), Rules: d.Rules,
		Orphaned: idsOf(d.Orphaned, instrumentID), Silenced: idsOf(d.Silenced, instrumentID), Offers: idsOf(d.Offers, busID),
	}, err
}

// DuplicateSection implements the contract.
func (s *server) DuplicateSection(ctx context.Context, r gen.DuplicateSectionRequestObject) (gen.DuplicateSectionResponseObject, error) {
	done, err := s.adding(ctx, r.Id, app.Seated(app.DuplicateSection(template.ID(r.Section))))
	return gen.DuplicateSection200JSONResponse(done), err
}

// Paste implements the contract.
func (s *server) Paste(ctx context.Context, r gen.PasteRequestObject) (gen.PasteResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	answers := map[template.ID]transfer.Answer{}
	if r.Body.Answers != nil {
		for bus, a := range *r.Body.Answers {
			answers[template.ID(bus)] = transfer.Answer{Bus: or(a.Bus, ""), Make: or(a.Make, false)}
		}
	}
	questions, revision, err := h.Paste(ctx, p, r.Body.From, r.Body.Ids, answers)
	if err != nil {
		return nil, err
	}
	out := gen.Pasted{}
	for _, q := range questions {
		out.Questions = append(out.Questions, struct {
			Bus         gen.Id `json:"bus"`
			Instruments int    `json:"instruments"`
			Kind        string `json:"kind"`
			Name        string `json:"name"`
		}{q.Bus.ID, q.Instruments, string(q.Bus.Kind), q.Bus.Name})
	}
	out.Questions = some(out.Questions)
	if revision > 0 {
		out.Revision = &revision
	}
	return gen.Paste200JSONResponse(out), nil
}

// toggled reads the places that are folded or unfolded against their usual way.
func toggled(list *[]string) map[template.ID]bool {
	out := map[template.ID]bool{}
	for _, id := range or(list, nil) {
		if id = strings.TrimSpace(id); id != "" {
			out[template.ID(id)] = true
		}
	}
	return out
}
