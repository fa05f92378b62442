package app

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
)

// StartAsk asks for cues to be started from a template.
type StartAsk struct {
	Cues     []cue.ID
	Template uuid.UUID   // nil takes that of each cue
	Call     template.ID // what is ready; empty for all rows
	Click    bool        // with a track of clicks
	Own      bool        // again as they were started, with what they took of later changes
}

// Started are cues that were started: a folder for each, in a zip.
type Started struct {
	Zip      []byte
	Name     string
	Revision int64
}

// mostStarted bounds the cues that are started at once.
const mostStarted = 200

// Start writes a folder for each of some cues, which a sequencer opens at the right place: MIDI with
// the timecode it begins at, a session, the call, and a sheet for people. The cues note which
// version of the template they were started from.
func (f *Film) Start(ctx context.Context, p Person, ask StartAsk) (Started, error) {
	now := f.View().Production
	if len(ask.Cues) == 0 || len(ask.Cues) > mostStarted {
		return Started{}, refused("", "%d cues; 1 to %d can be started at once", len(ask.Cues), mostStarted)
	}
	var b bytes.Buffer
	archive := zip.NewWriter(&b)
	started := time.Now().UTC().Format(time.RFC3339)
	var ops []cue.Op
	var first string
	written := 0
	names := map[string]int{}
	for _, c := range now.InOrder() {
		if !slices.Contains(ask.Cues, c.ID) {
			continue
		}
		x, id, err := f.starter(ctx, p, now, c, ask)
		if err != nil {
			return Started{}, err
		}
		folder := handover.FileName(c.Called())
		if names[folder]++; names[folder] > 1 {
			folder = fmt.Sprintf("%s (%d)", folder, names[folder])
		}
		first = folder
		if err := x.Write(archive, folder); err != nil {
			return Started{}, err
		}
		written++
		if ask.Own {
			continue
		}
		call := ""
		if x.Call != nil {
			call = string(x.Call.ID)
		}
		ops = append(ops, cue.Setting(cue.OfCue, c.ID, "template", id.String(), "version", x.Revision, "took", nil, "call", call, "started", started))
	}
	if written == 0 {
		return Started{}, refused("", "the cues are no longer there")
	}
	if err := archive.Close(); err != nil {
		return Started{}, fmt.Errorf("write the cues: %w", err)
	}
	out := Started{Zip: b.Bytes(), Name: first}
	label := "Start " + first
	if written > 1 {
		out.Name, label = handover.FileName(now.Name+" cues"), fmt.Sprintf("Start %d cues", len(ops))
	}
	if ask.Own {
		out.Revision = f.View().Revision
		return out, nil
	}
	var err error
	out.Revision, err = f.Make(ctx, p, func(*cue.Production) (cue.Change, error) { return cue.Change{Label: label, Ops: ops}, nil })
	return out, err
}

// starter makes ready to write a cue, and is the ID of its template.
func (f *Film) starter(ctx context.Context, p Person, now *cue.Production, c *cue.Cue, ask StartAsk) (*format.CueStart, uuid.UUID, error) {
	x := &format.CueStart{Production: now, Cue: c, Click: ask.Click}
	if ask.Own {
		t, id, err := f.own(ctx, p, c)
		if err != nil {
			return nil, id, err
		}
		x.Template, x.Revision, x.Took = t, c.Version, c.Took
		x.Call = t.Index().Calls[template.ID(c.Call)] // one that is gone is every row
		return x, id, nil
	}
	v, id, err := f.templateOf(ctx, p, c, ask.Template)
	if err != nil {
		return nil, id, err
	}
	x.Template, x.Revision, x.Call = v.Template, v.Revision, v.Template.Index().Calls[ask.Call]
	if ask.Call != "" && x.Call == nil {
		return nil, id, refused("", "%s has no such call any more", v.Template.Name)
	}
	return x, id, nil
}

// templateOf opens the template that a cue is started from.
func (f *Film) templateOf(ctx context.Context, p Person, c *cue.Cue, chosen uuid.UUID) (View, uuid.UUID, error) {
	id := chosen
	if id == uuid.Nil {
		var err error
		if id, err = uuid.Parse(c.Template); err != nil {
			return View{}, id, refused("", "%s has no template yet; choose one", c.Called())
		}
	}
	h, err := f.app.Open(ctx, p, id)
	if err != nil {
		return View{}, id, refused("", "the template of %s is no longer there; choose another", c.Called())
	}
	return h.View(), id, nil
}

// Click writes the clicks of a cue as a WAV file at the production's sample rate, from its first bar
// until its end. It says at which timecode it begins.
func (f *Film) Click(id cue.ID, w io.Writer) error {
	p := f.View().Production
	c := p.Cue(id)
	if c == nil {
		return refused("", "the cue is no longer there")
	}
	return format.WriteClick(w, p, c)
}
