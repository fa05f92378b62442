package app

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/effect"
	"fanfold/internal/format/flac"
	"fanfold/internal/format/wav"
	"fanfold/internal/rig"
	"fanfold/internal/store"
)

// MaxRecordingBytes bounds a recorded file: an hour of 24-bit stereo at 48 kHz.
const MaxRecordingBytes = 1 << 30

// Recording is a recorded file that should stand in for an instrument.
type Recording struct {
	Name string
	Body io.Reader
	// Bytes is how long the file says it is; less than 0 when not said.
	Bytes int64
	Call  template.ID // whose music was recorded; empty when not said
}

// Print keeps a recording and puts it in an instrument's place. Its length is
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
	room, err := h.app.roomForRecordings(ctx, p, r.Bytes)
	if err != nil {
		return 0, err
	}
	digest, err := h.app.store.RecordingKeep(ctx, h.studio(), bounded(r.Body, room, noRoom(h.app.mostRecorded)), func(head []byte, size int64) error {
		if size < 0 { // it has only just begun
			return audible(instrument, r.Name, head)
		}
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

// KeepImpulse keeps the recording of a room, for convolutions: of at most half a minute. It
// gives its SHA-256 and its length, s. While nothing plays it, it goes after a time.
func (a *App) KeepImpulse(ctx context.Context, p Person, r Recording) (digest string, seconds float64, err error) {
	if err := template.CheckName(r.Name); err != nil {
		return "", 0, refused("", "name the recording: %s", err)
	}
	data, err := io.ReadAll(io.LimitReader(r.Body, mostImpulseBytes+1))
	if err != nil {
		return "", 0, fmt.Errorf("read the recording: %w", err)
	}
	if len(data) > mostImpulseBytes {
		return "", 0, refused("", "%s is larger than %d MiB; a room is recorded in half a minute at most", r.Name, mostImpulseBytes>>20)
	}
	x, err := decoded(data)
	if err != nil {
		return "", 0, refused("", "%s: %s; choose a WAV or FLAC file", r.Name, err)
	}
	_, err = effect.New([]template.BusEffect{{Kind: template.EffectConvolution, Audio: r.Name, File: r.Name}}, effect.Options{
		RateHz: rig.SoundRateHz, Audio: func(string) ([][]float64, float64, error) { return x.channels, x.rateHz, nil },
	})
	if err != nil {
		return "", 0, refused("", "%s", err)
	}
	if _, err := a.roomForRecordings(ctx, p, int64(len(data))); err != nil {
		return "", 0, err
	}
	digest, err = a.store.RecordingKeep(ctx, p.Studio, bytes.NewReader(data), func([]byte, int64) error { return nil })
	return digest, float64(len(x.channels[0])) / x.rateHz, err
}

// audible refuses what does not begin as audio.
func audible(instrument template.ID, name string, head []byte) error {
	if bytes.HasPrefix(head, []byte("fLaC")) || len(head) >= 12 && (bytes.HasPrefix(head, []byte("RIFF")) || bytes.HasPrefix(head, []byte("RF64"))) && string(head[8:12]) == "WAVE" {
		return nil
	}
	return refused(instrument, "%s does not begin as audio; choose a WAV or FLAC file", name)
}

// Recordings is what the recordings of a studio take.
type Recordings struct {
	Bytes, Most int64
	Files       int
}

// Recordings tells what the recordings of a person's studio take.
func (a *App) Recordings(ctx context.Context, p Person) (Recordings, error) {
	row, err := a.store.Queries().RecordingsTaken(ctx, p.Studio)
	if err != nil {
		return Recordings{}, fmt.Errorf("count recordings: %w", err)
	}
	return Recordings{row.Bytes, a.mostRecorded, int(row.Files)}, nil
}

// roomForRecordings is how many bytes of recordings a studio may still keep; a file that
// says it is larger (bytes; less than 0 when not said) is refused before it comes.
func (a *App) roomForRecordings(ctx context.Context, p Person, bytes int64) (int64, error) {
	x, err := a.Recordings(ctx, p)
	if err != nil {
		return 0, err
	}
	if room := x.Most - x.Bytes; room > 0 && bytes <= room {
		return room, nil
	}
	return 0, noRoom(x.Most)
}

func noRoom(most int64) error {
	return refused("", "the studio's recordings may take %s, and this one would take more; let rows that no longer need theirs play again, or have the server keep more", calls.FormatMiB(float64(most)/(1<<20)))
}

// bounded reads so many bytes; more is the error over.
func bounded(r io.Reader, room int64, over error) io.Reader { return &boundedReader{r, room, over} }

type boundedReader struct {
	r    io.Reader
	left int64
	over error
}

func (b *boundedReader) Read(p []byte) (int, error) {
	n, err := b.r.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, b.over
	}
	return n, err
}

// unheard refuses a change that gives a row a recording the studio does not keep.
func (h *Hot) unheard(ctx context.Context, before, after *template.Template) error {
	for _, i := range after.Instruments {
		if i.Printed == nil || i.Printed.Audio == "" {
			continue
		}
		if was := before.Instrument(i.ID); was == i || was != nil && was.Printed != nil && was.Printed.Audio == i.Printed.Audio {
			continue
		}
		if !h.app.store.RecordingKept(ctx, h.studio(), i.Printed.Audio) {
			return refused(i.ID, "%s: its recording is not kept here; choose the file", i.Name)
		}
	}
	known := before.EffectAudio()
	for _, digest := range after.EffectAudio() {
		if !slices.Contains(known, digest) && !h.app.store.RecordingKept(ctx, h.studio(), digest) {
			return refused("", "the recording of a convolution is not kept here; choose the file")
		}
	}
	return nil
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

// Heard is a recording, to be listened to in its instrument's place.
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
