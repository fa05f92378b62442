package app

import (
	"bytes"
	"io"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/format/flac"
	"fanfold/internal/format/wav"
)

// HeadBytes is how much of a recorded file is looked at.
const HeadBytes = 64 << 10

// Recording is a recorded file that shall stand in for an instrument.
type Recording struct {
	Name string
	Head io.Reader   // how it begins
	Size int64       // of the whole, bytes
	Call template.ID // whose music was recorded; empty when not said
}

// Print puts a recording in an instrument's stead. Its length is read from the
// file; the notes that the call asks of the instrument now are what it holds.
func Print(instrument template.ID, r Recording) (Maker, error) {
	if err := template.CheckName(r.Name); err != nil {
		return nil, refused(instrument, "name the recording: %s", err)
	}
	head, err := io.ReadAll(io.LimitReader(r.Head, HeadBytes))
	if err != nil {
		return nil, err
	}
	seconds, err := lengthOf(head, r.Size)
	if err != nil {
		return nil, refused(instrument, "%s: %s; choose a WAV or FLAC file", r.Name, err)
	}
	return func(t *template.Template) (change.Change, error) {
		i := t.Instrument(instrument)
		if i == nil || i.Kind != template.Sampled {
			return nil, refused(instrument, "only an instrument that plays patches can be printed")
		}
		p := &template.Printed{File: r.Name, Seconds: min(seconds, template.MaxPrintedSeconds), Call: r.Call}
		if c := t.Index().Calls[r.Call]; c != nil {
			if u := c.UseOf(instrument); u != nil {
				p.Music = u.Music
			}
		} else {
			p.Call = ""
		}
		return change.Edit{Edits: []change.Fields{{ID: instrument, Printed: p}}}, nil
	}, nil
}

// lengthOf reads the length of a recording from how it begins, s.
func lengthOf(head []byte, size int64) (float64, error) {
	src := bytes.NewReader(head)
	if bytes.HasPrefix(head, []byte("fLaC")) {
		h, err := flac.Read(src, size)
		return float64(h.Frames) / float64(max(1, h.RateHz)), err
	}
	h, err := wav.Read(src, size)
	return float64(h.Frames) / float64(max(1, h.RateHz)), err
}
