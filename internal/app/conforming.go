package app

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/format"
	"fanfold/internal/format/edl"
	"fanfold/internal/format/otio"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/spotting"
)

// SpottedList is what bringing in a list of cues does, and how the list was read.
type SpottedList struct {
	Read     spotting.List
	Does     cue.Spotting
	Problems []cue.Problem // of both, by line
	Revision int64         // when it was taken; 0 when it was only looked at
}

// Spot brings in a list of cues, or with take false only says what that would do.
func (f *Film) Spot(ctx context.Context, p Person, r io.Reader, mapping map[string]string, take bool) (SpottedList, error) {
	now := f.View().Production
	list, cues, err := spotting.Cues(r, now.FrameRate(), mapping)
	if err != nil {
		return SpottedList{}, refused("", "%s", err)
	}
	out := SpottedList{Read: list}
	out.Does = now.Spot(cues, CueID)
	if take {
		out.Revision, err = f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
			out.Does = now.Spot(cues, CueID)
			return out.Does.Change, nil
		})
	}
	out.Problems = append(append([]cue.Problem{}, list.Problems...), out.Does.Problems...)
	slices.SortStableFunc(out.Problems, func(a, b cue.Problem) int { return cmp.Compare(a.Line, b.Line) })
	return out, err
}

// Picture says where an event list belongs.
type Picture struct {
	Reel cue.ID // empty is found by its timecode, or made
	Cut  cue.ID // empty makes a new one
	Name string // of a new cut; empty is numbered
	On   string // its day, yyyy-mm-dd
}

// BroughtIn is an event list that was taken.
type BroughtIn struct {
	Cut, Reel cue.ID
	Events    int
	Notes     []string
	Revision  int64
}

// BringIn takes an event list as the picture of a reel in a cut. A cut that cues stand in keeps
// the picture that it has: another one belongs to a new cut.
func (f *Film) BringIn(ctx context.Context, p Person, r io.Reader, where Picture) (BroughtIn, error) {
	data, err := io.ReadAll(io.LimitReader(r, edl.MaxBytes+1))
	if err != nil {
		return BroughtIn{}, fmt.Errorf("read the event list: %w", err)
	}
	var out BroughtIn
	out.Revision, err = f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		out = BroughtIn{Notes: []string{}}
		events, notes, err := readEvents(data, now, &where)
		if err != nil {
			return cue.Change{}, refused("", "%s", err)
		}
		out.Events, out.Notes = len(events), append(out.Notes, notes...)
		return bringIn(now, events, where, &out)
	})
	return out, err
}

// readEvents reads an event list of either format, at the rate of the production; or makes the
// changes of a list of changes in the cut that the cues stand in, and then says in which reel.
func readEvents(data []byte, p *cue.Production, where *Picture) ([]cut.Event, []string, error) {
	rate := p.FrameRate()
	if spotting.IsChanges(data) {
		return changed(data, p, where)
	}
	if bytes.HasPrefix(bytes.TrimSpace(bytes.TrimPrefix(data, []byte("\ufeff"))), []byte("{")) {
		start := int64(3600) * rate.Counted()
		if r := p.Reel(where.Reel); r != nil {
			start = r.Start
		}
		l, err := otio.Read(bytes.NewReader(data), rate, start)
		return l.Events, l.Notes, err
	}
	l, err := edl.Read(bytes.NewReader(data), rate)
	var notes []string
	for _, n := range l.Notes {
		text := n.Text
		if n.Line > 0 {
			text = fmt.Sprintf("line %d: %s", n.Line, text)
		}
		notes = append(notes, text)
	}
	return l.Events, notes, err
}

// changed is the picture of a reel with the changes of a list.
func changed(data []byte, p *cue.Production, where *Picture) ([]cut.Event, []string, error) {
	edits, err := spotting.Changes(bytes.NewReader(data), p.FrameRate())
	if err != nil {
		return nil, nil, err
	}
	reel := p.Reel(where.Reel)
	if reel == nil {
		if reel = p.ReelAt(edits[0].At); reel == nil {
			return nil, nil, cut.BadEdits{{Line: edits[0].Line, Reason: p.FrameRate().Format(edits[0].At) + " lies in no reel"}}
		}
		where.Reel = reel.ID
	}
	is := p.CutOf(p.Cut).Reel(reel.ID)
	if is == nil || len(is.Events) == 0 {
		return nil, nil, fmt.Errorf("reel %s has no picture yet that could be changed; bring in its event list first", reel.Name)
	}
	events, err := cut.Edited(p.FrameRate(), is.Events, edits)
	return events, []string{}, err
}

func bringIn(p *cue.Production, events []cut.Event, where Picture, out *BroughtIn) (cue.Change, error) {
	var ops []cue.Op
	reel := p.Reel(where.Reel)
	if where.Reel != "" && reel == nil {
		return cue.Change{}, refused("", "the reel is no longer there")
	}
	if reel == nil {
		reel = p.ReelAt(events[0].Start)
	}
	if reel == nil {
		reel = p.NewReel(CueID("reel"), events[0].Start)
		ops = append(ops, cue.Adding(reel))
	}
	target := p.CutOf(where.Cut)
	if where.Cut != "" && target == nil {
		return cue.Change{}, refused("", "the cut is no longer there")
	}
	if target == nil {
		name := cmp.Or(strings.TrimSpace(where.Name), fmt.Sprintf("Cut %d", len(p.Cuts)+1))
		target = &cue.Cut{ID: CueID("cut"), Name: name, On: where.On}
		if p.Cut != "" { // reels of which nothing is said stay as they are
			for _, r := range p.CutOf(p.Cut).Reels {
				if r.Reel != reel.ID {
					target.Reels = append(target.Reels, r)
				}
			}
		}
	}
	if is := target.Reel(reel.ID); is != nil && len(is.Events) > 0 && target.ID == p.Cut {
		return cue.Change{}, refused("", "reel %s has a picture in %s, and cues are in it; bring the list in as a new cut", reel.Name, target.Name)
	}
	out.Cut, out.Reel = target.ID, reel.ID
	c := p.WithPicture(target, reel, events)
	c.Ops = append(ops, c.Ops...)
	return c, nil
}

