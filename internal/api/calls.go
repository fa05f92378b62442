package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/note"
	"fanfold/internal/core/sketch"
	"fanfold/internal/core/template"
	"fanfold/internal/format/smf"
	"fanfold/internal/store"
)

func costs(t *template.Template, ids []template.ID, estimates []calls.Estimate, unseated int) gen.CallCost {
	out := gen.CallCost{Unseated: unseated, TakesMib: calls.NewTakes(t).InAll(ids), Machines: []gen.MachineCost{}}
	for _, e := range estimates {
		c := gen.MachineCost{
			Id: e.Machine.ID, Name: e.Machine.Name, BeforeMib: e.BeforeMiB, AfterMib: e.AfterMiB, LimitMib: e.LimitMiB,
			Seconds: e.Learned.Seconds(), Computed: e.Wait.Seconds(), Loads: len(e.Order), Fits: e.Fits(), Rest: []gen.Id{}, Others: []gen.HeldElsewhere{},
		}
		if !e.Fits() {
			c.Refusal = e.Refusal()
		}
		for _, o := range e.Others {
			c.Others = append(c.Others, elsewhere(o))
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
	return gen.CallCost200JSONResponse(costs(h.View().Template, r.Body.Ids, estimates, len(unseated))), nil
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
	c := calls.Compare(t, calls.Going{Before: r.Body.From, After: calls.Combine(t, to, calls.Beside(t, r.Body.From)), Paces: h.Paces(), Others: h.Elsewhere()})
	id := func(i *template.Instrument) template.ID { return i.ID }
	return gen.CompareCalls200JSONResponse{
		Loads: idsOf(c.Loads, id), Rests: idsOf(c.Rests, id), Stays: idsOf(c.Stays, id), Cost: costs(t, to, c.Estimates, len(c.Unseated)),
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
	if saved := template.ID(or(r.Body.Saved, "")); h.View().Template.Index().Calls[saved] != nil {
		h.CallUsed(ctx, saved)
	}
	return gen.Call200JSONResponse(costs(h.View().Template, r.Body.Ids, estimates, len(unseated))), nil
}

// CallsUsed implements the contract.
func (s *server) CallsUsed(ctx context.Context, r gen.CallsUsedRequestObject) (gen.CallsUsedResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	rows, err := h.CallsUsed(ctx)
	out := gen.CallsUsed200JSONResponse{}
	for _, row := range rows {
		out = append(out, gen.CallUsed{Call: template.ID(row.CallID), At: row.UsedAt})
	}
	return out, err
}

func elsewhere(h calls.Held) gen.HeldElsewhere {
	return gen.HeldElsewhere{Template: h.Template, Name: h.Name, Machine: h.Machine, Mib: h.MiB}
}

// RestMachine implements the contract.
func (s *server) RestMachine(ctx context.Context, r gen.RestMachineRequestObject) (gen.RestMachineResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	ids := h.HeldOn(r.Machine)
	if err := h.Call(ctx, ids, app.RestThem, or(r.Body.Sure, false)); err != nil {
		return nil, err
	}
	return gen.RestMachine200JSONResponse{Rested: len(ids) - len(h.HeldOn(r.Machine))}, nil
}

// Begin implements the contract.
func (s *server) Begin(ctx context.Context, r gen.BeginRequestObject) (gen.BeginResponseObject, error) {
	h, _, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	n, err := h.Begin(ctx)
	return gen.Begin200JSONResponse{Called: n}, err
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

// CallFromMusic implements the contract.
func (s *server) CallFromMusic(ctx context.Context, r gen.CallFromMusicRequestObject) (gen.CallFromMusicResponseObject, error) {
	h, p, piece, err := s.piece(ctx, r.Id, r.Body)
	if err != nil {
		return nil, err
	}
	ask := app.MusicAsk{Piece: piece, Name: or(r.Params.Name, piece.Title), Take: or(r.Params.Take, false)}
	if ask.Hand, err = handIn(r.Params.Hand); err != nil {
		return nil, err
	}
	heard, err := h.CallFromMusic(ctx, p, ask)
	if err != nil {
		return nil, err
	}
	estimates, unseated := h.Estimate(heard.Used, app.OnlyThem)
	out := gen.MusicReport{Name: ask.Name, Parts: []gen.MusicPart{}, Notes: append([]string{}, piece.Notes...), Cost: costs(h.View().Template, heard.Used, estimates, len(unseated))}
	if heard.Revision > 0 {
		out.Revision, out.Call = &heard.Revision, &heard.Call
	}
	cat, err := s.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	for _, x := range heard.Parts {
		beyond := []string{}
		for _, key := range x.Beyond {
			beyond = append(beyond, note.Name(key, cat.View().Template.MiddleC()))
		}
		out.Parts = append(out.Parts, gen.MusicPart{
			Id: x.Music.ID, Name: x.Music.Name, Notes: x.Music.Notes, How: gen.MusicPartHow(x.How), Why: x.Why,
			Uses: append([]gen.Use{}, x.Uses...), Lacks: append([]string{}, x.Lacks...), Beyond: beyond,
		})
	}
	return gen.CallFromMusic200JSONResponse(out), nil
}

// handIn reads whom a person chose for parts, by their IDs.
func handIn(text *string) (hand map[string][]template.ID, err error) {
	if text == nil {
		return nil, nil
	}
	if err := json.Unmarshal([]byte(*text), &hand); err != nil {
		return nil, &change.Refused{Reason: fmt.Sprintf("what was chosen by hand is not a JSON object: %v", err)}
	}
	return hand, nil
}

// Print implements the contract.
func (s *server) Print(ctx context.Context, r gen.PrintRequestObject) (gen.PrintResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	revision, err := h.Print(ctx, p, template.ID(r.Instrument), app.Recording{Name: or(r.Params.File, ""), Body: r.Body, Bytes: lengthOf(ctx), Call: template.ID(or(r.Params.Call, ""))})
	return gen.Print200JSONResponse{Revision: revision}, err
}

// Recordings implements the contract.
func (s *server) Recordings(ctx context.Context, _ gen.RecordingsRequestObject) (gen.RecordingsResponseObject, error) {
	x, err := s.app.Recordings(ctx, person(ctx))
	return gen.Recordings200JSONResponse{Bytes: x.Bytes, MostBytes: x.Most, Files: x.Files}, err
}

// Recorded implements the contract.
func (s *server) Recorded(ctx context.Context, r gen.RecordedRequestObject) (gen.RecordedResponseObject, error) {
	heard, err := s.app.Recorded(ctx, person(ctx), r.Audio)
	return listening{ctx, heard, or(r.Params.Range, "")}, err
}

// listening answers with a recording, or the part of it that is asked for.
type listening struct {
	ctx   context.Context
	heard app.Heard
	part  string // as HTTP's Range says it
}

// VisitRecordedResponse implements the generated response.
func (l listening) VisitRecordedResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", l.heard.MediaType)
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable") // it is named by what is in it
	return serveParts(l.ctx, w, l.part, l.heard.At, l.heard)
}

// serveParts answers with a file, or with the part of it that is asked for as HTTP's Range says it.
func serveParts(ctx context.Context, w http.ResponseWriter, part string, changed time.Time, src io.ReadSeeker) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, "/", nil)
	if err != nil {
		return err
	}
	if part != "" {
		r.Header.Set("Range", part)
	}
	http.ServeContent(w, r, "", changed, src)
	return nil
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
	w := handover.NewWake(t, call)
	var b bytes.Buffer
	if err := smf.WriteWake(&b, w); err != nil {
		return nil, err
	}
	return download{data: b.Bytes(), name: handover.FileName(w.Name) + ".mid", mediaType: "audio/midi"}, nil
}

// VisitCallMidiResponse implements the generated response.
func (d download) VisitCallMidiResponse(w http.ResponseWriter) error { return d.VisitExportResponse(w) }

// Small implements the contract.
func (s *server) Small(ctx context.Context, r gen.SmallRequestObject) (gen.SmallResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	wish := sketch.Wish{BudgetMiB: r.Body.BudgetMib}
	if r.Body.Without != nil {
		wish.Without = *r.Body.Without
	}
	if r.Body.Words != nil {
		wish.Words = *r.Body.Words
	}
	small := h.Small(wish)
	out := gen.SmallSet{Mib: small.MiB, Worth: small.Worth, Most: small.Most, Rows: []gen.SmallRow{}, Wants: []gen.SmallWant{}}
	for _, i := range small.Rows {
		out.Rows = append(out.Rows, gen.SmallRow{Id: i.ID, For: small.For[i.ID]})
	}
	for _, w := range small.Wants {
		out.Wants = append(out.Wants, gen.SmallWant{Name: w.Name, By: said(w.By), Why: w.Why})
	}
	if name := or(r.Body.Keep, ""); name != "" {
		revision, err := h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
			return app.SaveCall(t, name, idsOf(small.Rows, func(i *template.Instrument) template.ID { return i.ID }))
		})
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	return gen.Small200JSONResponse(out), nil
}

