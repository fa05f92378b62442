package cue

import (
	"fmt"
	"regexp"
	"slices"
	"time"
	"unicode/utf8"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/filename"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Refused is the error of a production that cannot be: of what, and why.
type Refused struct {
	Subject ID // empty for the production itself
	Reason  string
}

func (e *Refused) Error() string { return e.Reason }

func refused(id ID, reason string, args ...any) error {
	return &Refused{id, fmt.Sprintf(reason, args...)}
}

// The bounds of a production.
const (
	mostName  = 200
	mostText  = 20_000
	MostCues  = 2_000
	MostReels = 100
	MostCuts  = 200
	mostList  = 2_000 // tempi, metres, markers, hits of a cue
)

func checkName(id ID, what, name string, empty bool) error {
	switch {
	case !empty && name == "":
		return refused(id, "%s has no name", what)
	case len(name) > mostName:
		return refused(id, "the name of %s is longer than %d bytes", what, mostName)
	case !utf8.ValidString(name):
		return refused(id, "the name of %s is not text", what)
	}
	return nil
}

// Validate checks every invariant. The error is a *Refused.
func (p *Production) Validate() error {
	if err := checkName("", "the production", p.Name, false); err != nil {
		return err
	}
	if !slices.ContainsFunc(timecode.Rates, func(x struct {
		Name string
		Rate timecode.Rate
	}) bool {
		return x.Name == p.Rate
	}) {
		_, err := timecode.Named(p.Rate)
		if err == nil {
			err = fmt.Errorf("%q is not a frame rate", p.Rate)
		}
		return refused("", "%s", err)
	}
	if p.RateHz < 8_000 || p.RateHz > 192_000 {
		return refused("", "a sample rate of %d Hz; use 8,000 to 192,000", p.RateHz)
	}
	if err := checkNumbering(p.Numbering); err != nil {
		return refused("", "%s", err)
	}
	if p.Files != "" {
		if err := filename.CheckPattern(p.Files); err != nil {
			return refused("", "names of printed files: %s", err)
		}
	}
	if len(p.Statuses) == 0 || len(p.Statuses) > 30 {
		return refused("", "%d statuses; a production has 1 to 30", len(p.Statuses))
	}
	for n, s := range p.Statuses {
		if err := checkName("", "a status", s, false); err != nil {
			return err
		}
		if slices.Contains(p.Statuses[:n], s) {
			return refused("", "the status %q is there twice", s)
		}
	}
	if !(p.MinutesADay >= 0 && p.MinutesADay <= 60) {
		return refused("", "%g minutes a day; use 0 to 60", p.MinutesADay)
	}
	if err := checkDay("", p.Begin); err != nil {
		return err
	}
	if len(p.Reels) > MostReels || len(p.Cuts) > MostCuts || len(p.Cues) > MostCues {
		return refused("", "%d reels, %d cuts and %d cues; at most %d, %d and %d", len(p.Reels), len(p.Cuts), len(p.Cues), MostReels, MostCuts, MostCues)
	}
	return p.things()
}

var digest = regexp.MustCompile(`^[0-9a-f]{64}$`)

func checkDay(id ID, day string) error {
	if day == "" {
		return nil
	}
	if _, err := time.Parse(time.DateOnly, day); err != nil {
		return refused(id, "%q is not a day; it is written as 2026-03-31", day)
	}
	return nil
}

func (p *Production) things() error {
	rate := p.FrameRate()
	seen := map[ID]bool{}
	fresh := func(id ID, what string) error {
		if id == "" || len(id) > 80 || seen[id] {
			return refused(id, "%s has no ID of its own", what)
		}
		seen[id] = true
		return nil
	}
	names := map[string]bool{}
	for _, r := range p.Reels {
		if err := fresh(r.ID, "a reel"); err != nil {
			return err
		}
		if err := checkName(r.ID, "a reel", r.Name, false); err != nil {
			return err
		}
		if names[r.Name] {
			return refused(r.ID, "there are two reels %s", r.Name)
		}
		names[r.Name] = true
		if r.Start < 0 || r.Length < 0 || r.Start+r.Length > rate.Day() {
			return refused(r.ID, "reel %s lies outside of a day of timecode", r.Name)
		}
	}
	for _, c := range p.Cuts {
		if err := fresh(c.ID, "a cut"); err != nil {
			return err
		}
		if err := p.cut(c, rate); err != nil {
			return err
		}
	}
	if p.Cut != "" && p.CutOf(p.Cut) == nil {
		return refused(p.Cut, "the cut that the cues stand in is not there")
	}
	for _, c := range p.Cues {
		if err := fresh(c.ID, "a cue"); err != nil {
			return err
		}
		if err := p.cue(c, rate); err != nil {
			return err
		}
	}
	return nil
}

func (p *Production) cut(c *Cut, rate timecode.Rate) error {
	if err := checkName(c.ID, "a cut", c.Name, false); err != nil {
		return err
	}
	if err := checkDay(c.ID, c.On); err != nil {
		return err
	}
	if len(c.Notes) > mostText {
		return refused(c.ID, "the notes of %s are longer than %d bytes", c.Name, mostText)
	}
	seen := map[ID]bool{}
	for _, r := range c.Reels {
		reel := p.Reel(r.Reel)
		if reel == nil || seen[r.Reel] {
			return refused(c.ID, "%s has a picture for a reel that is not there, or two for one", c.Name)
		}
		seen[r.Reel] = true
		sorted, err := cut.Checked(rate, r.Events)
		if err != nil {
			return refused(c.ID, "%s, reel %s: %s", c.Name, reel.Name, err)
		}
		if !slices.Equal(sorted, r.Events) {
			return refused(c.ID, "%s, reel %s: its events are not in the order of their time", c.Name, reel.Name)
		}
	}
	for id, f := range c.Films {
		reel := p.Reel(id)
		if reel == nil || f == nil {
			return refused(c.ID, "%s has a film for a reel that is not there", c.Name)
		}
		if err := f.check(rate); err != nil {
			return refused(c.ID, "%s, reel %s: %s", c.Name, reel.Name, err)
		}
	}
	return nil
}

// cue checks a cue.
func (p *Production) cue(c *Cue, rate timecode.Rate) error {
	fail := func(reason string, args ...any) error {
		return refused(c.ID, "%s: %s", c.Called(), fmt.Sprintf(reason, args...))
	}
	if len(c.Number) > 40 || len(c.Title) > mostName || len(c.Who) > mostName || len(c.Notes) > mostText || len(c.Template) > 80 || len(c.Call) > 80 || len(c.Started) > 40 {
		return fail("one of its texts is too long")
	}
	switch {
	case p.Reel(c.Reel) == nil:
		return fail("its reel is not there")
	case c.End <= c.Start:
		return fail("it ends at %s, before it begins at %s", rate.Format(c.End), rate.Format(c.Start))
	case c.Start < 0 || c.End > rate.Day():
		return fail("it lies outside of a day of timecode")
	case !slices.Contains(p.Statuses, c.Status):
		return fail("%q is not a status of this production; there are %v", c.Status, p.Statuses)
	case c.Bar < 1 || c.Bar > 1000:
		return fail("bar %d on its start; use 1 to 1000", c.Bar)
	case !(c.BendLimit >= 0 && c.BendLimit <= 50):
		return fail("its tempo may be bent by %g%%; use 0 to 50", c.BendLimit)
	case len(c.Tempi) > mostList || len(c.Metres) > mostList || len(c.Markers) > mostList || len(c.Hits) > mostList:
		return fail("more than %d tempi, metres, markers or hits", mostList)
	}
	if _, err := c.Time(); err != nil {
		return fail("%s", err)
	}
	if len(c.Took) > mostList || !slices.IsSorted(c.Took) || len(c.Took) > 0 && c.Took[0] <= c.Version {
		return fail("it cannot have taken those changes to its template")
	}
	last := int64(0)
	for _, e := range c.Edits {
		if e.At < last || e.Take < 0 || e.Put < 0 || e.At > tempo.MostTicks || e.Take > tempo.MostTicks || e.Put > tempo.MostTicks || len(c.Edits) > mostList {
			return fail("the edits of its music are not possible")
		}
		last = e.At + e.Take
	}
	for _, m := range c.Markers {
		if err := checkName(c.ID, "a marker", m.Name, true); err != nil {
			return err
		}
		if (m.Tick == nil) == (m.Frame == nil) || m.Tick != nil && (*m.Tick < 0 || *m.Tick > tempo.MostTicks) || m.Frame != nil && (*m.Frame < 0 || *m.Frame > rate.Day()) {
			return fail("the marker %q stands at a tick or at a frame, from 0 on", m.Name)
		}
	}
	for _, h := range c.Hits {
		if len(h.Name) > mostName || h.Frame < 0 || h.Frame > rate.Day() || !(h.Weight >= 0 && h.Weight <= 100) || !(h.Tolerance >= 0 && h.Tolerance <= 48) {
			return fail("the hit %q has a weight of 0 to 100 and a tolerance of 0 to 48 frames", h.Name)
		}
	}
	if m := c.Music; m != nil {
		if len(m.File) > mostName || len(m.Cut) > 80 || !digest.MatchString(m.Digest) || m.Parts < 0 || m.Notes < 0 || len(m.BarMs) > mostList || checkDay(c.ID, m.On) != nil {
			return fail("its music is told in a way that is not possible")
		}
	}
	if a := c.Anchor; a != nil && (len(a.Text) > mostName || a.Frame < 0 || a.Frame > rate.Day()) {
		return fail("its anchor lies outside of a day of timecode")
	}
	return nil
}

// Called is what people call a cue: "1M05 The lamp is lit".
func (c *Cue) Called() string {
	switch {
	case c.Number == "":
		return c.Title
	case c.Title == "":
		return c.Number
	}
	return c.Number + " " + c.Title
}