// Conforming is a production held against one of its cuts.
type Conforming struct {
	cue.Conforming
	Reels []ReelMatch
}

// ReelMatch is how the picture of a reel became that of another cut.
type ReelMatch struct {
	Reel cue.ID
	cut.Match
	Old, New cut.Span
}

var errNoCut = errors.New("the cut is no longer there")

// Conform holds the cues against a cut.
func (f *Film) Conform(id cue.ID) (Conforming, error) {
	p := f.View().Production
	next := p.CutOf(id)
	if next == nil {
		return Conforming{}, refused("", "%s", errNoCut)
	}
	out := Conforming{Conforming: p.Conform(next)}
	for _, r := range p.Reels {
		was, now := p.Picture(r.ID), next.Reel(r.ID)
		if now == nil || len(now.Events) == 0 {
			continue
		}
		x := ReelMatch{Reel: r.ID, New: cut.SpanOf(now.Events)}
		if was != nil && len(was.Events) > 0 {
			x.Match, x.Old = cut.Compare(was.Events, now.Events), cut.SpanOf(was.Events)
		}
		out.Reels = append(out.Reels, x)
	}
	return out, nil
}

// TakeCut makes the cues follow a cut: by the proposal that is chosen for each. MIDI files that they
// keep are edited with them.
func (f *Film) TakeCut(ctx context.Context, p Person, id cue.ID, choices map[cue.ID]int) (int64, error) {
	take := func(now *cue.Production) (cue.Change, error) {
		next := now.CutOf(id)
		switch {
		case next == nil:
			return cue.Change{}, refused("", "%s", errNoCut)
		case id == now.Cut:
			return cue.Change{}, refused("", "the cues are in %s already", next.Name)
		}
		return now.Take(next, choices)
	}
	before := f.View().Production
	c, err := take(before)
	if err != nil {
		return 0, err
	}
	musics, err := f.cutMusics(ctx, p, before, c)
	if err != nil {
		return 0, err
	}
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		c, err := take(now)
		if err != nil {
			return c, err
		}
		return withMusic(now, c, musics)
	})
}

// BackTo goes back to an earlier cut, with the cues as they stood in it.
func (f *Film) BackTo(ctx context.Context, p Person, id cue.ID) (int64, error) {
	return f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		to := now.CutOf(id)
		switch {
		case to == nil:
			return cue.Change{}, refused("", "%s", errNoCut)
		case id == now.Cut:
			return cue.Change{}, refused("", "the cues are in %s already", to.Name)
		}
		return now.Back(to)
	})
}

// Tempi finds tempi that meet the hits of a cue: steady ones, or with a ratio maps of few.
func (f *Film) Tempi(id cue.ID, ask cue.FindAsk, ratio float64) (steady []cue.Found, maps []cue.Mapped, err error) {
	p := f.View().Production
	c := p.Cue(id)
	if c == nil {
		return nil, nil, refused("", "the cue is no longer there")
	}
	ask.Rate, ask.Start, ask.Hits = p.FrameRate(), c.Start, c.Hits
	if ratio > 0 {
		maps, err = cue.Maps(ask, ratio)
	} else {
		steady, err = cue.Steady(ask)
	}
	return steady, maps, err
}

// CueBar is where a bar of a cue is heard.
type CueBar struct {
	Bar   int64     `json:"bar"`
	Tick  int64     `json:"tick"`  // where it begins
	Beat  int64     `json:"beat"`  // how long one of its beats is, ticks
	Beats []float64 `json:"beats"` // frames of timecode, with their fraction
}

// Bars tells where the bars of a cue are heard, from its first, the count-in, to its end.
func (f *Film) Bars(id cue.ID) ([]CueBar, error) {
	p := f.View().Production
	c := p.Cue(id)
	if c == nil {
		return nil, refused("", "the cue is no longer there")
	}
	t := c.MustTime()
	out := []CueBar{}
	for _, b := range c.Beats(p.FrameRate()) {
		if b.First {
			out = append(out, CueBar{Bar: b.Bar, Tick: b.Tick, Beat: t.BeatAt(b.Tick)})
		}
		last := &out[len(out)-1]
		last.Beats = append(last.Beats, b.Frame)
	}
	return out, nil
}

// RecutMIDI edits the MIDI file of a cue as the cue followed the cut that it stands in, or with a
// cut as it would follow that, by one of its proposals.
func (f *Film) RecutMIDI(id, next cue.ID, choice int, w io.Writer, r io.Reader) (smf.Recut, error) {
	p := f.View().Production
	c := p.Cue(id)
	if c == nil {
		return smf.Recut{}, refused("", "the cue is no longer there")
	}
	if next != "" {
		x, err := f.Conform(next)
		if err != nil {
			return smf.Recut{}, err
		}
		at := slices.IndexFunc(x.Verdicts, func(v cue.Verdict) bool { return v.Cue == id })
		if choice < 0 || choice >= len(x.Proposals[at]) {
			return smf.Recut{}, refused("", "%s has %d proposals; there is no number %d", c.Called(), len(x.Proposals[at]), choice+1)
		}
		c = x.Proposals[at][choice].Cue
	}
	return format.WriteRecut(w, r, c)
}
