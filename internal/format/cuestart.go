package format

import (
	"archive/zip"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/smf"
)

// CueStart is a cue that is started from a template.
type CueStart struct {
	Production *cue.Production
	Cue        *cue.Cue
	Template   *template.Template
	Revision   int64          // of the template; 0 when it has none
	Took       []int64        // later changes that it has as well
	Call       *template.Call // whose rows are ready; nil for all
	Click      bool           // with a track of clicks
}

// RampTicks is how long a step of a ramp is in a MIDI file, ticks.
const RampTicks = cue.Ticks / 2

// Write writes a folder, which a sequencer opens at the right place: MIDI with the timecode it begins
// at, a session, the call, and a sheet for people.
func (x *CueStart) Write(archive *zip.Writer, folder string) error {
	name := folder + "/" + folder
	laid := x.session()
	for _, file := range []struct {
		name  string
		write func(io.Writer) error
	}{
		{name + ".mid", x.midi},
		{name + dawproject.Extension, func(w io.Writer) error { return dawproject.Write(w, laid) }},
		{name + ".txt", func(w io.Writer) error { return x.sheet(w, laid.Left) }},
		{unless(x.Call == nil, folder+"/Call.mid"), x.wake},
		{unless(!x.Click, name+" click.wav"), func(w io.Writer) error { return WriteClick(w, x.Production, x.Cue) }},
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
func (x *CueStart) time() smf.Cue {
	c, t, rate := x.Cue, x.Cue.MustTime(), x.Production.FrameRate()
	out := smf.Cue{
		Ticks: cue.Ticks, Tempi: t.Curve.Steps(RampTicks), Metres: t.Bars.Metres(), Rate: rate, Begin: c.FrameOf(t, rate, 0),
		Markers: []smf.Marker{{Tick: t.Start, Name: fmt.Sprintf("%s, bar %d, %s", c.Called(), c.Bar, rate.Format(c.Start))}},
		Texts:   []string{fmt.Sprintf("%s: bar %d is at %s", c.Called(), c.Bar, rate.Format(c.Start))},
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
	if x.Click {
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

// ready are the rows of the call, or all, but those that are set aside; nil for all.
func (x *CueStart) ready() map[template.ID]bool {
	aside := slices.ContainsFunc(x.Template.Instruments, func(i *template.Instrument) bool { return i.Aside })
	if x.Call == nil && !aside {
		return nil
	}
	out := map[template.ID]bool{}
	for _, i := range x.Template.Instruments {
		if x.Call == nil && !i.Aside {
			out[i.ID] = true
		}
	}
	if x.Call != nil {
		for _, id := range x.Call.Instruments {
			if i := x.Template.Instrument(id); i != nil && !i.Aside {
				out[id] = true
			}
		}
	}
	return out
}

// midi are the rows that are ready, in the time of the cue.
func (x *CueStart) midi(w io.Writer) error {
	song := handover.NewSongOf(x.Template, x.ready())
	song.Name = x.Cue.Called()
	return smf.WriteCue(w, song, x.time())
}

// session is the cue as a session: all rows, those of its call loaded.
func (x *CueStart) session() session.Session {
	s := session.Of(x.Template, x.ready())
	c, t := x.Cue, x.Cue.MustTime()
	rate := x.Production.FrameRate()
	beat := func(tick int64) float64 { return float64(tick) / cue.Ticks }
	s.Name = c.Called()
	s.Comment = fmt.Sprintf("%s, %s, bar %d at %s, %s frames a second", x.Production.Name, c.Called(), c.Bar, rate.Format(c.Start), rate)
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
func (x *CueStart) wake(w io.Writer) error {
	return smf.WriteWake(w, handover.NewWake(x.Template, x.Call))
}

// sheet is the cue for people.
func (x *CueStart) sheet(w io.Writer, left []string) error {
	c, t, rate := x.Cue, x.Cue.MustTime(), x.Production.FrameRate()
	var b strings.Builder
	say := func(name, text string, args ...any) {
		fmt.Fprintf(&b, "%-12s %s\r\n", name, fmt.Sprintf(text, args...))
	}
	say("Cue", "%s", c.Called())
	say("Production", "%s, reel %s", x.Production.Name, x.Production.Reel(c.Reel).Name)
	say("Start", "%s, which is bar %d", rate.Format(c.Start), c.Bar)
	say("File begins", "%s, with the count-in", rate.Format(int64(math.Floor(c.FrameOf(t, rate, 0)))))
	say("End", "%s", rate.Format(c.End))
	say("Frame rate", "%s", rate)
	say("Sample rate", "%d Hz", x.Production.RateHz)
	if cut := x.Production.CutOf(x.Production.Cut); cut != nil {
		say("Cut", "%s %s", cut.Name, cut.On)
		if f := cut.Films[c.Reel]; f != nil {
			say("Picture", "%s, which begins at %s and has %s frames a second", f.File, rate.Format(f.Begins(rate, x.Production.Reel(c.Reel))), f.Footage.Rate())
		}
	}
	if x.Revision > 0 {
		say("Template", "%s, revision %d", x.Template.Name, x.Revision)
	} else {
		say("Template", "%s", x.Template.Name)
	}
	if len(x.Took) > 0 {
		say("With", "what changed in revision %s", strings.ReplaceAll(strings.Trim(fmt.Sprint(x.Took), "[]"), " ", ", "))
	}
	if x.Call != nil {
		say("Call", "%s, %d rows", x.Call.Name, len(x.Call.Instruments))
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
	fmt.Fprintf(&b, "\r\nThe session file leaves out:\r\n")
	for _, what := range left {
		fmt.Fprintf(&b, "  %s\r\n", what)
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// WriteRecut edits the MIDI file of a cue as the cue followed a cut.
func WriteRecut(w io.Writer, r io.Reader, c *cue.Cue) (smf.Recut, error) {
	x := c.Recut(c.Edits, RampTicks)
	return smf.WriteRecut(w, r, smf.Recutting{Ticks: cue.Ticks, At: x.Edits.At, Puts: x.Edits.Puts(), Tempi: x.Tempi, Metres: x.Metres})
}
