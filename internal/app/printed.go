package app

import (
	"bytes"
	"context"
	"fmt"
	"io"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/format/flac"
	"fanfold/internal/format/wav"
	"fanfold/internal/store"
)

// MaxRecordingBytes bounds a recorded file: an hour of 24-bit stereo at 48 kHz.
const MaxRecordingBytes = 1 << 30

// Recording is a recorded file that shall stand in for an instrument.
type Recording struct {
	Name string
	Body io.Reader
	Call template.ID // whose music was recorded; empty when not said
}

// Print keeps a recording and puts it in an instrument's stead. Its length is
// read from the file; the notes that the call asks of the instrument now are what
// it holds.
func (h *Hot) Print(ctx context.Context, p Person, instrument template.ID, r Recording) (int64, error) {
	if err := template.CheckName(r.Name); err != nil {
		return 0, refused(instrument, "name the recording: %s", err)
	}
	made := template.Printed{File: r.Name}
	if _, err := printedAs(h.View().Template, instrument, made, r.Call); err != nil {
		return 0, err
	}
	digest, err := h.app.store.RecordingKeep(ctx, h.studio(), r.Body, func(head []byte, size int64) error {
		seconds, err := lengthOf(head, size)
		if err != nil {
			return refused(instrument, "%s: %s; choose a WAV or FLAC file", r.Name, err)
		}
		made.Seconds = min(seconds, template.MaxPrintedSeconds)
		return nil
	})
	if err != nil {
		return 0, err
	}
	made.Audio = digest
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) { return printedAs(t, instrument, made, r.Call) })
}

// printedAs makes the change that puts a recording of a call's music in an
// instrument's stead.
func printedAs(t *template.Template, instrument template.ID, p template.Printed, call template.ID) (change.Change, error) {
	i := t.Instrument(instrument)
	if i == nil || i.Kind != template.Sampled {
		return nil, refused(instrument, "only an instrument that plays patches can be printed")
	}
	if c := t.Index().Calls[call]; c != nil {
		p.Call = call
		if u := c.UseOf(t.Home(i).ID); u != nil {
			p.Music = u.Music
		}
	}
	return change.Edit{Edits: []change.Fields{{ID: instrument, Printed: &p}}}, nil
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

// Heard is a recording, to be listened to in its instrument's stead.
type Heard struct {
	*store.Recording
	MediaType string
}

// Recorded opens a recording that a studio keeps, by its SHA-256;
// store.ErrNotFound when it does not.
func (a *App) Recorded(ctx context.Context, p Person, digest string) (Heard, error) {
	r, err := a.store.RecordingOpen(ctx, p.Studio, digest)
	if err != nil {
		return Heard{}, err
	}
	mark := make([]byte, 4)
	if _, err := io.ReadFull(r, mark); err != nil {
		return Heard{}, fmt.Errorf("look at a recording: %w", err)
	}
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return Heard{}, err
	}
	out := Heard{r, "audio/wav"}
	if string(mark) == "fLaC" {
		out.MediaType = "audio/flac"
	}
	return out, nil
}
