package api

import (
	"context"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/template"
)

// EffectKinds implements the contract.
func (s *server) EffectKinds(context.Context, gen.EffectKindsRequestObject) (gen.EffectKindsResponseObject, error) {
	out := gen.EffectKinds200JSONResponse{}
	for _, is := range template.EffectTypes {
		kind := gen.EffectKind{Kind: string(is.Kind), Words: is.Words, OnMix: is.OnMix, Audio: is.Audio}
		for _, p := range is.Parameters {
			kind.Parameters = append(kind.Parameters, gen.EffectParameter{Name: p.Name, Words: p.Words, Unit: p.Unit, Low: p.Low, High: p.High, Usual: p.Usual, Choice: p.Choice})
		}
		out = append(out, kind)
	}
	return out, nil
}

// KeepImpulse implements the contract.
func (s *server) KeepImpulse(ctx context.Context, r gen.KeepImpulseRequestObject) (gen.KeepImpulseResponseObject, error) {
	audio, seconds, err := s.app.KeepImpulse(ctx, person(ctx), app.Recording{Name: or(r.Params.File, ""), Body: r.Body, Bytes: lengthOf(ctx)})
	return gen.KeepImpulse200JSONResponse{Audio: audio, Seconds: seconds}, err
}