// TrimToMusic implements the contract.
func (s *server) TrimToMusic(ctx context.Context, r gen.TrimToMusicRequestObject) (gen.TrimToMusicResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	list, err := h.Trimmings(ctx, template.ID(r.Call))
	if err != nil {
		return nil, err
	}
	out := gen.TrimReport{Rows: []gen.TrimRow{}}
	if r.Body.Take != gen.TrimToMusicJSONBodyTakeTell {
		make := app.TrimTo(list)
		if r.Body.Take == gen.TrimToMusicJSONBodyTakeWhole {
			make = app.LoadWhole(list)
		}
		revision, err := h.Apply(ctx, p, make)
		if err != nil {
			return nil, err
		}
		out.Revision = &revision
	}
	t := h.View().Template
	for _, x := range list {
		i := t.Instrument(x.Instrument.ID)
		out.Rows = append(out.Rows, gen.TrimRow{
			Instrument: x.Instrument.ID, FullMib: x.FullMiB, PreloadMib: x.PreloadMiB, TrimmedMib: x.TrimmedMiB,
			Zones: x.Zones, Of: x.Of, Why: x.Why, Trimmed: i != nil && i.Trim != nil,
			Beside: len(x.Beside), Stale: x.Stale(t),
		})
	}
	return gen.TrimToMusic200JSONResponse(out), nil
}

// said is nil for an empty text.
func said[T ~string](x T) *T {
	if x == "" {
		return nil
	}
	return &x
}
