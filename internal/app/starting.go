package app

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/smf"
)

// StartAsk asks for cues to be started from a template.
type StartAsk struct {
	Cues     []cue.ID
	Template uuid.UUID   // nil takes that of each cue
	Call     template.ID // what is ready; empty for all rows
	Click    bool        // with a track of clicks
	Own      bool        // anew as they were started, with what they took of later changes
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
		if err := x.write(archive, folder); err != nil {
			return Started{}, err
		}
		written++
		if ask.Own {
			continue
		}
		call := ""
		if x.call != nil {
			call = string(x.call.ID)
		}
		ops = append(ops, cue.Setting(cue.OfCue, c.ID, "template", id.String(), "version", x.revision, "took", nil, "call", call, "started", started))
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
func (f *Film) starter(ctx context.Context, p Person, now *cue.Production, c *cue.Cue, ask StartAsk) (*starter, uuid.UUID, error) {
	x := &starter{production: now, cue: c, click: ask.Click}
	if ask.Own {
		t, id, err := f.own(ctx, p, c)
		if err != nil {
			return nil, id, err
		}
		x.template, x.revision, x.took = t, c.Version, c.Took
		x.call = t.Index().Calls[template.ID(c.Call)] // one that is gone is every row
		return x, id, nil
	}
	v, id, err := f.templateOf(ctx, p, c, ask.Template)
	if err != nil {
		return nil, id, err
	}
	x.template, x.revision, x.call = v.Template, v.Revision, v.Template.Index().Calls[ask.Call]
	if ask.Call != "" && x.call == nil {
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

// starter writes one cue.
type starter struct {
	production *cue.Production
	cue        *cue.Cue
	template   *template.Template
	revision   int64          // of it
	took       []int64        // later changes that it has as well
	call       *template.Call // nil for all rows
	click      bool
}

// rampParts is how long a step of a ramp is in a MIDI file, ticks.
const rampParts = cue.Ticks / 2

func (x *starter) write(archive *zip.Writer, folder string) error {
	name := folder + "/" + folder
	laid := x.session()
	for _, file := range []struct {
		name  string
		write func(io.Writer) error
	}{
		{name + ".mid", x.midi},
		{name + dawproject.Extension, func(w io.Writer) error { return dawproject.Write(w, laid) }},
		{name + ".txt", func(w io.Writer) error { return x.sheet(w, laid.Left) }},
		{unless(x.call == nil, folder+"/Call.mid"), x.wake},
		{unless(!x.click, name+" click.wav"), func(w io.Writer) error { return format.WriteClick(w, x.production, x.cue) }},
	} {
		if file.name == "" {
			continue
		}
		out, err := archive.Create(file.name)
		if err == nil {
			err = file.write(out)
		}
		if err != nil {
			return fmt.Errorf("write %s: %w", file.name, err)
		}
	}
	return nil
}

// time is the time of the cue, as a MIDI file has it.
func (x *starter) time() smf.Cue {
	c, t, rate := x.cue, x.cue.MustTime(), x.production.FrameRate()
	out := smf.Cue{
		Ticks: cue.Ticks, Tempi: t.Curve.Steps(rampParts), Metres: t.Bars.Metres(), Rate: rate, Begin: c.FrameOf(t, rate, 0),
		Markers: []smf.Marker{{Tick: t.Start, Name: fmt.Sprintf("%s, bar %d, %s", c.Called(), c.Bar, rate.Format(c.Start))}},
		Texts:   []string{fmt.Sprintf("%s: bar %d stands on %s", c.Called(), c.Bar, rate.Format(c.Start))},
	}
	mark := func(frame int64, name string) {
		if tick := c.TickOf(t, rate, float64(frame)); tick >= 0 {
			out.Markers = append(out.Markers, smf.Marker{Tick: tick, Name: name})
		}
	}
	for _, m := range c.Markers {
		if m.Tick != nil {
			out.Markers = append(out.Markers, smf.Marker{Tick: *m.Tick, Name: m.Name})
		} else {
			mark(*m.Frame, m.Name)
		}
	}
	for _, h := range c.Hits {
		name := "Hit"
		if h.Name != "" {
			name += ": " + h.Name
		}
		mark(h.Frame, name)
	}
	mark(c.End, "End of "+c.Called())
	slices.SortStableFunc(out.Markers, func(a, b smf.Marker) int { return int(a.Tick - b.Tick) })
	if x.click {
		out.Click = clicksOf(c, rate)
	}
	return out
}

// clicksOf are the clicks of a cue, from its first bar to its end.
func clicksOf(c *cue.Cue, rate timecode.Rate) []smf.Tick {
	var out []smf.Tick
	for _, b := range c.Beats(rate) {
		out = append(out, smf.Tick{Tick: b.Tick, Strong: b.First})
	}
	return out
}

// unless is a name, or none.
func unless(not bool, name string) string {
	if not {
		return ""
	}
	return name
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

// ready are the rows of the call, or all, but those that are set aside; nil for all.
func (x *starter) ready() map[template.ID]bool {
	aside := slices.ContainsFunc(x.template.Instruments, func(i *template.Instrument) bool { return i.Aside })
	if x.call == nil && !aside {
		return nil
	}
	out := map[template.ID]bool{}
	for _, i := range x.template.Instruments {
		if x.call == nil && !i.Aside {
			out[i.ID] = true
		}
	}
	if x.call != nil {
		for _, id := range x.call.Instruments {
			if i := x.template.Instrument(id); i != nil && !i.Aside {
				out[id] = true
			}
		}
	}
	return out
}

// midi are the rows that are ready, in the time of the cue.
func (x *starter) midi(w io.Writer) error {
	song := handover.NewSongOf(x.template, x.ready())
	song.Name = x.cue.Called()
	return smf.WriteCue(w, song, x.time())
}

// session is the cue as a session: all rows, those of its call loaded.
func (x *starter) session() session.Session {
	s := session.Of(x.template, x.ready())
	c, t := x.cue, x.cue.MustTime()
	rate := x.production.FrameRate()
	beat := func(tick int64) float64 { return float64(tick) / cue.Ticks }
	s.Name = c.Called()
	s.Comment = fmt.Sprintf("%s, %s, bar %d on %s at %s frames a second", x.production.Name, c.Called(), c.Bar, rate.Format(c.Start), rate)
	s.Tempi, s.Metres, s.Markers = nil, nil, nil
	for _, p := range t.Curve.Points() {
		s.Tempi = append(s.Tempi, session.Tempo{Beat: beat(p.Tick), BPM: float64(p.MilliBPM) / 1000, Ramp: p.Ramp})
	}
	for _, m := range t.Bars.Metres() {
		s.Metres = append(s.Metres, session.Metre{Beat: beat(m.Tick), Beats: m.Beats, Unit: m.Unit})
	}
	for _, m := range x.time().Markers {
		s.Markers = append(s.Markers, session.Marker{Beat: beat(m.Tick), Name: m.Name})
	}
	s.Left = append(s.Left, "the timecode at which it begins: set "+rate.Format(int64(math.Floor(c.FrameOf(t, rate, 0))))+" as the start")
	return s
}

// wake is the call of the cue, as a music program plays it.
func (x *starter) wake(w io.Writer) error {
	return smf.WriteWake(w, handover.NewWake(x.template, x.call))
}

// sheet is the cue for people.
func (x *starter) sheet(w io.Writer, left []string) error {
	c, t, rate := x.cue, x.cue.MustTime(), x.production.FrameRate()
	var b strings.Builder
	say := func(name, text string, args ...any) {
		fmt.Fprintf(&b, "%-12s %s\r\n", name, fmt.Sprintf(text, args...))
	}
	say("Cue", "%s", c.Called())
	say("Production", "%s, reel %s", x.production.Name, x.production.Reel(c.Reel).Name)
	say("Start", "%s, where bar %d stands", rate.Format(c.Start), c.Bar)
	say("File begins", "%s, with the count-in", rate.Format(int64(math.Floor(c.FrameOf(t, rate, 0)))))
	say("End", "%s", rate.Format(c.End))
	say("Frame rate", "%s", rate)
	say("Sample rate", "%d Hz", x.production.RateHz)
	if cut := x.production.CutOf(x.production.Cut); cut != nil {
		say("Cut", "%s %s", cut.Name, cut.On)
		if f := cut.Films[c.Reel]; f != nil {
			say("Picture", "%s, which begins at %s and has %s frames a second", f.File, rate.Format(f.Begins(rate, x.production.Reel(c.Reel))), f.Footage.Rate())
		}
	}
	say("Template", "%s, revision %d", x.template.Name, x.revision)
	if len(x.took) > 0 {
		say("With", "what changed in revision %s", strings.ReplaceAll(strings.Trim(fmt.Sprint(x.took), "[]"), " ", ", "))
	}
	if x.call != nil {
		say("Call", "%s, %d rows", x.call.Name, len(x.call.Instruments))
	}
	say("Tempo", "%g at the start", t.Curve.BPM(t.Start))
	if c.Who != "" {
		say("Who", "%s", c.Who)
	}
	if c.Notes != "" {
		say("Notes", "%s", strings.ReplaceAll(c.Notes, "\n", " "))
	}
	for _, h := range c.Hits {
		place := t.PlaceOf(c.TickOf(t, rate, float64(h.Frame)))
		say("Hit", "%s  %s  bar %d beat %.2f", rate.Format(h.Frame), h.Name, place.Bar, place.Beat)
	}
	fmt.Fprintf(&b, "\r\nThe session file does not hold:\r\n")
	for _, what := range left {
		fmt.Fprintf(&b, "  %s\r\n", what)
	}
	_, err := io.WriteString(w, b.String())
	return err
}
