package api

import (
	"bytes"
	"context"
	"net/http"

	"fanfold/internal/api/gen"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format/sheet"
)

// FollowMusic implements the contract.
func (s *server) FollowMusic(ctx context.Context, r gen.FollowMusicRequestObject) (gen.FollowMusicResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	hand, err := handIn(r.Params.Hand)
	if err != nil {
		return nil, err
	}
	f, err := h.Follow(ctx, p, r.Body, hand)
	if err != nil {
		return nil, err
	}
	out := gen.FollowMusic200JSONResponse{Title: f.Title, Bars: f.Bars, Silent: []string{}}
	for _, x := range f.Silent {
		out.Silent = append(out.Silent, x.Name+": "+x.Reason)
	}
	for _, x := range f.Steps {
		step := struct {
			Bar    int      `json:"bar"`
			Rest   []gen.Id `json:"rest"`
			Second float64  `json:"second"`
			Wake   []gen.Id `json:"wake"`
		}{x.Bar, append([]template.ID{}, x.Rest...), x.Second, append([]template.ID{}, x.Wake...)}
		out.Steps = append(out.Steps, step)
	}
	for _, m := range f.Machines {
		out.Machines = append(out.Machines, struct {
			AllMib   float64   `json:"allMib"`
			Bars     []float64 `json:"bars"`
			LimitMib float64   `json:"limitMib"`
			Machine  gen.Id    `json:"machine"`
			Over     []int     `json:"over"`
		}{m.AllMiB, m.Bars, m.LimitMiB, m.Machine.ID, m.Over})
	}
	return out, nil
}

// FollowMusicOut implements the contract.
func (s *server) FollowMusicOut(ctx context.Context, r gen.FollowMusicOutRequestObject) (gen.FollowMusicOutResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	hand, err := handIn(r.Params.Hand)
	if err != nil {
		return nil, err
	}
	f, err := h.Follow(ctx, p, r.Body, hand)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	d := download{name: handover.FileName(f.Title+" calls") + ".mid", mediaType: "audio/midi"}
	if r.Format == gen.Osc {
		d.name, d.mediaType = handover.FileName(f.Title+" calls")+".csv", "text/csv; charset=utf-8"
		err = sheet.Write(&b, f.Addresses())
	} else {
		err = f.MIDI(&b)
	}
	d.data = b.Bytes()
	return d, err
}

// VisitFollowMusicOutResponse implements the generated response.
func (d download) VisitFollowMusicOutResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}
