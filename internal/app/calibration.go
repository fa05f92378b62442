package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"fanfold/internal/core/template"
	"fanfold/internal/pass"
)

// Calibration is a calibration pass of a template as it was at a revision: the revision says
// all that is needed to read a recording of it.
type Calibration struct {
	Revision int64
	Together bool
	Seconds  float64
	Pairs    []CalibratedPair
}

// CalibratedPair is one recording of a pass.
type CalibratedPair struct {
	Name string
	Rows int
}

// passAt is the pass of the template as it was at a revision, or as it is with 0.
func (h *Hot) passAt(ctx context.Context, p Person, revision int64, together bool) (pass.Pass, *template.Template, error) {
	v := h.View()
	t := v.Template
	if revision != 0 && revision != v.Revision {
		var err error
		if t, err = h.other(ctx, p, Other{h.ID(), revision}); err != nil {
			return pass.Pass{}, nil, err
		}
	}
	x, err := pass.Of(t, together)
	if err != nil {
		return pass.Pass{}, nil, refused("", "%s", err)
	}
	return x, t, nil
}

// Calibration tells of a pass of the template as it was at a revision, or as it is with 0.
func (h *Hot) Calibration(ctx context.Context, p Person, revision int64, together bool) (Calibration, error) {
	if revision == 0 {
		revision = h.View().Revision
	}
	x, _, err := h.passAt(ctx, p, revision, together)
	if err != nil {
		return Calibration{}, err
	}
	out := Calibration{Revision: revision, Together: together, Seconds: x.Schedule().Seconds, Pairs: make([]CalibratedPair, len(x.Pairs))}
	for n, name := range x.Pairs {
		out.Pairs[n].Name = name
	}
	for _, r := range x.Rows {
		out.Pairs[r.Pair].Rows++
	}
	return out, nil
}

// CalibrationTest is the MIDI file of a pass.
func (h *Hot) CalibrationTest(ctx context.Context, p Person, revision int64, together bool) (data []byte, name string, err error) {
	if revision == 0 {
		revision = h.View().Revision
	}
	x, t, err := h.passAt(ctx, p, revision, together)
	if err != nil {
		return nil, "", err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, "", err
	}
	if data, err = x.MIDI(t, words); err != nil {
		return nil, "", refused("", "%s", err)
	}
	return data, fmt.Sprintf("%s calibration r%d.mid", t.Name, revision), nil
}

// Calibrated is what a recording of a pass came to.
type Calibrated struct {
	Heard   int
	Not     []string // rows that could not be measured, or are silent, with the reason
	Changed []ChangedRow
}

// Calibrate measures a recording of a pair of a pass, counted from 1, and keeps what its rows
// did as one change.
func (h *Hot) Calibrate(ctx context.Context, p Person, revision int64, together bool, pair int, body io.Reader) (Calibrated, error) {
	x, _, err := h.passAt(ctx, p, revision, together)
	if err != nil {
		return Calibrated{}, err
	}
	if pair < 1 || pair > len(x.Pairs) {
		return Calibrated{}, refused("", "the pass has %d recordings; there is no number %d", len(x.Pairs), pair)
	}
	file, err := os.CreateTemp("", "fanfold-calibration-")
	if err != nil {
		return Calibrated{}, fmt.Errorf("keep the recording while it is measured: %w", err)
	}
	defer func() { _ = errors.Join(file.Close(), os.Remove(file.Name())) }() // it was only needed here
	size, err := io.Copy(file, body)
	if err != nil {
		return Calibrated{}, fmt.Errorf("keep the recording while it is measured: %w", err)
	}
	figures, err := x.Measure(pair-1, file, size)
	if err != nil {
		return Calibrated{}, refused("", "%s", err)
	}
	now := time.Now().UTC().Format(time.RFC3339)
	out := Calibrated{Not: []string{}}
	heard := map[template.ID]*template.Heard{}
	for _, f := range figures {
		r := x.Rows[f.Row]
		switch {
		case f.Fault != "":
			out.Not = append(out.Not, r.Name+": "+f.Fault)
			continue // it can be recorded again alone
		case f.Silent:
			out.Not = append(out.Not, r.Name+": nothing is heard of it")
		}
		heard[r.ID] = f.Heard(r, template.ByCalibration, now)
	}
	out.Heard, out.Changed = len(heard), changedRows(h.View().Template, heard)
	_, err = h.keepHeard(ctx, p, heard, "by calibration", false)
	return out, err
}
